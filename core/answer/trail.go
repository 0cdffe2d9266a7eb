// Package answer makes a reply out of evidence: it selects, orders and trims sentences and table cells of the ranked
// chunks, cites each of them, and refuses when the evidence does not carry an answer. It is the one entry point through
// which every question goes.
package answer

import (
	"fmt"
	"slices"

	"jolvex/core/answer/ground"
	"jolvex/core/doc"
	"jolvex/core/find"
	"jolvex/core/query"
	"jolvex/core/rule"
)

// Version names the algorithm; it is part of the answer stage's hash.
const Version = "answer-20"

// Format numbers the form in which trails are stored.
//
//	1  what a model read and wrote stands in Written alone
//	2  every call of a model stands in Spent
const Format = 2

// Upgrade makes of a trail that was stored in an earlier format what it would be in this one. It is an error when the format is a later
// one.
func Upgrade(t *Trail, format int) error {
	if format > Format {
		return fmt.Errorf("the trail has format %d, and this program reads up to %d", format, Format)
	}
	if w := t.Written; format < 2 && w != nil && w.In+w.Out > 0 {
		t.Spent = []Spent{{For: ToWord, Model: w.Model, In: w.In, Out: w.Out, Price: w.Price}}
	}
	return nil
}

// Settings of the answer stage.
type Settings struct {
	Bar         float64 `json:"bar" initial:"0.5" min:"0" max:"1" step:"0.01" label:"Evidence bar" help:"The least support at which the assistant answers rather than refuses. A stricter bar gives fewer and more relevant answers."`
	Composer    string  `json:"composer" initial:"sentences" choices:"sentences,model" label:"Who words the reply" help:"Sentences of the evidence as they stand, or a connected model whose every sentence is checked against the evidence. Where the model does not answer, sentences stand in."`
	Unsupported string  `json:"unsupported" initial:"withhold" choices:"withhold,mark" label:"What a model says without evidence" help:"Withheld, or said and marked. Claims of deeds are always withheld."`
	Carried     float64 `json:"carried" initial:"0.5" min:"0" max:"1" step:"0.05" label:"Minimum grounding of a sentence" help:"Below it, the evidence does not carry what the model says."`
	Opinion     bool    `json:"opinion" initial:"false" label:"Second opinion" help:"Of a sentence whose grounding is neither clear nor lacking, the model is asked whether its passage says it. That costs a call for each."`
	Tokens      int     `json:"tokens" initial:"500" min:"50" max:"4000" unit:"tokens" label:"Most that a model writes" help:"It is cut off there."`
	Tone        string  `json:"tone" initial:"" label:"Manner" help:"How a model is to word replies: warm or plain, to whom, in which English."`
	Always      string  `json:"always" initial:"" label:"Always" help:"What a model is always to do, one thing a line."`
	Never       string  `json:"never" initial:"" label:"Never" help:"What a model is never to do, one thing a line. A sentence that holds a phrase in quotation marks is never said, by whomever it is worded."`
	Words       int     `json:"words" initial:"60" min:"20" max:"400" unit:"words" label:"Length" help:"About how many words a reply may have. A list or steps that are asked for are told whole."`
	Sources     int     `json:"sources" initial:"2" min:"1" max:"6" unit:"chunks" label:"Sources" help:"From how many chunks one reply may be put together when the evidence is spread."`
	Records     bool    `json:"records" initial:"true" label:"Records" help:"Tables, lists of labels and values and labelled sections are read as records, and a question over them is worked out over all rows."`
	Lists       bool    `json:"lists" initial:"true" label:"Lists and comparisons" help:"A question for all things of a kind is answered by all that the sources name; one that compares two things tells both, under their names."`
	Refusal     string  `json:"refusal" initial:"I have found nothing about that in the material I answer from." label:"Refusal" help:"What is said below the bar."`
	TurnTo      string  `json:"turnTo" initial:"" label:"Where to turn" help:"Added to a refusal: whom to ask instead."`
	AskBack     bool    `json:"askBack" initial:"true" label:"Ask back" help:"Where the evidence parts on a condition that the question leaves open, up to three ways are told apart; of more, it is asked which is meant."`
	Asking      string  `json:"asking" initial:"That depends: {options}. Which do you mean?" label:"Asking back" help:"How it is asked. {options} stands for what can be chosen."`
	NearMiss    string  `json:"nearMiss" initial:"I can tell you about {subjects}." label:"Help near by" help:"Added to a refusal when something near by is there, by the names of its headings. {subjects} stands for them; empty to say nothing."`
	Unfound     string  `json:"unfound" initial:"About “{question}” I have found nothing." label:"Refusal of one part" help:"Said of one of several questions that has no answer. {question} stands for it."`
	PointTo     string  `json:"pointTo" initial:"For that, see “{title}”." label:"Pointing" help:"Said in place of what may be found but not quoted. {title} stands for the document's title."`
	PointNow    string  `json:"pointNow" initial:"That changes from day to day: see “{title}”." label:"Pointing to what changes" help:"Said in place of what is marked as changing from day to day. {title} stands for the document's title."`
	Give        string  `json:"give" initial:"You can have “{title}” as a file." label:"Handing out" help:"Added when a document is asked for that may be handed out. {title} stands for its title."`
	Welcome     string  `json:"welcome" initial:"Ask me anything about the material I answer from." label:"Welcome" help:"What stands there before anything was asked; empty for nothing."`
	First       string  `json:"first" initial:"" label:"First questions" help:"Questions offered before anything was asked, one a line, four at most."`
	Machine     string  `json:"machine" initial:"Replies are put together by a machine from the sources that they name." label:"Note on replies" help:"Tells whoever asks that no person replies."`
	Abroad      string  `json:"abroad" initial:"From a page in {language}:" label:"Lead-in to another language" help:"Said before sentences of a page that is in another language than the question. {language} stands for its name; empty to say nothing."`
	Elsewhere   string  `json:"elsewhere" initial:"" label:"Texts in other languages" help:"What the assistant says of itself follows the language that it is asked in: English, German, French and Spanish ship. To change one, a line of the language, the name of the text and a colon: “de refusal: Dazu habe ich nichts gefunden.” Names: refusal, asking, nearMiss, unfound, pointTo, pointNow, give, person, greeting, thanks, goodbye, assenting, abroad."`
	Demands     bool    `json:"demands" initial:"true" label:"What is asked for must be there" help:"The dimension of “how deep”, the thing of “is there a lift”, a number of the things of “how many”, a name for “who is the”: a passage without it is taken to be about something else."`
	Person      string  `json:"person" initial:"I answer from our pages, and cannot put you through from here." label:"To whoever asks for a person" help:"Said when somebody asks for a person and no house rule hands over; where to turn is added to it."`
	Greeting    string  `json:"greeting" initial:"Hello. What would you like to know?" label:"Greeting" help:"The reply to a greeting."`
	Thanks      string  `json:"thanks" initial:"You are welcome." label:"Thanks" help:"The reply to thanks."`
	Goodbye     string  `json:"goodbye" initial:"Goodbye." label:"Goodbye" help:"The reply to a goodbye."`
	Assenting   string  `json:"assenting" initial:"What else would you like to know?" label:"Bare yes or no" help:"The reply to a yes or no that nothing was asked for."`
}

