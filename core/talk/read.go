package talk

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"jolvex/core/cells"
)

// ErrForm says that a file is no log that can be read.
var ErrForm = errors.New("neither lines of JSON nor comma-separated values with a column “question”")

// Read reads a log: JSON Lines, or CSV (RFC 4180) with a header. A line of JSON is a conversation, whose "turns" or "messages" have "role"
// (user, assistant) and "text" or "content"; or one exchange, with "question" and "reply", as is a row of CSV. Exchanges that name the same
// "conversation" are one, in the order of the file. outcomes are the names that an outcome may have. What cannot be taken in is told line by
// line, and the rest is read. ErrForm when nothing of the file can be.
func Read(b []byte, outcomes []string) (Log, error) {
	b = bytes.TrimPrefix(b, []byte("\xef\xbb\xbf"))
	r := &reader{outcomes: outcomes, named: map[string]int{}, log: Log{Conversations: []Conversation{}, Problems: []Problem{}}}
	head := bytes.TrimLeft(b, " \t\r\n")
	var err error
	switch {
	case len(head) == 0:
		return r.log, ErrForm
	case head[0] == '{':
		err = r.lines(b)
	default:
		err = r.rows(b)
	}
	if err == nil && len(r.log.Conversations)+len(r.log.Problems) == 0 {
		err = ErrForm
	}
	return r.log, err
}

type reader struct {
	outcomes []string
	named    map[string]int // conversation id -> its place
	log      Log
}

func (r *reader) problem(line int, format string, args ...any) {
	r.log.Problems = append(r.log.Problems, Problem{line, fmt.Sprintf(format, args...)})
}

// jsonLine is a line of JSON in any of the forms.
type jsonLine struct {
	ID           string `json:"id"`
	Conversation string `json:"conversation"`
	At           any    `json:"at"`
	Visitor      string `json:"visitor"`
	Surface      string `json:"surface"`
	Page         string `json:"page"`
	Language     string `json:"language"`
	Turns        []turn `json:"turns"`
	Messages     []turn `json:"messages"`
	row
}

type turn struct {
	Role    string `json:"role"`
	Text    string `json:"text"`
	Content string `json:"content"`
	At      any    `json:"at"`
	Outcome string `json:"outcome"`
	Thumb   string `json:"thumb"`
	Word    string `json:"word"`
}

// row is one exchange.
type row struct {
	Question string `json:"question"`
	Reply    string `json:"reply"`
	Outcome  string `json:"outcome"`
	Thumb    string `json:"thumb"`
	Word     string `json:"word"`
}

