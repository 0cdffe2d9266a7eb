package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/core/chunk"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/internal/store"
	"jolvex/internal/work"
)

// out is an answer with a body.
type out[T any] struct{ Body T }

// InCorpus is the part of a path that names the corpus.
type InCorpus struct {
	Corpus string `path:"corpus" doc:"Name or id of the corpus"`
}

func operation(id, method, path, stage, summary string) huma.Operation {
	return huma.Operation{OperationID: id, Method: method, Path: "/api" + path, Tags: []string{stage}, Summary: summary, MaxBodyBytes: 4 << 20}
}

// reply wraps a use case's result.
func reply[T any](v T, err error) (*out[T], error) {
	if err != nil {
		return nil, known(err)
	}
	return &out[T]{v}, nil
}

func (h *handlers) corpora(api huma.API) {
	huma.Register(api, operation("listCorpora", http.MethodGet, "/corpora", "corpora", "List all corpora"),
		func(ctx context.Context, _ *struct{}) (*out[[]work.Corpus], error) { return reply(h.app.Corpora(ctx)) })
	huma.Register(api, operation("createCorpus", http.MethodPost, "/corpora", "corpora", "Make an empty corpus"),
		func(ctx context.Context, in *struct {
			Body struct {
				Name string `json:"name" minLength:"1" maxLength:"120"`
			}
		},
		) (*out[work.Corpus], error) {
			return reply(h.app.CreateCorpus(ctx, in.Body.Name))
		})
	huma.Register(api, operation("getCorpus", http.MethodGet, "/corpora/{corpus}", "corpora", "One corpus with its figures"),
		func(ctx context.Context, in *InCorpus) (*out[work.Corpus], error) {
			return reply(h.app.Corpus(ctx, in.Corpus))
		})
	huma.Register(api, operation("listJobs", http.MethodGet, "/corpora/{corpus}/jobs", "corpora", "The latest jobs"),
		func(ctx context.Context, in *InCorpus) (*out[[]work.Job], error) {
			return reply(h.app.Jobs(ctx, in.Corpus))
		})
	type InJob struct {
		InCorpus
		Job string `path:"job"`
	}
	huma.Register(api, operation("getJob", http.MethodGet, "/corpora/{corpus}/jobs/{job}", "corpora", "One job"),
		func(ctx context.Context, in *InJob) (*out[work.Job], error) {
			return reply(h.app.Job(ctx, in.Corpus, in.Job))
		})
	huma.Register(api, operation("cancelJob", http.MethodPost, "/corpora/{corpus}/jobs/{job}/cancel", "corpora", "Stop a job; what it has done stays"),
		func(ctx context.Context, in *InJob) (*struct{}, error) {
			return nil, known(h.app.Cancel(ctx, in.Corpus, in.Job))
		})
}

// AddSite is the body of a request that adds a site.
type AddSite struct {
	Address  string               `json:"address" minLength:"1" maxLength:"2000" doc:"Start address"`
	Settings store.SourceSettings `json:"settings,omitempty"`
}

// AddedSite tells what was added and the job that gathers it.
type AddedSite struct {
	Source work.Source `json:"source"`
	Job    work.Job    `json:"job"`
}

// DocumentList is one page of a list of documents.
type DocumentList struct {
	Documents []work.Document `json:"documents" nullable:"false"`
	Total     int             `json:"total"`
}

// Retried tells how many documents are tried again.
type Retried struct {
	Documents int `json:"documents"`
}

