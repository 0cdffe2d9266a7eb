// Package rule holds house rules: when somebody asks something like this, then do that as well as, or instead of,
// answering. What a conversation has come to under them is worked out from its messages alone, so that nothing need be
// remembered between two of them.
package rule

import (
	"fmt"
	"slices"
	"strings"
)

// Version names the algorithm; it is part of the answer stage's hash.
const Version = "rule-3"

// Rule is one house rule. Rules are tried in order.
type Rule struct {
	ID   string   `json:"id" minLength:"1" maxLength:"60"`
	Name string   `json:"name" minLength:"1" maxLength:"120"`
	Off  bool     `json:"off,omitempty" doc:"It is kept and not obeyed"`
	When When     `json:"when"`
	Then []Action `json:"then" minItems:"1" maxItems:"10" nullable:"false"`
	Stop bool     `json:"stop,omitempty" doc:"No later rule is tried once this one fires"`
}

// When are the conditions of a rule. Of what is said (like, contains, person, urgent) one must hold; of the circumstances
// (pages, campaigns, places, languages, unanswered) all that are given. A rule that asks for nothing that is said holds for whatever is said.
type When struct {
	Like       []string `json:"like,omitempty" nullable:"false" maxItems:"50" doc:"Example wordings, matched by meaning; misspelt ones match too"`
	Nearness   float64  `json:"nearness,omitempty" minimum:"0" maximum:"1" doc:"How alike in meaning a message must be to one of them; 0 for the usual 0.61"`
	Contains   []string `json:"contains,omitempty" nullable:"false" maxItems:"50" doc:"Words or phrases, of which one must stand in the message; a slip of a letter in a long word is forgiven"`
	Person     bool     `json:"person,omitempty" doc:"The message asks for a person"`
	Urgent     bool     `json:"urgent,omitempty" doc:"The message sounds urgent"`
	Pages      []string `json:"pages,omitempty" nullable:"false" maxItems:"20" doc:"Beginnings of addresses of the page on which it is asked, or of its host"`
	Languages  []string `json:"languages,omitempty" nullable:"false" maxItems:"20" doc:"ISO 639-1 codes of the message's language"`
	Campaigns  []string `json:"campaigns,omitempty" nullable:"false" maxItems:"20" doc:"Campaigns by which the asker came, as the page's address or the site's line names them"`
	Places     []string `json:"places,omitempty" nullable:"false" maxItems:"20" doc:"Places for which the site's line says that it stands: a shop, a pier"`
	Unanswered bool     `json:"unanswered,omitempty" doc:"The sources have no answer"`
}

// somewhere reports whether a rule asks for a circumstance of where and by whom it is asked.
func (w When) somewhere() bool {
	return len(w.Pages)+len(w.Campaigns)+len(w.Places)+len(w.Languages) > 0
}

// said reports whether a rule hangs on what is said.
func (w When) said() bool { return len(w.Like) > 0 || len(w.Contains) > 0 || w.Person || w.Urgent }

// The kinds of action.
const (
	Reply    = "reply"    // say this, instead of or before the answer
	Line     = "line"     // add this to the answer
	Ask      = "ask"      // ask for details
	HandOver = "handOver" // to a person
	Alert    = "alert"    // by mail or webhook
	Narrow   = "narrow"   // answer from these sources alone
	Widen    = "widen"    // answer from all sources again, whatever another rule narrows to
)

