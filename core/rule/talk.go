package rule

import (
	"context"
	"maps"
	"slices"
	"strings"

	"jolvex/core/query"
)

// Fired is a rule whose conditions held for the message at hand.
type Fired struct {
	Rule string `json:"rule"` // id
	Name string `json:"name"`
	Why  string `json:"why"`
}

// Told is one detail that was told.
type Told struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Form is the asking for details as it stands after the message at hand.
type Form struct {
	Rule      string `json:"rule"` // id
	Told      []Told `json:"told" nullable:"false"`
	Asking    string `json:"asking,omitempty"` // name of the detail that is asked for; "" when it is read back, or over
	Done      bool   `json:"done,omitempty"`
	Cancelled bool   `json:"cancelled,omitempty"`
	Failed    bool   `json:"failed,omitempty"` // what is required was not told
}

// Passing is a hand-over to a person.
type Passing struct {
	Rule    string `json:"rule"`
	Team    string `json:"team"`
	Purpose string `json:"purpose"`
	Text    string `json:"text"`
}

// Alarm is an alert that is to be raised.
type Alarm struct {
	Rule    string `json:"rule"`
	To      string `json:"to"`
	Purpose string `json:"purpose"`
}

// State is what a conversation has come to under the rules with its last message.
type State struct {
	Matches  []Match  `json:"matches,omitempty" nullable:"false"` // of each rule tried
	Fired    []Fired  `json:"fired,omitempty" nullable:"false"`
	Say      string   `json:"say,omitempty"`                      // in place of an answer
	Before   []string `json:"before,omitempty" nullable:"false"`  // said before it
	Lines    []string `json:"lines,omitempty" nullable:"false"`   // said after it
	Sources  []string `json:"sources,omitempty" nullable:"false"` // that it is narrowed to
	HandOver *Passing `json:"handOver,omitempty"`
	Alerts   []Alarm  `json:"alerts,omitempty" nullable:"false"`
	Form     *Form    `json:"form,omitempty"`
	Waits    bool     `json:"waits,omitempty"`   // a rule holds if the sources have no answer
	Widened  bool     `json:"widened,omitempty"` // no rule narrows the sources
}

// Walk works out what a conversation has come to. unanswered tells that the sources have no answer to the last message, so
// that rules that wait for that fire. Details that were told once are not asked for again. Past messages count by what was
// asked for after them: a form is open when its question stands in the reply.
func (m *Matcher) Walk(ctx context.Context, rules []Rule, turns []query.Turn, now Message, unanswered bool) (State, error) {
	w := &walk{m: m, rules: rules, known: map[string]string{}, skipped: map[string]bool{}, raised: map[string]bool{}}
	for i, t := range turns {
		if t.Role != "user" {
			continue
		}
		reply := ""
		if i+1 < len(turns) && turns[i+1].Role == "assistant" {
			reply = turns[i+1].Text
		}
		if err := w.past(ctx, Message{Text: t.Text, Page: now.Page, Language: now.Language}, reply); err != nil {
			return State{}, err
		}
	}
	return w.last(ctx, now, unanswered)
}

// walk is a conversation on its way through the rules.
type walk struct {
	m       *Matcher
	rules   []Rule
	known   map[string]string // details told so far, by name
	skipped map[string]bool   // details that were declined
	raised  map[string]bool   // rules that have raised their alerts in this conversation
	form    *form
}

// form is the asking for details under way.
type form struct {
	rule      Rule
	action    Action
	skipped   map[string]bool
	attempts  int // of the detail asked for
	asking    string
	reading   bool // back what was told
	passed    bool // the last message was a question of its own: it is answered, and the detail asked for again
	complaint string
	over      Form
	before    map[string]string // what was known when it was opened
}

func (w *walk) past(ctx context.Context, msg Message, reply string) error {
	if w.form != nil {
		w.form.take(msg.Text, w.known)
		passed := w.form.passed
		if w.form.ended() {
			w.form = nil
		}
		if !passed {
			return nil
		}
	}
	for _, r := range w.rules {
		a, asks := asking(r)
		if r.Off || !asks && !r.alerts() {
			continue
		}
		x, err := w.m.Match(ctx, r, msg)
		if err != nil {
			return err
		}
		if !x.Holds {
			continue
		}
		if !asks {
			w.raised[r.ID] = w.raised[r.ID] || !x.Waits
			if r.Stop {
				return nil
			}
			continue
		}
		if w.form != nil {
			continue
		}
		f := w.open(r, a)
		f.begin(msg.Text, w.known)
		if !f.ended() && (strings.Contains(reply, f.prompt(w.known)) || reply == "" && !x.Waits) {
			w.form = f
		}
		if r.Stop || w.form != nil {
			return nil
		}
	}
	return nil
}

