package serving

import (
	"context"
	"fmt"
	"strings"

	"jolvex/core/measure"
	"jolvex/internal/fault"
	"jolvex/internal/store"
	"jolvex/internal/store/served"
)

// Held is what the gate says of one question set.
type Held struct {
	Set       string            `json:"set" doc:"Name"`
	ID        string            `json:"id"`
	Floor     float64           `json:"floor" minimum:"0" maximum:"1" doc:"Least share of the questions that pass"`
	State     string            `json:"state" enum:"passed,below,unmeasured" doc:"Unmeasured: no run of this version of the set over this very draft"`
	Pass      float64           `json:"pass,omitempty"`
	Interval  *measure.Interval `json:"interval,omitempty"`
	Questions int               `json:"questions" doc:"In the set"`
	Run       string            `json:"run,omitempty"`
	Unsure    bool              `json:"unsure,omitempty" doc:"It passes, but its interval reaches below the floor: the set is small"`
}

// Gate stands between the draft and the line of releases.
type Gate struct {
	Open bool   `json:"open"`
	Why  string `json:"why" doc:"In one sentence, why it is open or shut"`
	Sets []Held `json:"sets" nullable:"false"`
}

// Floor is the least share of a set's questions that must pass before a release.
type Floor struct {
	Set   string  `json:"set" maxLength:"120" doc:"Name or id"`
	Floor float64 `json:"floor" minimum:"0" maximum:"1"`
}

// Gate says whether the draft as it stands may be released, and why.
func (sv *Server) Gate(ctx context.Context, corpus string) (Gate, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return Gate{}, err
	}
	s, err := sv.index.Shelf(ctx, c)
	if err != nil {
		return Gate{}, err
	}
	return sv.gate(ctx, c, s.Snapshot.Load().Name)
}

// SetGate puts floors in place of those that there were.
func (sv *Server) SetGate(ctx context.Context, corpus string, floors []Floor) error {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	rows, seen := []served.Floor{}, map[string]bool{}
	for _, f := range floors {
		if !(f.Floor >= 0 && f.Floor <= 1) {
			return fault.Input("a floor is a share between 0 and 1, not %v", f.Floor)
		}
		set, err := sv.store.QuestionSet(ctx, c.ID, f.Set)
		if err != nil {
			return err
		}
		if seen[set.ID] {
			return fault.Input("the set %q has two floors", set.Name)
		}
		seen[set.ID] = true
		rows = append(rows, served.Floor{Set: set.ID, Floor: f.Floor})
	}
	return sv.served.SetGate(ctx, c.ID, rows)
}

// gate holds the latest runs of the chosen sets against their floors. A run counts when it was made of the very draft: the same settings and
// lists, the same index, the set as it is.
func (sv *Server) gate(ctx context.Context, c store.Corpus, snapshot string) (Gate, error) {
	floors, err := sv.served.Gate(ctx, c.ID)
	if err != nil {
		return Gate{}, err
	}
	out := Gate{Open: true, Sets: []Held{}}
	hash, err := c.Method.Hash()
	if err != nil {
		return out, err
	}
	var below, unmeasured []string
	for _, f := range floors {
		set, err := sv.store.QuestionSet(ctx, c.ID, f.Set)
		if err != nil {
			return out, err
		}
		h := Held{Set: set.Name, ID: set.ID, Floor: f.Floor, State: "unmeasured", Questions: set.Questions}
		runs, err := sv.store.Runs(ctx, c.ID, set.ID, 20)
		if err != nil {
			return out, err
		}
		for _, r := range runs {
			if r.Summary == nil || r.Note != "" || r.SetVersion != set.Version || r.Pins.Snapshot != snapshot || r.Pins.Method != hash {
				continue
			}
			at := r.Summary.Passed
			h.State, h.Pass, h.Interval, h.Run = "passed", at.Rate, &at.Interval, r.ID
			h.Unsure = at.Interval.Low < f.Floor
			if at.Rate < f.Floor {
				h.State, h.Unsure = "below", false
			}
			break
		}
		switch h.State {
		case "below":
			below = append(below, fmt.Sprintf("%s passes %.1f %% of its questions, and the floor is %.0f %%", h.Set, 100*h.Pass, 100*h.Floor))
		case "unmeasured":
			unmeasured = append(unmeasured, h.Set)
		}
		out.Sets = append(out.Sets, h)
	}
	switch {
	case len(below) > 0:
		out.Open, out.Why = false, strings.Join(below, "; ")
	case len(unmeasured) > 0:
		out.Open, out.Why = false, "not measured on this draft yet: "+strings.Join(unmeasured, ", ")
	case len(floors) == 0:
		out.Why = "no question set is asked for before a release"
	default:
		out.Why = "every set passes its floor"
	}
	return out, nil
}
