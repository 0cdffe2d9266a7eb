package answer

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"jolvex/core/lang"
	"jolvex/core/query"
)

// said are the texts of the assistant's own, by name: those that a reply in another language has in that language.
func (s *Settings) said() map[string]*string {
	return map[string]*string{
		"refusal": &s.Refusal, "asking": &s.Asking, "nearMiss": &s.NearMiss, "unfound": &s.Unfound, "pointTo": &s.PointTo, "pointNow": &s.PointNow, "give": &s.Give,
		"welcome": &s.Welcome, "machine": &s.Machine, "person": &s.Person, "greeting": &s.Greeting, "thanks": &s.Thanks, "goodbye": &s.Goodbye,
		"assenting": &s.Assenting, "abroad": &s.Abroad,
	}
}

// initials are the texts as they ship, in English.
func initials() map[string]string {
	out := map[string]string{}
	t := reflect.TypeFor[Settings]()
	for i := range t.NumField() {
		out[t.Field(i).Tag.Get("json")] = t.Field(i).Tag.Get("initial")
	}
	return out
}

// In gives the settings as a question asked in a language wants them (ISO 639-1; "" for English): each text as Elsewhere has it for that
// language; else as it is where the corpus is in that language and somebody wrote it; else as it ships.
func (s Settings) In(code, corpus string) Settings {
	l := lang.Other(code)
	own, _ := s.elsewhere() // what cannot be read was refused when the settings were saved (Check)
	initial := initials()
	for name, p := range s.said() {
		set, ok := own[cmp.Or(code, "en")+" "+name]
		switch {
		case ok:
			*p = set
		case l == nil || sameTongue(code, corpus) && *p != initial[name] || *p == "":
		default:
			if ws := l.List("said-" + strings.ToLower(name)); len(ws) > 0 {
				*p = ws[0]
			}
		}
	}
	return s
}

func sameTongue(a, b string) bool {
	first, _, _ := strings.Cut(strings.ToLower(b), "-")
	return a == first
}

// elsewhere reads the texts for other languages: lines such as "de refusal: ...".
func (s Settings) elsewhere() (map[string]string, error) {
	out := map[string]string{}
	said := s.said()
	for line := range strings.Lines(s.Elsewhere) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		head, value, ok := strings.Cut(line, ":")
		fs := strings.Fields(head)
		if !ok || len(fs) != 2 || len(fs[0]) != 2 || said[fs[1]] == nil {
			return out, fmt.Errorf("%q is not a language, the name of a text and a colon, such as “de refusal: Dazu habe ich nichts gefunden.”", line)
		}
		out[fs[0]+" "+fs[1]] = strings.TrimSpace(value)
	}
	return out, nil
}

// Check reports what is wrong with the texts for other languages, in words.
func (s Settings) Check() []string {
	if _, err := s.elsewhere(); err != nil {
		return []string{"texts in other languages: " + err.Error()}
	}
	return nil
}

// speak has the assistant's own texts follow the language of a question.
func (a *asking) speak(r query.Reading) {
	a.Answer = a.own.In(r.Tongue, a.View.Language())
}

// abroad puts before the first sentence that is in another language than the question where it is from.
func (a *asking) abroad(t *Trail) {
	lead := a.own.In(t.Reading.Tongue, a.View.Language()).Abroad
	if t.Outcome != Answered || t.Written != nil || lead == "" {
		return
	}
	for i, x := range t.Reply {
		if x.Candidate < 0 || x.Version == "" || !foreign(t.Reading.Tongue, t.Candidates[x.Candidate].Language) {
			continue
		}
		lead = strings.ReplaceAll(lead, "{language}", lang.In(t.Reading.Tongue).NameOf(t.Candidates[x.Candidate].Language))
		t.Reply = slices.Insert(t.Reply, i, inOwnWords(lead)...)
		for k := range t.Parts {
			if t.Parts[k].From > i {
				t.Parts[k].From++
			}
			if t.Parts[k].To > i {
				t.Parts[k].To++
			}
		}
		return
	}
}