// alerts reports whether a rule raises any.
func (r Rule) alerts() bool {
	return slices.ContainsFunc(r.Then, func(a Action) bool { return a.Kind == Alert })
}

// raise raises a rule's alerts: once in a conversation, and where it asks for details, once for each time that they are confirmed, since
// each is a request of its own.
func (w *walk) raise(r Rule, s *State) {
	if _, asks := asking(r); w.raised[r.ID] && !asks {
		return
	}
	for _, a := range r.Then {
		if a.Kind == Alert {
			s.Alerts = append(s.Alerts, Alarm{r.ID, a.To, a.Purpose})
			w.raised[r.ID] = true
		}
	}
}

// asking finds a rule's action that asks for details.
func asking(r Rule) (Action, bool) {
	for _, a := range r.Then {
		if a.Kind == Ask {
			return a, true
		}
	}
	return Action{}, false
}

func (w *walk) last(ctx context.Context, msg Message, unanswered bool) (State, error) {
	var s State
	if w.form != nil {
		w.form.take(msg.Text, w.known)
		if !w.form.passed {
			s.Fired = []Fired{{w.form.rule.ID, w.form.rule.Name, "details are being asked for"}}
			w.form.speak(&s, w.known)
			if w.form.over.Done { // an alert that promises details is not raised before they are confirmed
				w.raise(w.form.rule, &s)
			}
			return s, nil
		}
	}
	for _, r := range w.rules {
		if r.Off {
			continue
		}
		x, err := w.m.Match(ctx, r, msg)
		if err != nil {
			return s, err
		}
		if x.Waits && !unanswered {
			s.Waits, x.Holds = true, false
		}
		s.Matches = append(s.Matches, x)
		if !x.Holds {
			continue
		}
		s.Fired = append(s.Fired, Fired{r.ID, r.Name, x.Why})
		w.act(r, msg, &s)
		if r.Stop {
			break
		}
	}
	if w.form != nil && s.Form == nil { // the question in between is answered; then the detail is asked for again
		s.Lines = append(s.Lines, w.form.prompt(w.known))
		s.Form = w.form.state(w.known)
	}
	return s, nil
}

func (w *walk) act(r Rule, msg Message, s *State) {
	there := !slices.ContainsFunc(r.Then, func(a Action) bool { return a.Kind == HandOver && !a.staffed(msg.At) })
	told := false
	for _, a := range r.Then {
		if a.Away && there || a.Kind == HandOver && !there {
			continue
		}
		switch a.Kind {
		case Reply:
			if a.Beside {
				s.Before = append(s.Before, a.Text)
			} else if s.Say == "" {
				s.Say = a.Text
			}
		case Line:
			s.Lines = append(s.Lines, a.Text)
		case Narrow:
			if s.Sources == nil && !s.Widened {
				s.Sources = a.Sources
			}
		case Widen:
			s.Sources, s.Widened = nil, true
		case HandOver:
			if s.HandOver == nil {
				s.HandOver = &Passing{r.ID, a.Team, a.Purpose, a.Text}
			}
		case Ask:
			if s.Form == nil && w.form == nil {
				f := w.open(r, a)
				f.begin(msg.Text, w.known)
				f.speak(s, w.known)
				told = f.over.Done
			}
		}
	}
	if _, asks := asking(r); !asks || told {
		w.raise(r, s)
	}
}

func (w *walk) open(r Rule, a Action) *form {
	return &form{rule: r, action: a, skipped: w.skipped, before: maps.Clone(w.known)}
}

// begin takes what the message that called for details tells already, and asks for the first that is lacking.
func (f *form) begin(said string, known map[string]string) {
	f.gather(said, known)
	f.next(known)
}

// gather takes every detail that a message tells by itself.
func (f *form) gather(said string, known map[string]string) {
	for _, d := range f.action.Details {
		if known[d.Name] == "" {
			if v, _ := d.find(said, false); v != "" {
				known[d.Name] = v
			}
		}
	}
}

// next goes on to the next detail that is lacking; when none is, it reads back what was told, or is done.
func (f *form) next(known map[string]string) {
	f.attempts = 0
	for _, d := range f.action.Details {
		if known[d.Name] == "" && !f.skipped[d.Name] {
			f.asking = d.Name
			return
		}
	}
	f.asking = ""
	if f.action.Confirm && !f.reading {
		f.reading = true
		return
	}
	f.over.Done = true
}

