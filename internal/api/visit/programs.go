package visit

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"jolvex/core/query"
	"jolvex/internal/serving"
)

// The endpoint speaks the widely used chat-completions protocol: a key names the corpus; the last message of the user is the question, what stands before
// it the conversation. Prompts of a system are not obeyed: the assistant's manner is a setting of its release.

type chatMessage struct {
	Role    string          `json:"role"`
	Content json.RawMessage `json:"content"`
}

// text is a message's content: a string, or parts of which those of text count.
func (m chatMessage) text() string {
	var s string
	if json.Unmarshal(m.Content, &s) == nil {
		return s
	}
	var parts []struct{ Type, Text string }
	if json.Unmarshal(m.Content, &parts) != nil {
		return ""
	}
	for _, p := range parts {
		if p.Type == "text" {
			s += p.Text
		}
	}
	return s
}

type chatRequest struct {
	Model    string        `json:"model"`
	Messages []chatMessage `json:"messages"`
	Stream   bool          `json:"stream"`
	Options  struct {
		Usage bool `json:"include_usage"`
	} `json:"stream_options"`
	User string `json:"user"`
}

type annotation struct {
	Type string   `json:"type"`
	URL  citation `json:"url_citation"`
}

type citation struct {
	Start int    `json:"start_index"`
	End   int    `json:"end_index"`
	URL   string `json:"url"`
	Title string `json:"title"`
}

// apiFail tells a program what went wrong, as the protocol does.
func (h *handlers) apiFail(w http.ResponseWriter, err error) {
	status, said := h.told(err)
	if errors.Is(err, serving.ErrGone) {
		status, said = http.StatusUnauthorized, "the key is not known, or was ended"
	}
	chatProblem(w, status, said)
}

func chatProblem(w http.ResponseWriter, status int, said string) {
	kind := "invalid_request_error"
	switch {
	case status == http.StatusUnauthorized:
		kind = "authentication_error"
	case status == http.StatusTooManyRequests:
		kind = "rate_limit_error"
	case status >= 500:
		kind = "server_error"
	}
	write(w, status, map[string]any{"error": map[string]any{"message": said, "type": kind, "code": nil, "param": nil}})
}

// program lets a program in by its key; it has answered when it gives false.
func (h *handlers) program(w http.ResponseWriter, q *http.Request, scope string) (serving.Admitted, bool) {
	key, ok := strings.CutPrefix(q.Header.Get("Authorization"), "Bearer ")
	if !ok {
		chatProblem(w, http.StatusUnauthorized, "send a key: Authorization: Bearer ...")
		return serving.Admitted{}, false
	}
	a, err := h.app.Serving.AdmitKey(q.Context(), strings.TrimSpace(key), scope)
	if err != nil {
		h.apiFail(w, err)
		return a, false
	}
	if h.limiter(a.Rate).OnLimit(w, q, "key "+a.Key) {
		w.Header().Set("Retry-After", "60")
		chatProblem(w, http.StatusTooManyRequests, fmt.Sprintf("the key allows %d requests a minute: try again in a minute", a.Rate))
		return a, false
	}
	return a, true
}

func (h *handlers) models(w http.ResponseWriter, q *http.Request) {
	a, ok := h.program(w, q, serving.ScopeAsk)
	if !ok {
		return
	}
	by, err := h.app.Serving.Library.Embedder(q.Context(), a)
	if err != nil {
		h.apiFail(w, err)
		return
	}
	var data []any
	for _, id := range []string{a.Corpus.Name, by.ID()} {
		data = append(data, map[string]any{"id": id, "object": "model", "created": 0, "owned_by": "jolvex"})
	}
	write(w, http.StatusOK, map[string]any{"object": "list", "data": data})
}

func (h *handlers) find(w http.ResponseWriter, q *http.Request) {
	a, ok := h.program(w, q, serving.ScopeFind)
	if !ok {
		return
	}
	var in struct {
		Question string `json:"question"`
		Limit    int    `json:"limit"`
	}
	if !read(w, q, mostBody, &in) {
		return
	}
	got, err := h.app.Serving.Library.Find(q.Context(), a, in.Question, limited(in.Limit))
	if err != nil {
		h.apiFail(w, err)
		return
	}
	write(w, http.StatusOK, map[string]any{"passages": got})
}

