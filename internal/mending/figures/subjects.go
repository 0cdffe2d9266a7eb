package figures

import (
	"cmp"
	"context"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"jolvex/core/answer"
	"jolvex/core/embed"
	"jolvex/core/group"
	"jolvex/core/measure"
	"jolvex/internal/fault"
	"jolvex/internal/store/talk"
)

// Subject is a group of questions alike in meaning.
type Subject struct {
	Title    string   `json:"title" doc:"The wording most used"`
	Wordings []string `json:"wordings" nullable:"false" doc:"At most five"`
	Counts
	Earlier int     `json:"earlier" doc:"Questions in the first half of the time"`
	Later   int     `json:"later" doc:"Questions in the second half"`
	P       float64 `json:"p" doc:"Chance of a split as uneven when nothing grew or shrank, for all subjects together (Holm 1979)"`
	Grows   bool    `json:"grows" doc:"More in the second half, beyond chance"`
	Covered bool    `json:"covered" doc:"At least half of the questions were answered"`
}

// Incident is many like questions in one day.
type Incident struct {
	Title string `json:"title"`
	Day   string `json:"day"`
	Count int    `json:"count" doc:"Questions of that day"`
	Usual string `json:"usual" doc:"How many there are on other days, on average"`
}

// Subjects are what users asked about.
type Subjects struct {
	Subjects  []Subject  `json:"subjects" nullable:"false" doc:"The most asked first, at most 60"`
	Incidents []Incident `json:"incidents" nullable:"false"`
	Questions int        `json:"questions"`
	Plain     int        `json:"plain" doc:"Refused, as counted"`
	Once      int        `json:"once" doc:"Refused, each incident counted once"`
	Left      int        `json:"left" doc:"Rare questions that were not grouped"`
}

// How many different questions are grouped, how many subjects are listed, and from how many in one day, and how far over the mean of the other days
// in standard deviations of a Poisson count, they are an incident. (Common practice, no published source.)
const (
	mostWordings  = 1500
	mostSubjects  = 60
	leastIncident = 5
	farIncident   = 4
	surely        = .05
)

// Subjects groups what users asked in a stretch of time, names what grows, and counts incidents.
func (rm *Room) Subjects(ctx context.Context, corpus string, f Filter) (Subjects, error) {
	out := Subjects{Subjects: []Subject{}, Incidents: []Incident{}}
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	zone, err := time.LoadLocation(f.Zone)
	if err != nil {
		return out, fault.Input("there is no time zone %q", f.Zone)
	}
	days, err := stepsOf(Filter{Since: f.Since, Until: f.Until}, zone)
	if err != nil {
		return out, err
	}
	es, err := rm.asked(ctx, c.ID, f)
	if err != nil {
		return out, err
	}
	groups, left, err := rm.grouped(ctx, es)
	if err != nil {
		return out, err
	}
	out.Questions, out.Left = len(es), left
	middle := midway(f)
	for _, g := range groups {
		out.Subjects = append(out.Subjects, subject(g, middle))
		for _, day := range incidents(g, days, zone) {
			out.Incidents = append(out.Incidents, day.Incident)
			out.Once -= day.refused - min(1, day.refused)
		}
	}
	for _, e := range es {
		if e.Outcome == string(answer.Refused) {
			out.Plain++
		}
	}
	out.Once += out.Plain
	ps := make([]float64, len(out.Subjects))
	for i, s := range out.Subjects {
		ps[i] = s.P
	}
	for i, p := range measure.Holm(ps) {
		s := &out.Subjects[i]
		s.P, s.Grows = p, p < surely && s.Later > s.Earlier
	}
	slices.SortStableFunc(out.Subjects, func(a, b Subject) int { return b.Questions - a.Questions })
	out.Subjects = out.Subjects[:min(mostSubjects, len(out.Subjects))]
	slices.SortStableFunc(out.Incidents, func(a, b Incident) int { return strings.Compare(b.Day, a.Day) })
	return out, nil
}

func midway(f Filter) string {
	a, err1 := time.Parse(time.RFC3339, f.Since)
	b, err2 := time.Parse(time.RFC3339, f.Until)
	if err1 != nil || err2 != nil {
		return f.Since
	}
	return talk.Stamp(a.Add(b.Sub(a) / 2))
}