func (f *form) ended() bool { return f.over.Done || f.over.Cancelled || f.over.Failed }

var asksSomething = en.Pattern("asks-something")

// take takes one message of the asker.
func (f *form) take(said string, known map[string]string) {
	f.passed, f.complaint = false, ""
	if cancels.MatchString(said) {
		f.over.Cancelled = true
		for _, d := range f.action.Details { // what was told is forgotten
			if _, was := f.before[d.Name]; !was {
				delete(known, d.Name)
			}
		}
		return
	}
	if f.reading {
		f.confirm(said, known)
		return
	}
	d := f.detail(f.asking)
	v, why := d.find(said, true)
	switch {
	case declines.MatchString(said) && d.Optional:
		f.skipped[d.Name] = true
		f.complaint = "That is all right."
		f.next(known)
		return
	case declines.MatchString(said) && v == "":
		f.again("Without it I cannot go on.", d)
		return
	case asksSomething.MatchString(said) && (v == "" || d.Type == TypeText):
		f.passed = true
		return
	case v == "":
		f.again(why, d)
		return
	}
	known[d.Name] = v
	f.gather(said, known)
	f.next(known)
}

// again asks once more, until it was asked for often enough.
func (f *form) again(why string, d Detail) {
	most := d.Attempts
	if most == 0 {
		most = usualAttempts
	}
	f.complaint = why
	if f.attempts++; f.attempts >= most {
		if d.Optional {
			f.skipped[d.Name] = true
			f.complaint = ""
			return
		}
		f.over.Failed = true
	}
}

func (f *form) detail(name string) Detail {
	for _, d := range f.action.Details {
		if d.Name == name {
			return d
		}
	}
	return Detail{}
}

// confirm takes the answer to what was read back: yes, or what is to be changed.
func (f *form) confirm(said string, known map[string]string) {
	for _, d := range f.action.Details {
		named := contained([]string{d.Name}, said) != ""
		v, _ := d.find(said, false)
		if v == "" && named && d.Type == TypeText { // "the name is Ada Venn"
			if i := strings.LastIndex(strings.ToLower(said), " to "); i >= 0 {
				v = strings.TrimSpace(said[i+4:])
			} else if i := strings.LastIndex(strings.ToLower(said), " is "); i >= 0 {
				v = strings.TrimSpace(said[i+4:])
			}
		}
		if v != "" && v != known[d.Name] && (named || d.Type != TypeText && d.Type != TypeChoice) {
			known[d.Name] = strings.Trim(v, ".")
			f.complaint = "Changed."
			return // and read back again
		}
		if named && v == "" && changes.MatchString(said) {
			delete(known, d.Name)
			f.reading = false
			f.asking, f.attempts = d.Name, 0
			return
		}
	}
	switch {
	case agrees.MatchString(said):
		f.over.Done = true
	case asksSomething.MatchString(said):
		f.passed = true
	default:
		f.complaint = "What is to be changed?"
	}
}

// prompt is what is asked now.
func (f *form) prompt(known map[string]string) string {
	if f.asking != "" {
		return f.detail(f.asking).Ask
	}
	var told []string
	for _, d := range f.action.Details {
		if v := known[d.Name]; v != "" {
			told = append(told, d.Name+": "+v)
		}
	}
	return strings.Join(told, "; ") + ". Is that right?"
}

func (f *form) state(known map[string]string) *Form {
	out := f.over
	out.Rule, out.Asking, out.Told = f.rule.ID, f.asking, []Told{}
	for _, d := range f.action.Details {
		if v := known[d.Name]; v != "" {
			out.Told = append(out.Told, Told{d.Name, v})
		}
	}
	return &out
}

// speak puts what the form says into the state.
func (f *form) speak(s *State, known map[string]string) {
	if f.asking != "" && f.skipped[f.asking] {
		f.next(known)
	}
	s.Form = f.state(known)
	said := f.prompt(known)
	switch {
	case f.over.Cancelled:
		said = "It is cancelled. Nothing that you told me is passed on."
		s.Form.Told = []Told{}
	case f.over.Failed:
		said = strings.TrimSpace(f.complaint + " I leave it at that.")
	case f.over.Done:
		said = f.action.Text
		if said == "" {
			said = "Thank you. That is all I need."
		}
	case f.complaint != "":
		said = f.complaint + " " + said
	}
	s.Say = said
}
