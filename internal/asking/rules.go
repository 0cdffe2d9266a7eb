package asking

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/cells"
	"jolvex/core/query"
	"jolvex/core/rule"
	"jolvex/core/text"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/model"
	"jolvex/internal/store"
)

// The kinds of notice.
const (
	noticeDetails  = "details"
	noticeHandOver = "handOver"
	noticeAlert    = "alert"
)

// matcher holds messages against house rules: by the sentence encoder, which is always there.
func (as *Asker) matcher() (*rule.Matcher, error) {
	as.mu.Lock()
	defer as.mu.Unlock()
	if as.rules == nil {
		m, err := rule.NewMatcher(as.index.Encoder(), true)
		if err != nil {
			return nil, err
		}
		as.rules = m
	}
	return as.rules, nil
}

// carryOut does what the house rules ask for besides the reply: it keeps details and hand-overs and sends alerts.
func (as *Asker) carryOut(ctx context.Context, corpus, reply string, t *answer.Trail) error {
	if t.Rules == nil {
		return nil
	}
	talk, err := json.Marshal(append(slices.Clone(t.Turns), query.Turn{Role: "user", Text: t.Question}, query.Turn{Role: "assistant", Text: t.Text()}))
	if err != nil {
		return err
	}
	names := map[string]string{}
	for _, f := range t.Rules.Fired {
		names[f.Rule] = f.Name
	}
	told := []rule.Told{}
	if t.Rules.Form != nil {
		told = t.Rules.Form.Told
	}
	rawTold, err := json.Marshal(told)
	if err != nil {
		return err
	}
	var ns []store.Notice
	add := func(kind, id, purpose, to, state string) {
		ns = append(ns, store.Notice{Corpus: corpus, Kind: kind, Rule: id, Name: names[id], Purpose: purpose, Recipient: to, Told: string(rawTold), Talk: string(talk), Surface: t.Pins.Surface, Reply: reply, State: state})
	}
	if f := t.Rules.Form; f != nil && f.Done {
		add(noticeDetails, f.Rule, "", "", store.NoticeKept)
	}
	if h := t.Rules.HandOver; h != nil {
		add(noticeHandOver, h.Rule, h.Purpose, h.Team, store.NoticeKept)
	}
	for _, x := range t.Rules.Alerts {
		add(noticeAlert, x.Rule, x.Purpose, x.To, store.NoticeSending)
	}
	if err := as.store.AddNotices(ctx, ns); err != nil {
		return err
	}
	if len(ns) > 0 {
		event.Tell(ctx, as.events, event.Notice, corpus, event.NoticeBody{})
	}
	if len(t.Rules.Alerts) > 0 {
		select {
		case as.post <- struct{}{}:
		default:
		}
	}
	return nil
}

// runPost sends alerts as they come, and what was left over from before the last stop.
func (as *Asker) runPost(ctx context.Context) {
	for {
		if err := as.sendAlerts(ctx); err != nil && ctx.Err() == nil {
			as.log.Error("alerts were not sent", "error", err)
		}
		select {
		case <-as.post:
		case <-ctx.Done():
			return
		}
	}
}

func (as *Asker) sendAlerts(ctx context.Context) error {
	for {
		ns, err := as.store.Unsent(ctx)
		if err != nil || len(ns) == 0 || ctx.Err() != nil {
			return err
		}
		if err := as.sendSome(ctx, ns); err != nil {
			return err
		}
	}
}

func (as *Asker) sendSome(ctx context.Context, ns []store.Notice) error {
	for _, n := range ns {
		state, problem := store.NoticeSent, ""
		if err := as.send(ctx, n); err != nil {
			if ctx.Err() != nil {
				return nil // it stays to be sent, and goes at the next start
			}
			state, problem = store.NoticeFailed, err.Error()
			as.log.Warn("an alert was not sent", "to", n.Recipient, "error", err)
		}
		if err := as.store.EndNotice(ctx, n.ID, state, problem); err != nil {
			return err
		}
		event.Tell(ctx, as.events, event.Notice, n.Corpus, event.NoticeBody{})
	}
	return nil
}

