package sim

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"mime"
	"mime/quotedprintable"
	"net"
	"net/http"
	"net/mail"
	"strings"
	"sync"
	"time"
)

// Letter is a mail, or a message to the webhook, that came in.
type Letter struct {
	Way     string `json:"way"` // mail, webhook
	From    string `json:"from,omitempty"`
	To      string `json:"to,omitempty"`
	Subject string `json:"subject,omitempty"`
	Text    string `json:"text"`
	ID      string `json:"id,omitempty"`      // of a mail
	Answers string `json:"answers,omitempty"` // id of the mail that it answers
	Auto    string `json:"auto,omitempty"`    // what it says of having been sent by a machine (RFC 3834)
}

// Mailbox stands in for a mail server and for another program with a webhook: it takes whatever comes and shows it. The zero
// value is empty.
type Mailbox struct {
	mu      sync.Mutex
	letters []Letter
	to      map[string]handed // where mail to an address is handed in
}

// handed is where a mail server hands in what comes to an address.
type handed struct{ at, secret string }

// mostLetters is how many it keeps.
const mostLetters = 500

func (m *Mailbox) put(l Letter) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.letters = append(m.letters, l); len(m.letters) > mostLetters {
		m.letters = m.letters[1:]
	}
}

// Letters are what came in, oldest first.
func (m *Mailbox) Letters() []Letter {
	m.mu.Lock()
	defer m.mu.Unlock()
	return append([]Letter{}, m.letters...)
}

// Handler takes messages to the webhook at POST /hook, lists what came in at GET /mailbox, and has somebody write the mail that is sent to POST
// /mailbox?to=ADDRESS.
func (m *Mailbox) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("POST /hook", func(w http.ResponseWriter, q *http.Request) {
		body, err := io.ReadAll(http.MaxBytesReader(w, q.Body, 1<<20))
		if err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		m.put(Letter{Way: "webhook", Text: string(body)})
	})
	mux.HandleFunc("POST /mailbox", func(w http.ResponseWriter, q *http.Request) {
		body, err := io.ReadAll(http.MaxBytesReader(w, q.Body, 1<<20))
		if err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		status, err := m.Write(q.URL.Query().Get("to"), string(body))
		if err != nil {
			http.Error(w, err.Error(), http.StatusBadGateway)
			return
		}
		w.WriteHeader(status)
	})
	mux.HandleFunc("GET /mailbox", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(m.Letters()) // the client has gone
	})
	return mux
}

// Serve takes mail by SMTP until the listener is closed.
func (m *Mailbox) Serve(l net.Listener) error {
	for {
		c, err := l.Accept()
		if err != nil {
			return err
		}
		go m.talk(c)
	}
}

// talk is one conversation by SMTP, as far as a sender needs it (RFC 5321).
func (m *Mailbox) talk(c net.Conn) {
	defer c.Close()
	if err := c.SetDeadline(time.Now().Add(time.Minute)); err != nil {
		return
	}
	r := bufio.NewReader(io.LimitReader(c, 1<<20))
	say := func(s string) bool {
		_, err := fmt.Fprintf(c, "%s\r\n", s)
		return err == nil
	}
	say("220 mailbox")
	var from, to string
	for {
		line, err := r.ReadString('\n')
		if err != nil {
			return
		}
		line = strings.TrimSpace(line)
		verb, rest, _ := strings.Cut(line, ":")
		switch strings.ToUpper(verb) {
		case "MAIL FROM":
			from = strings.Trim(strings.TrimSpace(rest), "<>")
			say("250 ok")
		case "RCPT TO":
			to = strings.Trim(strings.TrimSpace(rest), "<>")
			say("250 ok")
		case "DATA":
			say("354 go on")
			m.put(read(r, from, to))
			say("250 taken")
		case "QUIT":
			say("221 goodbye")
			return
		default:
			say("250 ok")
		}
	}
}

// read takes one message, up to a line with a full stop alone.
func read(r *bufio.Reader, from, to string) Letter {
	var b strings.Builder
	for {
		line, err := r.ReadString('\n')
		if err != nil || strings.TrimRight(line, "\r\n") == "." {
			break
		}
		b.WriteString(strings.TrimPrefix(line, "."))
	}
	out := Letter{Way: "mail", From: from, To: to, Text: b.String()}
	msg, err := mail.ReadMessage(strings.NewReader(b.String()))
	if err != nil {
		return out
	}
	out.ID, out.Answers, out.Auto = msg.Header.Get("Message-Id"), msg.Header.Get("In-Reply-To"), msg.Header.Get("Auto-Submitted")
	out.Subject = msg.Header.Get("Subject")
	if s, err := new(mime.WordDecoder).DecodeHeader(out.Subject); err == nil {
		out.Subject = s
	}
	if text, err := io.ReadAll(quotedprintable.NewReader(msg.Body)); err == nil {
		out.Text = strings.ReplaceAll(string(text), "\r\n", "\n")
	}
	return out
}

// Forward has the server hand in what is written to an address, as mail servers do by a pipe or a transport: the whole mail, with a secret.
func (m *Mailbox) Forward(address, to, secret string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.to == nil {
		m.to = map[string]handed{}
	}
	m.to[strings.ToLower(address)] = handed{to, secret}
}

// Write has somebody write a mail, as it goes over the wire (RFC 5322), to an address that is handed in somewhere.
func (m *Mailbox) Write(to, mail string) (int, error) {
	m.mu.Lock()
	h, ok := m.to[strings.ToLower(to)]
	m.mu.Unlock()
	if !ok {
		return 0, fmt.Errorf("nobody reads the mail of %s", to)
	}
	q, err := http.NewRequest(http.MethodPost, h.at, strings.NewReader(mail))
	if err != nil {
		return 0, err
	}
	q.Header.Set("Content-Type", "message/rfc822")
	q.Header.Set("Authorization", "Bearer "+h.secret)
	r, err := http.DefaultClient.Do(q)
	if err != nil {
		return 0, err
	}
	return r.StatusCode, r.Body.Close()
}
