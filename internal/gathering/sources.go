package gathering

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"slices"
	"strings"
	"time"

	"jolvex/core/index"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/gather"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// defaultPages is how many pages a site may have when its source says nothing else.
const defaultPages = 5000

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
	Problems  []string             `json:"problems,omitempty" doc:"Lines of an address list that was just given and that are no addresses; they are left out"`
	Held      *Loss                `json:"held,omitempty" doc:"What the guard against loss holds back until a person decides"`
	Trouble   string               `json:"trouble" doc:"What kept the last visit from reaching the source; empty when nothing did"`
	TroubleAt string               `json:"troubleAt" doc:"Since which visit"`
}

func (ga *Gatherer) sourceView(ctx context.Context, s store.Source) (Source, error) {
	set, err := s.Settings()
	if err != nil {
		return Source{}, err
	}
	states, err := ga.store.CountStates(ctx, s.Corpus, s.ID)
	if err != nil {
		return Source{}, err
	}
	held, err := lossSeen(s)
	if err != nil {
		return Source{}, err
	}
	v := Source{
		ID: s.ID, Kind: s.Kind, Address: s.Address, Name: s.Name, Audience: s.Audience, Marks: indexing.MarksOf(s.Marks), Settings: set,
		Schedule: s.Schedule, NextAt: s.NextAt, VisitedAt: s.VisitedAt, Chosen: s.Chosen, Notices: []string{}, States: states, CreatedAt: s.CreatedAt,
		Held: held, Trouble: s.Trouble, TroubleAt: s.TroubleSince,
	}
	if err := json.Unmarshal([]byte(s.Notices), &v.Notices); err != nil {
		return v, fmt.Errorf("read the notices of source %s: %w", s.Address, err)
	}
	return v, nil
}

func rawOf(set store.SourceSettings) (string, error) {
	raw, err := json.Marshal(set)
	return string(raw), err
}

// marksText is a set of marks, of a source of some kind or of a document of it, as it is stored.
func marksText(kind string, marks []string) (string, error) {
	var out []string
	for _, m := range []string{indexing.Unquotable, indexing.Given, indexing.Volatile, indexing.Settled} {
		if slices.Contains(marks, m) {
			out = append(out, m)
		}
	}
	for _, m := range marks {
		if !slices.Contains(out, m) {
			return "", fault.Input("there is no mark %q: unquotable, given, volatile and settled are", m)
		}
	}
	if kind != store.KindPairs && slices.Contains(out, indexing.Settled) {
		return "", fault.Input("only questions with their answers can be settled")
	}
	return strings.Join(out, ","), nil
}