func (h *handlers) completions(w http.ResponseWriter, q *http.Request) {
	a, ok := h.program(w, q, serving.ScopeAsk)
	if !ok {
		return
	}
	var in chatRequest
	if !read(w, q, mostTalk, &in) {
		return
	}
	if in.Model != "" && in.Model != a.Corpus.Name && in.Model != a.Corpus.ID {
		chatProblem(w, http.StatusNotFound, fmt.Sprintf("the key is for the model %q, not %q", a.Corpus.Name, in.Model))
		return
	}
	m := serving.Message{Visitor: in.User}
	if len(m.Visitor) > 80 {
		m.Visitor = m.Visitor[:80]
	}
	for _, x := range in.Messages {
		if t := x.text(); t != "" && (x.Role == "user" || x.Role == "assistant") {
			m.Turns = append(m.Turns, query.Turn{Role: x.Role, Text: t})
		}
	}
	if len(m.Turns) == 0 || m.Turns[len(m.Turns)-1].Role != "user" {
		chatProblem(w, http.StatusBadRequest, "the last message is the user's question")
		return
	}
	m.Text, m.Turns = m.Turns[len(m.Turns)-1].Text, m.Turns[:len(m.Turns)-1]
	said, err := h.app.Serving.Ask(q.Context(), a, m)
	if err != nil {
		h.apiFail(w, err)
		return
	}
	c := completion{said: said, model: a.Corpus.Name, at: time.Now().Unix()}
	if in.Stream {
		c.stream(w, in.Options.Usage)
		return
	}
	write(w, http.StatusOK, c.whole())
}

// completion is a reply as the protocol has it.
type completion struct {
	said  serving.Said
	model string
	at    int64
}

func (c completion) head(object string, choices any) map[string]any {
	return map[string]any{"id": "chatcmpl-" + c.said.Exchange, "object": object, "created": c.at, "model": c.model, "choices": choices}
}

func (c completion) usage() map[string]int {
	in, out := c.said.TokensIn, c.said.TokensOut // of a model; replies without one cost none
	return map[string]int{"prompt_tokens": in, "completion_tokens": out, "total_tokens": in + out}
}

// annotations cite, sentence by sentence; indices count characters (Unicode code points).
func (c completion) annotations() []annotation {
	_, spans := c.said.Text()
	out := []annotation{}
	for n, s := range c.said.Sentences {
		for _, at := range s.Sources {
			src := c.said.Sources[at]
			out = append(out, annotation{"url_citation", citation{spans[n][0], spans[n][1], src.Link, src.Title}})
		}
	}
	return out
}

func (c completion) whole() map[string]any {
	text, _ := c.said.Text()
	message := map[string]any{"role": "assistant", "content": text, "refusal": nil, "annotations": c.annotations()}
	if c.said.Refused {
		message["refusal"] = text // and as content, for programs that show nothing else
	}
	out := c.head("chat.completion", []any{map[string]any{"index": 0, "message": message, "finish_reason": "stop", "logprobs": nil}})
	out["usage"] = c.usage()
	return out
}

// stream sends a reply sentence by sentence as server-sent events, with the citations in the last piece.
func (c completion) stream(w http.ResponseWriter, usage bool) {
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("X-Accel-Buffering", "no")
	rc := http.NewResponseController(w)
	send := func(v any) {
		raw, err := json.Marshal(v)
		if err == nil {
			_, _ = fmt.Fprintf(w, "data: %s\n\n", raw) // the client has gone
			_ = rc.Flush()
		}
	}
	piece := func(delta map[string]any, finish any) {
		send(c.head("chat.completion.chunk", []any{map[string]any{"index": 0, "delta": delta, "finish_reason": finish}}))
	}
	piece(map[string]any{"role": "assistant", "content": ""}, nil)
	for n, s := range c.said.Sentences {
		text := s.Text
		if n > 0 {
			text = " " + text
		}
		delta := map[string]any{"content": text}
		if c.said.Refused {
			delta["refusal"] = text
		}
		piece(delta, nil)
	}
	piece(map[string]any{"annotations": c.annotations()}, nil)
	piece(map[string]any{}, "stop")
	if usage {
		last := c.head("chat.completion.chunk", []any{})
		last["usage"] = c.usage()
		send(last)
	}
	_, _ = fmt.Fprint(w, "data: [DONE]\n\n") // the client has gone
	_ = rc.Flush()
}
