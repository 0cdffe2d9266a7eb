// Package notices tells people what users asked and what went wrong, by mail and webhook: at once or gathered, never in quiet hours, never too much.
package notices

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/mail"
	"net/url"
	"slices"
	"strings"
	"time"

	"jolvex/core/answer"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/mending/figures"
	"jolvex/internal/model"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// Room tells for all corpora.
type Room struct {
	store       *store.Store
	talk        *talk.Talk
	posts       *talk.Posts
	connections *connections.Connections
	figures     *figures.Room
	log         *slog.Logger
	now         func() time.Time
	woken       chan struct{}
}

// New makes the room.
func New(s *store.Store, t *talk.Talk, c *connections.Connections, f *figures.Room, log *slog.Logger, now func() time.Time) *Room {
	return &Room{s, t, talk.NewPosts(s), c, f, log, now, make(chan struct{}, 1)}
}

// What people can be told of.
const (
	Unanswered = "unanswered"
	Alerts     = "alerts"
	Snags      = "snags"
	Visits     = "visits"
	Handovers  = "handovers" // conversations that wait for a person
	Ended      = "ended"     // conversations in which nothing was said for a while
	Releases   = "releases"
	Digest     = "digest"
)

// Subscription says who is told of what.
type Subscription struct {
	ID        string   `json:"id,omitempty"`
	Recipient string   `json:"recipient" minLength:"3" maxLength:"500" doc:"A mail address, or the address of a webhook"`
	Kinds     []string `json:"kinds" enum:"unanswered,alerts,handovers,ended,snags,visits,releases,digest" minItems:"1" nullable:"false"`
	Pace      string   `json:"pace" enum:"once,hour,day" doc:"At once, or gathered"`
	Hour      int      `json:"hour" minimum:"0" maximum:"23" doc:"Of the day at which what comes daily is sent, the digest too"`
	QuietFrom int      `json:"quietFrom" minimum:"0" maximum:"23" doc:"Hour from which nothing is sent"`
	QuietTo   int      `json:"quietTo" minimum:"0" maximum:"23" doc:"Hour from which it is sent again; the same as quietFrom for no quiet hours"`
	Zone      string   `json:"zone" maxLength:"60" doc:"IANA name of the time zone of these hours"`
	Most      int      `json:"most" minimum:"1" maximum:"200" doc:"Messages a day; what is over is gathered into the next day's first"`
	Secret    string   `json:"secret,omitempty" doc:"That a webhook is signed with (Standard Webhooks); told once, when it is made"`
}

func view(s talk.Subscription) Subscription {
	return Subscription{s.ID, s.Recipient, strings.Split(s.Kinds, "\n"), s.Pace, s.Hour, s.QuietFrom, s.QuietTo, s.Zone, s.Most, ""}
}

// isHook tells the address of a webhook from one of mail.
func isHook(recipient string) bool { return strings.Contains(recipient, "://") }

// Subscriptions lists who is told of what in a corpus.
func (rm *Room) Subscriptions(ctx context.Context, corpus string) ([]Subscription, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ss, err := rm.posts.Subscriptions(ctx, c.ID)
	out := make([]Subscription, len(ss))
	for i, s := range ss {
		out[i] = view(s)
	}
	return out, err
}

// Put keeps a subscription. A new one for a webhook gets a secret, which is told this once.
func (rm *Room) Put(ctx context.Context, corpus string, s Subscription) (Subscription, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return s, err
	}
	s.Recipient = strings.TrimSpace(s.Recipient)
	if isHook(s.Recipient) {
		if u, err := url.Parse(s.Recipient); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
			return s, fault.Input("the address of a webhook begins with https:// and names a host, unlike %q", s.Recipient)
		}
	} else if a, err := mail.ParseAddress(s.Recipient); err != nil || a.Address != s.Recipient {
		return s, fault.Input("%q is no mail address", s.Recipient)
	}
	if _, err := time.LoadLocation(s.Zone); err != nil {
		return s, fault.Input("there is no time zone %q", s.Zone)
	}
	slices.Sort(s.Kinds)
	row := talk.Subscription{Corpus: c.ID, Recipient: s.Recipient, Kinds: strings.Join(slices.Compact(s.Kinds), "\n"), Pace: s.Pace, Hour: s.Hour, QuietFrom: s.QuietFrom, QuietTo: s.QuietTo, Zone: s.Zone, Most: s.Most}
	secret := ""
	if s.ID != "" {
		have, err := rm.one(ctx, c.ID, s.ID)
		if err != nil {
			return s, err
		}
		row.ID, row.CreatedAt, row.SeenAt, row.DigestOn, row.Sealed = have.ID, have.CreatedAt, have.SeenAt, have.DigestOn, have.Sealed
	}
	if isHook(s.Recipient) && len(row.Sealed) == 0 {
		secret = model.WebhookSecret()
		if row.Sealed, err = rm.connections.Seal([]byte(secret)); err != nil {
			return s, err
		}
	}
	row, err = rm.posts.PutSubscription(ctx, row)
	out := view(row)
	out.Secret = secret
	return out, err
}

