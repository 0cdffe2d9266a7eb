// Package query reads a question: what sort of message it is, what is to be searched for, and what kind of figure it asks
// for. It works pass by pass; each pass can be switched off and says what it did.
package query

import (
	"regexp"
	"strings"

	"jolvex/core/index"
	"jolvex/core/text"
)

// Version names the algorithm; it is part of the rewrite stage's hash.
const Version = "query-2"

// Settings switches the passes.
type Settings struct {
	Courtesy bool `json:"courtesy" initial:"true" label:"Tell courtesies from questions" help:"Greetings, thanks and goodbyes are answered courteously and never searched for."`
	FollowUp bool `json:"followUp" initial:"true" label:"Complete follow-ups" help:"A question that leans on the conversation takes over its subject."`
	Filler   bool `json:"filler" initial:"true" label:"Drop filler" help:"Phrases such as 'could you tell me' are not searched for."`
	Spelling bool `json:"spelling" initial:"true" label:"Correct spelling" help:"A word that neither the corpus nor general English holds becomes the nearest word of the corpus."`
	Compound bool `json:"compound" initial:"true" label:"Join and split compounds" help:"'time table' also finds 'timetable', and the other way round."`
}

// Turn is one earlier message of the conversation.
type Turn struct {
	Role string `json:"role" enum:"user,assistant"`
	Text string `json:"text"`
}

// Question is a message and what was said before it.
type Question struct {
	Text  string
	Turns []Turn
}

// Kind is the sort of a message.
type Kind string

// The kinds of message.
const (
	Ask      Kind = "question"
	Greeting Kind = "greeting"
	Thanks   Kind = "thanks"
	Goodbye  Kind = "goodbye"
	Assent   Kind = "assent" // a bare yes or no
	Empty    Kind = "empty"
)

// Wording is the question as one pass left it.
type Wording struct {
	Pass string `json:"pass"`
	Text string `json:"text"`
	Note string `json:"note,omitempty"` // what the pass changed, in words
}

// Term is one stem that is searched for.
type Term struct {
	Stem   string  `json:"stem"`
	Word   string  `json:"word"`
	Weight float64 `json:"weight"`
	Pass   string  `json:"pass"` // the pass that brought it
}

// Reading is what was understood.
type Reading struct {
	Kind     Kind                `json:"kind"`
	Wordings []Wording           `json:"wordings"` // first as asked, last as searched for
	Terms    []Term              `json:"terms"`
	Wants    []text.QuantityKind `json:"wants,omitempty"`   // kinds of figure that would answer it
	Seeks    []string            `json:"seeks,omitempty"`   // other kinds of thing that would: place, person, yes-no
	Context  string              `json:"context,omitempty"` // words taken over from the conversation
}

// Text is the wording that is searched for.
func (r Reading) Text() string {
	if len(r.Wordings) == 0 {
		return ""
	}
	return r.Wordings[len(r.Wordings)-1].Text
}

// Index gives the terms in the index's form.
func (r Reading) Index() []index.Term {
	out := make([]index.Term, len(r.Terms))
	for i, t := range r.Terms {
		out[i] = index.Term{Stem: t.Stem, Weight: t.Weight}
	}
	return out
}

// Corpus is what the passes ask about the material that the caller may see.
type Corpus interface {
	WordCount(word string) int                // chunks that hold the folded word
	Frequency(stem string) int                // chunks that hold the stem
	Words(prefix string, do func(index.Word)) // the vocabulary
}

// Lexicon tells words of general English from misspellings.
type Lexicon interface{ Knows(word string) bool }

