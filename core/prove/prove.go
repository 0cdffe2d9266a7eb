// Package prove judges replies against what was expected of them, and sums up runs.
package prove

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/measure"
	"jolvex/core/query"
	"jolvex/core/text"
)

// Version names the algorithm.
const Version = "prove-1"

// The kinds of expectation.
const (
	Mentions    = "mentions"    // one of the wordings stands in the reply
	NotMentions = "notMentions" // none of them does
	Gives       = "gives"       // the reply gives the figure: a number, price, time, date, duration, telephone number
	Cites       = "cites"       // a sentence of the reply is supported by this document: address, end of address, or title
	Reaches     = "reaches"     // the search finds this passage of this document, and the reply may draw on it
	Refuses     = "refuses"     // the assistant refuses
	AsksBack    = "asksBack"    // something has to be told first, and the assistant asks for it
	HandsOver   = "handsOver"   // the assistant hands over to a person
	Follows     = "follows"     // a house rule fires: its name or id
)

// Expectation is one thing that must hold of a reply. Values are alternatives: one of them is enough (for NotMentions,
// none may occur).
type Expectation struct {
	Kind     string   `json:"kind" enum:"mentions,notMentions,gives,cites,reaches,refuses,asksBack,handsOver,follows"`
	Values   []string `json:"values,omitempty" nullable:"false"`
	Document string   `json:"document,omitempty" doc:"reaches: the document that holds the passage, as address, end of address, or title"`
}

// Question is one expected question.
type Question struct {
	ID     string        `json:"id"`
	Text   string        `json:"question"`
	Turns  []query.Turn  `json:"turns,omitempty" nullable:"false"`
	Tags   []string      `json:"tags,omitempty" nullable:"false"`
	Group  string        `json:"group,omitempty" doc:"Variants of one question share a group: they count as one piece of evidence"`
	Expect []Expectation `json:"expect" nullable:"false"`
}

// Check reports what is wrong with a question as it was written.
func (q Question) Check() error {
	if strings.TrimSpace(q.ID) == "" {
		return fmt.Errorf("a question has no id: %q", q.Text)
	}
	if strings.TrimSpace(q.Text) == "" {
		return fmt.Errorf("question %s has no text", q.ID)
	}
	if len(q.Expect) == 0 {
		return fmt.Errorf("question %s expects nothing: it could not fail", q.ID)
	}
	for _, e := range q.Expect {
		switch e.Kind {
		case Refuses, AsksBack, HandsOver:
		case Mentions, NotMentions, Cites, Follows:
			if len(e.Values) == 0 {
				return fmt.Errorf("question %s: %q names no wording", q.ID, e.Kind)
			}
		case Reaches:
			if len(e.Values) == 0 || e.Document == "" {
				return fmt.Errorf("question %s: %q needs a passage and its document", q.ID, e.Kind)
			}
		case Gives:
			if len(e.Values) == 0 {
				return fmt.Errorf("question %s: %q names no figure", q.ID, e.Kind)
			}
			for _, v := range e.Values {
				if len(text.Quantities(v)) != 1 {
					return fmt.Errorf("question %s: %q is not one figure", q.ID, v)
				}
			}
		default:
			return fmt.Errorf("question %s: unknown expectation %q", q.ID, e.Kind)
		}
	}
	return nil
}

// Refusal reports whether the question should be refused.
func (q Question) Refusal() bool {
	return slices.ContainsFunc(q.Expect, func(e Expectation) bool { return e.Kind == Refuses })
}

// Seen is the reply as a judge sees it: the trail, and the documents behind its candidates.
type Seen struct {
	Trail     *answer.Trail
	Documents []Document // [candidate]
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
}

// Verdict is the judgement of one reply.
type Verdict struct {
	Passed   bool      `json:"passed"`
	Findings []Finding `json:"findings" nullable:"false"`
	Refused  bool      `json:"refused"`
	// Rank is the place of the first candidate that the question expects (see Question.RankOf), 0 when it is not among
	// them, -1 when the question names none.
	Rank int `json:"rank"`
}