func (as *Asker) send(ctx context.Context, n store.Notice) error {
	v, err := noticeView(n)
	if err != nil {
		return err
	}
	if strings.Contains(n.Recipient, "://") {
		return model.Webhook{Address: n.Recipient}.Post(ctx, v)
	}
	m, err := as.connections.Mailer(ctx)
	if err != nil {
		return err
	}
	return m.Send(ctx, model.Letter{To: n.Recipient, Subject: v.Name + ": " + v.Summary, Text: v.letter()})
}

// Notice is what a house rule had to tell somebody, as callers see it.
type Notice struct {
	ID        string       `json:"id"`
	Kind      string       `json:"kind" enum:"details,handOver,alert"`
	Rule      string       `json:"rule"`
	Name      string       `json:"name" doc:"Of the rule"`
	Purpose   string       `json:"purpose"`
	Recipient string       `json:"recipient"`
	Summary   string       `json:"summary" doc:"What was asked, in the asker's words"`
	Told      []rule.Told  `json:"told" nullable:"false"`
	Talk      []query.Turn `json:"talk" nullable:"false"`
	Surface   string       `json:"surface"`
	Reply     string       `json:"reply"`
	State     string       `json:"state" enum:"kept,sending,sent,failed"`
	Problem   string       `json:"problem"`
	At        string       `json:"at"`
}

func noticeView(n store.Notice) (Notice, error) {
	out := Notice{ID: n.ID, Kind: n.Kind, Rule: n.Rule, Name: n.Name, Purpose: n.Purpose, Recipient: n.Recipient, Surface: n.Surface, Reply: n.Reply, State: n.State, Problem: n.Problem, At: n.At}
	if err := errors.Join(json.Unmarshal([]byte(n.Told), &out.Told), json.Unmarshal([]byte(n.Talk), &out.Talk)); err != nil {
		return out, fmt.Errorf("read a notice: %w", err)
	}
	var asked []string
	for _, t := range out.Talk {
		if t.Role == "user" {
			asked = append(asked, strings.Join(strings.Fields(t.Text), " "))
		}
	}
	out.Summary = strings.Join(asked, " / ")
	if r := []rune(out.Summary); len(r) > 160 {
		out.Summary = string(r[:159]) + "…"
	}
	return out, nil
}

// letter is a notice as the text of a mail.
func (n Notice) letter() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n", n.Name)
	if n.Purpose != "" {
		fmt.Fprintf(&b, "%s\n", n.Purpose)
	}
	b.WriteString("\n")
	for _, t := range n.Told {
		fmt.Fprintf(&b, "%s: %s\n", t.Name, t.Value)
	}
	b.WriteString("The conversation:\n\n")
	for _, t := range n.Talk {
		fmt.Fprintf(&b, "%s: %s\n", t.Role, t.Text)
	}
	return b.String()
}

// mostNotices is how many notices are listed.
const mostNotices = 1000

