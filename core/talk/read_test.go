package talk

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var outcomes = []string{"answered", "refused"}

func TestReadConversations(t *testing.T) {
	l, err := Read([]byte("\xef\xbb\xbf"+`{"id":"a","at":"2026-03-01T09:00:00+01:00","visitor":"v","page":"https://x.example/p","language":"DE","turns":[
`+`{"role":"assistant","text":"Hello."}]}
`), outcomes)
	require.NoError(t, err)
	require.Empty(t, l.Conversations)
	assert.Len(t, l.Problems, 2, "a line is one object")

	l, err = Read([]byte(`{"id":"a","at":"2026-03-01T09:00:00+01:00","visitor":"v","page":"https://x.example/p","language":"DE","turns":[{"role":"assistant","text":"Hello."},{"role":"user","text":"A \u0000ticket?\u202e 🛳"},{"role":"assistant","text":"£4.","outcome":"answered","thumb":"down","word":"no"},{"role":"assistant","text":"Each way."}]}
{"messages":[{"role":"system","content":"s"},{"role":"user","content":"q","at":1772355600}]}
{"conversation":"b","at":"2026-03-01 10:00:00","question":"one"}
{"conversation":"b","question":"two","reply":"r","outcome":"refused"}
{"conversation":"b","question":"three","outcome":"odd"}
{"question":" "}
`), outcomes)
	require.NoError(t, err)
	require.Len(t, l.Conversations, 3)
	a := l.Conversations[0]
	assert.Equal(t, Conversation{ID: "a", Visitor: "v", Page: "https://x.example/p", Language: "de", Line: 1, Exchanges: []Exchange{{
		At: time.Date(2026, 3, 1, 8, 0, 0, 0, time.UTC), Question: "A ticket?\u202e 🛳", Reply: "£4.\nEach way.", Outcome: "answered", Thumb: Down, Word: "no",
	}}}, a)
	assert.Equal(t, time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC), l.Conversations[1].Exchanges[0].At, "seconds since 1970")
	assert.Len(t, l.Conversations[2].Exchanges, 2)
	assert.Equal(t, []int{5, 6}, []int{l.Problems[0].Line, l.Problems[1].Line})
	assert.Contains(t, l.Problems[0].Text, `no outcome "odd"`)
	assert.Equal(t, 4, l.Exchanges())
}

func TestReadRows(t *testing.T) {
	l, err := Read([]byte("Session;Time;Query;Answer;Rating\ns1;2026-03-01 10:00;\"one; two\";yes;1\ns1;;three;;-1\n;when;four;;\n"), outcomes)
	require.NoError(t, err)
	require.Len(t, l.Conversations, 1)
	assert.Equal(t, []Exchange{
		{At: time.Date(2026, 3, 1, 10, 0, 0, 0, time.UTC), Question: "one; two", Reply: "yes", Thumb: Up}, {Question: "three", Thumb: Down},
	}, l.Conversations[0].Exchanges)
	assert.Equal(t, []Problem{{4, `no time that can be read: "when"`}}, l.Problems)

	for _, bad := range []string{"", " \n", "a,b\n1,2\n", "\x00\x01"} {
		_, err := Read([]byte(bad), outcomes)
		assert.ErrorIs(t, err, ErrForm, "%q", bad)
	}
}

func TestBoundsOfALog(t *testing.T) {
	turns := func(n int) string {
		return `{"id":"x","turns":[` + strings.TrimSuffix(strings.Repeat(`{"role":"user","text":"q"},`, n), ",") + "]}\n"
	}
	l, err := Read([]byte(turns(MostExchanges)+turns(MostExchanges+1)+`{"question":"`+strings.Repeat("ä", 8000)+`"}`+"\n"+`{"question":"`+strings.Repeat("ä", 16001)+`"}`), outcomes)
	require.NoError(t, err)
	assert.Len(t, l.Conversations, 2)
	assert.Len(t, l.Problems, 2)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(`{"turns":[{"role":"user","text":"q"}]}`))
	f.Add([]byte("question,at\nq,2026-01-01"))
	f.Add([]byte("question;at\n\"q"))
	f.Fuzz(func(t *testing.T, b []byte) {
		l, err := Read(b, outcomes)
		if err != nil {
			return
		}
		for _, c := range l.Conversations {
			if len(c.Exchanges) == 0 {
				t.Fatal("a conversation without a question")
			}
			for _, e := range c.Exchanges {
				if strings.TrimSpace(e.Question) == "" || len(e.Question) > MostQuestion {
					t.Fatalf("question %q", e.Question)
				}
			}
		}
	})
}
