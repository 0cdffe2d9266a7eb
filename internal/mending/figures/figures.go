// Package figures counts what users asked and what came of it, over time and by subject.
package figures

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
	_ "time/tzdata" // days are those of whoever looks, on machines without a table of zones, too

	"jolvex/core/answer"
	"jolvex/core/measure"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/store"
	"jolvex/internal/store/served"
	"jolvex/internal/store/talk"
)

// Room counts for all corpora.
type Room struct {
	store  *store.Store
	talk   *talk.Talk
	asking *asking.Asker
}

// New makes the room.
func New(s *store.Store, t *talk.Talk, a *asking.Asker) *Room { return &Room{s, t, a} }

// Counts are what users asked, by how it ended.
type Counts struct {
	Questions     int `json:"questions" doc:"Without courtesies"`
	Answered      int `json:"answered" doc:"By the sources or by a house rule"`
	Refused       int `json:"refused"`
	AskedBack     int `json:"askedBack"`
	HandedOver    int `json:"handedOver"`
	Wrong         int `json:"wrong" doc:"Marked wrong, or given a thumb down"`
	Conversations int `json:"conversations"`
	Unaided       int `json:"unaided" doc:"Conversations in which something was answered, and nothing refused, handed over, marked wrong or given a thumb down"`
}

func (c *Counts) add(e talk.Exchange) {
	c.Questions++
	switch answer.Outcome(e.Outcome) {
	case answer.Answered, answer.ByRule:
		c.Answered++
	case answer.Refused:
		c.Refused++
	case answer.AskedBack:
		c.AskedBack++
	case answer.HandedOver:
		c.HandedOver++
	}
	if wrong(e) {
		c.Wrong++
	}
}

func wrong(e talk.Exchange) bool { return e.Mark == "wrong" || e.Thumb == "down" }

// Stretch is one day or week of the figures.
type Stretch struct {
	From string `json:"from" doc:"A day, as 2026-03-01, in the zone asked for; of a week its Monday"`
	Counts
}

// Share is the figures of one surface or language.
type Share struct {
	Name string `json:"name"`
	Counts
}

// Released compares what was before a release with what came after it, over the same length of time to either side as far as there is any.
type Released struct {
	Number     int              `json:"number"`
	At         string           `json:"at"`
	Days       int              `json:"days" doc:"To either side"`
	Before     Counts           `json:"before"`
	After      Counts           `json:"after"`
	Difference float64          `json:"difference" doc:"Of the share answered: after less before"`
	Interval   measure.Interval `json:"interval" doc:"At 95 %, Newcombe's; where it holds 0, the two cannot be told apart"`
}

// UserFigures are the counts of a stretch of time.
type UserFigures struct {
	Counts
	Steps     []Stretch  `json:"steps" nullable:"false"`
	Surfaces  []Share    `json:"surfaces" nullable:"false"`
	Languages []Share    `json:"languages" nullable:"false"`
	Releases  []Released `json:"releases" nullable:"false"`
}

// Filter says what is counted.
type Filter struct {
	Since, Until string // stamps
	Zone         string // IANA name
	Week         bool   // by week instead of by day
	Surface      string
	Language     string
}

// mostSteps is how many days or weeks are told apart.
const mostSteps = 800

// Figures counts the traffic of users.
func (rm *Room) Figures(ctx context.Context, corpus string, f Filter) (UserFigures, error) {
	out := UserFigures{Steps: []Stretch{}, Surfaces: []Share{}, Languages: []Share{}, Releases: []Released{}}
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	zone, err := time.LoadLocation(f.Zone)
	if err != nil {
		return out, fault.Input("there is no time zone %q", f.Zone)
	}
	es, err := rm.asked(ctx, c.ID, f)
	if err != nil {
		return out, err
	}
	if out.Steps, err = stepsOf(f, zone); err != nil {
		return out, err
	}
	at := map[string]int{}
	for i, s := range out.Steps {
		at[s.From] = i
	}
	step := func(e talk.Exchange) *Counts {
		t, err := time.Parse(time.RFC3339, e.At)
		if err != nil {
			return &Counts{}
		}
		if i, ok := at[dayOf(t.In(zone), f.Week)]; ok {
			return &out.Steps[i].Counts
		}
		return &Counts{}
	}
	surfaces, languages := map[string]*Counts{}, map[string]*Counts{}
	for _, e := range es {
		for _, x := range []*Counts{&out.Counts, step(e), part(surfaces, e.Surface), part(languages, e.Language)} {
			x.add(e)
		}
	}
	for _, t := range talksOf(es) {
		for _, x := range []*Counts{&out.Counts, step(t[0]), part(surfaces, t[0].Surface), part(languages, t[0].Language)} {
			x.Conversations++
			if unaided(t) {
				x.Unaided++
			}
		}
	}
	out.Surfaces, out.Languages = parts(surfaces), parts(languages)
	out.Releases, err = rm.releases(ctx, c.ID, f, es)
	return out, err
}