// Outcome says how a message ended.
type Outcome string

// The outcomes.
const (
	Answered   Outcome = "answered"
	Refused    Outcome = "refused"
	ByRule     Outcome = "rule"       // a house rule gave the reply
	HandedOver Outcome = "handedOver" // to a person
	AskedBack  Outcome = "askedBack"  // something has to be told first
	Courteous  Outcome = "courtesy"   // a greeting, thanks, goodbye or bare yes or no
	Unjudged   Outcome = "unjudged"   // it was searched for only: there is no reply
)

// Candidate is one ranked chunk, by reference.
type Candidate struct {
	Document string        `json:"document"`
	Version  string        `json:"version"`
	Language string        `json:"language,omitempty"` // BCP 47, when it is known
	Address  string        `json:"-"`                  // for whoever judges at once; the document knows it
	Span     doc.Span      `json:"span"`
	Parent   doc.Span      `json:"parent,omitzero"` // the section that a small chunk brings with it
	Score    float64       `json:"score"`
	Lexical  float64       `json:"lexical"`
	Cosine   float64       `json:"cosine"`
	Nearest  float64       `json:"nearest"`
	Found    []int         `json:"found,omitempty" nullable:"false" doc:"The wordings that found it, by place in the reading's searches"`
	Signals  []find.Signal `json:"signals" nullable:"false"` // what the score is made of
	Why      []string      `json:"why" nullable:"false"`     // the same in words, the strongest reason first
	Kept     bool          `json:"kept,omitempty"`           // the reply could draw on it
	Support  float64       `json:"support,omitempty"`        // how well it carries an answer to the question, 0 to 1; of kept ones
	Features *Features     `json:"features,omitempty"`       // what the support is made of; of kept ones
}

