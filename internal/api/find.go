package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/core/index"
	"jolvex/core/questions"
	"jolvex/internal/api/wire"
	"jolvex/internal/asking"
	"jolvex/internal/job"
	"jolvex/internal/proving/sets"
	"jolvex/internal/proving/trials"
)

// Search is a question with what differs from the draft for this once.
type Search struct {
	Ask
	asking.Variant
}

// Batch are several questions to be ranked under several variants of the draft.
type Batch struct {
	Audience  string           `json:"audience,omitempty" maxLength:"80"`
	Questions []trials.Asking  `json:"questions" minItems:"1" maxItems:"50" nullable:"false"`
	Variants  []asking.Variant `json:"variants" minItems:"1" maxItems:"4" nullable:"false" doc:"An empty one is the draft itself"`
}

// StartedStudy tells the study and the job that works on it.
type StartedStudy struct {
	Study trials.Study `json:"study"`
	Job   job.Job      `json:"job"`
}

func asWhom(audience, surface string) asking.Caller {
	if audience == "" {
		audience = index.Public
	}
	return asking.Caller{Audience: audience, Surface: surface}
}

func (h *handlers) find(api huma.API) {
	huma.Register(api, wire.Operation("find", http.MethodPost, "/corpora/{corpus}/find", "find", "Rank chunks for a question, under the draft or something tried out"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body Search
		},
		) (*wire.Out[*asking.Reply], error) {
			b := in.Body
			return wire.Reply(h.app.Asking.Find(ctx, asWhom(b.Audience, b.Surface), in.Corpus, b.question(), b.Variant))
		})
	huma.Register(api, wire.Operation("placeQuestions", http.MethodPost, "/corpora/{corpus}/find/batch", "find", "Say where the expected candidates of several questions rank under several variants"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body Batch
		},
		) (*wire.Out[[]trials.Placed], error) {
			return wire.Reply(h.app.Proving.Trials.Place(ctx, asWhom(in.Body.Audience, "batch"), in.Corpus, in.Body.Questions, in.Body.Variants))
		})
	huma.Register(api, wire.Operation("pinCandidate", http.MethodPost, "/corpora/{corpus}/pins", "find", "Make an expectation of a candidate: this is the one"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body sets.Pin
		},
		) (*wire.Out[questions.Question], error) {
			return wire.Reply(h.app.Proving.Sets.Pin(ctx, in.Corpus, in.Body))
		})
	huma.Register(api, wire.Operation("listStudies", http.MethodGet, "/corpora/{corpus}/studies", "find", "The latest ablations and fits"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]trials.Study], error) {
			return wire.Reply(h.app.Proving.Trials.Studies(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("startStudy", http.MethodPost, "/corpora/{corpus}/sets/{set}/studies", "find", "Measure what each part of the draft is worth on a question set, or fit its weights to the set"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Set  string `path:"set" doc:"Name or id"`
			Body struct {
				Kind string `json:"kind" enum:"ablation,fit"`
			}
		},
		) (*wire.Out[StartedStudy], error) {
			s, j, err := h.app.Proving.Trials.StartStudy(ctx, in.Corpus, in.Set, in.Body.Kind)
			return wire.Reply(StartedStudy{s, j}, err)
		})
}
