package sim

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/google/uuid"
	webhook "github.com/standard-webhooks/standard-webhooks/libraries/go"
)

// Message is one message of a thread.
type Message struct {
	Thread string `json:"thread"`
	By     string `json:"by"` // customer, assistant, person
	Text   string `json:"text"`
	ID     string `json:"id,omitempty"` // of a customer's
}

// Messenger stands in for a messaging service: customers write in threads, and whoever answers for the firm is called by a webhook and calls back. The
// zero value is connected to nothing.
type Messenger struct {
	mu     sync.Mutex
	to     string // address that messages are handed in at
	secret string
	said   []Message
}

// Connect says where messages are handed in, and the secret that both sides sign with.
func (m *Messenger) Connect(to, secret string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.to, m.secret = to, secret
}

// Messages are all messages, the oldest first.
func (m *Messenger) Messages() []Message {
	m.mu.Lock()
	defer m.mu.Unlock()
	return slices.Clone(m.said)
}

func (m *Messenger) put(s Message) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.said = append(m.said, s); len(m.said) > mostLetters {
		m.said = m.said[1:]
	}
}

func (m *Messenger) connected() (to, secret string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.to, m.secret
}

// Write has a customer write in a thread. The same id again is the same message, as services send what was not taken at once.
func (m *Messenger) Write(thread, name, id, text string) (status int, err error) {
	to, secret := m.connected()
	if to == "" {
		return 0, errors.New("nobody is connected")
	}
	if id == "" {
		id = uuid.NewString()
	}
	body, err := json.Marshal(map[string]any{"id": id, "thread": thread, "text": text, "from": map[string]string{"id": thread, "name": name}})
	if err != nil {
		return 0, err
	}
	status, err = hand(to, secret, id, "application/json", body)
	if err == nil {
		m.put(Message{thread, "customer", text, id})
	}
	return status, err
}

// hand hands something in, signed as Standard Webhooks says.
func hand(to, secret, id, kind string, body []byte) (int, error) {
	signer, err := webhook.NewWebhook(secret)
	if err != nil {
		return 0, err
	}
	now := time.Now()
	signature, err := signer.Sign(id, now, body)
	if err != nil {
		return 0, err
	}
	q, err := http.NewRequest(http.MethodPost, to, bytes.NewReader(body))
	if err != nil {
		return 0, err
	}
	q.Header.Set("Content-Type", kind)
	q.Header.Set(webhook.HeaderWebhookID, id)
	q.Header.Set(webhook.HeaderWebhookTimestamp, strconv.FormatInt(now.Unix(), 10))
	q.Header.Set(webhook.HeaderWebhookSignature, signature)
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		return 0, err
	}
	defer r.Body.Close()
	if r.StatusCode >= http.StatusBadRequest {
		said, _ := io.ReadAll(io.LimitReader(r.Body, 1<<12))
		return r.StatusCode, fmt.Errorf("it was not taken: %d %s", r.StatusCode, said)
	}
	return r.StatusCode, nil
}

// Handler takes replies at POST /messenger/replies, shows a page at GET /messenger, lists messages at GET /messenger/messages and has a customer write
// at POST /messenger/messages.
func (m *Messenger) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("POST /messenger/replies", m.replied)
	mux.HandleFunc("GET /messenger", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = io.WriteString(w, messengerPage) // the client has gone
	})
	mux.HandleFunc("GET /messenger/messages", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(m.Messages()) // the client has gone
	})
	mux.HandleFunc("POST /messenger/messages", func(w http.ResponseWriter, q *http.Request) {
		var s Message
		if err := json.NewDecoder(http.MaxBytesReader(w, q.Body, 1<<16)).Decode(&s); err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		if _, err := m.Write(s.Thread, "A customer", s.ID, s.Text); err != nil {
			http.Error(w, err.Error(), http.StatusBadGateway)
		}
	})
	return mux
}

// replied takes a reply; one that is not signed with the secret is refused.
func (m *Messenger) replied(w http.ResponseWriter, q *http.Request) {
	body, err := io.ReadAll(http.MaxBytesReader(w, q.Body, 1<<20))
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	_, secret := m.connected()
	checker, err := webhook.NewWebhook(secret)
	if err == nil {
		err = checker.Verify(body, q.Header)
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusUnauthorized)
		return
	}
	var said struct {
		Thread, By string
		Parts      []string
	}
	if err := json.Unmarshal(body, &said); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	for _, p := range said.Parts {
		m.put(Message{said.Thread, said.By, p, ""})
	}
}

// messengerPage is where a customer writes.
const messengerPage = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>A messaging service</title>
<style>body { font: 16px/1.5 system-ui, sans-serif; max-width: 640px; margin: 24px auto; padding: 0 16px } li { margin: 0 0 10px; white-space: pre-line } b { font-weight: 600 } input { font: inherit; width: 75% } ol { list-style: none; padding: 0 }</style></head>
<body><h1>A messaging service</h1><p>It stands in for one: what is written here is handed to the assistant, which answers here.</p><ol id="said"></ol>
<form id="write"><input id="text" aria-label="Message" autofocus> <button>Send</button></form>
<script>
const thread = 'customer-' + Math.random().toString(36).slice(2, 8)
async function show() {
  const all = await (await fetch('/messenger/messages')).json()
  document.getElementById('said').replaceChildren(...all.filter((m) => m.thread === thread).map((m) => {
    const li = document.createElement('li'), who = document.createElement('b')
    who.textContent = m.by + ': '
    li.append(who, m.text)
    return li
  }))
}
document.getElementById('write').addEventListener('submit', async (e) => {
  e.preventDefault()
  const text = document.getElementById('text')
  await fetch('/messenger/messages', { method: 'POST', body: JSON.stringify({ thread, text: text.value }) })
  text.value = ''
  show()
})
setInterval(show, 1000)
</script></body></html>`
