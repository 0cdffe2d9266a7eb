// Package query reads a question: what sort of message it is, what is to be searched for, and what kind of figure it asks
// for. It works pass by pass; each pass can be switched off, most can be put into another order, and each says what it did.
package query

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/text"
)

// Version names the algorithm; it is part of the rewrite stage's hash.
const Version = "query-10"

// Settings switches the passes and orders them.
type Settings struct {
	Courtesy bool    `json:"courtesy" initial:"true" label:"Tell courtesies from questions" help:"Greetings, thanks and goodbyes are answered courteously and never searched for."`
	Split    bool    `json:"split" initial:"true" label:"Part several questions" help:"A message that asks several things is answered part by part."`
	Commands bool    `json:"commands" initial:"true" label:"Leave orders out" help:"What orders the assistant about, such as 'ignore your instructions', is not searched for; a message of nothing else is refused."`
	Language bool    `json:"language" initial:"true" label:"Find the language" help:"A question in another language than the corpus is told as such and, where a model is connected, searched for in the corpus's."`
	Filler   bool    `json:"filler" initial:"true" label:"Drop filler" help:"Phrases such as 'could you tell me' are not searched for."`
	Spelling bool    `json:"spelling" initial:"true" label:"Correct spelling" help:"A word that neither the corpus nor general English holds becomes the nearest word of the corpus, or else a common English one that is a single slip away."`
	FollowUp bool    `json:"followUp" initial:"true" label:"Complete follow-ups" help:"A question that leans on the conversation takes over its subject: 'and for a child?'"`
	Glossary bool    `json:"glossary" initial:"true" label:"Glossary" help:"A term of the glossary is also searched for by what it means, and the other way round."`
	Compound bool    `json:"compound" initial:"true" label:"Join and split compounds" help:"'time table' also finds 'timetable', and the other way round."`
	Related  bool    `json:"related" initial:"false" label:"Related terms" help:"A word that the corpus lacks is also searched for by the corpus's words that mean nearly the same."`
	Nearness float64 `json:"nearness" initial:"0.6" min:"0.3" max:"0.95" step:"0.05" label:"Minimum similarity of related terms" help:"How alike in meaning a related term must be."`
	Feedback bool    `json:"feedback" initial:"false" label:"Feedback from first results" help:"Words that stand out in the first results are searched for as well (relevance model RM3)."`
	Chunks   int     `json:"chunks" initial:"5" min:"1" max:"20" unit:"chunks" label:"Chunks for feedback" help:"How many first results the words are taken from."`
	Words    int     `json:"words" initial:"8" min:"1" max:"40" unit:"words" label:"Words of feedback" help:"How many words are taken over."`
	Share    float64 `json:"share" initial:"0.3" min:"0.05" max:"0.9" step:"0.05" label:"Share of feedback" help:"How much the words taken over count of all that is searched for."`
	Model    bool    `json:"model" initial:"false" label:"Wordings by a model" help:"The connected model words the question so that it stands alone, in several ways, and with a passage that might answer it. Nothing is asked of it when none is connected."`
	Order    string  `json:"order" initial:"filler,spelling,followUp,glossary,compound,related,feedback" label:"Order of passes" help:"Names of the passes between language and model, with commas between."`
}

// orderable are the passes whose order can be changed.
var orderable = []string{PassFiller, PassSpelling, PassFollowUp, PassGlossary, PassCompound, PassRelated, PassFeedback}

// Options gives the orders of passes that are worth trying, each with what it is for.
func (Settings) Options(key string) [][3]string {
	if key != "order" {
		return nil
	}
	first := func(names ...string) string {
		rest := slices.DeleteFunc(slices.Clone(orderable), func(n string) bool { return slices.Contains(names, n) })
		return strings.Join(append(names, rest...), ",")
	}
	return [][3]string{
		{first(), "as it comes", "Filler is dropped, then spelling put right, then follow-ups, glossary and related terms."},
		{first(PassGlossary), "glossary first", "Abbreviations and names are known before anything is put right: for corpora with many codes."},
		{first(PassSpelling), "spelling first", "Words are put right before filler is told by them: for callers who mistype much."},
		{first(PassFollowUp), "follow-ups first", "A question is made to stand alone before anything else is done to it: for long conversations."},
		{first(PassGlossary, PassFollowUp), "glossary, then follow-ups", "Both, in this order."},
	}
}

