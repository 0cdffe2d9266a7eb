package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/core/diagnose"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/api/wire"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/proving/coverage"
	"jolvex/internal/proving/runs"
	"jolvex/internal/proving/sets"
	"jolvex/internal/proving/trials"
)

// Tried is a change of the draft that a run tries without applying it.
type Tried struct {
	Change diagnose.Alteration `json:"change"`
	Note   string              `json:"note" minLength:"1" maxLength:"300" doc:"What is tried, in words"`
}

// Amendment is an expected question as it should have been.
type Amendment struct {
	Question questions.Question `json:"question"`
	Why      string             `json:"why" minLength:"1" maxLength:"500"`
}

// Added are questions that go into a set.
type Added struct {
	Questions []questions.Question `json:"questions" minItems:"1" nullable:"false"`
	Why       string               `json:"why,omitempty" maxLength:"500"`
}

func (h *handlers) proving(api huma.API) {
	type InSet struct {
		wire.InCorpus
		Set string `path:"set" doc:"Name or id"`
	}
	type InRun struct {
		wire.InCorpus
		Run string `path:"run"`
	}
	huma.Register(api, wire.Operation("tryChange", http.MethodPost, "/corpora/{corpus}/sets/{set}/tries", "prove", "Run a question set over the draft with a change that is not applied"),
		func(ctx context.Context, in *struct {
			InSet
			Body Tried
		},
		) (*wire.Out[StartedRun], error) {
			r, j, err := h.app.Proving.Runs.StartRun(ctx, in.Corpus, in.Set, runs.Order{Change: in.Body.Change, Note: in.Body.Note})
			return wire.Reply(StartedRun{r, j}, err)
		})
	huma.Register(api, wire.Operation("applyChange", http.MethodPost, "/corpora/{corpus}/method/changes", "prove", "Bring a change into the draft"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body trials.Applied
		},
		) (*wire.Out[Saved], error) {
			j, err := h.app.Proving.Trials.ApplyChange(ctx, in.Corpus, in.Body)
			if err != nil {
				return nil, wire.Known(err)
			}
			m, err := h.app.Indexing.Method(ctx, in.Corpus)
			return wire.Reply(Saved{m, j}, err)
		})
	huma.Register(api, wire.Operation("getMethodHistory", http.MethodGet, "/corpora/{corpus}/method/history", "prove", "Draft history, the newest change first"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]indexing.MethodChange], error) {
			return wire.Reply(h.app.Indexing.MethodHistory(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("restoreMethod", http.MethodPost, "/corpora/{corpus}/method/history/{number}", "prove", "Make the draft what it was after a change"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Number int `path:"number"`
		},
		) (*wire.Out[Saved], error) {
			j, err := h.app.Indexing.RestoreMethod(ctx, in.Corpus, in.Number)
			if err != nil {
				return nil, wire.Known(err)
			}
			m, err := h.app.Indexing.Method(ctx, in.Corpus)
			return wire.Reply(Saved{m, j}, err)
		})
	huma.Register(api, wire.Operation("getCause", http.MethodGet, "/corpora/{corpus}/runs/{run}/causes/{question}", "prove", "Why a question of a run failed, shown by asking again under other conditions, and what may cure it"),
		func(ctx context.Context, in *struct {
			InRun
			Question string `path:"question"`
		},
		) (*wire.Out[diagnose.Diagnosis], error) {
			return wire.Reply(h.app.Proving.Runs.Cause(ctx, in.Corpus, in.Run, in.Question))
		})
	huma.Register(api, wire.Operation("getWanted", http.MethodGet, "/corpora/{corpus}/runs/{run}/wanted/{question}", "prove", "Where what a question of a run expects stands, and how far it came"),
		func(ctx context.Context, in *struct {
			InRun
			Question string `path:"question"`
		},
		) (*wire.Out[[]diagnose.Wanted], error) {
			return wire.Reply(h.app.Proving.Runs.Wanted(ctx, in.Corpus, in.Run, in.Question))
		})
	huma.Register(api, wire.Operation("estimateTrial", http.MethodPost, "/corpora/{corpus}/sets/{set}/trials/estimate", "prove", "What a trial would take"),
		func(ctx context.Context, in *struct {
			InSet
			Body prove.Plan
		},
		) (*wire.Out[trials.TrialCost], error) {
			return wire.Reply(h.app.Proving.Trials.EstimateTrial(ctx, in.Corpus, in.Set, in.Body))
		})
	huma.Register(api, wire.Operation("startTrial", http.MethodPost, "/corpora/{corpus}/sets/{set}/trials", "prove", "Try many methods over a question set; what has come of it so far stands among the studies"),
		func(ctx context.Context, in *struct {
			InSet
			Body prove.Plan
		},
		) (*wire.Out[StartedStudy], error) {
			s, j, err := h.app.Proving.Trials.StartTrial(ctx, in.Corpus, in.Set, in.Body)
			return wire.Reply(StartedStudy{s, j}, err)
		})
	huma.Register(api, wire.Operation("getCoverage", http.MethodGet, "/corpora/{corpus}/sets/{set}/coverage", "prove", "Which documents a set tests, and which chunks its last run found, kept and cited"),
		func(ctx context.Context, in *InSet) (*wire.Out[coverage.Coverage], error) {
			return wire.Reply(h.app.Proving.Coverage.Coverage(ctx, in.Corpus, in.Set))
		})
	huma.Register(api, wire.Operation("proposeQuestions", http.MethodGet, "/corpora/{corpus}/proposals", "prove", "Questions that the documents answer, those first that no set tests"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]questions.Proposal], error) {
			return wire.Reply(h.app.Proving.Sets.Proposals(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("stressQuestion", http.MethodPost, "/corpora/{corpus}/stress", "prove", "Variants of a question that try to make the assistant fail"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body questions.Question
		},
		) (*wire.Out[[]questions.Question], error) {
			return wire.Reply(h.app.Proving.Sets.Stress(ctx, in.Corpus, in.Body))
		})
	h.sets(api)
	h.reviews(api)
	huma.Register(api, wire.Operation("exportRun", http.MethodGet, "/corpora/{corpus}/runs/{run}/export", "prove", "The rankings of a run, the judgements that they were measured with (both in TREC's form), or what was measured of each question (CSV)"),
		func(ctx context.Context, in *struct {
			InRun
			Form string `query:"form" enum:"run,qrels,scores" default:"run"`
		},
		) (*huma.StreamResponse, error) {
			name := map[string]string{runs.FormRun: "run.trec", runs.FormJudged: "run.qrels", runs.FormScores: "run.csv"}[in.Form]
			return wire.File(name, "text/plain; charset=utf-8")(h.app.Proving.Runs.ExportRun(ctx, in.Corpus, in.Run, in.Form))
		})
}

