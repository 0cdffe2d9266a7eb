package sim

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const prompt = "Passages:\n[1] Animals\nDogs travel for £2.00. Cats do not pay.\n\n[2] Fog\nIn fog the boats sail at half speed.\n\nQuestion: What do dogs pay for a ticket?\n"

// chatted is what the stand-in says to a prompt.
func chatted(t *testing.T, behaviour, text string) string {
	t.Helper()
	srv := httptest.NewServer(Chat("", 10*time.Millisecond))
	defer srv.Close()
	body, err := json.Marshal(map[string]any{"model": behaviour, "messages": []map[string]string{{"role": "user", "content": text}}})
	require.NoError(t, err)
	resp, err := http.Post(srv.URL+"/v1/chat/completions", "application/json", strings.NewReader(string(body)))
	require.NoError(t, err)
	defer resp.Body.Close()
	var got struct {
		Choices []struct {
			Message struct{ Content string }
		}
		Error struct{ Message string }
	}
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&got))
	if len(got.Choices) == 0 {
		return got.Error.Message
	}
	return got.Choices[0].Message.Content
}

func TestTheStandInBehavesAsItIsAskedTo(t *testing.T) {
	faithful := chatted(t, Faithful, prompt)
	assert.Contains(t, faithful, "[1].", "it cites what it says")
	assert.NotContains(t, faithful, "fog")
	assert.Contains(t, chatted(t, LongWinded, prompt), "excellent question")
	inventing := chatted(t, Inventing, prompt)
	assert.NotContains(t, inventing, "£2.00")
	assert.Contains(t, inventing, "I have sent you a confirmation by mail [1].")
	assert.Contains(t, chatted(t, OverCautious, prompt), "not able")
	assert.Equal(t, faithful, chatted(t, Slow, prompt), "in the end it says the same")
	assert.Contains(t, chatted(t, Failing, prompt), "out of order")
	assert.Equal(t, "NOTHING", chatted(t, Faithful, "Passages:\n[1] Fog\nHalf speed.\n\nQuestion: Who won the cup?\n"))
	assert.Contains(t, chatted(t, Faithful, "Rewrite: What do dogs pay?"), `"wordings":["dogs pay"]`)
}

func TestInventingChangesWhatItSays(t *testing.T) {
	for in, want := range map[string]string{
		"Dogs pay £2.00 [1].":      "Dogs pay £5.33 [1].",
		"Dogs do not pay [1].":     "Dogs do pay [1].",
		"Dogs may ride along [1].": "Dogs may not ride along [1].",
	} {
		assert.Equal(t, want, invent(in))
	}
}

func TestTheMailboxShowsWhatCameIn(t *testing.T) {
	box := &Mailbox{}
	srv := httptest.NewServer(box.Handler())
	defer srv.Close()
	resp, err := http.Post(srv.URL+"/hook", "application/json", strings.NewReader(`{"name":"Fog"}`))
	require.NoError(t, err)
	resp.Body.Close()
	resp, err = http.Get(srv.URL + "/mailbox")
	require.NoError(t, err)
	defer resp.Body.Close()
	var got []Letter
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&got))
	assert.Equal(t, []Letter{{Way: "webhook", Text: `{"name":"Fog"}`}}, got)
}