// grouped puts exchanges together by meaning. Of very many wordings the rarest are left alone; it tells how many exchanges those are.
func (rm *Room) grouped(ctx context.Context, es []talk.Exchange) (groups [][]talk.Exchange, left int, err error) {
	by := map[string][]talk.Exchange{}
	var keys []string
	for _, e := range es {
		key := strings.ToLower(strings.Join(strings.Fields(e.Asks()), " "))
		if len(key) > 600 {
			left++
			continue
		}
		if by[key] == nil {
			keys = append(keys, key)
		}
		by[key] = append(by[key], e)
	}
	slices.SortStableFunc(keys, func(a, b string) int { return len(by[b]) - len(by[a]) })
	for _, k := range keys[min(len(keys), mostWordings):] {
		left += len(by[k])
	}
	keys = keys[:min(len(keys), mostWordings)]
	items := make([]group.Item, len(keys))
	texts := make([]string, len(keys))
	foreign := false
	for i, k := range keys {
		e := by[k][0]
		texts[i] = e.Asks()
		items[i] = group.Item{Text: texts[i], Foreign: e.Language != "" && e.Language != "en"}
		foreign = foreign || items[i].Foreign
	}
	near, err := rm.asking.QuestionVectors(ctx, false, texts)
	if err != nil {
		return nil, 0, err
	}
	across := make([]embed.Vector, len(items))
	if foreign {
		if across, err = rm.asking.QuestionVectors(ctx, true, texts); err != nil {
			return nil, 0, err
		}
	}
	for i := range items {
		items[i].Vector, items[i].Across = near[i], across[i]
	}
	for _, m := range group.Members(group.Groups(items, nil, group.Usual())) {
		var g []talk.Exchange
		for _, i := range m {
			g = append(g, by[keys[i]]...)
		}
		groups = append(groups, g)
	}
	return groups, left, nil
}

// subject counts one group; its P is that of the group alone, by the exact test of two equal stretches (Przyborowski and Wilenski 1940).
func subject(g []talk.Exchange, middle string) Subject {
	s := Subject{Wordings: []string{}}
	texts := make([]string, len(g))
	for i, e := range g {
		texts[i] = e.Asks()
		s.add(e)
		if e.At < middle {
			s.Earlier++
		} else {
			s.Later++
		}
	}
	s.Title = texts[group.Title(texts)]
	for _, t := range texts {
		if len(s.Wordings) < 5 && !slices.Contains(s.Wordings, t) {
			s.Wordings = append(s.Wordings, t)
		}
	}
	for _, t := range talksOf(g) {
		s.Conversations++
		if unaided(t) {
			s.Unaided++
		}
	}
	s.P = measure.McNemar(s.Later, s.Earlier)
	s.Covered = 2*s.Answered >= s.Questions
	return s
}

// incident is a day of a subject on which far more was asked than on others.
type incident struct {
	Incident
	refused int
}

func incidents(g []talk.Exchange, days []Stretch, zone *time.Location) []incident {
	if len(days) < 3 {
		return nil
	}
	count, refused := map[string]int{}, map[string]int{}
	for _, e := range g {
		t, err := time.Parse(time.RFC3339, e.At)
		if err != nil {
			continue
		}
		d := dayOf(t.In(zone), false)
		count[d]++
		if e.Outcome == string(answer.Refused) {
			refused[d]++
		}
	}
	var out []incident
	for d, n := range count {
		mean := float64(len(g)-n) / float64(len(days)-1)
		if n < leastIncident || float64(n) < mean+farIncident*math.Sqrt(max(mean, 1)) {
			continue
		}
		texts := []string{}
		for _, e := range g {
			texts = append(texts, e.Asks())
		}
		out = append(out, incident{Incident{texts[group.Title(texts)], d, n, decimal(mean)}, refused[d]})
	}
	slices.SortFunc(out, func(a, b incident) int { return cmp.Compare(a.Day, b.Day) })
	return out
}

func decimal(x float64) string { return strconv.FormatFloat(x, 'f', 1, 64) }
