package rule

import (
	"context"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"jolvex/core/embed"
	"jolvex/core/query"
	"jolvex/core/text"
)

// Message is what the conditions look at.
type Message struct {
	Text     string
	Page     string    // address of the page on which it was asked; "" when not known
	Campaign string    // by which the asker came; "" when not known
	Place    string    // for which the site says that it stands; "" when it says nothing
	Language string    // ISO 639-1; "" for the corpus's
	At       time.Time // when it is asked; the zero time takes everybody to be there
}

// Match is how well a rule's conditions hold for a message.
type Match struct {
	Rule   string  `json:"rule"` // id
	Holds  bool    `json:"holds"`
	Like   float64 `json:"like" doc:"Likeness of meaning to the nearest example"`
	Why    string  `json:"why"`
	Waits  bool    `json:"waits" doc:"It holds if the sources have no answer"`
	Needed float64 `json:"needed" doc:"The likeness from which it holds"`
}

// Matcher holds messages against rules. It remembers vectors of what it met lately and is safe for use by several at once.
type Matcher struct {
	embedder embed.Embedder
	usual    float64
	met      *lru.Cache[string, embed.Vector]
	common   *embed.Static // the words of the language
}

// Likeness from which a message is like an example, when the rule does not say. By the encoder, misspelt and other wordings of
// eight examples about lost things lie between 0.56 and 0.73 (one of eight at 0.40), what a ferry's passengers ask besides up to 0.60 ("I missed the
// last ferry"). A rule that takes over wrongly does more harm than one that leaves a message to the sources, so the higher
// figure decides; word vectors are higher throughout.
const (
	UsualNearness      = 0.61
	usualNearnessWords = 0.72
)

// NewMatcher makes a matcher; encoded tells that the embedder is the sentence encoder.
func NewMatcher(e embed.Embedder, encoded bool) (*Matcher, error) {
	met, err := lru.New[string, embed.Vector](4000)
	if err != nil {
		return nil, fmt.Errorf("make room for vectors: %w", err)
	}
	usual := UsualNearness
	if !encoded {
		usual = usualNearnessWords
	}
	common, err := embed.NewStatic()
	if err != nil {
		return nil, err
	}
	return &Matcher{e, usual, met, common}, nil
}

func (m *Matcher) vector(ctx context.Context, s string) (embed.Vector, error) {
	if v, ok := m.met.Get(s); ok {
		return v, nil
	}
	vs, err := m.embedder.Embed(ctx, []string{s})
	if err != nil {
		return nil, fmt.Errorf("embed %q for house rules: %w", s, err)
	}
	m.met.Add(s, vs[0])
	return vs[0], nil
}

// Match holds one rule's conditions against a message.
func (m *Matcher) Match(ctx context.Context, r Rule, msg Message) (Match, error) {
	out := Match{Rule: r.ID, Needed: r.When.Nearness}
	if out.Needed == 0 {
		out.Needed = m.usual
	}
	w := r.When
	if why := circumstances(w, msg); why != "" {
		out.Why = why
		return out, nil
	}
	if err := m.like(ctx, w.Like, msg.Text, &out); err != nil {
		return out, err
	}
	if r.beside() && len(w.Like) > 0 { // a cry for help and a question in one message: what is done beside the answer takes nothing from it
		for _, p := range text.Sentences(msg.Text) {
			s := msg.Text[p.Start:p.End]
			if len(text.Words(s)) < leastWords || len(s) == len(strings.TrimSpace(msg.Text)) {
				continue
			}
			part := Match{}
			if err := m.like(ctx, w.Like, s, &part); err != nil {
				return out, err
			}
			if part.Like > out.Like {
				out.Like, out.Why = part.Like, part.Why
			}
		}
	}
	switch c := contained(w.Contains, msg.Text); {
	case !w.said():
		out.Holds, out.Why = true, "it holds for whatever is said"
	case out.Like >= out.Needed && len(w.Like) > 0:
		out.Holds, out.Why = true, fmt.Sprintf("%s (%.2f of %.2f)", out.Why, out.Like, out.Needed)
	case c != "":
		out.Holds, out.Why = true, "it says “"+c+"”"
	case w.Person && AsksForPerson(msg.Text) != nil:
		out.Holds, out.Why = true, "it asks for a person"
	case w.Urgent && Urgent(msg.Text):
		out.Holds, out.Why = true, "it sounds urgent"
	default:
		if len(w.Like) > 0 {
			out.Why = fmt.Sprintf("%s (%.2f of %.2f)", out.Why, out.Like, out.Needed)
		} else {
			out.Why = "nothing of what it asks for is said"
		}
	}
	out.Waits = out.Holds && w.Unanswered
	return out, nil
}

// leastWords are the words of a sentence that is held against examples by itself.
const leastWords = 3

// beside reports whether all that a rule does is done beside an answer.
func (r Rule) beside() bool {
	return !slices.ContainsFunc(r.Then, func(a Action) bool { return a.Kind != Alert && a.Kind != Line && (a.Kind != Reply || !a.Beside) })
}

