package work

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"jolvex/core/index"
	"jolvex/internal/gather"
	"jolvex/internal/store"
)

// defaultPages is how many pages a site may have when its source says nothing else.
const defaultPages = 5000

// Marks of sources and documents, besides the audience.
const (
	Unquotable = "unquotable" // may be found and pointed to, not quoted
	Given      = "given"      // may be handed out as a file when asked for
	Volatile   = "volatile"   // changes from day to day: point to it, do not quote it
	Settled    = "settled"    // of pairs: a person signed the answer off; it ranks first when its question is asked
)

// Source is a source as callers see it.
type Source struct {
	ID        string               `json:"id"`
	Kind      string               `json:"kind" enum:"site,sitemap,list,feed,upload,folder,text,pairs"`
	Address   string               `json:"address"`
	Name      string               `json:"name" doc:"What people call it; empty for its address"`
	Audience  string               `json:"audience" doc:"public, staff, or group: and a name"`
	Marks     []string             `json:"marks" enum:"unquotable,given,volatile,settled" nullable:"false"`
	Settings  store.SourceSettings `json:"settings"`
	Schedule  string               `json:"schedule" enum:"hand,hour,day,week"`
	NextAt    string               `json:"nextAt" doc:"When the schedule is due; empty for never"`
	VisitedAt string               `json:"visitedAt" doc:"End of the last whole visit; empty before the first"`
	Chosen    bool                 `json:"chosen" doc:"A person has chosen among what was found"`
	Notices   []string             `json:"notices" doc:"What the last visit has to say" nullable:"false"`
	States    map[string]int       `json:"states" doc:"Documents by state; found: fetched, and nobody has chosen yet"`
	CreatedAt string               `json:"createdAt"`
}

func (a *App) sourceView(ctx context.Context, s store.Source) (Source, error) {
	set, err := s.Settings()
	if err != nil {
		return Source{}, err
	}
	states, err := a.store.CountStates(ctx, s.Corpus, s.ID)
	if err != nil {
		return Source{}, err
	}
	v := Source{s.ID, s.Kind, s.Address, s.Name, s.Audience, marksOf(s.Marks), set, s.Schedule, s.NextAt, s.VisitedAt, s.Chosen, []string{}, states, s.CreatedAt}
	if err := json.Unmarshal([]byte(s.Notices), &v.Notices); err != nil {
		return v, fmt.Errorf("read the notices of source %s: %w", s.Address, err)
	}
	return v, nil
}

func rawOf(set store.SourceSettings) (string, error) {
	raw, err := json.Marshal(set)
	return string(raw), err
}

func marksOf(s string) []string {
	if s == "" {
		return []string{}
	}
	return strings.Split(s, ",")
}

// marksText is a set of marks, of a source of some kind or of a document of it, as it is stored.
func marksText(kind string, marks []string) (string, error) {
	var out []string
	for _, m := range []string{Unquotable, Given, Volatile, Settled} {
		if slices.Contains(marks, m) {
			out = append(out, m)
		}
	}
	for _, m := range marks {
		if !slices.Contains(out, m) {
			return "", inputError("there is no mark %q: unquotable, given, volatile and settled are", m)
		}
	}
	if kind != store.KindPairs && slices.Contains(out, Settled) {
		return "", inputError("only questions with their answers can be settled")
	}
	return strings.Join(out, ","), nil
}

func checkAudience(s string) error {
	group, ok := strings.CutPrefix(s, index.Group)
	if s == index.Public || s == index.Staff || ok && strings.TrimSpace(group) == group && group != "" && len(group) <= 60 {
		return nil
	}
	return inputError("an audience is public, staff, or group: and a name, not %q", s)
}

