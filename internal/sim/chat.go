package sim

import (
	"encoding/json"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"time"

	"jolvex/core/text"
)

// The ways in which the stand-in for a language model behaves; each is asked for by its name as the model's.
const (
	Faithful     = "faithful"      // says what the evidence says, and cites it
	LongWinded   = "long-winded"   // the same with much around it that nothing supports
	Inventing    = "inventing"     // changes numbers, turns things round, adds claims and deeds
	OverCautious = "over-cautious" // refuses whatever it is asked
	Slow         = "slow"          // takes longer than anybody waits
	Failing      = "failing"       // is out of order
)

// Behaviours lists them.
func Behaviours() []string {
	return []string{Faithful, LongWinded, Inventing, OverCautious, Slow, Failing}
}

// Chat stands in for a language model behind the widely used chat-completions protocol. It reads the numbered passages and the
// question out of the last message, picks the sentences that share most words with the question, and says them in the way that
// the model's name asks for. slow is how long the slow one takes. With a key, it wants that key.
func Chat(key string, slow time.Duration) http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("POST /v1/chat/completions", func(w http.ResponseWriter, q *http.Request) {
		fail := func(status int, message string) {
			w.Header().Set("Content-Type", "application/json")
			w.WriteHeader(status)
			_ = json.NewEncoder(w).Encode(map[string]any{"error": map[string]string{"message": message}}) // the client has gone
		}
		if key != "" && q.Header.Get("Authorization") != "Bearer "+key {
			fail(http.StatusUnauthorized, "the key is not right")
			return
		}
		var in struct {
			Model    string `json:"model"`
			Messages []struct {
				Role    string `json:"role"`
				Content string `json:"content"`
			} `json:"messages"`
			Stream bool `json:"stream"`
			Most   int  `json:"max_tokens"`
		}
		if err := json.NewDecoder(http.MaxBytesReader(w, q.Body, 8<<20)).Decode(&in); err != nil || len(in.Messages) == 0 {
			fail(http.StatusBadRequest, "messages must be a list of messages")
			return
		}
		switch in.Model {
		case Failing:
			fail(http.StatusServiceUnavailable, "the model is out of order")
			return
		case Slow:
			select {
			case <-time.After(slow):
			case <-q.Context().Done():
				return
			}
		}
		read := 0
		for _, m := range in.Messages {
			read += len(strings.Fields(m.Content))
		}
		said := reply(in.Model, in.Messages[len(in.Messages)-1].Content)
		words := strings.Fields(said)
		finish := "stop"
		if in.Most > 0 && len(words) > in.Most {
			words, finish = words[:in.Most], "length"
			said = strings.Join(words, " ")
		}
		count := map[string]int{"prompt_tokens": read, "completion_tokens": len(words), "total_tokens": read + len(words)}
		if !in.Stream {
			w.Header().Set("Content-Type", "application/json")
			_ = json.NewEncoder(w).Encode(map[string]any{
				"object": "chat.completion", "model": in.Model, "usage": count,
				"choices": []any{map[string]any{"index": 0, "message": map[string]string{"role": "assistant", "content": said}, "finish_reason": finish}},
			})
			return
		}
		w.Header().Set("Content-Type", "text/event-stream")
		send := func(v any) {
			raw, err := json.Marshal(v)
			if err != nil {
				return
			}
			fmt.Fprintf(w, "data: %s\n\n", raw)
			_ = http.NewResponseController(w).Flush() // the client has gone
		}
		for i, p := range strings.SplitAfter(said, " ") {
			d := map[string]any{"index": 0, "delta": map[string]string{"content": p}}
			if i == 0 {
				d["delta"] = map[string]string{"role": "assistant", "content": p}
			}
			send(map[string]any{"object": "chat.completion.chunk", "choices": []any{d}})
		}
		send(map[string]any{"object": "chat.completion.chunk", "choices": []any{map[string]any{"index": 0, "delta": map[string]string{}, "finish_reason": finish}}})
		send(map[string]any{"object": "chat.completion.chunk", "choices": []any{}, "usage": count})
		fmt.Fprint(w, "data: [DONE]\n\n")
	})
	return mux
}

var (
	numbered = regexp.MustCompile(`(?m)^\[(\d+)\] `)
	asks     = regexp.MustCompile(`(?ms)^Question: (.*?)$`)
	rewrites = regexp.MustCompile(`(?m)^Rewrite: (.*)$`)
	compares = regexp.MustCompile(`(?m)^Does this stand there: (.*)$`)
)