func (r *reader) lines(b []byte) error {
	in := bufio.NewReader(bytes.NewReader(b))
	for n := 1; ; n++ {
		line, err := in.ReadBytes('\n')
		if line = bytes.TrimSpace(line); len(line) > 0 {
			r.jsonLine(n, line)
		}
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

func (r *reader) jsonLine(n int, line []byte) {
	var x jsonLine
	if err := json.Unmarshal(line, &x); err != nil {
		r.problem(n, "no JSON that can be read: %v", err)
		return
	}
	c := Conversation{ID: x.ID, Visitor: x.Visitor, Surface: x.Surface, Page: x.Page, Language: x.Language, Line: n}
	at, err := moment(x.At)
	if err != nil {
		r.problem(n, "%v", err)
		return
	}
	turns := append(x.Turns, x.Messages...)
	if len(turns) == 0 {
		if c.ID = x.Conversation; c.ID == "" {
			c.ID = x.ID
		}
		c.Exchanges = []Exchange{{At: at, Question: x.Question, Reply: x.Reply, Outcome: x.Outcome, Thumb: x.Thumb, Word: x.Word}}
		r.take(c, true)
		return
	}
	for _, t := range turns {
		said := t.Text
		if said == "" {
			said = t.Content
		}
		when, err := moment(t.At)
		if err != nil {
			r.problem(n, "%v", err)
			return
		}
		if when.IsZero() {
			when = at
		}
		switch t.Role {
		case "user":
			c.Exchanges = append(c.Exchanges, Exchange{At: when, Question: said})
		case "assistant":
			if len(c.Exchanges) == 0 {
				continue // a greeting before anything was asked
			}
			e := &c.Exchanges[len(c.Exchanges)-1]
			if e.Reply != "" {
				said = e.Reply + "\n" + said
			}
			e.Reply, e.Outcome, e.Thumb, e.Word = said, or(t.Outcome, e.Outcome), or(t.Thumb, e.Thumb), or(t.Word, e.Word)
		case "system", "tool", "developer":
		default:
			r.problem(n, "a turn's role is user or assistant, not %q", t.Role)
			return
		}
	}
	r.take(c, false)
}

func or(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

// columns are the names that a column of CSV may have, the first being ours.
var columns = map[string][]string{
	"conversation": {"conversation", "conversation_id", "session", "id"}, "at": {"at", "time", "timestamp", "date"}, "question": {"question", "user", "query", "message"},
	"reply": {"reply", "answer", "assistant", "response"}, "outcome": {"outcome"}, "thumb": {"thumb", "rating", "feedback"}, "word": {"word", "comment"},
	"visitor": {"visitor", "visitor_id", "user_id"}, "surface": {"surface", "channel"}, "page": {"page", "url"}, "language": {"language", "lang"},
}

func (r *reader) rows(b []byte) error {
	in := cells.NewReader(bytes.NewReader(b))
	in.FieldsPerRecord, in.LazyQuotes = -1, true
	if first, _, _ := bytes.Cut(b, []byte("\n")); bytes.Count(first, []byte(";")) > bytes.Count(first, []byte(",")) {
		in.Comma = ';'
	}
	head, err := in.Read()
	if err != nil {
		return ErrForm
	}
	for i := range head {
		head[i] = strings.ToLower(strings.TrimSpace(head[i]))
	}
	at := map[string]int{}
	for name, known := range columns {
		at[name] = -1
		for _, k := range known {
			if i := slices.Index(head, k); i >= 0 {
				at[name] = i
				break
			}
		}
	}
	if at["question"] < 0 {
		return ErrForm
	}
	for {
		rec, err := in.Read()
		if err == io.EOF {
			return nil
		}
		line, _ := in.FieldPos(0)
		if err != nil {
			r.problem(line, "no row that can be read: %v", err)
			continue
		}
		cell := func(name string) string {
			if i := at[name]; i >= 0 && i < len(rec) {
				return strings.TrimSpace(rec[i])
			}
			return ""
		}
		when, err := moment(cell("at"))
		if err != nil {
			r.problem(line, "%v", err)
			continue
		}
		r.take(Conversation{
			ID: cell("conversation"), Visitor: cell("visitor"), Surface: cell("surface"), Page: cell("page"), Language: cell("language"), Line: line,
			Exchanges: []Exchange{{At: when, Question: cell("question"), Reply: cell("reply"), Outcome: cell("outcome"), Thumb: strings.ToLower(cell("thumb")), Word: cell("word")}},
		}, true)
	}
}

// moments are the forms in which a log may tell a time; one that names no zone is taken for UTC.
var moments = []string{time.RFC3339Nano, "2006-01-02T15:04:05", "2006-01-02 15:04:05", "2006-01-02T15:04", "2006-01-02 15:04", time.DateOnly}

func moment(v any) (time.Time, error) {
	s := ""
	switch v := v.(type) {
	case nil:
	case string:
		s = strings.TrimSpace(v)
	case float64:
		s = strconv.FormatFloat(v, 'f', -1, 64)
	default:
		return time.Time{}, fmt.Errorf("no time that can be read: %v", v)
	}
	if s == "" {
		return time.Time{}, nil
	}
	if sec, err := strconv.ParseFloat(s, 64); err == nil && sec > 1e8 && sec < 1e13 {
		if sec > 1e11 { // milliseconds
			sec /= 1000
		}
		return time.UnixMilli(int64(sec * 1000)).UTC(), nil
	}
	for _, form := range moments {
		if t, err := time.Parse(form, s); err == nil && t.Year() >= 1990 && t.Year() < 2200 {
			return t.UTC(), nil
		}
	}
	return time.Time{}, fmt.Errorf("no time that can be read: %q", s)
}

// take takes a conversation in, or with join adds its exchange to the one of the same name.
func (r *reader) take(c Conversation, join bool) {
	if bad := r.tidy(&c); bad != "" {
		r.problem(c.Line, "%s", bad)
		return
	}
	if i, ok := r.named[c.ID]; ok && c.ID != "" {
		have := &r.log.Conversations[i]
		switch {
		case !join:
			r.problem(c.Line, "the conversation %q stands on line %d already", c.ID, have.Line)
		case len(have.Exchanges) >= MostExchanges:
			r.problem(c.Line, "a conversation has at most %d exchanges", MostExchanges)
		default:
			have.Exchanges = append(have.Exchanges, c.Exchanges...)
		}
		return
	}
	if len(r.log.Conversations) >= MostConversations {
		r.problem(c.Line, "a log has at most %d conversations", MostConversations)
		return
	}
	if c.ID != "" {
		r.named[c.ID] = len(r.log.Conversations)
	}
	r.log.Conversations = append(r.log.Conversations, c)
}

// tidy cleans the texts of a conversation; what keeps it from being taken in is told.
func (r *reader) tidy(c *Conversation) string {
	c.ID, c.Visitor, c.Surface, c.Page, c.Language = short(c.ID, 200), short(c.Visitor, 200), short(c.Surface, 40), short(c.Page, 2000), strings.ToLower(short(c.Language, 35))
	if len(c.Exchanges) == 0 {
		return "nothing is asked in it"
	}
	if len(c.Exchanges) > MostExchanges {
		return fmt.Sprintf("a conversation has at most %d exchanges, this one %d", MostExchanges, len(c.Exchanges))
	}
	for i := range c.Exchanges {
		e := &c.Exchanges[i]
		e.Question, e.Reply, e.Word = clean(e.Question), clean(e.Reply), short(clean(e.Word), 2000)
		switch {
		case e.Question == "":
			return "a question is empty"
		case len(e.Question) > MostQuestion:
			return fmt.Sprintf("a question has at most %d bytes, this one %d", MostQuestion, len(e.Question))
		case len(e.Reply) > MostReply:
			return fmt.Sprintf("a reply has at most %d bytes, this one %d", MostReply, len(e.Reply))
		case e.Outcome != "" && !slices.Contains(r.outcomes, e.Outcome):
			return fmt.Sprintf("there is no outcome %q; there are %s", e.Outcome, strings.Join(r.outcomes, ", "))
		}
		switch e.Thumb {
		case "", Up, Down:
		case "1", "+1", "positive", "good", "true":
			e.Thumb = Up
		case "-1", "0", "negative", "bad", "false":
			e.Thumb = Down
		default:
			return fmt.Sprintf("a thumb is up or down, not %q", e.Thumb)
		}
	}
	return ""
}

// clean is a text without control characters, which have no meaning in it, and in whole characters.
func clean(s string) string {
	s = strings.Map(func(r rune) rune {
		if r == '\n' || r == '\t' {
			return r
		}
		if unicode.IsControl(r) || r == utf8.RuneError {
			return -1
		}
		return r
	}, s)
	return strings.TrimSpace(s)
}

// short is a text of one line with at most so many bytes.
func short(s string, most int) string {
	s = strings.Join(strings.Fields(clean(s)), " ")
	if len(s) > most {
		s = strings.ToValidUTF8(s[:most], "")
	}
	return s
}
