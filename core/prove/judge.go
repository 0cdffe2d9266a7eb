package prove

import (
	"fmt"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/questions"
	"jolvex/core/text"
)

// Seen is the reply as a judge sees it: the trail, and the documents behind its candidates.
type Seen struct {
	Trail     *answer.Trail
	Documents []questions.Document // [candidate]
	Grounded  []float64            // [sentence of the reply] how well its evidence carries it; below 0 for the assistant's own words
}

// Finding is what came of one expectation.
type Finding struct {
	Expectation questions.Expectation `json:"expectation"`
	Held        bool                  `json:"held"`
	Note        string                `json:"note"` // what was found, or what was missing
	Turn        int                   `json:"turn,omitempty" doc:"The message of the script that it is about, from 1; 0 for the question itself"`
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
func Judge(q questions.Question, s Seen) Verdict {
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
func JudgeLine(line questions.ScriptLine, n int, s Seen) []Finding {
	var out []Finding
	for _, e := range line.Expect {
		f := Finding{Expectation: e, Turn: n}
		f.Held, f.Note = holds(e, s)
		out = append(out, f)
	}
	return out
}

// holds compares a reply with one expectation, and says what was found, or what was missing.
func holds(e questions.Expectation, s Seen) (bool, string) {
	check, ok := checks[e.Kind]
	if !ok {
		return false, "unknown expectation"
	}
	return check(e, s)
}

// checks tells of each kind of expectation how a reply is held against it.
var checks = map[string]func(questions.Expectation, Seen) (bool, string){
	questions.Mentions: func(e questions.Expectation, s Seen) (bool, string) { return questions.Says(s.Trail.Text(), e.Values) },
	questions.NotMentions: func(e questions.Expectation, s Seen) (bool, string) {
		found, note := questions.Says(s.Trail.Text(), e.Values)
		return !found, note
	},
	questions.Gives:     func(e questions.Expectation, s Seen) (bool, string) { return questions.HoldsFigure(s.Trail.Text(), e) },
	questions.Cites:     func(e questions.Expectation, s Seen) (bool, string) { return cites(s, e.Values) },
	questions.Reaches:   reaches,
	questions.Refuses:   func(_ questions.Expectation, s Seen) (bool, string) { return refuses(s.Trail) },
	questions.AsksBack:  func(_ questions.Expectation, s Seen) (bool, string) { return outcome(s.Trail, answer.AskedBack) },
	questions.HandsOver: func(_ questions.Expectation, s Seen) (bool, string) { return outcome(s.Trail, answer.HandedOver) },
	questions.Follows:   func(e questions.Expectation, s Seen) (bool, string) { return follows(s.Trail, e.Values) },
	questions.Short: func(e questions.Expectation, s Seen) (bool, string) {
		n := len(text.Words(s.Trail.Text()))
		return n <= questions.MostWords(e), fmt.Sprintf("it has %d words", n)
	},
	questions.Language: func(e questions.Expectation, s Seen) (bool, string) {
		code, sure := text.Language(s.Trail.Text())
		if !sure {
			return false, "its language cannot be told"
		}
		return slices.Contains(e.Values, code), "it is in " + code
	},
}

func refuses(t *answer.Trail) (bool, string) {
	if t.Outcome == answer.Refused {
		return true, "it refused"
	}
	return false, "it answered"
}

func reaches(e questions.Expectation, s Seen) (bool, string) {
	switch r := questions.Reached(s.Documents, e); {
	case r == 0:
		return false, "it is not among the candidates"
	case !s.Trail.Candidates[r-1].Kept:
		return false, fmt.Sprintf("it ranks %d, too far down for the reply to draw on it", r)
	default:
		return true, fmt.Sprintf("it ranks %d", r)
	}
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

func cites(s Seen, values []string) (bool, string) {
	var got []string
	for _, x := range s.Trail.Reply {
		if x.Candidate < 0 || x.Candidate >= len(s.Documents) {
			continue
		}
		d := s.Documents[x.Candidate]
		if d.Is(values) {
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