func (h *handlers) reviews(api huma.API) {
	type InRun struct {
		wire.InCorpus
		Run string `path:"run"`
	}
	huma.Register(api, wire.Operation("listReviews", http.MethodGet, "/corpora/{corpus}/runs/{run}/reviews", "prove", "What people say of the verdicts of a run, by question"),
		func(ctx context.Context, in *InRun) (*wire.Out[map[string]runs.Review], error) {
			return wire.Reply(h.app.Proving.Runs.Reviews(ctx, in.Corpus, in.Run))
		})
	huma.Register(api, wire.Operation("putReview", http.MethodPut, "/corpora/{corpus}/runs/{run}/reviews/{question}", "prove", "Say of a verdict that it is right, wrong or doubtful, and what is to be done; an empty review takes it back"),
		func(ctx context.Context, in *struct {
			InRun
			Question string `path:"question"`
			Body     runs.Review
		},
		) (*struct{}, error) {
			return nil, wire.Known(h.app.Proving.Runs.PutReview(ctx, in.Corpus, in.Run, in.Question, in.Body))
		})
	huma.Register(api, wire.Operation("exportReviews", http.MethodGet, "/corpora/{corpus}/runs/{run}/worklist", "prove", "The failures of a run and what was said of its verdicts, as CSV, for others to work down"),
		func(ctx context.Context, in *InRun) (*huma.StreamResponse, error) {
			return wire.File("worklist.csv", "text/csv; charset=utf-8")(h.app.Proving.Runs.ExportReviews(ctx, in.Corpus, in.Run))
		})
	huma.Register(api, wire.Operation("listClusters", http.MethodGet, "/corpora/{corpus}/runs/{run}/clusters", "prove", "Failures of a run with one cause that one fix may cure"),
		func(ctx context.Context, in *InRun) (*wire.Out[[]diagnose.Cluster], error) {
			return wire.Reply(h.app.Proving.Runs.Clusters(ctx, in.Corpus, in.Run))
		})
}