// Judge compares a reply with what was expected of it. All expectations must hold.
func Judge(q Question, s Seen) Verdict {
	v := Verdict{Passed: true, Refused: s.Trail.Outcome == answer.Refused, Rank: q.RankOf(s.Documents)}
	reply := s.Trail.Text()
	for _, e := range q.Expect {
		f := Finding{Expectation: e}
		switch e.Kind {
		case Mentions:
			f.Held, f.Note = mentions(reply, e.Values)
		case NotMentions:
			found, note := mentions(reply, e.Values)
			f.Held, f.Note = !found, note
		case Gives:
			f.Held, f.Note = gives(reply, e.Values)
		case Cites:
			f.Held, f.Note = cites(s, e.Values)
		case Reaches:
			switch r := reached(s.Documents, e); {
			case r == 0:
				f.Note = "it is not among the candidates"
			case !s.Trail.Candidates[r-1].Kept:
				f.Note = fmt.Sprintf("it ranks %d, too far down for the reply to draw on it", r)
			default:
				f.Held, f.Note = true, fmt.Sprintf("it ranks %d", r)
			}
		case AsksBack:
			f.Held, f.Note = outcome(s.Trail, answer.AskedBack)
		case HandsOver:
			f.Held, f.Note = outcome(s.Trail, answer.HandedOver)
		case Follows:
			f.Held, f.Note = follows(s.Trail, e.Values)
		case Refuses:
			f.Held = v.Refused
			f.Note = "it answered"
			if v.Refused {
				f.Note = "it refused"
			}
		}
		v.Passed = v.Passed && f.Held
		v.Findings = append(v.Findings, f)
	}
	if v.Refused && !q.Refusal() {
		v.Passed = false
	}
	return v
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

func gives(reply string, values []string) (bool, string) {
	var said []string
	have := text.Quantities(reply)
	for _, v := range values {
		for _, want := range text.Quantities(v) {
			for _, h := range have {
				if h.Value == want.Value && (h.Kind == want.Kind || want.Kind == text.Number) {
					return true, "it gives " + v
				}
			}
		}
	}
	for _, h := range have {
		said = append(said, reply[h.Start:h.End])
	}
	if len(said) == 0 {
		return false, "it gives no figure, not " + strings.Join(values, " or ")
	}
	return false, "it gives " + strings.Join(said, ", ") + ", not " + strings.Join(values, " or ")
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

// Judged is one question of a run with its verdict.
type Judged struct {
	Question Question
	Verdict  Verdict
	Millis   float64
	Failed   string // why it could not be judged; such a question counts neither way
}

// Rate is a share with its 95 % Wilson interval.
type Rate struct {
	Hits     int              `json:"hits"`
	Of       int              `json:"of"`
	Rate     float64          `json:"rate"`
	Interval measure.Interval `json:"interval"`
}

func rate(k, n int) Rate {
	r := Rate{Hits: k, Of: n, Interval: measure.Wilson(k, n)}
	if n > 0 {
		r.Rate = float64(k) / float64(n)
	}
	return r
}

// Summary sums up a run. Retrieval measures are over the questions that name a document to be cited.
type Summary struct {
	Questions      int             `json:"questions"`
	Unjudged       int             `json:"unjudged"`
	Passed         Rate            `json:"passed"`
	ByTag          map[string]Rate `json:"byTag"`
	Hit1           float64         `json:"hit1"`
	Hit5           float64         `json:"hit5"`
	MRR            float64         `json:"mrr"`
	Ranked         int             `json:"ranked"` // questions behind hit1, hit5, mrr
	RightRefusals  int             `json:"rightRefusals"`
	WrongRefusals  int             `json:"wrongRefusals"`
	MissedRefusals int             `json:"missedRefusals"` // answered, should have refused
	Facts          Rate            `json:"facts"`          // mentions and figures found over those expected
	MillisP50      float64         `json:"millisP50"`
	MillisP95      float64         `json:"millisP95"`
}

// Summarise sums up verdicts.
func Summarise(js []Judged) Summary {
	s := Summary{Questions: len(js), ByTag: map[string]Rate{}}
	var passed, judged, facts, found int
	var millis []float64
	tags := map[string][2]int{}
	for _, j := range js {
		if j.Failed != "" {
			s.Unjudged++
			continue
		}
		judged++
		won := 0
		if j.Verdict.Passed {
			won = 1
		}
		passed += won
		millis = append(millis, j.Millis)
		for _, t := range j.Question.Tags {
			c := tags[t]
			tags[t] = [2]int{c[0] + won, c[1] + 1}
		}
		should := j.Question.Refusal()
		switch {
		case j.Verdict.Refused && should:
			s.RightRefusals++
		case j.Verdict.Refused:
			s.WrongRefusals++
		case should:
			s.MissedRefusals++
		}
		if j.Verdict.Rank >= 0 {
			s.Ranked++
			ranks := []int{j.Verdict.Rank}
			s.Hit1 += measure.Hit(ranks, 1)
			s.Hit5 += measure.Hit(ranks, 5)
			s.MRR += measure.ReciprocalRank(ranks)
		}
		for _, f := range j.Verdict.Findings {
			if k := f.Expectation.Kind; k == Mentions || k == Gives {
				facts++
				if f.Held && !j.Verdict.Refused {
					found++
				}
			}
		}
	}
	if s.Ranked > 0 {
		n := float64(s.Ranked)
		s.Hit1, s.Hit5, s.MRR = s.Hit1/n, s.Hit5/n, s.MRR/n
	}
	s.Passed, s.Facts = rate(passed, judged), rate(found, facts)
	for t, c := range tags {
		s.ByTag[t] = rate(c[0], c[1])
	}
	s.MillisP50, s.MillisP95 = measure.Percentile(millis, 0.5), measure.Percentile(millis, 0.95)
	return s
}

// Change says how a question's verdict differs from the run before.
type Change string

// The changes.
const (
	Fixed  Change = "fixed"
	Broken Change = "broken"
	Same   Change = ""
	New    Change = "new"
)

// Compare tells what became of one question since the last run.
func Compare(before *Verdict, now Verdict) Change {
	switch {
	case before == nil:
		return New
	case !before.Passed && now.Passed:
		return Fixed
	case before.Passed && !now.Passed:
		return Broken
	default:
		return Same
	}
}
