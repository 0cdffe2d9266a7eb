package channels

import (
	"fmt"
	"html"
	"strings"
	"unicode"

	"jolvex/internal/serving"
)

// Who says something.
const (
	ByAssistant = "assistant"
	ByPerson    = "person"
)

// Outward is what is posted to a messaging service: one reply, in as many messages as it takes.
type Outward struct {
	Channel   string           `json:"channel"` // its name
	Thread    string           `json:"thread"`
	InReplyTo string           `json:"inReplyTo,omitempty"` // id of the message that is answered
	Parts     []string         `json:"parts"`               // to be sent one after the other
	Markup    string           `json:"markup"`
	Options   []string         `json:"options"` // to choose from, where something is asked back
	Sources   []serving.Source `json:"sources"`
	Outcome   string           `json:"outcome"`
	By        string           `json:"by"`             // assistant, person
	Name      string           `json:"name,omitempty"` // of the person
}

// written is a reply as it is written in a channel: its sentences, what can be chosen where they do not name it, its sources, each once, and a note.
func written(s serving.Said, set ChannelSettings, note string) string {
	var b strings.Builder
	plain, _ := s.Text()
	b.WriteString(escaped(plain, set.Markup))
	var named []string
	for _, o := range s.Options {
		if !strings.Contains(strings.ToLower(plain), strings.ToLower(o)) {
			named = append(named, "– "+escaped(o, set.Markup))
		}
	}
	paragraph := func(lines []string) {
		if len(lines) > 0 {
			b.WriteString("\n\n" + strings.Join(lines, "\n"))
		}
	}
	paragraph(named)
	if set.Sources {
		var lines []string
		for _, src := range s.Sources {
			lines = append(lines, source(src, set.Markup))
		}
		paragraph(lines)
	}
	if note != "" {
		paragraph([]string{escaped(note, set.Markup)})
	}
	return b.String()
}

func source(s serving.Source, markup string) string {
	title := escaped(s.Title, markup)
	switch {
	case s.Link == "":
		return title
	case markup == MarkupMarkdown:
		return "[" + title + "](" + strings.NewReplacer("(", "%28", ")", "%29", " ", "%20").Replace(s.Link) + ")"
	case markup == MarkupHTML:
		return `<a href="` + html.EscapeString(s.Link) + `">` + title + "</a>"
	}
	return title + ": " + s.Link
}

// marks are the letters that CommonMark 0.31, chapter 2.4, lets a backslash make plain, as far as they mean something within a line.
var marks = strings.NewReplacer(`\`, `\\`, "`", "\\`", "*", `\*`, "_", `\_`, "[", `\[`, "]", `\]`, "<", `\<`, "&", `\&`)

// escaped is a text that a markup shows as it is.
func escaped(s, markup string) string {
	switch markup {
	case MarkupMarkdown:
		return marks.Replace(s)
	case MarkupHTML:
		return html.EscapeString(s)
	}
	return s
}

// parts cuts a text into messages of at most so many characters: between paragraphs, else after a sentence, else between words, else anywhere. 0 is for
// any length. A link or an escaped letter is not cut through where anything else can be.
func parts(s string, longest int) []string {
	var out []string
	for rs := []rune(strings.TrimSpace(s)); len(rs) > 0; {
		if longest <= 0 || len(rs) <= longest {
			return append(out, string(rs))
		}
		at := cut(rs, longest)
		out = append(out, strings.TrimSpace(string(rs[:at])))
		rs = []rune(strings.TrimSpace(string(rs[at:])))
	}
	return out
}

// cut is where the first part of a text ends that holds at most so many characters, but not before the half of it.
func cut(rs []rune, longest int) int {
	best, rank := longest, 0
	for at := longest; at > longest/2; at-- {
		r := 0
		switch {
		case rs[at] == '\n' && rs[at-1] == '\n':
			r = 4
		case rs[at] == '\n':
			r = 3
		case unicode.IsSpace(rs[at]) && strings.ContainsRune(".!?…", rs[at-1]):
			r = 2
		case unicode.IsSpace(rs[at]):
			r = 1
		}
		if r > rank {
			best, rank = at, r
		}
	}
	return best
}

// subject is that of a mail which answers one.
func subject(s string) string {
	if len(s) >= 3 && strings.EqualFold(s[:3], "re:") {
		return s
	}
	return fmt.Sprintf("Re: %s", s)
}