// Action is one thing that a rule does.
type Action struct {
	Kind    string   `json:"kind" enum:"reply,line,ask,handOver,alert,narrow,widen"`
	Text    string   `json:"text,omitempty" maxLength:"4000" doc:"reply, line: what is said. handOver: what is said to the asker. ask: what is said when all is told"`
	Beside  bool     `json:"beside,omitempty" doc:"reply: the sources are answered from as well"`
	Details []Detail `json:"details,omitempty" nullable:"false" maxItems:"12" doc:"ask: what is asked for"`
	Confirm bool     `json:"confirm,omitempty" doc:"ask: what was told is read back before it is taken"`
	Team    string   `json:"team,omitempty" maxLength:"120" doc:"handOver: to whom"`
	Purpose string   `json:"purpose,omitempty" maxLength:"400" doc:"handOver, alert: what it is about"`
	Hours   string   `json:"hours,omitempty" maxLength:"200" doc:"handOver: when somebody is there, as 'Mon-Fri 09:00-17:00, Sat 10:00-12:00'; empty for always. Outside them nobody is handed over to"`
	Zone    string   `json:"zone,omitempty" maxLength:"60" doc:"handOver: the time zone of the hours, by its IANA name; empty for UTC"`
	Away    bool     `json:"away,omitempty" doc:"It is done outside staffed hours only, when there is nobody to hand over to"`
	To      string   `json:"to,omitempty" maxLength:"400" doc:"alert: a mail address, or the address of a webhook"`
	Sources []string `json:"sources,omitempty" nullable:"false" maxItems:"50" doc:"narrow: portable ids"`
}

// The types of detail.
const (
	TypeText   = "text"
	TypePhone  = "phone"
	TypeMail   = "mail"
	TypeNumber = "number"
	TypeDate   = "date"
	TypeChoice = "choice"
)

// Detail is one thing that is asked for.
type Detail struct {
	Name     string   `json:"name" minLength:"1" maxLength:"60"`
	Ask      string   `json:"ask" minLength:"1" maxLength:"400" doc:"The question put for it"`
	Type     string   `json:"type" enum:"text,phone,mail,number,date,choice"`
	Choices  []string `json:"choices,omitempty" nullable:"false" maxItems:"30"`
	Optional bool     `json:"optional,omitempty" doc:"Who does not want to tell it need not"`
	Blocked  []string `json:"blocked,omitempty" nullable:"false" maxItems:"50" doc:"mail: domains that are not taken"`
	Attempts int      `json:"attempts,omitempty" minimum:"0" maximum:"10" doc:"How often it is asked for; 0 for three times"`
}

// usualAttempts is how often a detail is asked for when its rule does not say.
const usualAttempts = 3

// Check reports what is wrong with a rule, in words.
func (r Rule) Check() []string {
	var out []string
	bad := func(form string, args ...any) {
		out = append(out, fmt.Sprintf("rule “%s”: ", r.Name)+fmt.Sprintf(form, args...))
	}
	if strings.TrimSpace(r.ID) == "" || strings.TrimSpace(r.Name) == "" {
		bad("it has no id or no name")
	}
	if len(r.Then) == 0 {
		bad("it does nothing")
	}
	if r.When.Nearness < 0 || r.When.Nearness > 1 {
		bad("nearness %g is outside 0 to 1", r.When.Nearness)
	}
	for _, a := range r.Then {
		switch a.Kind {
		case Reply, Line:
			if strings.TrimSpace(a.Text) == "" {
				bad("it says nothing")
			}
		case Ask:
			if len(a.Details) == 0 {
				bad("it asks for nothing")
			}
			for _, d := range a.Details {
				if d.Type == TypeChoice && len(d.Choices) < 2 {
					bad("“%s” offers fewer than two choices", d.Name)
				}
				if !slices.Contains([]string{TypeText, TypePhone, TypeMail, TypeNumber, TypeDate, TypeChoice}, d.Type) {
					bad("“%s” is of no type that is known: %q", d.Name, d.Type)
				}
			}
		case Widen:
		case HandOver:
			if _, _, err := a.hours(); err != nil {
				bad("%v", err)
			}
		case Alert:
			if !goodMail(a.To) && !strings.HasPrefix(a.To, "https://") && !strings.HasPrefix(a.To, "http://") {
				bad("an alert goes to a mail address or to the address of a webhook, not to %q", a.To)
			}
		case Narrow:
			if len(a.Sources) == 0 {
				bad("it narrows to no source")
			}
		default:
			bad("there is no action %q", a.Kind)
		}
	}
	return out
}

// CheckAll reports what is wrong with a list of rules, in words.
func CheckAll(rs []Rule) []string {
	var out []string
	seen := map[string]bool{}
	for _, r := range rs {
		out = append(out, r.Check()...)
		if seen[r.ID] {
			out = append(out, fmt.Sprintf("two rules have the id %q", r.ID))
		}
		seen[r.ID] = true
	}
	return out
}