// Notices lists what the house rules had to tell, newest first.
func (as *Asker) Notices(ctx context.Context, corpus string) ([]Notice, error) {
	c, err := as.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ns, err := as.store.Notices(ctx, c.ID, mostNotices)
	if err != nil {
		return nil, err
	}
	out := make([]Notice, len(ns))
	for i, n := range ns {
		if out[i], err = noticeView(n); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// ExportNotices gives the notices as CSV (RFC 4180), a column for each detail.
func (as *Asker) ExportNotices(ctx context.Context, corpus string) ([]byte, error) {
	ns, err := as.Notices(ctx, corpus)
	if err != nil {
		return nil, err
	}
	var names []string
	for _, n := range ns {
		for _, t := range n.Told {
			if !slices.Contains(names, t.Name) {
				names = append(names, t.Name)
			}
		}
	}
	var b strings.Builder
	w := cells.NewWriter(&b)
	rows := [][]string{append([]string{"at", "kind", "rule", "recipient", "state", "summary"}, names...)}
	for _, n := range ns {
		row := []string{n.At, n.Kind, n.Name, n.Recipient, n.State, n.Summary}
		for _, name := range names {
			value := ""
			for _, t := range n.Told {
				if t.Name == name {
					value = t.Value
				}
			}
			row = append(row, plainCell(value))
		}
		rows = append(rows, row)
	}
	if err := w.WriteAll(rows); err != nil {
		return nil, err
	}
	return []byte(b.String()), nil
}

// plainCell keeps a spreadsheet from taking what somebody typed for a formula.
func plainCell(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) && !strings.HasPrefix(s, "+") {
		return "'" + s
	}
	return s
}

// RuleTest is what a list of rules makes of a message, and how each fares on labelled ones.
type RuleTest struct {
	State    *rule.State    `json:"state,omitempty"`
	Tested   []rule.Tested  `json:"tested" nullable:"false"`
	Warnings []rule.Warning `json:"warnings" nullable:"false"`
}

// TryRules holds a list of rules, which need not be saved, against a message and against labelled ones, and warns of rules that
// overlap, that are never reached, or that stand before what the sources say.
func (as *Asker) TryRules(ctx context.Context, who Caller, corpus string, rules []rule.Rule, message, page string, labelled []rule.Labelled) (RuleTest, error) {
	out := RuleTest{Tested: []rule.Tested{}, Warnings: []rule.Warning{}}
	c, err := as.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	if bad := rule.CheckAll(rules); len(bad) > 0 {
		return out, fault.Input("%s", strings.Join(bad, "; "))
	}
	m, err := as.matcher()
	if err != nil {
		return out, err
	}
	if message != "" {
		s, err := m.Walk(ctx, rules, nil, rule.Message{Text: message, Page: page}, false)
		if err != nil {
			return out, err
		}
		out.State = &s
	}
	if len(labelled) > 0 {
		if out.Tested, err = m.Test(ctx, rules, labelled); err != nil {
			return out, err
		}
	}
	if out.Warnings, err = m.Warnings(ctx, rules); err != nil {
		return out, err
	}
	shadows, err := as.shadows(ctx, who, c, rules)
	out.Warnings = append(out.Warnings, shadows...)
	return out, err
}

// shadows finds fixed replies that stand before what the sources say: one of the rule's examples is answered by them. Where the
// fixed reply gives a figure that the sources' answer does not, the two disagree.
func (as *Asker) shadows(ctx context.Context, who Caller, c store.Corpus, rules []rule.Rule) ([]rule.Warning, error) {
	plain := c.Method
	plain.Rules = nil
	plain.Answer.Composer = answer.BySentences
	b, err := as.Bench(ctx, who, c, plain)
	if err != nil {
		return nil, err
	}
	var out []rule.Warning
	for _, r := range rules {
		said := ""
		for _, x := range r.Then {
			if x.Kind == rule.Reply && !x.Beside {
				said = x.Text
			}
		}
		if said == "" || r.Off {
			continue
		}
		for _, example := range append(slices.Clone(r.When.Like), r.When.Contains...) {
			t, err := answer.Decide(ctx, query.Question{Text: example}, b)
			if err != nil {
				return nil, err
			}
			if t.Outcome != answer.Answered || t.Reply[0].Candidate < 0 {
				continue
			}
			title, err := as.titleOf(ctx, t, 0)
			if err != nil {
				return nil, err
			}
			w := rule.Warning{Rule: r.ID, Kind: rule.Shadows, Text: fmt.Sprintf("“%s” is answered by “%s”: %s", example, title, t.Text())}
			if text.FiguresDiffer(said, t.Text()) {
				w.Kind = rule.Disagree
			}
			out = append(out, w)
			break
		}
	}
	return out, nil
}

func (as *Asker) titleOf(ctx context.Context, t *answer.Trail, sentence int) (string, error) {
	d, err := as.index.Version(ctx, t.Reply[sentence].Version)
	if err != nil {
		return "", err
	}
	return d.Title, nil
}
