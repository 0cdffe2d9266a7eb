package prove

import (
	"fmt"
	"math"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/text"
)

// Refusal reports whether the question should be refused.
func (q Question) Refusal() bool {
	return slices.ContainsFunc(q.Expect, func(e Expectation) bool { return e.Kind == Refuses })
}

// MayRefuse reports whether a refusal is no failure: it is expected, or all that is expected is how a reply is to be and what it is
// not to say.
func (q Question) MayRefuse() bool {
	return q.Refusal() || len(q.Expect) > 0 && !slices.ContainsFunc(q.Expect, func(e Expectation) bool {
		return e.Kind != NotMentions && e.Kind != Short && e.Kind != Language
	})
}

// Seen is the reply as a judge sees it: the trail, and the documents behind its candidates.
type Seen struct {
	Trail     *answer.Trail
	Documents []Document // [candidate]
	Grounded  []float64  // [sentence of the reply] how well its evidence carries it; below 0 for the assistant's own words
}

// Document is what a citation expectation is compared with.
type Document struct {
	Address, Title string
	Text           string // what the candidate brings: of use to Reaches alone
}

// Finding is what came of one expectation.
type Finding struct {
	Expectation Expectation `json:"expectation"`
	Held        bool        `json:"held"`
	Note        string      `json:"note"` // what was found, or what was missing
	Turn        int         `json:"turn,omitempty" doc:"The message of the script that it is about, from 1; 0 for the question itself"`
}

// Verdict is the judgement of one reply.
type Verdict struct {
	Passed   bool      `json:"passed"`
	Findings []Finding `json:"findings" nullable:"false"`
	Refused  bool      `json:"refused"`
	// Rank is the place of the first candidate that the question expects (see Question.RankOf), 0 when it is not among
	// them, -1 when the question names none.
	Rank   int    `json:"rank"`
	Scores Scores `json:"scores"`
	// Repeats tells, where a question was asked several times, which of the replies passed.
	Repeats []bool `json:"repeats,omitempty" nullable:"false"`
}

// Majority is the verdict of a question that was asked several times: that of the first reply that ended as most did, and which it
// is. As many passes as failures fail.
func Majority(vs []Verdict) (Verdict, int) {
	passed := 0
	repeats := make([]bool, len(vs))
	for i, v := range vs {
		if repeats[i] = v.Passed; v.Passed {
			passed++
		}
	}
	most := 2*passed > len(vs)
	k := max(0, slices.Index(repeats, most))
	out := vs[k]
	out.Passed, out.Repeats = most, repeats
	return out, k
}

// Judge compares a reply with what was expected of it. All expectations must hold.
func Judge(q Question, s Seen) Verdict {
	v := Verdict{Passed: true, Refused: s.Trail.Outcome == answer.Refused, Rank: q.RankOf(s.Documents)}
	for _, e := range q.Expect {
		f := Finding{Expectation: e}
		f.Held, f.Note = holds(e, s)
		v.Passed = v.Passed && f.Held
		v.Findings = append(v.Findings, f)
	}
	if v.Refused && !q.MayRefuse() {
		v.Passed = false
	}
	v.Scores = score(q, s, v)
	return v
}

// After is the verdict with what was found of the messages before.
func (v Verdict) After(earlier []Finding) Verdict {
	for _, f := range earlier {
		v.Passed = v.Passed && f.Held
	}
	v.Findings = append(earlier, v.Findings...)
	return v
}

// JudgeLine compares the reply to the n-th message of a script, from 1, with what was expected of it.
func JudgeLine(line ScriptLine, n int, s Seen) []Finding {
	var out []Finding
	for _, e := range line.Expect {
		f := Finding{Expectation: e, Turn: n}
		f.Held, f.Note = holds(e, s)
		out = append(out, f)
	}
	return out
}

// holds compares a reply with one expectation, and says what was found, or what was missing.
func holds(e Expectation, s Seen) (bool, string) {
	reply := s.Trail.Text()
	switch e.Kind {
	case Mentions:
		return mentions(reply, e.Values)
	case NotMentions:
		found, note := mentions(reply, e.Values)
		return !found, note
	case Gives:
		return gives(reply, e)
	case Cites:
		return cites(s, e.Values)
	case Reaches:
		switch r := reached(s.Documents, e); {
		case r == 0:
			return false, "it is not among the candidates"
		case !s.Trail.Candidates[r-1].Kept:
			return false, fmt.Sprintf("it ranks %d, too far down for the reply to draw on it", r)
		default:
			return true, fmt.Sprintf("it ranks %d", r)
		}
	case AsksBack:
		return outcome(s.Trail, answer.AskedBack)
	case HandsOver:
		return outcome(s.Trail, answer.HandedOver)
	case Follows:
		return follows(s.Trail, e.Values)
	case Short:
		n := len(text.Words(reply))
		return n <= mostWords(e), fmt.Sprintf("it has %d words", n)
	case Language:
		code, sure := text.Language(reply)
		if !sure {
			return false, "its language cannot be told"
		}
		return slices.Contains(e.Values, code), "it is in " + code
	case Refuses:
		if s.Trail.Outcome == answer.Refused {
			return true, "it refused"
		}
		return false, "it answered"
	}
	return false, "unknown expectation"
}