// Sources lists a corpus's sources.
func (ga *Gatherer) Sources(ctx context.Context, corpus string) ([]Source, error) {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ss, err := ga.store.Sources(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	out := make([]Source, len(ss))
	for i, s := range ss {
		if out[i], err = ga.sourceView(ctx, s); err != nil {
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
func (ga *Gatherer) AddSource(ctx context.Context, corpus string, n NewSource) (Source, job.Job, error) {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return Source{}, job.Job{}, err
	}
	if n.Audience == "" {
		n.Audience = index.Public
	}
	if err := indexing.CheckAudience(n.Audience); err != nil {
		return Source{}, job.Job{}, err
	}
	var bad []string
	if n.Kind == store.KindFolder {
		n.Address, err = ga.folderPath(n.Address)
	} else {
		n.Address, bad, err = addressOf(n.Kind, n.Address, &n.Settings)
	}
	if err != nil {
		return Source{}, job.Job{}, err
	}
	if err := checkSettings(n.Settings); err != nil {
		return Source{}, job.Job{}, err
	}
	n.Settings.Home = "" // what a visit finds, not what is asked for
	if before, err := ga.store.SourceAt(ctx, c.ID, n.Kind, n.Address); err == nil {
		if err := errors.Join(keepHome(before, &n.Settings), ga.rereadWhenWider(ctx, before, n.Settings)); err != nil {
			return Source{}, job.Job{}, err
		}
	} else if !errors.Is(err, store.ErrMissing) {
		return Source{}, job.Job{}, err
	}
	s, err := ga.store.AddSource(ctx, c.ID, n.Kind, n.Address, n.Audience, n.Settings)
	if err != nil {
		return Source{}, job.Job{}, err
	}
	if n.Name != "" || n.Schedule != "" && n.Schedule != s.Schedule {
		if n.Name != "" {
			s.Name = n.Name
		}
		if n.Schedule != "" {
			s.Schedule, s.NextAt = n.Schedule, ga.nextVisit(n.Schedule)
		}
		if err := ga.store.SaveSource(ctx, s); err != nil {
			return Source{}, job.Job{}, err
		}
	}
	j, err := ga.visit(ctx, s)
	if err != nil {
		return Source{}, job.Job{}, err
	}
	v, err := ga.sourceView(ctx, s)
	v.Problems = bad
	return v, j, err
}

// checkSettings refuses settings of a source that are out of bounds.
func checkSettings(set store.SourceSettings) error {
	if set.PageCap < 0 || set.PageCap > 100_000 || set.Delay < 0 || set.Delay > 600_000 || set.Depth < 0 || set.RenderCap < 0 {
		return fault.Input("a page cap goes to 100,000, a delay to 600,000 milliseconds, and neither they nor a depth are negative")
	}
	for _, hp := range set.PrivateHosts {
		if host, port, err := net.SplitHostPort(hp); err != nil || host == "" || port == "" {
			return fault.Input("a private host is written with its port, as in wiki.internal:8080, not %q", hp)
		}
	}
	if set.LossShare < 0 || set.LossShare > 100 || set.LossLeast < 0 {
		return fault.Input("the share of a loss is 0 to 100 percent, and its least number of documents is not negative")
	}
	return nil
}

// AddSite adds a site by its start address and queues its gathering.
func (ga *Gatherer) AddSite(ctx context.Context, corpus, address string, set store.SourceSettings) (Source, job.Job, error) {
	return ga.AddSource(ctx, corpus, NewSource{Kind: store.KindSite, Address: address, Settings: set})
}

// mostProblems is how many lines of a list are told as bad.
const mostProblems = 100

// addressOf checks and normalises what a web source starts from. Lines of a list that are no addresses are left out and given; a list of
// nothing else is refused, as any other address is.
func addressOf(kind, address string, set *store.SourceSettings) (start string, bad []string, err error) {
	given := []string{address}
	if kind == store.KindList {
		if given = set.Addresses; len(given) == 0 && address != "" {
			given = []string{address}
		}
		if len(given) == 0 || len(given) > 50_000 {
			return "", nil, fault.Input("an address list has 1 to 50,000 addresses, this one %d", len(given))
		}
	}
	var out []string
	for i, g := range given {
		if g = strings.TrimSpace(g); g == "" {
			continue
		}
		at, err := addressIn(g, set)
		if err != nil && kind == store.KindList && len(given) > 1 {
			if len(bad) < mostProblems {
				bad = append(bad, fmt.Sprintf("line %d: %v", i+1, err))
			}
			continue
		}
		if err != nil {
			return "", nil, err
		}
		out = append(out, at)
	}
	if len(out) == 0 && len(bad) > 0 {
		return "", nil, fault.Input("none of the lines is an address: %s", bad[0])
	}
	if len(out) == 0 {
		return "", nil, fault.Input("an address is missing")
	}
	set.Addresses = nil
	if kind == store.KindList {
		set.Addresses = out
	}
	return out[0], bad, nil
}

// addressIn checks and normalises one address.
func addressIn(g string, set *store.SourceSettings) (string, error) {
	if strings.ContainsAny(g, " \t") {
		return "", fault.Input("%q is no address", g)
	}
	if !strings.Contains(g, "://") {
		g = "https://" + g
	}
	at, err := gather.Normalise(g)
	if err != nil {
		return "", fault.Input("%v", err)
	}
	if gather.Loopback(at) && !set.AllowPrivate {
		return "", fault.Input("%s is a private address: allow private addresses for this source to gather it", at)
	}
	return at, nil
}

// visit puts what a source has into its frontier again and queues the job that works it off.
func (ga *Gatherer) visit(ctx context.Context, s store.Source) (job.Job, error) {
	if s.Kind == store.KindUpload || s.Kind == store.KindText || s.Kind == store.KindPairs {
		return job.Job{}, fault.Input("what was handed over is not visited: hand it over again")
	}
	if err := ga.store.Revisit(ctx, s.ID); err != nil {
		return job.Job{}, err
	}
	return ga.jobs.Add(ctx, s.Corpus, job.Gather, s.ID)
}

// Visit queues a visit of a source now.
func (ga *Gatherer) Visit(ctx context.Context, corpus, source string) (job.Job, error) {
	s, err := ga.sourceOf(ctx, corpus, source)
	if err != nil {
		return job.Job{}, err
	}
	return ga.visit(ctx, s)
}

func (ga *Gatherer) sourceOf(ctx context.Context, corpus, id string) (store.Source, error) {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return store.Source{}, err
	}
	s, err := ga.store.Source(ctx, id)
	if err == nil && s.Corpus != c.ID {
		err = fmt.Errorf("source %s: %w", id, fault.ErrMissing)
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
func (ga *Gatherer) ChangeSource(ctx context.Context, corpus, id string, ch SourceChange) (Source, error) {
	s, err := ga.sourceOf(ctx, corpus, id)
	if err != nil {
		return Source{}, err
	}
	if ch.Name != nil {
		s.Name = strings.TrimSpace(*ch.Name)
	}
	if ch.Audience != nil {
		if err := indexing.CheckAudience(*ch.Audience); err != nil {
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
			return Source{}, fault.Input("what was handed over has no schedule")
		}
		s.Schedule, s.NextAt = *ch.Schedule, ga.nextVisit(*ch.Schedule)
	}
	if ch.Settings != nil {
		if err := ga.checkChange(s, ch.Settings); err != nil {
			return Source{}, err
		}
		if err := ga.rereadWhenWider(ctx, s, *ch.Settings); err != nil {
			return Source{}, err
		}
		if s.Raw, err = rawOf(*ch.Settings); err != nil {
			return Source{}, err
		}
	}
	if err := ga.store.SaveSource(ctx, s); err != nil {
		return Source{}, err
	}
	if ch.Audience != nil || ch.Marks != nil {
		if err := ga.takeIn(ctx, s.Corpus); err != nil {
			return Source{}, err
		}
	}
	event.Tell(ctx, ga.events, event.Source, s.Corpus, event.SourceBody{ID: s.ID})
	return ga.sourceView(ctx, s)
}

// rereadWhenWider has all pages of a source read anew when other settings may find more on them: pages that have not changed are not sent
// otherwise, and their links not seen.
func (ga *Gatherer) rereadWhenWider(ctx context.Context, s store.Source, now store.SourceSettings) error {
	was, err := s.Settings()
	if err != nil {
		return err
	}
	same := was.Depth == now.Depth && was.PageCap == now.PageCap && was.Closed == now.Closed && was.Render == now.Render &&
		slices.Equal(was.Include, now.Include) && slices.Equal(was.Exclude, now.Exclude)
	if same || s.Kind == store.KindFolder {
		return nil
	}
	return ga.store.Reread(ctx, s.ID)
}

// keepHome keeps the host that a site was found to lead to: without it, the next visit would take its pages for those of others.
func keepHome(s store.Source, set *store.SourceSettings) error {
	before, err := s.Settings()
	set.Home = before.Home
	return err
}

// checkChange checks new settings of a source as those of a new one are. The addresses of a list are read anew.
func (ga *Gatherer) checkChange(s store.Source, set *store.SourceSettings) error {
	if err := checkSettings(*set); err != nil {
		return err
	}
	if s.Kind == store.KindUpload || s.Kind == store.KindText || s.Kind == store.KindPairs || s.Kind == store.KindFolder {
		return nil
	}
	if err := keepHome(s, set); err != nil {
		return err
	}
	_, _, err := addressOf(s.Kind, s.Address, set)
	return err
}

// takeIn indexes what waits for it, and takes out what has gone.
func (ga *Gatherer) takeIn(ctx context.Context, corpus string) error {
	for {
		n, err := ga.index.IndexFetched(ctx, corpus)
		if err != nil {
			return err
		}
		if n == 0 {
			return ga.index.CatchUp(ctx, corpus)
		}
	}
}

// RemoveSource removes a source, its documents and their history. What it brought leaves the index.
func (ga *Gatherer) RemoveSource(ctx context.Context, corpus, id string) error {
	s, err := ga.sourceOf(ctx, corpus, id)
	if err != nil {
		return err
	}
	js, err := ga.store.Jobs(ctx, s.Corpus, 100)
	if err != nil {
		return err
	}
	for _, j := range js {
		if j.Target == s.ID && (j.State == store.Queued || j.State == store.Running || j.State == store.Paused) {
			return fault.Input("the source is being gathered: cancel that first")
		}
	}
	if _, _, err := ga.store.Choose(ctx, s.ID, nil); err != nil { // all of it leaves the index first
		return err
	}
	if err := ga.takeIn(ctx, s.Corpus); err != nil {
		return err
	}
	if err := ga.store.DeleteSource(ctx, s.ID); err != nil {
		return err
	}
	if err := ga.checkSoon(ctx, s.Corpus); err != nil {
		return err
	}
	event.Tell(ctx, ga.events, event.Source, s.Corpus, event.SourceBody{ID: s.ID})
	return nil
}

// Intervals of the schedules.
var intervals = map[string]time.Duration{"hour": time.Hour, "day": 24 * time.Hour, "week": 7 * 24 * time.Hour}

// nextVisit is when a schedule that starts now is due; "" for by hand.
func (ga *Gatherer) nextVisit(schedule string) string {
	every, ok := intervals[schedule]
	if !ok {
		return ""
	}
	return store.Stamp(ga.now().Add(every))
}

// Run queues the visits that are due, until the app closes.
func (ga *Gatherer) Run(ctx context.Context) {
	tick := time.NewTicker(15 * time.Second)
	defer tick.Stop()
	for {
		ga.VisitDue(ctx)
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// VisitDue queues every visit that is due. A visit that was missed while the program was off is made once.
func (ga *Gatherer) VisitDue(ctx context.Context) {
	due, err := ga.store.DueSources(ctx, func(s store.Source) string { return ga.nextVisit(s.Schedule) })
	if err != nil && ctx.Err() == nil {
		ga.log.Error("schedules were not looked at", "error", err)
	}
	for _, s := range due {
		if _, err := ga.visit(ctx, s); err != nil && ctx.Err() == nil {
			ga.log.Error("a visit that is due was not queued", "source", s.Address, "error", err)
		}
	}
	if err := ga.scanFolders(ctx); err != nil && ctx.Err() == nil {
		ga.log.Error("watched folders were not looked at", "error", err)
	}
}

// Retry tries failed documents again, those given or all of the corpus.
func (ga *Gatherer) Retry(ctx context.Context, corpus string, ids []string) (int, error) {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return 0, err
	}
	sources, n, err := ga.store.Retry(ctx, c.ID, ids)
	if err != nil {
		return 0, err
	}
	for _, s := range sources {
		if _, err := ga.jobs.Add(ctx, c.ID, job.Gather, s); err != nil {
			return n, err
		}
	}
	return n, nil
}