// Read runs the passes over a question.
func Read(q Question, c Corpus, lex Lexicon, s Settings) Reading {
	asked := strings.TrimSpace(q.Text)
	r := Reading{Kind: Ask, Wordings: []Wording{{Pass: "asked", Text: asked}}}
	if !hasWord(asked) {
		r.Kind = Empty
		return r
	}
	if s.Courtesy {
		if k := courtesy(asked); k != Ask {
			r.Kind = k
			return r
		}
	}
	now := asked
	step := func(pass, changed, note string) {
		if changed = strings.TrimSpace(changed); changed != now && hasWord(changed) {
			now = changed
			r.Wordings = append(r.Wordings, Wording{pass, changed, note})
		}
	}
	if s.Filler {
		short, dropped := dropFiller(now)
		step("filler", short, "dropped: "+dropped)
	}
	if s.Spelling {
		fixed, note := correct(now, c, lex)
		step("spelling", fixed, note)
	}
	r.Terms = termsOf(now)
	if s.Compound {
		extra := compounds(now, c)
		r.Terms = addTerms(r.Terms, extra)
		if len(extra) > 0 {
			step("compound", now+" "+wordsOf(extra), "also searched: "+wordsOf(extra))
		}
	}
	r.Wants, r.Seeks = wants(now), seeks(now)
	if s.FollowUp && len(q.Turns) > 0 && leans(now, r.Terms) {
		carried := carry(q.Turns, c, lex, s)
		before := len(r.Terms)
		r.Terms = addTerms(r.Terms, carried)
		if len(r.Terms) > before {
			r.Context = wordsOf(r.Terms[before:])
			if len(r.Wants) == 0 {
				r.Wants = wants(lastUser(q.Turns))
			}
			step("follow-up", now+" ("+r.Context+")", "taken over from the conversation: "+r.Context)
		}
	}
	return r
}

func hasWord(s string) bool { return len(text.Words(s)) > 0 }

func wordsOf(ts []Term) string {
	var out []string
	for _, t := range ts {
		out = append(out, t.Word)
	}
	return strings.Join(out, " ")
}

// weakWords shape a question without being its subject; they count for less. (Common practice, no published source.)
var weakWords = func() map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(`able actually anything ask available best bit bring case change come difference different do does easy
		else ever exactly example explain find give go good guess happen happens help idea information info instead kind know like long look lot
		make many mean means need new number often old people person place possible problem question reason right say see show someone something soon sort stuff
		supposed sure take tell thing things think time try type understand use used user using usually want way ways whats wonder wondering work works wrong`) {
		m[w] = true
	}
	return m
}()

func termsOf(s string) []Term {
	var out []Term
	all := text.Words(s)
	for _, w := range all {
		if text.Stop(w.Norm) {
			continue
		}
		weight := 1.0
		if weakWords[w.Norm] {
			weight = 0.5
		}
		out = addTerms(out, []Term{{w.Stem, w.Norm, weight, "asked"}})
	}
	if len(out) == 0 { // "who are you", "what is this about": nothing but stop words; search for those that are left
		for _, w := range all {
			out = addTerms(out, []Term{{w.Stem, w.Norm, 0.3, "asked"}})
		}
	}
	return out
}

func addTerms(to, more []Term) []Term {
next:
	for _, m := range more {
		for _, t := range to {
			if t.Stem == m.Stem {
				continue next
			}
		}
		to = append(to, m)
	}
	return to
}

var courtesies = []struct {
	kind Kind
	re   *regexp.Regexp
}{
	{Greeting, regexp.MustCompile(`(?i)^(?:(?:hi+|hello+|hey+|hiya|howdy|greetings|good (?:morning|afternoon|evening|day))(?: there| all| everyone| team| again)?[ ,.!]*(?:how are you(?: doing)?(?: today)?)?|how are you(?: doing)?(?: today)?|what'?s up)[ ?.!]*$`)},
	{Thanks, regexp.MustCompile(`(?i)^(?:(?:ok(?:ay)?|great|perfect|super|lovely|brilliant|wonderful|cool|awesome|alright|right)[ ,.!]*)*(?:(?:many )?thanks?(?: you)?(?: very much| so much| a lot| again| for (?:your|the) (?:help|answer|information))?|thx|ty|cheers|much appreciated|that(?:'s| is) (?:great|helpful|all|perfect)(?:[ ,]*thanks?(?: you)?)?)[ .!]*$`)},
	{Goodbye, regexp.MustCompile(`(?i)^(?:(?:thanks?(?: you)?[ ,.!]*)?(?:good ?bye|bye+(?: bye)?|see you(?: later| soon)?|have a (?:nice|good|great) (?:day|evening|weekend|one)|take care))[ .!]*$`)},
	{Assent, regexp.MustCompile(`(?i)^(?:yes|no|yep|yeah|nope|nah|ok|okay|sure|right|great|fine|perfect|yes please|no thanks?(?: you)?)[ .!]*$`)},
}