func part(of map[string]*Counts, name string) *Counts {
	if of[name] == nil {
		of[name] = &Counts{}
	}
	return of[name]
}

func parts(of map[string]*Counts) []Share {
	out := []Share{}
	for name, c := range of {
		out = append(out, Share{name, *c})
	}
	slices.SortFunc(out, func(a, b Share) int {
		if d := b.Questions - a.Questions; d != 0 {
			return d
		}
		return strings.Compare(a.Name, b.Name)
	})
	return out
}

// asked lists what users asked in the time of a filter, without courtesies and what is not known, the oldest first.
func (rm *Room) asked(ctx context.Context, corpus string, f Filter) ([]talk.Exchange, error) {
	var out []talk.Exchange
	err := rm.talk.Each(ctx, corpus, talk.Filter{Since: f.Since, Until: f.Until, Surface: f.Surface, Language: f.Language, Counting: true}, func(es []talk.Exchange) error {
		for _, e := range es {
			if e.Outcome != "" && e.Outcome != string(answer.Courteous) {
				out = append(out, e)
			}
		}
		return nil
	})
	return out, err
}

// talksOf puts exchanges together by conversation, in the order in which these began.
func talksOf(es []talk.Exchange) [][]talk.Exchange {
	at := map[string]int{}
	var out [][]talk.Exchange
	for _, e := range es {
		i, ok := at[e.Conversation]
		if !ok {
			i = len(out)
			at[e.Conversation] = i
			out = append(out, nil)
		}
		out[i] = append(out[i], e)
	}
	return out
}

func unaided(t []talk.Exchange) bool {
	answered := false
	for _, e := range t {
		switch o := answer.Outcome(e.Outcome); {
		case wrong(e), o == answer.Refused, o == answer.HandedOver:
			return false
		case o == answer.Answered, o == answer.ByRule:
			answered = true
		}
	}
	return answered
}

// dayOf names the day of a moment, or the Monday of its week.
func dayOf(t time.Time, week bool) string {
	if week {
		t = t.AddDate(0, 0, -(int(t.Weekday())+6)%7)
	}
	return t.Format(time.DateOnly)
}

// stepsOf are the days or weeks of a filter, those without a question, too.
func stepsOf(f Filter, zone *time.Location) ([]Stretch, error) {
	since, err1 := time.Parse(time.RFC3339, f.Since)
	until, err2 := time.Parse(time.RFC3339, f.Until)
	if err1 != nil || err2 != nil || !since.Before(until) {
		return nil, fault.Input("since and until are moments, as 2026-03-01T00:00:00Z, one before the other")
	}
	var out []Stretch
	last := ""
	for t := since.In(zone); t.Before(until); t = t.AddDate(0, 0, 1) {
		if d := dayOf(t, f.Week); d != last {
			last = d
			out = append(out, Stretch{From: d})
		}
		if len(out) > mostSteps {
			return nil, fault.Input("that is more than %d days or weeks: count by week, or a shorter time", mostSteps)
		}
	}
	if d := dayOf(until.Add(-time.Millisecond).In(zone), f.Week); d != last { // a day of 25 hours
		out = append(out, Stretch{From: d})
	}
	return out, nil
}

// mostSide is how many days to either side of a release are compared.
const mostSide = 28

// releases compares what was before each release of the time with what came after it.
func (rm *Room) releases(ctx context.Context, corpus string, f Filter, es []talk.Exchange) ([]Released, error) {
	rs, err := served.New(rm.store).Releases(ctx, corpus, 20)
	if err != nil {
		return nil, fmt.Errorf("list releases: %w", err)
	}
	out := []Released{}
	until, err := time.Parse(time.RFC3339, f.Until)
	if err != nil {
		return nil, err
	}
	for _, r := range rs {
		at, err := time.Parse(time.RFC3339, r.At)
		if err != nil || r.At < f.Since || r.At >= f.Until {
			continue
		}
		days := min(mostSide, int(until.Sub(at).Hours()/24)+1)
		x := Released{Number: r.Number, At: r.At, Days: days}
		from, to := talk.Stamp(at.AddDate(0, 0, -days)), talk.Stamp(at.AddDate(0, 0, days))
		for _, e := range es {
			switch {
			case e.At >= from && e.At < r.At:
				x.Before.add(e)
			case e.At >= r.At && e.At < to:
				x.After.add(e)
			}
		}
		x.Interval = measure.Difference(x.After.Answered, x.After.Questions, x.Before.Answered, x.Before.Questions)
		if x.After.Questions > 0 && x.Before.Questions > 0 {
			x.Difference = float64(x.After.Answered)/float64(x.After.Questions) - float64(x.Before.Answered)/float64(x.Before.Questions)
		}
		out = append(out, x)
	}
	return out, nil
}