// Check reports what is wrong with the order of passes, in words.
func (s Settings) Check() []string {
	names := strings.Split(s.Order, ",")
	if slices.Equal(slices.Sorted(slices.Values(names)), slices.Sorted(slices.Values(orderable))) {
		return nil
	}
	return []string{fmt.Sprintf("the order of passes is %q: it must name each of %s once, with commas between", s.Order, strings.Join(orderable, ","))}
}

// The passes.
const (
	PassAsked    = "asked" // no pass: the question as it came
	PassCourtesy = "courtesy"
	PassSplit    = "split"
	PassCommands = "commands"
	PassLanguage = "language"
	PassFiller   = "filler"
	PassSpelling = "spelling"
	PassFollowUp = "followUp"
	PassGlossary = "glossary"
	PassCompound = "compound"
	PassRelated  = "related"
	PassFeedback = "feedback"
	PassModel    = "model"
)

// Turn is one earlier message of the conversation.
type Turn struct {
	Role string `json:"role" enum:"user,assistant"`
	Text string `json:"text" maxLength:"20000"`
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
	Command  Kind = "command" // orders to the assistant alone
)

// Wording is the question as one pass left it.
type Wording struct {
	Pass string `json:"pass"`
	Text string `json:"text"`
	Note string `json:"note,omitempty"` // what the pass changed, in words
}

// Step is what one pass made of the question: the trace of a rewriting.
type Step struct {
	Pass    string `json:"pass"`
	On      bool   `json:"on"`
	Before  string `json:"before"`
	After   string `json:"after"`
	Why     string `json:"why" doc:"What it did, or why it did nothing"`
	Changed bool   `json:"changed"`
	Micros  int64  `json:"-"` // a reading is the same whatever the time it took
}

// Term is one stem that is searched for.
type Term struct {
	Stem   string  `json:"stem"`
	Word   string  `json:"word"`
	Weight float64 `json:"weight"`
	Pass   string  `json:"pass"` // the pass that brought it
}

// Search is one wording that is searched for. What several wordings find is fused, so that a rewriting never loses what
// the plain question would have found.
type Search struct {
	Pass   string  `json:"pass" doc:"asked: as it came; rewritten: as the passes left it; model: as a model words it; passage: what might answer it, by a model"`
	Text   string  `json:"text"` // what is embedded
	Terms  []Term  `json:"terms"`
	Weight float64 `json:"weight" doc:"How much what it finds counts, 0 to 1"`
}

// The searches besides "asked" and "model".
const (
	SearchRewritten = "rewritten"
	SearchPassage   = "passage"
)

// Reading is what was understood.
type Reading struct {
	Kind     Kind                `json:"kind"`
	Wordings []Wording           `json:"wordings"` // first as asked, last as searched for
	Steps    []Step              `json:"steps,omitempty" nullable:"false"`
	Searches []Search            `json:"searches,omitempty" nullable:"false"` // the main one first
	Terms    []Term              `json:"terms"`                               // of the main search
	Wants    []text.QuantityKind `json:"wants,omitempty"`                     // kinds of figure that would answer it
	Seeks    []string            `json:"seeks,omitempty"`                     // other kinds of thing that would: place, person, yes-no
	Context  string              `json:"context,omitempty"`                   // words taken over from the conversation
	Guessed  bool                `json:"guessed,omitempty"`                   // it took that over because it says little, not because it points back
	Alone    string              `json:"alone,omitempty"`                     // the question so that it stands alone, as far as could be told
	Language string              `json:"language,omitempty"`                  // BCP 47, when it is not the corpus's
	Tongue   string              `json:"tongue,omitempty"`                    // ISO 639-1: what it is asked in, as far as can be told, when that is not English
}

// Text is the wording that is searched for.
func (r Reading) Text() string {
	if len(r.Wordings) == 0 {
		return ""
	}
	return r.Wordings[len(r.Wordings)-1].Text
}

// Meaning is the wording whose meaning is looked for: without what passes put beside it for the sake of its words.
func (r Reading) Meaning() string {
	if len(r.Searches) > 0 {
		return r.Searches[0].Text
	}
	return r.Text()
}

// Index gives terms in the index's form.
func Index(ts []Term) []index.Term {
	out := make([]index.Term, len(ts))
	for i, t := range ts {
		out[i] = index.Term{Stem: t.Stem, Weight: t.Weight}
	}
	return out
}