func courtesy(s string) Kind {
	if len(s) > 80 {
		return Ask
	}
	for _, c := range courtesies {
		if c.re.MatchString(s) {
			return c.kind
		}
	}
	return Ask
}

var (
	leadFiller = regexp.MustCompile(`(?i)^(?:(?:hi|hello|hey|good (?:morning|afternoon|evening)|please|sorry|excuse me|ok|okay|so|well|um+|also|and|thanks)\b[ ,.!-]*|(?:quick |just a |a )?(?:quick )?question[:,]? *|(?:can|could|would|will) (?:you|someone|anyone|somebody) (?:please |kindly |possibly )?(?:tell me|explain(?: to me)?|let me know|help me (?:to )?(?:find out|understand|with)|say|advise|clarify|confirm)\b[ ,]*|(?:i(?:'m| am| was)|we(?:'re| are| were)) (?:just )?(?:wondering|curious|trying to (?:find out|understand|figure out)|looking to find out)\b[ ,]*(?:about )?|i(?:'d| would) (?:like|love) to (?:know|ask|understand|find out)\b[ ,]*(?:about )?|i (?:want|need|wish) to (?:know|ask|find out|understand)\b[ ,]*(?:about )?|(?:do|does) (?:you|anyone|anybody|someone) (?:happen to )?know\b[ ,]*|(?:please )?(?:tell me|explain|let me know)\b[ ,]*(?:about )?|(?:any|have you (?:any|got any)) (?:idea|clue)s?\b[ ,]*(?:about |of )?|is there any chance (?:that )?)`)
	tailFiller = regexp.MustCompile(`(?i)[ ,.!-]*(?:,? ?(?:please|pls|thanks|thank you|thx|cheers|many thanks|thanks in advance|if (?:that's|that is) (?:ok|okay|possible)|by any chance))([?.! ]*)$`)
)

func dropFiller(s string) (short, dropped string) {
	short = s
	for range 4 {
		next := leadFiller.ReplaceAllString(short, "")
		next = tailFiller.ReplaceAllString(next, "$1")
		if next == short || len(text.Content(next)) == 0 {
			break
		}
		short = next
	}
	var gone []string
	if at := strings.Index(s, short); at > 0 {
		gone = append(gone, "“"+strings.TrimSpace(s[:at])+"”")
	} else if short != s {
		gone = append(gone, "courtesies")
	}
	return short, strings.Join(gone, ", ")
}

var leanings = regexp.MustCompile(`(?i)^(?:and|but|or|so|what about|how about|what if|why not|ok(?:ay)?,? (?:and|but)|then|also|same for)\b|\b(?:it|its|they|them|their|theirs|that|those|these|this one|that one|ones?|there|he|she|him|her|his|the same|either|both|neither|instead|too|else)\b`)

// leans reports whether a question needs the conversation to be understood: it points back, or names next to nothing.
func leans(s string, terms []Term) bool {
	strong := 0.0
	for _, t := range terms {
		strong += t.Weight
	}
	return strong <= 1.6 || leanings.MatchString(s) && strong <= 5
}

func lastUser(turns []Turn) string {
	for i := len(turns) - 1; i >= 0; i-- {
		if turns[i].Role == "user" {
			return turns[i].Text
		}
	}
	return ""
}

