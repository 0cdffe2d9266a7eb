package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/core/chunk"
	"jolvex/core/method"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/api/wire"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/keeping/people"
	"jolvex/internal/proving/runs"
	"jolvex/internal/proving/sets"
	"jolvex/internal/store"
	"jolvex/internal/store/kept"
)

func (h *handlers) corpora(api huma.API) {
	huma.Register(api, wire.Operation("listCorpora", http.MethodGet, "/corpora", "corpora", "List all corpora"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[[]app.Corpus], error) {
			return wire.Reply(h.app.Corpora(ctx, func(id string) bool { return people.CallerOf(ctx).May(id, people.See) }))
		})
	huma.Register(api, wire.Operation("deleteCorpus", http.MethodDelete, "/corpora/{corpus}", "corpora", "Delete a corpus with all that belongs to it"),
		func(ctx context.Context, in *wire.InCorpus) (*struct{}, error) {
			return nil, wire.Known(h.app.Keeping.DeleteCorpus(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("encode", http.MethodPost, "/corpora/{corpus}/encode", "corpora", "Have the sentence encoder read what it has not read yet"),
		func(ctx context.Context, in *wire.InCorpus) (*struct{}, error) {
			return nil, wire.Known(h.app.Indexing.ReadBehind(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("collect", http.MethodPost, "/corpora/{corpus}/collect", "corpora", "Remove old runs, and texts, vectors and files that nothing reaches"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[job.Job], error) {
			return wire.Reply(h.app.Keeping.Collect(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("getRetention", http.MethodGet, "/corpora/{corpus}/retention", "corpora", "For how many days conversations, runs and earlier texts are kept"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[kept.Retention], error) {
			return wire.Reply(h.app.Keeping.Retention(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("putRetention", http.MethodPut, "/corpora/{corpus}/retention", "corpora", "Say for how many days conversations, runs and earlier texts are kept"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body kept.Retention
		},
		) (*wire.Out[kept.Retention], error) {
			return wire.Reply(h.app.Keeping.SetRetention(ctx, in.Corpus, in.Body))
		})
	huma.Register(api, wire.Operation("createCorpus", http.MethodPost, "/corpora", "corpora", "Make an empty corpus"),
		func(ctx context.Context, in *struct {
			Body struct {
				Name string `json:"name" minLength:"1" maxLength:"120"`
			}
		},
		) (*wire.Out[app.Corpus], error) {
			return wire.Reply(h.app.CreateCorpus(ctx, in.Body.Name))
		})
	huma.Register(api, wire.Operation("getCorpus", http.MethodGet, "/corpora/{corpus}", "corpora", "One corpus with its figures"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[app.Corpus], error) {
			return wire.Reply(h.app.Corpus(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("listJobs", http.MethodGet, "/corpora/{corpus}/jobs", "corpora", "The latest jobs"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]job.Job], error) {
			return wire.Reply(h.app.Jobs.Jobs(ctx, in.Corpus))
		})
	type InJob struct {
		wire.InCorpus
		Job string `path:"job"`
	}
	huma.Register(api, wire.Operation("getJob", http.MethodGet, "/corpora/{corpus}/jobs/{job}", "corpora", "One job"),
		func(ctx context.Context, in *InJob) (*wire.Out[job.Job], error) {
			return wire.Reply(h.app.Jobs.Job(ctx, in.Corpus, in.Job))
		})
	huma.Register(api, wire.Operation("cancelJob", http.MethodPost, "/corpora/{corpus}/jobs/{job}/cancel", "corpora", "Stop a job; what it has done stays"),
		func(ctx context.Context, in *InJob) (*struct{}, error) {
			return nil, wire.Known(h.app.Jobs.Cancel(ctx, in.Corpus, in.Job))
		})
	huma.Register(api, wire.Operation("pauseJob", http.MethodPost, "/corpora/{corpus}/jobs/{job}/pause", "corpora", "Stop a job for a while"),
		func(ctx context.Context, in *InJob) (*struct{}, error) {
			return nil, wire.Known(h.app.Jobs.Pause(ctx, in.Corpus, in.Job))
		})
	huma.Register(api, wire.Operation("resumeJob", http.MethodPost, "/corpora/{corpus}/jobs/{job}/resume", "corpora", "Go on with a paused job where it stopped"),
		func(ctx context.Context, in *InJob) (*struct{}, error) {
			return nil, wire.Known(h.app.Jobs.Resume(ctx, in.Corpus, in.Job))
		})
}

// Saved is a saved draft; Rebuild is the job that brings the index up to it, when one is needed.
type Saved struct {
	Method  method.Method `json:"method"`
	Rebuild *job.Job      `json:"rebuild,omitempty"`
}

func (h *handlers) shape(api huma.API) {
	huma.Register(api, wire.Operation("listSettings", http.MethodGet, "/settings", "shape", "Describe every setting of a method"),
		func(context.Context, *struct{}) (*wire.Out[[]method.Field], error) {
			return &wire.Out[[]method.Field]{Body: method.Fields()}, nil
		})
	huma.Register(api, wire.Operation("getMethod", http.MethodGet, "/corpora/{corpus}/method", "shape", "The draft's settings"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[method.Method], error) {
			return wire.Reply(h.app.Indexing.Method(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("saveMethod", http.MethodPut, "/corpora/{corpus}/method", "shape", "Save the draft's settings; rebuilds what must be rebuilt"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body method.Method
		},
		) (*wire.Out[Saved], error) {
			j, err := h.app.Indexing.SaveMethod(ctx, in.Corpus, in.Body)
			return wire.Reply(Saved{in.Body, j}, err)
		})
	huma.Register(api, wire.Operation("previewCuts", http.MethodPost, "/corpora/{corpus}/documents/{document}/preview", "shape", "Cut a document with settings that are not saved"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Document string `path:"document"`
			Body     struct {
				Settings chunk.Settings  `json:"settings"`
				Other    *chunk.Settings `json:"other,omitempty" doc:"A second set, to see both side by side"`
			}
		},
		) (*wire.Out[indexing.Preview], error) {
			return wire.Reply(h.app.Indexing.Preview(ctx, in.Corpus, in.Document, in.Body.Settings, in.Body.Other))
		})
	huma.Register(api, wire.Operation("cuttingFigures", http.MethodPost, "/corpora/{corpus}/cutting", "shape", "Say how well the whole corpus would be cut with settings that are not saved"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Settings chunk.Settings            `json:"settings"`
				Sources  map[string]chunk.Settings `json:"sources,omitempty" doc:"The settings of sources that are cut in a way of their own"`
				All      bool                      `json:"all,omitempty" doc:"Every document, however long it takes; otherwise as many, evenly drawn, as a moment allows"`
			}
		},
		) (*wire.Out[indexing.Figures], error) {
			return wire.Reply(h.app.Indexing.CuttingFigures(ctx, in.Corpus, in.Body.Settings, in.Body.Sources, in.Body.All))
		})
}

// Ask is a question as it is asked over the API.
type Ask struct {
	Question string       `json:"question" maxLength:"4000"`
	Turns    []query.Turn `json:"turns,omitempty" maxItems:"200" nullable:"false" doc:"What was said before, oldest first"`
	Audience string       `json:"audience,omitempty" maxLength:"80" doc:"As whom it is asked: public, staff, or group: and a name; public when not given"`
	Surface  string       `json:"surface,omitempty" enum:"bench,command" default:"bench"`
	Page     string       `json:"page,omitempty" maxLength:"2000" doc:"Address of the page on which it is asked"`

	Conversation string `json:"conversation,omitempty" maxLength:"80" doc:"The conversation that it goes on with, as the reply before named it; one is begun when not given"`
}

func (a Ask) question() query.Question { return query.Question{Text: a.Question, Turns: a.Turns} }

func (h *handlers) ask(api huma.API) {
	type InAsk struct {
		wire.InCorpus
		Body Ask
	}
	huma.Register(api, wire.Operation("ask", http.MethodPost, "/corpora/{corpus}/ask", "answer", "Ask a question"),
		func(ctx context.Context, in *InAsk) (*wire.Out[*asking.Reply], error) {
			return wire.Reply(h.app.Asking.Ask(ctx, in.Body.caller(), in.Corpus, in.Body.question()))
		})
	huma.Register(api, wire.Operation("getReply", http.MethodGet, "/corpora/{corpus}/replies/{reply}", "answer", "A kept reply with its evidence trail"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Reply string `path:"reply"`
		},
		) (*wire.Out[*asking.Reply], error) {
			return wire.Reply(h.app.Asking.Reply(ctx, in.Corpus, in.Reply))
		})
}

// StartedRun tells the run and the job that works on it.
type StartedRun struct {
	Run runs.Run `json:"run"`
	Job job.Job  `json:"job"`
}

// RunReport is a run with its results.
type RunReport struct {
	Run     runs.Run      `json:"run"`
	Results []runs.Result `json:"results" nullable:"false"`
}

func (h *handlers) prove(api huma.API) {
	huma.Register(api, wire.Operation("listSets", http.MethodGet, "/corpora/{corpus}/sets", "prove", "List the question sets"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]sets.QuestionSet], error) {
			return wire.Reply(h.app.Proving.Sets.QuestionSets(ctx, in.Corpus))
		})
	type InSet struct {
		wire.InCorpus
		Set string `path:"set" doc:"Name or id"`
	}
	huma.Register(api, wire.Operation("getSet", http.MethodGet, "/corpora/{corpus}/sets/{set}", "prove", "One question set, whole or a page of it"),
		func(ctx context.Context, in *struct {
			InSet
			From  int `query:"from" minimum:"0" doc:"Place of the first question of the page"`
			Limit int `query:"limit" minimum:"0" maximum:"10000" doc:"Questions of the page; 0 for the whole set"`
		},
		) (*wire.Out[sets.QuestionSet], error) {
			return wire.Reply(h.app.Proving.Sets.QuestionPage(ctx, in.Corpus, in.Set, in.From, in.Limit))
		})
	edit := wire.Operation("editSet", http.MethodPatch, "/corpora/{corpus}/sets/{set}", "prove", "Change some questions of a set")
	edit.MaxBodyBytes = 64 << 20
	huma.Register(api, edit, func(ctx context.Context, in *struct {
		InSet
		Body sets.Edit
	},
	) (*wire.Out[sets.QuestionSet], error) {
		return wire.Reply(h.app.Proving.Sets.EditQuestions(ctx, in.Corpus, in.Set, in.Body))
	})
	put := wire.Operation("putSet", http.MethodPut, "/corpora/{corpus}/sets/{set}", "prove", "Make or replace a question set")
	put.MaxBodyBytes = 64 << 20
	huma.Register(api, put, func(ctx context.Context, in *struct {
		InSet
		Over string               `query:"over" doc:"The version that is replaced: refused when it is not the present one"`
		Body []questions.Question `nullable:"false"`
	},
	) (*wire.Out[sets.QuestionSet], error) {
		return wire.Reply(h.app.Proving.Sets.ReplaceQuestions(ctx, in.Corpus, in.Set, in.Over, in.Body))
	})
	imported := wire.Operation("importSet", http.MethodPost, "/corpora/{corpus}/sets/{set}/import", "prove", "Read a question set from JSONL, CSV, SQuAD or a BEIR collection (zip), and keep it")
	imported.MaxBodyBytes = 256 << 20
	huma.Register(api, imported, func(ctx context.Context, in *struct {
		InSet
		Keep      bool   `query:"keep" doc:"Make it the set; otherwise it is only read"`
		Documents bool   `query:"documents" doc:"Take in the documents that come with it"`
		RawBody   []byte `contentType:"application/octet-stream"`
	},
	) (*wire.Out[sets.ImportedSet], error) {
		return wire.Reply(h.app.Proving.Sets.ImportSet(ctx, in.Corpus, in.Set, in.RawBody, in.Keep, in.Documents))
	})
	huma.Register(api, wire.Operation("startRun", http.MethodPost, "/corpora/{corpus}/sets/{set}/runs", "prove", "Run a question set over the draft"),
		func(ctx context.Context, in *struct {
			InSet
			Repeats   int     `query:"repeats" default:"1" minimum:"1" maximum:"9" doc:"How often each question is asked; it passes when most of the replies do"`
			CapTokens int     `query:"capTokens" minimum:"0" doc:"The most tokens that the run may use, read and written together; 0 for no cap"`
			CapPrice  float64 `query:"capPrice" minimum:"0" doc:"The most that it may spend, in the connection's currency; 0 for no cap"`
		},
		) (*wire.Out[StartedRun], error) {
			r, j, err := h.app.Proving.Runs.StartRun(ctx, in.Corpus, in.Set, runs.Order{Repeats: in.Repeats, Cap: store.Cap{Tokens: in.CapTokens, Price: in.CapPrice}})
			return wire.Reply(StartedRun{r, j}, err)
		})
	type Reckoning struct {
		InSet
		Repeats int `query:"repeats" default:"1" minimum:"1" maximum:"9"`
		Month   int `query:"month" default:"1000" minimum:"0" doc:"Questions in a month"`
	}
	huma.Register(api, wire.Operation("forecastRun", http.MethodGet, "/corpora/{corpus}/sets/{set}/forecast", "prove", "What a run of a set, and a month of questions, are likely to cost of a model's tokens"),
		func(ctx context.Context, in *Reckoning) (*wire.Out[runs.Forecast], error) {
			return wire.Reply(h.app.Proving.Runs.Forecast(ctx, in.Corpus, in.Set, in.Repeats, in.Month, false))
		})
	huma.Register(api, wire.Operation("measureCost", http.MethodPost, "/corpora/{corpus}/sets/{set}/forecast", "prove", "The same; where nothing was measured yet, a few questions of the set are asked, which costs what it costs"),
		func(ctx context.Context, in *Reckoning) (*wire.Out[runs.Forecast], error) {
			return wire.Reply(h.app.Proving.Runs.Forecast(ctx, in.Corpus, in.Set, in.Repeats, in.Month, true))
		})
	huma.Register(api, wire.Operation("listRuns", http.MethodGet, "/corpora/{corpus}/runs", "prove", "The latest runs"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Set string `query:"set"`
		},
		) (*wire.Out[[]runs.Run], error) {
			return wire.Reply(h.app.Proving.Runs.Runs(ctx, in.Corpus, in.Set))
		})
	type InRun struct {
		wire.InCorpus
		Run string `path:"run"`
	}
	huma.Register(api, wire.Operation("getRun", http.MethodGet, "/corpora/{corpus}/runs/{run}", "prove", "A run with its results"),
		func(ctx context.Context, in *InRun) (*wire.Out[RunReport], error) {
			r, rs, err := h.app.Proving.Runs.RunResults(ctx, in.Corpus, in.Run)
			return wire.Reply(RunReport{r, rs}, err)
		})
	huma.Register(api, wire.Operation("compareRuns", http.MethodGet, "/corpora/{corpus}/runs/{run}/against/{before}", "prove", "Compare a run with an earlier one: what was fixed and broken, with a paired test, and what the methods differ in"),
		func(ctx context.Context, in *struct {
			InRun
			Before string `path:"before"`
		},
		) (*wire.Out[runs.Compared], error) {
			return wire.Reply(h.app.Proving.Runs.CompareRuns(ctx, in.Corpus, in.Before, in.Run))
		})
	huma.Register(api, wire.Operation("getRunReply", http.MethodGet, "/corpora/{corpus}/runs/{run}/replies/{question}", "prove", "The evidence trail of one question of a run"),
		func(ctx context.Context, in *struct {
			InRun
			Question string `path:"question"`
		},
		) (*wire.Out[*asking.Reply], error) {
			return wire.Reply(h.app.Proving.Runs.ResultReply(ctx, in.Corpus, in.Run, in.Question))
		})
}