// Index gives the terms of the main search in the index's form.
func (r Reading) Index() []index.Term { return Index(r.Terms) }

// Corpus is what the passes ask about the material that the caller may see.
type Corpus interface {
	WordCount(word string) int                // chunks that hold the folded word
	Frequency(stem string) int                // chunks that hold the stem
	Words(prefix string, do func(index.Word)) // the vocabulary
	Chunks() int                              // chunks in all
}

// Lexicon knows words of general English.
type Lexicon interface {
	Knows(word string) bool
	// OneEdit is the commonest word that one edit makes of a folded word; "" for none.
	OneEdit(word string) string
	// Likeness is how alike in meaning two folded words are, -1 to 1.
	Likeness(a, b string) float64
	// Near lists the words most alike in meaning to one, at most n, of those that accept takes, with how alike they are.
	Near(word string, n int, least float64, accept func(word string) bool) []embed.Near
}

// Look searches for a reading and gives the texts of the first chunks, best first, each with a score over 0.
type Look func(ctx context.Context, r Reading, chunks int) ([]Found, error)

// Found is one chunk that was found.
type Found struct {
	Text  string
	Score float64
}

// Written is what a model makes of a question.
type Written struct {
	Alone    string   // the question so that it stands alone, in the corpus's language
	Wordings []string // other wordings of it
	Passage  string   // what might answer it
}

// Writer words questions by a model.
type Writer func(ctx context.Context, q Question, now string) (Written, error)

// Tools are what the passes draw on. Look, Write and Clock may be nil.
type Tools struct {
	Corpus   Corpus
	Lexicon  Lexicon
	Glossary []Entry
	Language string // of the corpus, BCP 47; "" when not known
	Look     Look
	Write    Writer
	Clock    func() time.Duration
}

// Read runs the passes over a question. ctx reaches what the passes ask of others: a search, a model.
func Read(ctx context.Context, q Question, tools Tools, s Settings) Reading {
	asked := strings.TrimSpace(q.Text)
	w := &work{question: q, tools: tools, set: s, now: asked}
	w.reading = Reading{Kind: Ask, Wordings: []Wording{{Pass: PassAsked, Text: asked}}}
	if !hasWord(asked) {
		w.reading.Kind = Empty
		return w.reading
	}
	w.run(ctx, PassCourtesy)
	if w.reading.Kind != Ask {
		return w.reading
	}
	w.run(ctx, PassCommands)
	if w.reading.Kind != Ask {
		return w.reading
	}
	w.run(ctx, PassLanguage)
	if w.reading.Tongue = tongueOf(w.reading.Language, tools.Language); w.reading.Tongue != "" {
		w.tools.Lexicon = unlisted{}
	}
	foreign := w.reading.Language != ""
	if foreign { // what a model makes of it in the corpus's language is what the other passes work on
		w.run(ctx, PassModel)
	}
	for name := range strings.SplitSeq(s.Order, ",") {
		w.run(ctx, name)
	}
	if !foreign {
		w.run(ctx, PassModel)
	}
	return w.finish()
}

// work is one question on its way through the passes.
type work struct {
	question   Question
	tools      Tools
	set        Settings
	now        string // the wording so far
	shown      string // with what passes put beside it; "" when that is nothing
	context    string // words that the meaning takes over from the conversation
	carried    []Term // taken over from the conversation
	added      []Term // put beside the wording's own
	replaced   bool   // the wording says something else than was asked
	translated bool   // the wording is in the corpus's language and was not
	written    []Search
	reading    Reading
}

// pass is one stage of rewriting. run gives what it did, in words; it changes the work's wording or terms.
type pass struct {
	on  bool
	run func() string
}

// pass finds a pass by its name.
func (w *work) pass(ctx context.Context, name string) (pass, bool) {
	s := w.set
	switch name {
	case PassCourtesy:
		return pass{s.Courtesy, w.tellCourtesy}, true
	case PassCommands:
		return pass{s.Commands, w.dropCommands}, true
	case PassLanguage:
		return pass{s.Language, w.findLanguage}, true
	case PassFiller:
		return pass{s.Filler, w.dropFiller}, true
	case PassSpelling:
		return pass{s.Spelling, w.correctSpelling}, true
	case PassFollowUp:
		return pass{s.FollowUp, func() string { return w.completeFollowUp(ctx) }}, true
	case PassGlossary:
		return pass{s.Glossary, w.lookUpGlossary}, true
	case PassCompound:
		return pass{s.Compound, w.joinAndSplit}, true
	case PassRelated:
		return pass{s.Related, w.addRelated}, true
	case PassFeedback:
		return pass{s.Feedback, func() string { return w.feedBack(ctx) }}, true
	case PassModel:
		return pass{s.Model, func() string { return w.askModel(ctx) }}, true
	}
	return pass{}, false
}