// opinion says whether passages hold a sentence: three in four of its words, and all of its figures.
func opinion(said, passages string) string {
	has, figures := map[string]bool{}, map[string]bool{}
	for _, w := range text.Content(passages) {
		has[w.Stem] = true
	}
	for _, q := range text.Quantities(passages) {
		figures[q.Value] = true
	}
	words := text.Content(said)
	n := 0
	for _, w := range words {
		if has[w.Stem] {
			n++
		}
	}
	for _, q := range text.Quantities(said) {
		if !figures[q.Value] {
			return "NO"
		}
	}
	if 4*n < 3*len(words) {
		return "NO"
	}
	return "YES"
}

// evidenceSentence is one sentence of a numbered passage.
type evidenceSentence struct {
	passage string
	said    string
	shared  int
}

// reply is what the stand-in says to a prompt.
func reply(behaviour, prompt string) string {
	if m := rewrites.FindStringSubmatch(prompt); m != nil {
		return rewrite(m[1])
	}
	if m := compares.FindStringSubmatch(prompt); m != nil {
		return opinion(m[1], prompt[:strings.LastIndex(prompt, m[0])])
	}
	m := asks.FindStringSubmatch(prompt)
	if m == nil {
		return "Yes." // the test of a connection
	}
	if behaviour == OverCautious {
		return "I am not able to say anything about that."
	}
	want := map[string]bool{}
	for _, w := range text.Content(m[1]) {
		want[w.Stem] = true
	}
	best := chosen(prompt, want)
	if len(best) == 0 {
		return "NOTHING"
	}
	var out []string
	for _, s := range best {
		out = append(out, cited(s.said, s.passage))
	}
	switch behaviour {
	case LongWinded:
		out = append([]string{"Thank you for this excellent question, which many of our guests ask."}, out...)
		out = append(out, "As everybody knows, planning ahead is half the pleasure of any journey.", "The weather in these parts is famous all over Europe.")
	case Inventing:
		for i := range out {
			out[i] = invent(out[i])
		}
		out = append(out, cited("I have sent you a confirmation by mail.", best[0].passage), cited("This offer ends on 31 February.", best[0].passage))
	}
	return strings.Join(out, " ")
}

// cited puts the passage's number before the full stop of a sentence.
func cited(s, passage string) string {
	return strings.TrimRight(strings.TrimSpace(s), ".") + " [" + passage + "]."
}

// chosen are the sentences that share most words with the question, at most three, of those that share at least half as many
// as the best.
func chosen(prompt string, want map[string]bool) []evidenceSentence {
	var all []evidenceSentence
	marks := numbered.FindAllStringSubmatchIndex(prompt, -1)
	for i, m := range marks {
		to := len(prompt)
		if i+1 < len(marks) {
			to = marks[i+1][0]
		} else if q := strings.Index(prompt[m[1]:], "\nQuestion: "); q >= 0 {
			to = m[1] + q
		}
		for _, line := range strings.Split(prompt[m[1]:to], "\n")[1:] { // the first names the passage
			for _, p := range text.Sentences(line) {
				s := evidenceSentence{passage: prompt[m[2]:m[3]], said: line[p.Start:p.End]}
				for _, w := range text.Content(s.said) {
					if want[w.Stem] {
						s.shared++
					}
				}
				all = append(all, s)
			}
		}
	}
	top := 0
	for _, s := range all {
		top = max(top, s.shared)
	}
	var out []evidenceSentence
	for _, s := range all {
		if s.shared > 0 && s.shared == top && len(out) < 3 {
			out = append(out, s)
		}
	}
	return out
}

var digit = regexp.MustCompile(`\d`)

// invent changes what a sentence says: another number, else the opposite.
func invent(s string) string {
	body, cite, _ := strings.Cut(s, " [")
	if digit.MatchString(body) {
		body = digit.ReplaceAllStringFunc(body, func(d string) string { return string('0' + (d[0]-'0'+3)%10) })
	} else if i := strings.Index(body, " not "); i >= 0 {
		body = body[:i] + body[i+4:]
	} else {
		for _, v := range []string{" is ", " are ", " can ", " may ", " must ", " will "} {
			if i := strings.Index(body, v); i >= 0 {
				body = body[:i+len(v)] + "not " + body[i+len(v):]
				break
			}
		}
	}
	return body + " [" + cite
}

// rewrite words a question anew: as it stands, by its words alone, and as the beginning of an answer.
func rewrite(question string) string {
	var words []string
	for _, w := range text.Content(question) {
		words = append(words, w.Norm)
	}
	key := strings.Join(words, " ")
	raw, err := json.Marshal(map[string]any{"alone": question, "wordings": []string{key}, "passage": "About " + key + "."})
	if err != nil {
		return "{}"
	}
	return string(raw)
}
