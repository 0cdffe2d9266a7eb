package prove

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/questions"
	"jolvex/core/text"
)

// Seen is the reply as a judge sees it: the trail, and the documents behind its candidates.
type Seen struct {
	Trail     *answer.Trail
	Documents []questions.Document // [candidate]
	Reader    *Reader              // of passages; nil to read each anew
	Relevant  []string             // ids of the documents that the question names; nil to look for them among the candidates
	Bodies    []*doc.Document      // [candidate] their texts; without them nothing is known of what a fact is said of
	Grounded  []float64            // [sentence of the reply] how well its evidence carries it; below 0 for the assistant's own words
}

// Finding is what came of one expectation.
type Finding struct {
	Expectation questions.Expectation `json:"expectation"`
	Held        bool                  `json:"held"`
	Note        string                `json:"note"` // what was found, or what was missing
	Accident    bool                  `json:"accident,omitempty" doc:"The words stand in the reply, but are not said of the thing asked: the expectation does not hold"`
	Turn        int                   `json:"turn,omitempty" doc:"The message of the script that it is about, from 1; 0 for the question itself"`
}

// Verdict is the judgement of one reply.
type Verdict struct {
	Passed   bool      `json:"passed"`
	Accident bool      `json:"accident,omitempty" doc:"It would pass, were what is expected said of the thing asked"`
	Findings []Finding `json:"findings" nullable:"false"`
	Refused  bool      `json:"refused"`
	// Rank is the place of the first candidate that the question expects (see Question.RankOf), 0 when it is not among
	// them, -1 when the question names none.
	Rank int `json:"rank"`
	// Relevant are the documents that the question names, as they were when it was judged.
	Relevant []string `json:"relevant,omitempty" nullable:"false" doc:"Ids of the documents that the question names; a name that no document has as it is written"`
	Scores   Scores   `json:"scores"`
	Asked    string   `json:"asked,omitempty" doc:"The language that it is asked in (ISO 639-1), as far as could be told"`
	Page     string   `json:"page,omitempty" doc:"The language of the page that was cited, else of the first that was found; empty when it is not known"`
	// Repeats tells, where a question was asked several times, which of the replies passed.
	Repeats []bool `json:"repeats,omitempty" nullable:"false"`
}

// relevant are the documents that a question names.
func (s Seen) relevant(q questions.Question) []string {
	if s.Relevant != nil {
		return s.Relevant
	}
	d := questions.NewDirectory()
	for i, x := range s.Documents[:min(len(s.Documents), len(s.Trail.Candidates))] {
		d.Add(s.Trail.Candidates[i].Document, x.Address, x.Title)
	}
	return d.Relevant(q)
}

// spoken gives the languages of the question and of the page that was cited, else of the first that was found (ISO 639-1).
func spoken(t *answer.Trail) (asked, page string) {
	for _, x := range t.Reply {
		if x.Candidate >= 0 && x.Candidate < len(t.Candidates) && page == "" {
			page = t.Candidates[x.Candidate].Language
		}
	}
	if page == "" && len(t.Candidates) > 0 {
		page = t.Candidates[0].Language
	}
	page, _, _ = strings.Cut(strings.ToLower(page), "-")
	return cmp.Or(t.Reading.Tongue, "en"), page
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
	out.Scores.TokensIn, out.Scores.TokensOut, out.Scores.Price = 0, 0, 0
	for _, v := range vs { // every one of them was paid for
		out.Scores.Pay(v.Scores.TokensIn, v.Scores.TokensOut, v.Scores.Price)
	}
	return out, k
}

// Judge compares a reply with what was expected of it. All expectations must hold.
func Judge(q questions.Question, s Seen) Verdict {
	v := Verdict{Passed: true, Refused: s.Trail.Outcome == answer.Refused, Rank: q.RankOf(s.Documents), Relevant: s.relevant(q)}
	otherwise := true // what is not by accident holds
	for _, f := range findings(q, q.Expect, s) {
		v.Passed = v.Passed && f.Held
		otherwise = otherwise && (f.Held || f.Accident)
		v.Findings = append(v.Findings, f)
	}
	if v.Refused && !q.MayRefuse() {
		v.Passed, otherwise = false, false
	}
	v.Accident = otherwise && !v.Passed
	v.Scores = score(q, s, v)
	v.Asked, v.Page = spoken(s.Trail)
	return v
}

// findings hold a reply against each of some expectations. A fact that is said, but of something else than what was asked, does not hold.
func findings(q questions.Question, es []questions.Expectation, s Seen) []Finding {
	var out []Finding
	var about *thing
	for _, e := range es {
		f := Finding{Expectation: e}
		f.Held, f.Note = holds(e, s)
		if f.Held && e.Is(questions.Fact) && len(s.Bodies) > 0 && s.Trail.Outcome == answer.Answered {
			if about == nil {
				about = thingOf(q, s)
			}
			if why, off := about.byAccident(e); off {
				f.Held, f.Accident, f.Note = false, true, why
			}
		}
		out = append(out, f)
	}
	return out
}

// After is the verdict with what was found of the messages before.
func (v Verdict) After(earlier []Finding) Verdict {
	for _, f := range earlier {
		v.Passed, v.Accident = v.Passed && f.Held, v.Accident && f.Held
	}
	v.Findings = append(earlier, v.Findings...)
	return v
}

// JudgeLine compares the reply to the n-th message of a script, from 1, with what was expected of it.
func JudgeLine(line questions.ScriptLine, n int, s Seen) []Finding {
	out := findings(questions.Question{Text: line.Text}, line.Expect, s)
	for i := range out {
		out[i].Turn = n
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