func (rm *Room) one(ctx context.Context, corpus, id string) (talk.Subscription, error) {
	ss, err := rm.posts.Subscriptions(ctx, corpus)
	if err != nil {
		return talk.Subscription{}, err
	}
	if at := slices.IndexFunc(ss, func(s talk.Subscription) bool { return s.ID == id }); at >= 0 {
		return ss[at], nil
	}
	return talk.Subscription{}, fmt.Errorf("who is told, %s: %w", id, fault.ErrMissing)
}

// Drop tells somebody no more.
func (rm *Room) Drop(ctx context.Context, corpus, id string) error {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	return rm.posts.DropSubscription(ctx, c.ID, id)
}

// Delivery is one message that goes out, or went.
type Delivery struct {
	ID        string `json:"id"`
	Recipient string `json:"recipient"`
	Kind      string `json:"kind" enum:"news,digest,reply"`
	Subject   string `json:"subject"`
	Body      string `json:"body"`
	State     string `json:"state" enum:"waiting,sent,failed"`
	Tries     int    `json:"tries"`
	DueAt     string `json:"dueAt" doc:"When it is tried next"`
	Problem   string `json:"problem"`
	CreatedAt string `json:"createdAt"`
	SentAt    string `json:"sentAt"`
}

// Deliveries lists the latest messages of a corpus.
func (rm *Room) Deliveries(ctx context.Context, corpus string) ([]Delivery, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ds, err := rm.posts.Deliveries(ctx, c.ID, 200)
	out := make([]Delivery, len(ds))
	for i, d := range ds {
		out[i] = Delivery{d.ID, d.Recipient, d.Kind, d.Subject, d.Body, d.State, d.Tries, d.DueAt, d.Problem, d.CreatedAt, d.SentAt}
	}
	return out, err
}

// Retry sends a failed message again.
func (rm *Room) Retry(ctx context.Context, corpus, id string) error {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	return rm.posts.Retry(ctx, c.ID, id)
}

// Look makes the messages whose time has come, and sends what is due.
func (rm *Room) Look(ctx context.Context) error {
	ss, err := rm.posts.Subscriptions(ctx, "")
	if err != nil {
		return err
	}
	var errs []error
	for _, s := range ss {
		if err := rm.make(ctx, s); err != nil {
			errs = append(errs, fmt.Errorf("tell %s: %w", s.Recipient, err))
		}
	}
	return errors.Join(append(errs, rm.Send(ctx))...)
}

// quietUntil is when quiet hours that hold at a moment end; the moment itself when none do.
func quietUntil(s talk.Subscription, at time.Time) time.Time {
	h := at.Hour()
	quiet := s.QuietFrom <= h && h < s.QuietTo
	if s.QuietFrom > s.QuietTo {
		quiet = h >= s.QuietFrom || h < s.QuietTo
	}
	if s.QuietFrom == s.QuietTo || !quiet {
		return at
	}
	end := time.Date(at.Year(), at.Month(), at.Day(), s.QuietTo, 0, 0, 0, at.Location())
	if !end.After(at) {
		end = end.AddDate(0, 0, 1)
	}
	return end
}