func outcome(t *answer.Trail, want answer.Outcome) (bool, string) {
	names := map[answer.Outcome]string{
		answer.Answered: "it answered", answer.Refused: "it refused", answer.Courteous: "it took it for a courtesy",
		answer.ByRule: "a house rule replied", answer.HandedOver: "it handed over", answer.AskedBack: "it asked back",
	}
	return t.Outcome == want, names[t.Outcome]
}

func follows(t *answer.Trail, values []string) (bool, string) {
	var fired []string
	if t.Rules != nil {
		for _, f := range t.Rules.Fired {
			if slices.ContainsFunc(values, func(v string) bool { return strings.EqualFold(v, f.Name) || v == f.Rule }) {
				return true, "“" + f.Name + "” fired"
			}
			fired = append(fired, f.Name)
		}
	}
	if len(fired) == 0 {
		return false, "no house rule fired"
	}
	return false, "“" + strings.Join(fired, "”, “") + "” fired"
}

var notWord = regexp.MustCompile(`[^\p{L}\p{N}]+`)

// flat is a text for comparison: folded words with one space between, and one at each end.
func flat(s string) string {
	return " " + strings.TrimSpace(notWord.ReplaceAllString(text.Normalise(s), " ")) + " "
}

func mentions(reply string, values []string) (bool, string) {
	r := flat(reply)
	for _, v := range values {
		if w := flat(v); w != "  " && strings.Contains(r, w) {
			return true, "it says “" + v + "”"
		}
	}
	return false, "it does not say “" + strings.Join(values, "” or “") + "”"
}

func gives(reply string, e Expectation) (bool, string) {
	var said []string
	have := text.Quantities(reply)
	for _, v := range e.Values {
		for _, want := range text.Quantities(v) {
			for _, h := range have {
				if h.Value == want.Value && (h.Kind == want.Kind || want.Kind == text.Number) || e.Within > 0 && h.Kind == want.Kind && apart(h, want) <= e.Within {
					return true, "it gives " + reply[h.Start:h.End]
				}
			}
		}
	}
	for _, h := range have {
		said = append(said, reply[h.Start:h.End])
	}
	wanted := strings.Join(e.Values, " or ")
	if e.Within > 0 {
		wanted += fmt.Sprintf(" within %g", e.Within)
	}
	if len(said) == 0 {
		return false, "it gives no figure, not " + wanted
	}
	return false, "it gives " + strings.Join(said, ", ") + ", not " + wanted
}

// apart is by how much two figures of one kind differ, in their own unit: minutes for times of day, days for dates; infinite for
// figures of different units, and for what is no figure.
func apart(a, b text.Quantity) float64 {
	x, unitX, okX := a.Amount()
	y, unitY, okY := b.Amount()
	if !okX || !okY || unitX != unitY {
		return math.Inf(1)
	}
	return math.Abs(x - y)
}

func cites(s Seen, values []string) (bool, string) {
	var got []string
	for _, x := range s.Trail.Reply {
		if x.Candidate < 0 || x.Candidate >= len(s.Documents) {
			continue
		}
		d := s.Documents[x.Candidate]
		if d.is(values) {
			return true, "it cites " + d.Address
		}
		if !slices.Contains(got, d.Address) {
			got = append(got, d.Address)
		}
	}
	if len(got) == 0 {
		return false, "it cites nothing"
	}
	return false, "it cites " + strings.Join(got, ", ")
}

func rankOf(docs []Document, values []string) int {
	for i, d := range docs {
		if d.is(values) {
			return i + 1
		}
	}
	return 0
}

// Is reports whether one of some names means the document: an address, an end of one, or its title.
func (d Document) Is(names []string) bool { return d.is(names) }

// is compares an address or title; a value that starts with "/" is a path and must be the whole path of the address.
func (d Document) is(values []string) bool {
	for _, v := range values {
		if v == "" {
			continue
		}
		if strings.EqualFold(v, d.Title) || v == d.Address {
			return true
		}
		if strings.HasPrefix(v, "/") {
			if u, err := url.Parse(d.Address); err == nil && strings.TrimSuffix(u.Path, "/") == strings.TrimSuffix(v, "/") {
				return true
			}
			continue
		}
		if strings.HasSuffix(d.Address, "/"+v) {
			return true
		}
	}
	return false
}