func (h *handlers) gather(api huma.API) {
	huma.Register(api, operation("listSources", http.MethodGet, "/corpora/{corpus}/sources", "gather", "List the sources"),
		func(ctx context.Context, in *InCorpus) (*out[[]work.Source], error) {
			return reply(h.app.Sources(ctx, in.Corpus))
		})
	huma.Register(api, operation("addSite", http.MethodPost, "/corpora/{corpus}/sites", "gather", "Add a site and gather it"),
		func(ctx context.Context, in *struct {
			InCorpus
			Body AddSite
		},
		) (*out[AddedSite], error) {
			s, j, err := h.app.AddSite(ctx, in.Corpus, in.Body.Address, in.Body.Settings)
			return reply(AddedSite{s, j}, err)
		})
	upload := operation("uploadFile", http.MethodPut, "/corpora/{corpus}/files", "gather", "Take in one file")
	upload.MaxBodyBytes = 21 << 20
	upload.RequestBody = &huma.RequestBody{}
	huma.Register(api, upload, func(ctx context.Context, in *struct {
		InCorpus
		Name      string `query:"name" required:"true" doc:"File name; the same name replaces"`
		MediaType string `header:"Content-Type"`
		RawBody   []byte `contentType:"application/octet-stream"`
	},
	) (*out[work.Document], error) {
		mt := in.MediaType
		if mt == "application/octet-stream" {
			mt = ""
		}
		return reply(h.app.Upload(ctx, in.Corpus, in.Name, mt, in.RawBody))
	})
	upload.RequestBody.Required = false // an empty file is a failed document with its reason, not a wrong request
	huma.Register(api, operation("listDocuments", http.MethodGet, "/corpora/{corpus}/documents", "gather", "List documents by address"),
		func(ctx context.Context, in *struct {
			InCorpus
			Source string `query:"source"`
			State  string `query:"state"`
			Text   string `query:"text" doc:"Part of the address or title"`
			Limit  int    `query:"limit" default:"200" minimum:"1" maximum:"10000"`
			Offset int    `query:"offset" default:"0" minimum:"0"`
		},
		) (*out[DocumentList], error) {
			ds, n, err := h.app.Documents(ctx, in.Corpus, store.Filter{Source: in.Source, State: in.State, Text: in.Text, Limit: in.Limit, Offset: in.Offset})
			return reply(DocumentList{ds, n}, err)
		})
	huma.Register(api, operation("openDocument", http.MethodGet, "/corpora/{corpus}/documents/{document}", "gather", "Open a document"),
		func(ctx context.Context, in *struct {
			InCorpus
			Document string `path:"document"`
			Version  string `query:"version" doc:"A version other than the current one"`
		},
		) (*out[work.OpenDocument], error) {
			return reply(h.app.OpenDocument(ctx, in.Corpus, in.Document, in.Version))
		})
	huma.Register(api, operation("retryDocuments", http.MethodPost, "/corpora/{corpus}/documents/retry", "gather", "Try failed documents again"),
		func(ctx context.Context, in *struct {
			InCorpus
			Body struct {
				Documents []string `json:"documents,omitempty" maxItems:"10000" nullable:"false" doc:"Their ids; none stands for all that failed"`
			}
		},
		) (*out[Retried], error) {
			n, err := h.app.Retry(ctx, in.Corpus, in.Body.Documents)
			return reply(Retried{n}, err)
		})
}

// Saved is a saved draft; Rebuild is the job that brings the index up to it, when one is needed.
type Saved struct {
	Method  method.Method `json:"method"`
	Rebuild *work.Job     `json:"rebuild,omitempty"`
}

func (h *handlers) shape(api huma.API) {
	huma.Register(api, operation("listSettings", http.MethodGet, "/settings", "shape", "Describe every setting of a method"),
		func(context.Context, *struct{}) (*out[[]method.Field], error) {
			return &out[[]method.Field]{method.Fields()}, nil
		})
	huma.Register(api, operation("getMethod", http.MethodGet, "/corpora/{corpus}/method", "shape", "The draft's settings"),
		func(ctx context.Context, in *InCorpus) (*out[method.Method], error) {
			return reply(h.app.Method(ctx, in.Corpus))
		})
	huma.Register(api, operation("saveMethod", http.MethodPut, "/corpora/{corpus}/method", "shape", "Save the draft's settings; rebuilds what must be rebuilt"),
		func(ctx context.Context, in *struct {
			InCorpus
			Body method.Method
		},
		) (*out[Saved], error) {
			j, err := h.app.SaveMethod(ctx, in.Corpus, in.Body)
			return reply(Saved{in.Body, j}, err)
		})
	huma.Register(api, operation("previewCuts", http.MethodPost, "/corpora/{corpus}/documents/{document}/preview", "shape", "Cut a document with settings that are not saved"),
		func(ctx context.Context, in *struct {
			InCorpus
			Document string `path:"document"`
			Body     chunk.Settings
		},
		) (*out[work.Preview], error) {
			return reply(h.app.Preview(ctx, in.Corpus, in.Document, in.Body))
		})
}

// Ask is a question as it is asked over the API.
type Ask struct {
	Question string       `json:"question" maxLength:"4000"`
	Turns    []query.Turn `json:"turns,omitempty" maxItems:"200" nullable:"false" doc:"What was said before, oldest first"`
	Surface  string       `json:"surface,omitempty" enum:"bench,command" default:"bench"`
}

