package trials

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"

	"jolvex/core/diagnose"
	"jolvex/core/prove"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/proving/runs"
	"jolvex/internal/store"
)

// Applied is an alteration that is brought into the draft, with what speaks for it.
type Applied struct {
	Change diagnose.Alteration `json:"change"`
	Note   string              `json:"note,omitempty" maxLength:"300" doc:"What it is, in words"`
	Run    string              `json:"run,omitempty" doc:"The run that tried it"`
	Before string              `json:"before,omitempty" doc:"The run that this one is compared with"`
	Trial  string              `json:"trial,omitempty" doc:"The trial that it comes from"`
}

// ApplyChange brings an alteration into the draft, and what it says of the material into the corpus; what was measured of it goes
// with it. A job that it takes is given.
func (rm *Room) ApplyChange(ctx context.Context, corpus string, x Applied) (*job.Job, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	m, err := runs.Altered(c.Method, x.Change)
	if err != nil {
		return nil, err
	}
	e, err := rm.evidenceFor(ctx, c, x)
	if err != nil {
		return nil, err
	}
	j, err := rm.gathering.ApplyMaterial(ctx, c, x.Change)
	if err != nil {
		return nil, err
	}
	saved, err := rm.index.ChangeMethod(ctx, corpus, m, x.Note, e)
	if saved != nil {
		j = saved
	}
	return j, err
}

// evidenceFor words what was measured of a change: by a run beside the one before it, or by a trial. Without either there is none.
func (rm *Room) evidenceFor(ctx context.Context, c store.Corpus, x Applied) (*store.Measured, error) {
	switch {
	case x.Trial != "":
		s, err := rm.store.Study(ctx, x.Trial)
		if err == nil && s.Corpus != c.ID {
			err = fmt.Errorf("trial %s: %w", x.Trial, fault.ErrMissing)
		}
		if err != nil {
			return nil, err
		}
		return trialled(s, x.Change)
	case x.Run != "" && x.Before != "":
		if err := rm.triedBy(ctx, c, x); err != nil {
			return nil, err
		}
		got, err := rm.runs.CompareRuns(ctx, c.ID, x.Before, x.Run)
		if err != nil {
			return nil, err
		}
		set, err := rm.store.QuestionSet(ctx, c.ID, got.After.Set)
		if err != nil {
			return nil, err
		}
		return &store.Measured{Run: x.Run, Text: fmt.Sprintf("tried over %d questions of “%s”: %d fixed, %d broken, p %.3f", got.Sums.Questions, set.Name, len(got.Sums.Fixed), len(got.Sums.Broken), got.Sums.P)}, nil
	}
	return nil, nil
}

// triedBy fails unless the run tried just the change: what is measured of another one speaks for nothing.
func (rm *Room) triedBy(ctx context.Context, c store.Corpus, x Applied) error {
	before, err := rm.runs.RunOf(ctx, c.ID, x.Before)
	if err != nil {
		return err
	}
	run, err := rm.runs.RunOf(ctx, c.ID, x.Run)
	if err != nil {
		return err
	}
	m, err := runs.Altered(before.Method, x.Change)
	if err != nil {
		return err
	}
	want, err1 := m.Hash()
	got, err2 := run.Method.Hash()
	if err := errors.Join(err1, err2); err != nil {
		return err
	}
	brought := map[string]string{} // document -> version
	for _, b := range run.Tried.Brought {
		brought[b.Document] = b.Version
	}
	same := want == got && len(brought) == len(x.Change.Settled)+len(x.Change.Pages)+len(x.Change.TakeIn)
	for _, s := range x.Change.Settled {
		document, version, err := rm.gathering.SettledVersion(s)
		if err != nil {
			return err
		}
		same = same && version != "" && brought[document] == version
	}
	for _, id := range x.Change.TakeIn {
		same = same && brought[id] != ""
	}
	for _, id := range x.Change.LeaveOut {
		same = same && slices.Contains(run.Tried.LeftOut, id)
	}
	if !same {
		return fault.Input("the run did not try this change on what the run before it was made with")
	}
	return nil
}

// trialled words what a trial measured of the settings of a change.
func trialled(s store.Study, change diagnose.Alteration) (*store.Measured, error) {
	var t TrialOutcome
	if err := json.Unmarshal(s.Outcome, &t); err != nil {
		return nil, fmt.Errorf("read what came of trial %s: %w", s.ID, err)
	}
	at := slices.IndexFunc(t.Arms, func(x prove.Arm) bool { return maps.Equal(x.Settings, change.Settings) })
	if at < 0 {
		return nil, fault.Input("the trial did not try these settings")
	}
	x, draft := t.Arms[at], t.Arms[0]
	text := fmt.Sprintf("trial of %d methods: %d of %d passed, %d of %d with the draft; %d fixed, %d broken, p %.3f after Holm", len(t.Arms)-1, x.Passed.Hits, x.Passed.Of, draft.Passed.Hits, draft.Passed.Of, x.Fixed, x.Broken, x.P)
	if at == t.Sums.Pick && t.Sums.Honest.Of > 0 {
		text += fmt.Sprintf("; on questions that it was not chosen on %.1f %%", 100*t.Sums.Honest.Rate)
	}
	return &store.Measured{Trial: s.ID, Text: text}, nil
}