// like finds the nearest example. A message is also taken with its slips of the pen put right, and one that is an example but for such
// slips is as like as it is written. An example that speaks of another thing of the kind counts for nothing.
func (m *Matcher) like(ctx context.Context, examples []string, said string, out *Match) error {
	if len(examples) == 0 {
		return nil
	}
	wordings := []string{said}
	if right := m.spelled(said, examples); right != said {
		wordings = append(wordings, right)
	}
	out.Like, out.Why = -1, ""
	other := ""
	for _, s := range wordings {
		v, err := m.vector(ctx, s)
		if err != nil {
			return err
		}
		for _, e := range examples {
			x, err := m.vector(ctx, e)
			if err != nil {
				return err
			}
			like := max(embed.Cosine(v, x), written(e, s))
			switch {
			case like <= out.Like:
			case query.Other(s, e):
				other = e
			default:
				out.Like, out.Why = like, "like “"+e+"”"
			}
		}
	}
	if out.Why == "" {
		out.Like, out.Why = 0, "it speaks of another thing than “"+other+"”"
	}
	return nil
}

// spelled is a message with the words that the language does not know put right: by the examples' words first, then by the language's.
func (m *Matcher) spelled(said string, examples []string) string {
	known := norms(strings.Join(examples, " "))
	var out strings.Builder
	at := 0
	for _, w := range text.Words(said) {
		if w.Start < at { // a part of a word that is put right: "flie.name"
			continue
		}
		if len(w.Norm) < 4 || m.common.Knows(w.Norm) || slices.Contains(known, w.Norm) || strings.ContainsAny(w.Norm, "0123456789") {
			continue
		}
		most := 1
		if len(w.Norm) >= 7 {
			most = 2
		}
		right, least := "", most+1
		for _, k := range known {
			if d := query.Distance(w.Norm, k, most); len(k) >= 4 && d < least {
				right, least = k, d
			}
		}
		if right == "" {
			right = m.common.OneEdit(w.Norm)
		}
		if right == "" {
			continue
		}
		out.WriteString(said[at:w.Start] + right)
		at = w.End
	}
	return out.String() + said[at:]
}

// circumstances reports which circumstance a rule asks for is not there; "" when all are.
func circumstances(w When, msg Message) string {
	if len(w.Pages) > 0 && !onPage(w.Pages, msg.Page) {
		return "it was asked on another page"
	}
	for _, c := range []struct {
		wanted  []string
		is, why string
	}{
		{w.Campaigns, msg.Campaign, "it did not come by this campaign"},
		{w.Places, msg.Place, "it was asked at another place"},
		{w.Languages, msg.Language, "it is in another language"},
	} {
		if len(c.wanted) > 0 && !slices.ContainsFunc(c.wanted, func(s string) bool { return strings.EqualFold(s, c.is) }) {
			return c.why
		}
	}
	return ""
}

func onPage(pages []string, page string) bool {
	u, err := url.Parse(page)
	if err != nil || page == "" {
		return false
	}
	for _, p := range pages {
		if strings.HasPrefix(page, p) || strings.EqualFold(u.Host, p) || strings.HasPrefix(p, "/") && strings.HasPrefix(u.Path, p) {
			return true
		}
	}
	return false
}

// written is the share of trigrams of letters that two texts have in common (Dice), which misspelling hardly changes.
func written(a, b string) float64 {
	x, y := trigrams(a), trigrams(b)
	if len(x)+len(y) == 0 {
		return 0
	}
	both := 0
	for t, n := range x {
		both += min(n, y[t])
	}
	all := 0
	for _, n := range x {
		all += n
	}
	for _, n := range y {
		all += n
	}
	return 2 * float64(both) / float64(all)
}

func trigrams(s string) map[string]int {
	out := map[string]int{}
	r := []rune(" " + strings.Join(norms(s), " ") + " ")
	for i := 0; i+3 <= len(r); i++ {
		out[string(r[i:i+3])]++
	}
	return out
}

func norms(s string) []string {
	ws := text.Words(s)
	out := make([]string, len(ws))
	for i, w := range ws {
		out[i] = w.Norm
	}
	return out
}

// contained finds the first phrase that stands in a message; words of five letters or more may have one slip, of nine or
// more two.
func contained(phrases []string, said string) string {
	in := norms(said)
	for _, p := range phrases {
		want := norms(p)
		for i := 0; len(want) > 0 && i+len(want) <= len(in); i++ {
			ok := true
			for k, w := range want {
				most := 0
				if n := len([]rune(w)); n >= 9 {
					most = 2
				} else if n >= 5 {
					most = 1
				}
				if query.Distance(w, in[i+k], most) > most {
					ok = false
					break
				}
			}
			if ok {
				return p
			}
		}
	}
	return ""
}

// Words by which people ask for a person ("human", "representative" and "agent": common practice, no published source).
var person = en.Pattern("asks-for-person")

// AsksForPerson finds where a message asks to be dealt with by a person; nil where it does not.
func AsksForPerson(s string) []int { return person.FindStringIndex(s) }

// Signs of urgency. (Common practice, no published source.)
var (
	urgent  = en.Pattern("urgent")
	shouted = regexp.MustCompile(`!{2,}|\b[A-Z]{4,}(?: [A-Z]{3,}){2,}`)
)

// Urgent reports whether a message sounds urgent.
func Urgent(s string) bool { return urgent.MatchString(s) || shouted.MatchString(s) }