func (h *handlers) ask(api huma.API) {
	type InAsk struct {
		InCorpus
		Body Ask
	}
	caller := func(in *InAsk) (work.Caller, query.Question) {
		return work.Caller{Audience: index.Public, Surface: in.Body.Surface}, query.Question{Text: in.Body.Question, Turns: in.Body.Turns}
	}
	huma.Register(api, operation("ask", http.MethodPost, "/corpora/{corpus}/ask", "answer", "Ask a question"),
		func(ctx context.Context, in *InAsk) (*out[*work.Reply], error) {
			who, q := caller(in)
			return reply(h.app.Ask(ctx, who, in.Corpus, q))
		})
	huma.Register(api, operation("find", http.MethodPost, "/corpora/{corpus}/find", "find", "Rank chunks for a question"),
		func(ctx context.Context, in *InAsk) (*out[*work.Reply], error) {
			who, q := caller(in)
			return reply(h.app.Find(ctx, who, in.Corpus, q))
		})
	huma.Register(api, operation("getReply", http.MethodGet, "/corpora/{corpus}/replies/{reply}", "answer", "A kept reply with its evidence trail"),
		func(ctx context.Context, in *struct {
			InCorpus
			Reply string `path:"reply"`
		},
		) (*out[*work.Reply], error) {
			return reply(h.app.Reply(ctx, in.Corpus, in.Reply))
		})
}

// StartedRun tells the run and the job that works on it.
type StartedRun struct {
	Run work.Run `json:"run"`
	Job work.Job `json:"job"`
}

// RunReport is a run with its results.
type RunReport struct {
	Run     work.Run      `json:"run"`
	Results []work.Result `json:"results" nullable:"false"`
}

func (h *handlers) prove(api huma.API) {
	huma.Register(api, operation("listSets", http.MethodGet, "/corpora/{corpus}/sets", "prove", "List the question sets"),
		func(ctx context.Context, in *InCorpus) (*out[[]work.QuestionSet], error) {
			return reply(h.app.QuestionSets(ctx, in.Corpus))
		})
	type InSet struct {
		InCorpus
		Set string `path:"set" doc:"Name or id"`
	}
	huma.Register(api, operation("getSet", http.MethodGet, "/corpora/{corpus}/sets/{set}", "prove", "One question set"),
		func(ctx context.Context, in *InSet) (*out[work.QuestionSet], error) {
			return reply(h.app.QuestionSet(ctx, in.Corpus, in.Set))
		})
	put := operation("putSet", http.MethodPut, "/corpora/{corpus}/sets/{set}", "prove", "Make or replace a question set")
	put.MaxBodyBytes = 16 << 20
	huma.Register(api, put, func(ctx context.Context, in *struct {
		InSet
		Body []prove.Question `nullable:"false"`
	},
	) (*out[work.QuestionSet], error) {
		return reply(h.app.PutQuestions(ctx, in.Corpus, in.Set, in.Body))
	})
	huma.Register(api, operation("startRun", http.MethodPost, "/corpora/{corpus}/sets/{set}/runs", "prove", "Run a question set over the draft"),
		func(ctx context.Context, in *InSet) (*out[StartedRun], error) {
			r, j, err := h.app.StartRun(ctx, in.Corpus, in.Set)
			return reply(StartedRun{r, j}, err)
		})
	huma.Register(api, operation("listRuns", http.MethodGet, "/corpora/{corpus}/runs", "prove", "The latest runs"),
		func(ctx context.Context, in *struct {
			InCorpus
			Set string `query:"set"`
		},
		) (*out[[]work.Run], error) {
			return reply(h.app.Runs(ctx, in.Corpus, in.Set))
		})
	type InRun struct {
		InCorpus
		Run string `path:"run"`
	}
	huma.Register(api, operation("getRun", http.MethodGet, "/corpora/{corpus}/runs/{run}", "prove", "A run with its results"),
		func(ctx context.Context, in *InRun) (*out[RunReport], error) {
			r, rs, err := h.app.RunResults(ctx, in.Corpus, in.Run)
			return reply(RunReport{r, rs}, err)
		})
	huma.Register(api, operation("getRunReply", http.MethodGet, "/corpora/{corpus}/runs/{run}/replies/{question}", "prove", "The evidence trail of one question of a run"),
		func(ctx context.Context, in *struct {
			InRun
			Question string `path:"question"`
		},
		) (*out[*work.Reply], error) {
			return reply(h.app.ResultReply(ctx, in.Corpus, in.Run, in.Question))
		})
}