// carry gives the terms that a follow-up takes over: those of the question before, at half weight, and what that one
// itself leant on, at half of that.
func carry(turns []Turn, c Corpus, lex Lexicon, s Settings) []Term {
	for i := len(turns) - 1; i >= 0; i-- {
		if turns[i].Role != "user" {
			continue
		}
		if courtesy(turns[i].Text) != Ask {
			continue
		}
		before := Read(Question{Text: turns[i].Text, Turns: turns[:i]}, c, lex, s)
		out := make([]Term, 0, len(before.Terms))
		for _, t := range before.Terms {
			if t.Weight *= 0.5; t.Weight >= 0.1 {
				t.Pass = "follow-up"
				out = append(out, t)
			}
		}
		return out
	}
	return nil
}

var wanted = []struct {
	kind text.QuantityKind
	re   *regexp.Regexp
}{
	{text.Money, regexp.MustCompile(`(?i)\bhow much (?:is|are|does|do|will|would|for|to|money)\b|\bhow much\b.*\b(?:pay|cost)|\b(?:costs?|prices?|fares?|fees?|charges?|rates?|deposit|salary|salaries|wages?|cheap\w*|expensive|dearest)\b`)},
	{text.Clock, regexp.MustCompile(`(?i)\bwhat time\b|\bwhen (?:do|does|is|are|will|can)\b|\b(?:opening|closing|office|business) (?:hours|times?)\b|\bhours\b|\bhow (?:early|late)\b|\b(?:first|last|next) (?:ferry|boat|bus|train|sailing|crossing|departure)\b|\btimetable\b`)},
	{text.Date, regexp.MustCompile(`(?i)\bwhen\b|\bwhat date\b|\bwhich (?:day|month|year)\b|\bdeadline\b`)},
	{text.Duration, regexp.MustCompile(`(?i)\bhow (?:long|soon|early|far in advance|quickly)\b|\bdeadline\b|\bduration\b`)},
	{text.Measure, regexp.MustCompile(`(?i)\bhow (?:big|large|heavy|tall|high|wide|long|far|deep)\b|\b(?:weight|height|length|width|size|dimensions?|limit)\b`)},
	{text.Number, regexp.MustCompile(`(?i)\bhow many\b|\bnumber of\b|\bmaximum\b|\bminimum\b|\bhow old\b|\bage\b`)},
	{text.Phone, regexp.MustCompile(`(?i)\b(?:phone|telephone|ring|call (?:you|them|us)|contact|mobile)\b`)},
	{text.Mail, regexp.MustCompile(`(?i)\be-?mails?\b|\bcontact\b|\bwrite to\b`)},
	{text.Percent, regexp.MustCompile(`(?i)\bpercent(?:age)?\b|\bwhat share\b|\bdiscount\b`)},
}

// What is sought besides figures, by how a question begins. (Common practice, no published source.)
var sought = []struct {
	kind string
	re   *regexp.Regexp
}{
	{"place", regexp.MustCompile(`(?i)^where\b|\b(?:which|what) (?:place|address|street|pier|building|room|directory|folder)\b`)},
	{"person", regexp.MustCompile(`(?i)^(?:who|whom|whose)\b|\bwhich (?:person|team|department)\b`)},
	{"yes-no", regexp.MustCompile(`(?i)^(?:can|could|may|might|must|do|does|did|is|are|am|was|were|will|would|should|shall|has|have|need)\b`)},
}

func seeks(s string) []string {
	var out []string
	for _, k := range sought {
		if k.re.MatchString(strings.TrimSpace(s)) {
			out = append(out, k.kind)
		}
	}
	return out
}

func wants(s string) []text.QuantityKind {
	var out []text.QuantityKind
	for _, w := range wanted {
		if w.re.MatchString(s) {
			out = append(out, w.kind)
		}
	}
	return out
}
