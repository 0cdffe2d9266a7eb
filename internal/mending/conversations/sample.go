package conversations

import (
	"context"

	"jolvex/core/measure"
	"jolvex/internal/fault"
	"jolvex/internal/store/talk"
)

// Sampled is a sample with what it says of how often users are answered rightly.
type Sampled struct {
	talk.Sample
	Rate     float64          `json:"rate" doc:"Share of the judged that are right; doubtful ones left out"`
	Interval measure.Interval `json:"interval" doc:"At 95 %, as Wilson has it"`
	Needed   int              `json:"needed" doc:"How many must be judged for an interval of 5 points to either side, at this rate"`
}

// reach is how wide an interval is aimed at, to either side.
const reach = .05

func sampled(s talk.Sample) Sampled {
	n := s.Right + s.Wrong
	out := Sampled{Sample: s, Interval: measure.Wilson(s.Right, n), Needed: measure.Needed(.5, reach)}
	if n > 0 {
		out.Rate = float64(s.Right) / float64(n)
		out.Needed = measure.Needed(out.Rate, reach)
	}
	return out
}

// Draw draws a sample of what users asked, to judge it.
func (rm *Room) Draw(ctx context.Context, corpus, since, until string, n int) (Sampled, error) {
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return Sampled{}, err
	}
	s, err := rm.talk.Draw(ctx, id, since, until, n)
	if err == nil && s.Drawn == 0 {
		err = fault.Input("nothing was asked in that time that is not in a sample already")
	}
	rm.tell(ctx, id)
	return sampled(s), err
}

// Samples lists the samples of a corpus, the newest first.
func (rm *Room) Samples(ctx context.Context, corpus string) ([]Sampled, error) {
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ss, err := rm.talk.Samples(ctx, id)
	out := make([]Sampled, len(ss))
	for i, s := range ss {
		out[i] = sampled(s)
	}
	return out, err
}