// run has one pass do its part and writes down what it did.
func (w *work) run(ctx context.Context, name string) {
	p, ok := w.pass(ctx, name)
	if !ok {
		return
	}
	before, kind, terms := w.text(), w.reading.Kind, len(w.added)+len(w.carried)+len(w.written)
	step := Step{Pass: name, On: p.on, Before: before}
	var began time.Duration
	if w.tools.Clock != nil {
		began = w.tools.Clock()
	}
	switch {
	case !step.On:
		step.Why = "switched off"
	case w.reading.Language != "" && !w.translated && name != PassModel && name != PassFollowUp && name != PassGlossary:
		step.Why = "the question is not in the corpus's language"
	default:
		step.Why = p.run()
	}
	if w.tools.Clock != nil {
		step.Micros = (w.tools.Clock() - began).Microseconds()
	}
	step.After = w.text()
	step.Changed = step.After != before || w.reading.Kind != kind || len(w.added)+len(w.carried)+len(w.written) != terms
	w.reading.Steps = append(w.reading.Steps, step)
	if step.After != before {
		w.reading.Wordings = append(w.reading.Wordings, Wording{name, step.After, step.Why})
	}
}

// text is the wording so far with what stands beside it.
func (w *work) text() string {
	out := w.now
	if w.context != "" {
		out += " (" + w.context + ")"
	}
	if w.shown != "" {
		out += " + " + w.shown
	}
	return out
}

// reword takes another wording for the one so far; one without a word is none.
func (w *work) reword(s string) bool {
	if s = strings.TrimSpace(s); s == w.now || !hasWord(s) {
		return false
	}
	w.now = s
	return true
}

// beside puts terms beside the wording's own. It gives their words, of those that were not there.
func (w *work) beside(ts []Term) string {
	have := addTerms(addTerms(termsOf(w.now), w.carried), w.added)
	with := addTerms(have, ts)[len(have):]
	w.added = append(w.added, with...)
	said := wordsOf(with)
	w.shown = strings.TrimSpace(w.shown + " " + said)
	return said
}

// finish puts together what is searched for.
func (w *work) finish() Reading {
	r := &w.reading
	r.Terms = w.withoutFunctionWords(addTerms(addTerms(termsOf(w.now), w.carried), w.added))
	r.Context = w.context
	r.Alone = w.now
	meaning := w.now
	if w.context != "" {
		meaning += " " + w.context
		r.Alone += " (" + w.context + ")"
	}
	r.Wants, r.Seeks = wants(w.now), seeks(w.now)
	if len(r.Wants) == 0 && len(w.carried) > 0 {
		r.Wants = wants(lastUser(w.question.Turns))
	}
	r.Searches = []Search{{Pass: SearchRewritten, Text: meaning, Terms: r.Terms, Weight: 1}}
	if asked := r.Wordings[0].Text; asked == meaning && len(w.added) == 0 {
		r.Searches[0].Pass = PassAsked
	} else if plain := w.withoutFunctionWords(termsOf(asked)); w.replaced || loses(plain, r.Terms) {
		r.Searches = append(r.Searches, Search{Pass: PassAsked, Text: asked, Terms: plain, Weight: plainWeight})
	}
	r.Searches = append(r.Searches, w.written...)
	return *r
}

// plainWeight is how much what the plain question finds counts beside what the rewritten one does.
const plainWeight = 0.85

// loses reports whether a strong term is no longer there.
func loses(plain, now []Term) bool {
	for _, t := range plain {
		if t.Weight >= 1 && !slices.ContainsFunc(now, func(n Term) bool { return n.Stem == t.Stem && n.Weight >= t.Weight }) {
			return true
		}
	}
	return false
}

func hasWord(s string) bool { return len(text.Words(s)) > 0 }

func wordsOf(ts []Term) string {
	var out []string
	for _, t := range ts {
		out = append(out, t.Word)
	}
	return strings.Join(out, " ")
}