// Evidence is the span that the reply may draw on.
func (c Candidate) Evidence() doc.Span {
	if c.Parent.Len() > 0 {
		return c.Parent
	}
	return c.Span
}

// Left is a chunk that could have been a candidate and is not.
type Left struct {
	Document string   `json:"document"`
	Version  string   `json:"version"`
	Span     doc.Span `json:"span"`
	Why      string   `json:"why" doc:"repeats, section, or filter: and the field that held it back"`
	Of       int      `json:"of,omitempty" doc:"The rank of the candidate that stands for it"`
}

// Sentence is one sentence of a reply and the passage that it was taken from.
type Sentence struct {
	Text        string            `json:"text"`
	Candidate   int               `json:"candidate"` // index in Trail.Candidates; -1 for a sentence of the assistant's own
	Version     string            `json:"version,omitempty"`
	Span        doc.Span          `json:"span,omitzero"` // the supporting passage
	Cells       []doc.Span        `json:"cells,omitempty" nullable:"false" doc:"The cells of a record that are told"`
	Support     float64           `json:"support"`
	Grounding   *ground.Grounding `json:"grounding,omitempty"`   // of a sentence that a model wrote
	Unsupported bool              `json:"unsupported,omitempty"` // its evidence does not carry it; it is said all the same
}

// Timing is how long one step took, in microseconds.
type Timing struct {
	Step   string `json:"step"`
	Micros int64  `json:"micros"`
}

// Pins name everything that the reply was made with.
type Pins struct {
	Method   string `json:"method"`   // hash of all settings
	Snapshot string `json:"snapshot"` // hash of the index manifest
	Audience string `json:"audience"`
	Surface  string `json:"surface,omitempty"` // where it was asked: bench, command, run
	AsOf     string `json:"asOf"`              // RFC 3339
	Model    string `json:"model,omitempty"`   // that words replies or rewrites questions; "" for none
	// Unread counts the chunks that the encoder had not read, in whole or sentence by sentence, when a run began: they were found by
	// their words, and another run over the same documents may find them otherwise.
	Unread int `json:"unread,omitempty"`
}

// Trail is the evidence trail: the full record of one reply. Texts of passages are not in it: Version and Span lead to them.
type Trail struct {
	Question   string        `json:"question"`
	Turns      []query.Turn  `json:"turns,omitempty"`
	Reading    query.Reading `json:"reading"`                          // of several questions, that of the first
	Parts      []Part        `json:"parts,omitempty" nullable:"false"` // of a message that asks several things
	Candidates []Candidate   `json:"candidates"`
	Left       []Left        `json:"left,omitempty" nullable:"false"`
	Reply      []Sentence    `json:"reply"`
	Rules      *rule.State   `json:"rules,omitempty"`   // what the house rules made of it
	Written    *Written      `json:"written,omitempty"` // by a model
	Spent      []Spent       `json:"spent,omitempty" nullable:"false" doc:"Every call of a model that the message cost"`
	Outcome    Outcome       `json:"outcome"`
	Options    []string      `json:"options,omitempty" nullable:"false" doc:"What a reply that asks back leaves to choose from"`
	Why        string        `json:"why"`     // the outcome's reason, in words
	Support    float64       `json:"support"` // of what is said; of the best kept chunk where nothing is said of any
	Bar        float64       `json:"bar"`
	Timings    []Timing      `json:"timings"`
	Pins       Pins          `json:"pins"`
}

// Part is one question of a message that asks several things.
type Part struct {
	Question string        `json:"question"`
	Reading  query.Reading `json:"reading"`
	Outcome  Outcome       `json:"outcome"`
	Why      string        `json:"why"`
	Support  float64       `json:"support"`
	From     int           `json:"from"` // its sentences in Trail.Reply
	To       int           `json:"to"`
}

// Text is the reply as one text.
func (t *Trail) Text() string {
	s := ""
	for i, x := range t.Reply {
		if i > 0 {
			s += " "
		}
		s += x.Text
	}
	return s
}

// Ranked lists the documents of the candidates, each at the place of its first one.
func (t *Trail) Ranked() []string {
	var out []string
	for _, c := range t.Candidates {
		if !slices.Contains(out, c.Document) {
			out = append(out, c.Document)
		}
	}
	return out
}
