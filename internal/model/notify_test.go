package model

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	webhook "github.com/standard-webhooks/standard-webhooks/libraries/go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestLettersCannotBeForgedThroughTheirSubject(t *testing.T) {
	m := Mailer{From: "a@b.example"}
	msg, err := m.letter(Letter{To: "c@d.example", Subject: "Fog\r\nBcc: everybody@e.example", Text: "Half speed.\n.\nÜber", Headers: map[string]string{"In-Reply-To": "<1@d.example>\r\nBcc: everybody@e.example"}})
	require.NoError(t, err)
	var raw strings.Builder
	_, err = msg.WriteTo(&raw)
	require.NoError(t, err)
	head, body, ok := strings.Cut(raw.String(), "\r\n\r\n")
	require.True(t, ok)
	assert.Equal(t, 1, strings.Count(head, "Subject:"))
	assert.NotContains(t, head, "\r\nBcc:")
	assert.Contains(t, body, "=C3=9Cber")
	for _, to := range []string{"nobody", "a@b.example\r\nBcc: x@y.example"} {
		_, err := m.letter(Letter{To: to, Subject: "s", Text: "t"})
		assert.Error(t, err)
	}
	for _, m := range []Mailer{{Server: "http://x", From: "a@b.example"}, {Server: "smtp://", From: "a@b.example"}, {Server: "smtp://x", From: "nobody"}} {
		assert.Error(t, m.Check())
	}
	assert.NoError(t, Mailer{Server: "smtps://mail.example:465", From: "a@b.example"}.Check())
}

// A receiver that keeps to the Standard Webhooks specification takes what was signed for it, and nothing else.
func TestWebhooksAreSigned(t *testing.T) {
	secret := WebhookSecret()
	verify, err := webhook.NewWebhook(secret)
	require.NoError(t, err)
	var ids []string
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		body, err := io.ReadAll(q.Body)
		assert.NoError(t, err)
		if verify.Verify(body, q.Header) != nil {
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		ids = append(ids, q.Header.Get("webhook-id"))
		w.WriteHeader(http.StatusNoContent)
	}))
	defer srv.Close()
	assert.NoError(t, Webhook{Address: srv.URL, ID: "msg_1", Secret: secret}.Post(t.Context(), map[string]int{"n": 1}))
	assert.Equal(t, []string{"msg_1"}, ids)
	for _, w := range []Webhook{{Address: srv.URL, ID: "msg_1", Secret: WebhookSecret()}, {Address: srv.URL}} {
		assert.ErrorIs(t, w.Post(t.Context(), 1), ErrConnection)
	}
	assert.Error(t, Webhook{Address: srv.URL, Secret: "whsec_%"}.Post(t.Context(), 1))
}