// dueNow reports whether what is new may be told at a moment.
func dueNow(s talk.Subscription, seen, at time.Time) bool {
	switch s.Pace {
	case "hour":
		return at.Sub(seen) >= time.Hour
	case "day":
		return at.Hour() >= s.Hour && (seen.In(at.Location()).Format(time.DateOnly) != at.Format(time.DateOnly) || seen.In(at.Location()).Hour() < s.Hour)
	}
	return true
}

// make makes the messages of one subscription.
func (rm *Room) make(ctx context.Context, s talk.Subscription) error {
	zone, err := time.LoadLocation(s.Zone)
	if err != nil {
		return err
	}
	now := rm.now().In(zone)
	day := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, zone)
	sent, err := rm.posts.SentSince(ctx, s.ID, talk.Stamp(day))
	if err != nil {
		return err
	}
	c, err := rm.store.Corpus(ctx, s.Corpus)
	if err != nil {
		return err
	}
	due := talk.Stamp(quietUntil(s, now))
	kinds := strings.Split(s.Kinds, "\n")
	var out []talk.Delivery
	add := func(kind, subject string, lines []string, data any) error {
		d := talk.Delivery{Corpus: c.ID, Subscription: s.ID, Recipient: s.Recipient, Kind: kind, Subject: subject, DueAt: due, Body: strings.Join(lines, "\n") + "\n"}
		if isHook(s.Recipient) {
			raw, err := json.Marshal(map[string]any{"type": "jolvex." + kind, "timestamp": rm.now().UTC().Format(time.RFC3339), "data": data})
			if err != nil {
				return err
			}
			d.Body = string(raw)
		}
		out = append(out, d)
		return nil
	}
	if slices.Contains(kinds, Digest) && now.Hour() >= s.Hour && s.DigestOn != day.Format(time.DateOnly) {
		lines, data, err := rm.digest(ctx, c, day, s.Zone)
		if err != nil {
			return err
		}
		s.DigestOn = day.Format(time.DateOnly)
		if err := add("digest", c.Name+": the day in figures, "+day.AddDate(0, 0, -1).Format("2 January"), lines, data); err != nil {
			return err
		}
	}
	seen, err := time.Parse(time.RFC3339, s.SeenAt)
	if err != nil {
		return err
	}
	if dueNow(s, seen, now) && sent+len(out) < s.Most {
		until := talk.Stamp(now.Add(-lag))
		n, err := rm.news(ctx, c, s.SeenAt, until, kinds)
		if err != nil {
			return err
		}
		if len(n) == 0 && s.Pace == "once" && len(out) == 0 {
			return nil
		}
		s.SeenAt = max(s.SeenAt, until)
		if len(n) > 0 {
			if err := add("news", c.Name+": "+headline(n), lines(n), bodyOf(n)); err != nil {
				return err
			}
		}
	}
	return rm.posts.Deliver(ctx, &s, out)
}

// lag is how far behind the moment news are looked for: what was stamped just now may not be written yet, and would be passed over.
const lag = 2 * time.Second

// mostTold is how many things of a kind one message tells.
const mostTold = 50

// sort is one kind of news: what it is called, and where it is found between two stamps.
type sort struct {
	kind, one, many string
	of              func(ctx context.Context, corpus, since, until string) ([]talk.Item, error)
}

// sorts are the kinds of news in the order in which a message tells them.
func (rm *Room) sorts() []sort {
	return []sort{
		{Unanswered, "question without an answer", "questions without an answer", rm.unanswered},
		{Alerts, "alert or hand-over", "alerts and hand-overs", rm.alerts},
		{Handovers, "conversation waiting for a person", "conversations waiting for a person", rm.posts.HandedOver},
		{Ended, "conversation ended", "conversations ended", rm.posts.Ended},
		{Snags, "snag assigned", "snags assigned", rm.posts.Assigned},
		{Visits, "visit that failed", "visits that failed", rm.posts.FailedVisits},
		{Releases, "release made", "releases made", rm.posts.Released},
	}
}

func (rm *Room) unanswered(ctx context.Context, corpus, since, until string) ([]talk.Item, error) {
	es, err := rm.talk.Exchanges(ctx, corpus, talk.Filter{Since: since, Until: until, Outcome: string(answer.Refused), Limit: mostTold})
	out := make([]talk.Item, len(es))
	for i, e := range es {
		out[i] = talk.Item{Ref: e.ID, Question: e.Asks(), At: e.At}
	}
	return out, err
}