func (h *handlers) sets(api huma.API) {
	type InSet struct {
		wire.InCorpus
		Set string `path:"set" doc:"Name or id"`
	}
	add := wire.Operation("addQuestions", http.MethodPost, "/corpora/{corpus}/sets/{set}/questions", "prove", "Put questions at the end of a set")
	add.MaxBodyBytes = 16 << 20
	huma.Register(api, add, func(ctx context.Context, in *struct {
		InSet
		Body Added
	},
	) (*wire.Out[sets.QuestionSet], error) {
		return wire.Reply(h.app.Proving.Sets.AddQuestions(ctx, in.Corpus, in.Set, in.Body.Questions, in.Body.Why))
	})
	huma.Register(api, wire.Operation("amendQuestion", http.MethodPost, "/corpora/{corpus}/sets/{set}/amendments", "prove", "Change one expected question, with the reason"),
		func(ctx context.Context, in *struct {
			InSet
			Body Amendment
		},
		) (*wire.Out[sets.QuestionSet], error) {
			return wire.Reply(h.app.Proving.Sets.Amend(ctx, in.Corpus, in.Set, in.Body.Question, in.Body.Why))
		})
	huma.Register(api, wire.Operation("deleteSet", http.MethodDelete, "/corpora/{corpus}/sets/{set}", "prove", "Delete a question set with its runs and its history"),
		func(ctx context.Context, in *InSet) (*struct{}, error) {
			return nil, wire.Known(h.app.Proving.Sets.RemoveSet(ctx, in.Corpus, in.Set))
		})
	huma.Register(api, wire.Operation("getSetHistory", http.MethodGet, "/corpora/{corpus}/sets/{set}/history", "prove", "What became of a question set"),
		func(ctx context.Context, in *InSet) (*wire.Out[[]sets.SetVersion], error) {
			return wire.Reply(h.app.Proving.Sets.SetHistory(ctx, in.Corpus, in.Set))
		})
	huma.Register(api, wire.Operation("restoreSet", http.MethodPost, "/corpora/{corpus}/sets/{set}/history/{at}", "prove", "Bring a version of a question set back"),
		func(ctx context.Context, in *struct {
			InSet
			At string `path:"at"`
		},
		) (*wire.Out[sets.QuestionSet], error) {
			return wire.Reply(h.app.Proving.Sets.RestoreSet(ctx, in.Corpus, in.Set, in.At))
		})
	huma.Register(api, wire.Operation("getDoubts", http.MethodGet, "/corpora/{corpus}/sets/{set}/doubts", "prove", "Expectations whose sources have changed since they were written"),
		func(ctx context.Context, in *InSet) (*wire.Out[[]sets.Doubt], error) {
			return wire.Reply(h.app.Proving.Sets.Doubts(ctx, in.Corpus, in.Set))
		})
	huma.Register(api, wire.Operation("getSetProblems", http.MethodGet, "/corpora/{corpus}/sets/{set}/problems", "prove", "Questions that cannot be meant as they are written"),
		func(ctx context.Context, in *InSet) (*wire.Out[[]sets.Problem], error) {
			return wire.Reply(h.app.Proving.Sets.Problems(ctx, in.Corpus, in.Set))
		})
	huma.Register(api, wire.Operation("getChart", http.MethodGet, "/corpora/{corpus}/sets/{set}/chart", "prove", "The documents by meaning on one plane, with the questions of a set among them, as last drawn"),
		func(ctx context.Context, in *InSet) (*wire.Out[coverage.Charted], error) {
			return wire.Reply(h.app.Proving.Coverage.Chart(ctx, in.Corpus, in.Set))
		})
	huma.Register(api, wire.Operation("drawChart", http.MethodPost, "/corpora/{corpus}/sets/{set}/chart", "prove", "Draw the chart anew"),
		func(ctx context.Context, in *InSet) (*wire.Out[job.Job], error) {
			return wire.Reply(h.app.Proving.Coverage.DrawChart(ctx, in.Corpus, in.Set))
		})
	judged := wire.Operation("importQrels", http.MethodPost, "/corpora/{corpus}/sets/{set}/qrels", "prove", "Give the questions of a set the documents that TREC relevance judgements name for them")
	judged.MaxBodyBytes = 64 << 20
	huma.Register(api, judged, func(ctx context.Context, in *struct {
		InSet
		RawBody []byte `contentType:"application/octet-stream"`
	},
	) (*wire.Out[sets.ImportedSet], error) {
		return wire.Reply(h.app.Proving.Sets.ImportQrels(ctx, in.Corpus, in.Set, in.RawBody))
	})
	huma.Register(api, wire.Operation("exportSet", http.MethodGet, "/corpora/{corpus}/sets/{set}/export", "prove", "A question set as JSONL, CSV or TREC qrels, or with its documents as a BEIR collection (zip) or in SQuAD's form"),
		func(ctx context.Context, in *struct {
			InSet
			Form string `query:"form" enum:"jsonl,csv,qrels,beir,squad" default:"jsonl"`
		},
		) (*huma.StreamResponse, error) {
			name, media := "questions."+in.Form, "text/plain; charset=utf-8"
			switch in.Form {
			case sets.FormBEIR:
				name, media = "questions.zip", "application/zip"
			case sets.FormSquad:
				name, media = "questions.json", "application/json"
			}
			return wire.File(name, media)(h.app.Proving.Sets.ExportSet(ctx, in.Corpus, in.Set, in.Form))
		})
}