// Sources lists a corpus's sources.
func (a *App) Sources(ctx context.Context, corpus string) ([]Source, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ss, err := a.store.Sources(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	out := make([]Source, len(ss))
	for i, s := range ss {
		if out[i], err = a.sourceView(ctx, s); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// NewSource is a source to be added.
type NewSource struct {
	Kind     string               `json:"kind" enum:"site,sitemap,list,feed,folder"`
	Address  string               `json:"address,omitempty" maxLength:"2000" doc:"Start address, address of the sitemap or feed, or path of the folder; a list needs none"`
	Name     string               `json:"name,omitempty" maxLength:"120"`
	Audience string               `json:"audience,omitempty" doc:"public, staff, or group: and a name; public when not given"`
	Schedule string               `json:"schedule,omitempty" enum:"hand,hour,day,week," doc:"by hand when not given"`
	Settings store.SourceSettings `json:"settings,omitempty"`
}

// AddSource adds a source that is visited and queues its first visit. One that is there already is visited again: what
// failed is tried anew, what changed is taken in, what is gone leaves the index.
func (a *App) AddSource(ctx context.Context, corpus string, n NewSource) (Source, Job, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return Source{}, Job{}, err
	}
	if n.Audience == "" {
		n.Audience = index.Public
	}
	if err := checkAudience(n.Audience); err != nil {
		return Source{}, Job{}, err
	}
	if n.Kind == store.KindFolder {
		n.Address, err = a.folderPath(n.Address)
	} else {
		n.Address, err = addressOf(n.Kind, n.Address, &n.Settings)
	}
	if err != nil {
		return Source{}, Job{}, err
	}
	if set := n.Settings; set.PageCap < 0 || set.PageCap > 100_000 || set.Delay < 0 || set.Delay > 600_000 || set.Depth < 0 || set.RenderCap < 0 {
		return Source{}, Job{}, inputError("a page cap goes to 100,000, a delay to 600,000 milliseconds, and neither they nor a depth are negative")
	}
	s, err := a.store.AddSource(ctx, c.ID, n.Kind, n.Address, n.Audience, n.Settings)
	if err != nil {
		return Source{}, Job{}, err
	}
	if n.Name != "" || n.Schedule != "" && n.Schedule != s.Schedule {
		if n.Name != "" {
			s.Name = n.Name
		}
		if n.Schedule != "" {
			s.Schedule, s.NextAt = n.Schedule, a.nextVisit(n.Schedule)
		}
		if err := a.store.SaveSource(ctx, s); err != nil {
			return Source{}, Job{}, err
		}
	}
	j, err := a.visit(ctx, s)
	if err != nil {
		return Source{}, Job{}, err
	}
	v, err := a.sourceView(ctx, s)
	return v, j, err
}

// AddSite adds a site by its start address and queues its gathering.
func (a *App) AddSite(ctx context.Context, corpus, address string, set store.SourceSettings) (Source, Job, error) {
	return a.AddSource(ctx, corpus, NewSource{Kind: store.KindSite, Address: address, Settings: set})
}

// addressOf checks and normalises what a web source starts from.
func addressOf(kind, address string, set *store.SourceSettings) (string, error) {
	given := []string{address}
	if kind == store.KindList {
		if given = set.Addresses; len(given) == 0 && address != "" {
			given = []string{address}
		}
		if len(given) == 0 || len(given) > 50_000 {
			return "", inputError("an address list has 1 to 50,000 addresses, this one %d", len(given))
		}
	}
	var out []string
	for _, g := range given {
		if g = strings.TrimSpace(g); g == "" {
			continue
		}
		if !strings.Contains(g, "://") {
			g = "https://" + g
		}
		at, err := gather.Normalise(g)
		if err != nil {
			return "", inputError("%v", err)
		}
		if gather.Loopback(at) && !set.AllowPrivate {
			return "", inputError("%s is a private address: allow private addresses for this source to gather it", at)
		}
		out = append(out, at)
	}
	if len(out) == 0 {
		return "", inputError("an address is missing")
	}
	set.Addresses = nil
	if kind == store.KindList {
		set.Addresses = out
	}
	return out[0], nil
}

// visit puts what a source has into its frontier again and queues the job that works it off.
func (a *App) visit(ctx context.Context, s store.Source) (Job, error) {
	if s.Kind == store.KindUpload || s.Kind == store.KindText || s.Kind == store.KindPairs {
		return Job{}, inputError("what was handed over is not visited: hand it over again")
	}
	if err := a.store.Revisit(ctx, s.ID); err != nil {
		return Job{}, err
	}
	return a.queue(ctx, s.Corpus, JobGather, s.ID)
}

// Visit queues a visit of a source now.
func (a *App) Visit(ctx context.Context, corpus, source string) (Job, error) {
	s, err := a.sourceOf(ctx, corpus, source)
	if err != nil {
		return Job{}, err
	}
	return a.visit(ctx, s)
}

func (a *App) sourceOf(ctx context.Context, corpus, id string) (store.Source, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return store.Source{}, err
	}
	s, err := a.store.Source(ctx, id)
	if err == nil && s.Corpus != c.ID {
		err = fmt.Errorf("source %s: %w", id, ErrMissing)
	}
	return s, err
}

// SourceChange says what of a source is to be another; nil leaves it.
type SourceChange struct {
	Name     *string               `json:"name,omitempty" maxLength:"120"`
	Audience *string               `json:"audience,omitempty"`
	Marks    *[]string             `json:"marks,omitempty" nullable:"false"`
	Schedule *string               `json:"schedule,omitempty" enum:"hand,hour,day,week"`
	Settings *store.SourceSettings `json:"settings,omitempty"`
}

// ChangeSource changes a source. What its audience or marks concern is indexed anew at once.
func (a *App) ChangeSource(ctx context.Context, corpus, id string, ch SourceChange) (Source, error) {
	s, err := a.sourceOf(ctx, corpus, id)
	if err != nil {
		return Source{}, err
	}
	if ch.Name != nil {
		s.Name = strings.TrimSpace(*ch.Name)
	}
	if ch.Audience != nil {
		if err := checkAudience(*ch.Audience); err != nil {
			return Source{}, err
		}
		s.Audience = *ch.Audience
	}
	if ch.Marks != nil {
		if s.Marks, err = marksText(s.Kind, *ch.Marks); err != nil {
			return Source{}, err
		}
	}
	if ch.Schedule != nil && *ch.Schedule != s.Schedule {
		if s.Kind == store.KindUpload || s.Kind == store.KindText || s.Kind == store.KindPairs {
			return Source{}, inputError("what was handed over has no schedule")
		}
		s.Schedule, s.NextAt = *ch.Schedule, a.nextVisit(*ch.Schedule)
	}
	if ch.Settings != nil {
		if s.Raw, err = rawOf(*ch.Settings); err != nil {
			return Source{}, err
		}
	}
	if err := a.store.SaveSource(ctx, s); err != nil {
		return Source{}, err
	}
	if ch.Audience != nil || ch.Marks != nil {
		if err := a.takeIn(ctx, s.Corpus); err != nil {
			return Source{}, err
		}
	}
	a.tell(ctx, event(s.Corpus, "source", map[string]string{"id": s.ID}))
	return a.sourceView(ctx, s)
}

// takeIn indexes what waits for it, and takes out what has gone.
func (a *App) takeIn(ctx context.Context, corpus string) error {
	for {
		n, err := a.indexFetched(ctx, corpus)
		if err != nil {
			return err
		}
		if n == 0 {
			return a.catchUp(ctx, corpus)
		}
	}
}

// RemoveSource removes a source, its documents and their history. What it brought leaves the index.
func (a *App) RemoveSource(ctx context.Context, corpus, id string) error {
	s, err := a.sourceOf(ctx, corpus, id)
	if err != nil {
		return err
	}
	js, err := a.store.Jobs(ctx, s.Corpus, 100)
	if err != nil {
		return err
	}
	for _, j := range js {
		if j.Target == s.ID && (j.State == store.Queued || j.State == store.Running || j.State == store.Paused) {
			return inputError("the source is being gathered: cancel that first")
		}
	}
	if _, _, err := a.store.Choose(ctx, s.ID, nil); err != nil { // all of it leaves the index first
		return err
	}
	if err := a.takeIn(ctx, s.Corpus); err != nil {
		return err
	}
	if err := a.store.DeleteSource(ctx, s.ID); err != nil {
		return err
	}
	if err := a.checkSoon(ctx, s.Corpus); err != nil {
		return err
	}
	a.tell(ctx, event(s.Corpus, "source", map[string]string{"id": s.ID}))
	return nil
}

// Intervals of the schedules.
var intervals = map[string]time.Duration{"hour": time.Hour, "day": 24 * time.Hour, "week": 7 * 24 * time.Hour}

// nextVisit is when a schedule that starts now is due; "" for by hand.
func (a *App) nextVisit(schedule string) string {
	every, ok := intervals[schedule]
	if !ok {
		return ""
	}
	return store.Stamp(a.now().Add(every))
}

// runSchedules queues the visits that are due, until the app closes.
func (a *App) runSchedules(ctx context.Context) {
	defer a.running.Done()
	tick := time.NewTicker(15 * time.Second)
	defer tick.Stop()
	for {
		a.visitDue(ctx)
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// visitDue queues every visit that is due. A visit that was missed while the program was off is made once.
func (a *App) visitDue(ctx context.Context) {
	due, err := a.store.DueSources(ctx, func(s store.Source) string { return a.nextVisit(s.Schedule) })
	if err != nil && ctx.Err() == nil {
		a.log.Error("schedules were not looked at", "error", err)
	}
	for _, s := range due {
		if _, err := a.visit(ctx, s); err != nil && ctx.Err() == nil {
			a.log.Error("a visit that is due was not queued", "source", s.Address, "error", err)
		}
	}
	if err := a.scanFolders(ctx); err != nil && ctx.Err() == nil {
		a.log.Error("watched folders were not looked at", "error", err)
	}
}

// Retry tries failed documents again, those given or all of the corpus.
func (a *App) Retry(ctx context.Context, corpus string, ids []string) (int, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return 0, err
	}
	sources, n, err := a.store.Retry(ctx, c.ID, ids)
	if err != nil {
		return 0, err
	}
	for _, s := range sources {
		if _, err := a.queue(ctx, c.ID, JobGather, s); err != nil {
			return n, err
		}
	}
	return n, nil
}