func (rm *Room) alerts(ctx context.Context, corpus, since, until string) ([]talk.Item, error) {
	ns, err := rm.store.Notices(ctx, corpus, mostTold)
	var out []talk.Item
	for _, x := range ns {
		if x.At >= since && x.At < until {
			out = append(out, talk.Item{Ref: x.ID, Question: strings.TrimSpace(x.Name + " " + x.Purpose), At: x.At})
		}
	}
	return out, err
}

// told is what is new of one kind.
type told struct {
	sort
	items []talk.Item
}

// news finds what is new of the kinds between two stamps.
func (rm *Room) news(ctx context.Context, c store.Corpus, since, until string, kinds []string) ([]told, error) {
	var out []told
	for _, s := range rm.sorts() {
		if !slices.Contains(kinds, s.kind) {
			continue
		}
		items, err := s.of(ctx, c.ID, since, until)
		if err != nil {
			return nil, err
		}
		if len(items) > 0 {
			out = append(out, told{s, items})
		}
	}
	return out, nil
}

// headline says in one line how many things there are.
func headline(news []told) string {
	var out []string
	for _, x := range news {
		name := x.many
		if len(x.items) == 1 {
			name = x.one
		}
		out = append(out, fmt.Sprint(len(x.items))+" "+name)
	}
	return strings.Join(out, ", ")
}

// lines are news as the text of a mail.
func lines(news []told) []string {
	var out []string
	for _, x := range news {
		out = append(out, strings.ToUpper(x.many[:1])+x.many[1:]+":")
		for _, i := range x.items {
			out = append(out, "- "+strings.Join(strings.Fields(i.Question), " "))
		}
		out = append(out, "")
	}
	return out
}

// bodyOf are news for a program: by kind, what it is in words, and with each what it can be found by.
func bodyOf(news []told) map[string]any {
	out, refs := map[string]any{}, map[string][]talk.Item{}
	for _, x := range news {
		var words []string
		for _, i := range x.items {
			words = append(words, i.Question)
		}
		out[x.kind], refs[x.kind] = words, x.items
	}
	out["items"] = refs
	return out
}

// digest is the day before one that began, in figures.
func (rm *Room) digest(ctx context.Context, c store.Corpus, day time.Time, zone string) ([]string, any, error) {
	before := day.AddDate(0, 0, -1)
	f, err := rm.figures.Figures(ctx, c.ID, figures.Filter{Since: talk.Stamp(before), Until: talk.Stamp(day), Zone: zone})
	if err != nil {
		return nil, nil, err
	}
	share := func(n, of int) string {
		if of == 0 {
			return "none"
		}
		return fmt.Sprintf("%d of %d (%.0f %%)", n, of, 100*float64(n)/float64(of))
	}
	lines := []string{
		fmt.Sprintf("%s, %s", c.Name, before.Format("Monday 2 January 2006")), "",
		fmt.Sprintf("Questions: %d in %d conversations", f.Questions, f.Conversations),
		"Answered: " + share(f.Answered, f.Questions),
		"Conversations settled unaided: " + share(f.Unaided, f.Conversations),
		"Refused: " + share(f.Refused, f.Questions),
		"Handed over: " + share(f.HandedOver, f.Questions),
		"Marked wrong or thumb down: " + share(f.Wrong, f.Questions), "",
	}
	open, err := rm.talk.Snags(ctx, c.ID, talk.Open)
	if err != nil {
		return nil, nil, err
	}
	top := []string{}
	for _, s := range open[:min(5, len(open))] {
		top = append(top, fmt.Sprintf("%s (asked %d times)", s.Title, s.Asked))
	}
	if len(open) > 0 {
		lines = append(lines, fmt.Sprintf("Open snags: %d. Most asked:", len(open)))
		for _, t := range top {
			lines = append(lines, "- "+t)
		}
	}
	return lines, map[string]any{"corpus": c.Name, "day": before.Format(time.DateOnly), "figures": f.Counts, "openSnags": len(open), "mostAsked": top}, nil
}
