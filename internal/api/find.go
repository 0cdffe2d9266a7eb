package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/core/index"
	"jolvex/core/prove"
	"jolvex/internal/work"
)

// Search is a question with what differs from the draft for this once.
type Search struct {
	Ask
	work.Variant
}

// Batch are several questions to be ranked under several variants of the draft.
type Batch struct {
	Audience  string         `json:"audience,omitempty" maxLength:"80"`
	Questions []work.Asking  `json:"questions" minItems:"1" maxItems:"50" nullable:"false"`
	Variants  []work.Variant `json:"variants" minItems:"1" maxItems:"4" nullable:"false" doc:"An empty one is the draft itself"`
}

// StartedStudy tells the study and the job that works on it.
type StartedStudy struct {
	Study work.Study `json:"study"`
	Job   work.Job   `json:"job"`
}

func asWhom(audience, surface string) work.Caller {
	if audience == "" {
		audience = index.Public
	}
	return work.Caller{Audience: audience, Surface: surface}
}

func (h *handlers) find(api huma.API) {
	huma.Register(api, operation("find", http.MethodPost, "/corpora/{corpus}/find", "find", "Rank chunks for a question, under the draft or something tried out"),
		func(ctx context.Context, in *struct {
			InCorpus
			Body Search
		},
		) (*out[*work.Reply], error) {
			b := in.Body
			return reply(h.app.Find(ctx, asWhom(b.Audience, b.Surface), in.Corpus, b.question(), b.Variant))
		})
	huma.Register(api, operation("placeQuestions", http.MethodPost, "/corpora/{corpus}/find/batch", "find", "Say where the expected candidates of several questions rank under several variants"),
		func(ctx context.Context, in *struct {
			InCorpus
			Body Batch
		},
		) (*out[[]work.Placed], error) {
			return reply(h.app.Place(ctx, asWhom(in.Body.Audience, "batch"), in.Corpus, in.Body.Questions, in.Body.Variants))
		})
	huma.Register(api, operation("pinCandidate", http.MethodPost, "/corpora/{corpus}/pins", "find", "Make an expectation of a candidate: this is the one"),
		func(ctx context.Context, in *struct {
			InCorpus
			Body work.Pin
		},
		) (*out[prove.Question], error) {
			return reply(h.app.Pin(ctx, in.Corpus, in.Body))
		})
	huma.Register(api, operation("listStudies", http.MethodGet, "/corpora/{corpus}/studies", "find", "The latest ablations and fits"),
		func(ctx context.Context, in *InCorpus) (*out[[]work.Study], error) {
			return reply(h.app.Studies(ctx, in.Corpus))
		})
	huma.Register(api, operation("startStudy", http.MethodPost, "/corpora/{corpus}/sets/{set}/studies", "find", "Measure what each part of the draft is worth on a question set, or fit its weights to the set"),
		func(ctx context.Context, in *struct {
			InCorpus
			Set  string `path:"set" doc:"Name or id"`
			Body struct {
				Kind string `json:"kind" enum:"ablation,fit"`
			}
		},
		) (*out[StartedStudy], error) {
			s, j, err := h.app.StartStudy(ctx, in.Corpus, in.Set, in.Body.Kind)
			return reply(StartedStudy{s, j}, err)
		})
}
