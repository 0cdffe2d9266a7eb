package api

import (
	"context"
	"mime"
	"net/http"
	"path"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/core/cells"
	"jolvex/core/extract"
	"jolvex/internal/api/door"
	"jolvex/internal/api/wire"
	"jolvex/internal/connections"
	"jolvex/internal/gathering"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/model"
	"jolvex/internal/store"
)

// AddedSource tells what was added and the job that gathers it.
type AddedSource struct {
	Source gathering.Source `json:"source"`
	Job    job.Job          `json:"job"`
}

// DocumentList is one page of a list of documents.
type DocumentList struct {
	Documents []indexing.Document `json:"documents" nullable:"false"`
	Total     int                 `json:"total"`
}

// Retried tells how many documents are tried again.
type Retried struct {
	Documents int `json:"documents"`
}

// InSource is the part of a path that names a source.
type InSource struct {
	wire.InCorpus
	Source string `path:"source"`
}

// InDocument is the part of a path that names a document.
type InDocument struct {
	wire.InCorpus
	Document string `path:"document"`
}

func (h *handlers) gather(api huma.API) {
	h.sources(api)
	h.documents(api)
	h.handedOver(api)
	h.findings(api)
	h.connections(api)
}

func (h *handlers) sources(api huma.API) {
	huma.Register(api, wire.Operation("listSources", http.MethodGet, "/corpora/{corpus}/sources", "gather", "List the sources"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]gathering.Source], error) {
			return wire.Reply(h.app.Gathering.Sources(ctx, in.Corpus))
		})
	add := wire.Operation("addSource", http.MethodPost, "/corpora/{corpus}/sources", "gather", "Add a site, sitemap, address list, feed or watched folder, and gather it")
	add.MaxBodyBytes = 16 << 20
	huma.Register(api, add, func(ctx context.Context, in *struct {
		wire.InCorpus
		Body gathering.NewSource
	},
	) (*wire.Out[AddedSource], error) {
		if err := door.OwnersOnly(ctx, in.Body.Kind == store.KindFolder || in.Body.Settings.AllowPrivate); err != nil {
			return nil, err
		}
		s, j, err := h.app.Gathering.AddSource(ctx, in.Corpus, in.Body)
		return wire.Reply(AddedSource{s, j}, err)
	})
	huma.Register(api, wire.Operation("changeSource", http.MethodPatch, "/corpora/{corpus}/sources/{source}", "gather", "Change a source's name, audience, marks, schedule or settings"),
		func(ctx context.Context, in *struct {
			InSource
			Body gathering.SourceChange
		},
		) (*wire.Out[gathering.Source], error) {
			if err := door.OwnersOnly(ctx, in.Body.Settings != nil && in.Body.Settings.AllowPrivate); err != nil {
				return nil, err
			}
			return wire.Reply(h.app.Gathering.ChangeSource(ctx, in.Corpus, in.Source, in.Body))
		})
	huma.Register(api, wire.Operation("removeSource", http.MethodDelete, "/corpora/{corpus}/sources/{source}", "gather", "Remove a source with its documents and their history"),
		func(ctx context.Context, in *InSource) (*struct{}, error) {
			return nil, wire.Known(h.app.Gathering.RemoveSource(ctx, in.Corpus, in.Source))
		})
	huma.Register(api, wire.Operation("visitSource", http.MethodPost, "/corpora/{corpus}/sources/{source}/visit", "gather", "Visit a source now, for what changed"),
		func(ctx context.Context, in *InSource) (*wire.Out[job.Job], error) {
			return wire.Reply(h.app.Gathering.Visit(ctx, in.Corpus, in.Source))
		})
	huma.Register(api, wire.Operation("listHeld", http.MethodGet, "/corpora/{corpus}/sources/{source}/held", "gather", "List the documents whose changes wait for a person, because one visit would take away too much"),
		func(ctx context.Context, in *InSource) (*wire.Out[[]gathering.HeldDocument], error) {
			return wire.Reply(h.app.Gathering.Held(ctx, in.Corpus, in.Source))
		})
	huma.Register(api, wire.Operation("decideHeld", http.MethodPost, "/corpora/{corpus}/sources/{source}/held", "gather", "Keep the old versions of what is held back, or make the changes; this once"),
		func(ctx context.Context, in *struct {
			InSource
			Body struct {
				Decision string `json:"decision" enum:"keep,take" doc:"keep stays with the old versions for as long as the changes are these; take makes the changes"`
			}
		},
		) (*wire.Out[job.Job], error) {
			return wire.Reply(h.app.Gathering.Decide(ctx, in.Corpus, in.Source, in.Body.Decision == store.Take))
		})
	huma.Register(api, wire.Operation("listPages", http.MethodGet, "/corpora/{corpus}/sources/{source}/pages", "gather", "What a source has found, for choosing, and what patterns catch of it"),
		func(ctx context.Context, in *struct {
			InSource
			Include []string `query:"include,explode" doc:"Path patterns, * for anything and $ for the end"`
			Exclude []string `query:"exclude,explode"`
		},
		) (*wire.Out[gathering.PageList], error) {
			return wire.Reply(h.app.Gathering.Pages(ctx, in.Corpus, in.Source, in.Include, in.Exclude))
		})
	choose := wire.Operation("choosePages", http.MethodPut, "/corpora/{corpus}/sources/{source}/choice", "gather", "Take in the pages that are named and leave out all others of the source")
	choose.MaxBodyBytes = 16 << 20
	huma.Register(api, choose, func(ctx context.Context, in *struct {
		InSource
		Body gathering.Choice
	},
	) (*wire.Out[gathering.Chosen], error) {
		return wire.Reply(h.app.Gathering.Choose(ctx, in.Corpus, in.Source, in.Body))
	})
}

func (h *handlers) documents(api huma.API) {
	huma.Register(api, wire.Operation("listDocuments", http.MethodGet, "/corpora/{corpus}/documents", "gather", "List documents by address"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Source string `query:"source"`
			State  string `query:"state"`
			Text   string `query:"text" doc:"Part of the address or title"`
			Limit  int    `query:"limit" default:"200" minimum:"1" maximum:"10000"`
			Offset int    `query:"offset" default:"0" minimum:"0"`
		},
		) (*wire.Out[DocumentList], error) {
			ds, n, err := h.app.Indexing.Documents(ctx, in.Corpus, store.Filter{Source: in.Source, State: in.State, Text: in.Text, Limit: in.Limit, Offset: in.Offset})
			return wire.Reply(DocumentList{ds, n}, err)
		})
	export := wire.Operation("exportDocuments", http.MethodGet, "/corpora/{corpus}/documents/export", "gather", "The list of documents as CSV")
	export.Responses = map[string]*huma.Response{"200": {Description: "The file", Content: map[string]*huma.MediaType{"text/csv": {}}}}
	huma.Register(api, export, func(ctx context.Context, in *struct {
		wire.InCorpus
		Source string `query:"source"`
		State  string `query:"state"`
		Text   string `query:"text"`
	},
	) (*huma.StreamResponse, error) {
		ds, _, err := h.app.Indexing.Documents(ctx, in.Corpus, store.Filter{Source: in.Source, State: in.State, Text: in.Text, Limit: 1_000_000})
		if err != nil {
			return nil, wire.Known(err)
		}
		return &huma.StreamResponse{Body: func(c huma.Context) {
			c.SetHeader("Content-Type", "text/csv; charset=utf-8")
			c.SetHeader("Content-Disposition", `attachment; filename="documents.csv"`)
			w := cells.NewWriter(c.BodyWriter())
			_ = w.Write([]string{"address", "title", "state", "reason", "words", "audience", "marks", "clutter", "found on", "changed"}) // the client has gone
			for _, d := range ds {
				_ = w.Write([]string{d.Address, d.Title, d.State, d.Reason, strconv.Itoa(d.Words), d.Audience, strings.Join(d.Marks, " "), strings.Join(d.Clutter, " "), d.FoundOn, d.ChangedAt})
			}
			w.Flush()
		}}, nil
	})
	huma.Register(api, wire.Operation("openDocument", http.MethodGet, "/corpora/{corpus}/documents/{document}", "gather", "Open a document"),
		func(ctx context.Context, in *struct {
			InDocument
			Version string `query:"version" doc:"A version other than the current one"`
		},
		) (*wire.Out[indexing.OpenDocument], error) {
			return wire.Reply(h.app.Indexing.OpenDocument(ctx, in.Corpus, in.Document, in.Version))
		})
	huma.Register(api, wire.Operation("changeDocument", http.MethodPatch, "/corpora/{corpus}/documents/{document}", "gather", "Give a document an audience and marks of its own"),
		func(ctx context.Context, in *struct {
			InDocument
			Body gathering.DocumentChange
		},
		) (*wire.Out[indexing.Document], error) {
			return wire.Reply(h.app.Gathering.ChangeDocument(ctx, in.Corpus, in.Document, in.Body))
		})
	huma.Register(api, wire.Operation("removeDocument", http.MethodDelete, "/corpora/{corpus}/documents/{document}", "gather", "Remove a document that was handed over, with its history"),
		func(ctx context.Context, in *InDocument) (*struct{}, error) {
			return nil, wire.Known(h.app.Gathering.RemoveDocument(ctx, in.Corpus, in.Document))
		})
	huma.Register(api, wire.Operation("compareVersions", http.MethodGet, "/corpora/{corpus}/documents/{document}/changes", "gather", "How a document changed between two versions; the last change when none are named"),
		func(ctx context.Context, in *struct {
			InDocument
			From string `query:"from"`
			To   string `query:"to"`
		},
		) (*wire.Out[gathering.Comparison], error) {
			return wire.Reply(h.app.Gathering.Compare(ctx, in.Corpus, in.Document, in.From, in.To))
		})
	huma.Register(api, wire.Operation("listChanges", http.MethodGet, "/corpora/{corpus}/changes", "gather", "What came, changed and went since a moment"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Since string `query:"since" required:"true" doc:"RFC 3339"`
		},
		) (*wire.Out[gathering.ChangeList], error) {
			return wire.Reply(h.app.Gathering.Changes(ctx, in.Corpus, in.Since))
		})
	type Picked struct {
		Documents []string `json:"documents,omitempty" maxItems:"10000" nullable:"false" doc:"Their ids"`
	}
	huma.Register(api, wire.Operation("retryDocuments", http.MethodPost, "/corpora/{corpus}/documents/retry", "gather", "Try failed documents again; none named stands for all that failed"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body Picked
		},
		) (*wire.Out[Retried], error) {
			n, err := h.app.Gathering.Retry(ctx, in.Corpus, in.Body.Documents)
			return wire.Reply(Retried{n}, err)
		})
	huma.Register(api, wire.Operation("leaveOutDocuments", http.MethodPost, "/corpora/{corpus}/documents/leave-out", "gather", "Take documents out of what is answered from, or back in"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Picked
				Back bool `json:"back,omitempty" doc:"Take them in again"`
			}
		},
		) (*struct{}, error) {
			return nil, wire.Known(h.app.Gathering.LeaveOut(ctx, in.Corpus, in.Body.Documents, !in.Body.Back))
		})
	original := wire.Operation("getOriginal", http.MethodGet, "/corpora/{corpus}/documents/{document}/original", "gather", "The file that a document was made of, to be saved")
	original.Responses = map[string]*huma.Response{"200": {Description: "The file", Content: map[string]*huma.MediaType{"application/octet-stream": {}}}}
	huma.Register(api, original, func(ctx context.Context, in *InDocument) (*huma.StreamResponse, error) {
		d, o, err := h.app.Gathering.Original(ctx, in.Corpus, in.Document)
		if err != nil {
			return nil, wire.Known(err)
		}
		return &huma.StreamResponse{Body: func(c huma.Context) {
			// Never shown by the browser itself: what is in it is none of ours.
			c.SetHeader("Content-Type", "application/octet-stream")
			c.SetHeader("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": path.Base(d.Address)}))
			_, _ = c.BodyWriter().Write(o.Body) // the client has gone
		}}, nil
	})
}

// raw is a body that is taken as it comes.
func raw(o huma.Operation, limit int64) huma.Operation {
	o.MaxBodyBytes = limit
	o.RequestBody = &huma.RequestBody{}
	return o
}

func (h *handlers) handedOver(api huma.API) {
	upload := raw(wire.Operation("uploadFile", http.MethodPut, "/corpora/{corpus}/files", "gather", "Take in one file"), model.MaxMedia+1)
	huma.Register(api, upload, func(ctx context.Context, in *struct {
		wire.InCorpus
		Name      string `query:"name" required:"true" doc:"File name; the same name replaces"`
		Audience  string `query:"audience" doc:"Audience: public, staff, or group: and a name; as before, or public, when not given"`
		Later     bool   `query:"later" doc:"It is one of many: they go into the index together, by a job, and not before this answers"`
		MediaType string `header:"Content-Type"`
		RawBody   []byte `contentType:"application/octet-stream"`
	},
	) (*wire.Out[indexing.Document], error) {
		mt := in.MediaType
		if mt == "application/octet-stream" {
			mt = ""
		}
		return wire.Reply(h.app.Gathering.TakeFile(ctx, in.Corpus, gathering.File{Name: in.Name, MediaType: mt, Audience: in.Audience, Body: in.RawBody, Later: in.Later}))
	})
	upload.RequestBody.Required = false // an empty file is a failed document with its reason, not a wrong request
	huma.Register(api, raw(wire.Operation("uploadArchive", http.MethodPut, "/corpora/{corpus}/archives", "gather", "Take in the files of a zip archive"), gathering.MaxArchive+1),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Name    string `query:"name" required:"true"`
			RawBody []byte `contentType:"application/octet-stream"`
		},
		) (*wire.Out[[]gathering.TakenFile], error) {
			return wire.Reply(h.app.Gathering.UploadArchive(ctx, in.Corpus, in.Name, in.RawBody))
		})
	huma.Register(api, wire.Operation("putText", http.MethodPut, "/corpora/{corpus}/texts", "gather", "Take in a pasted text; one of the same title is replaced"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Title string `json:"title" minLength:"1" maxLength:"300"`
				Text  string `json:"text" minLength:"1" maxLength:"5000000" doc:"Plain text or Markdown"`
			}
		},
		) (*wire.Out[indexing.Document], error) {
			return wire.Reply(h.app.Gathering.PutText(ctx, in.Corpus, in.Body.Title, in.Body.Text))
		})
	type InPairs struct {
		wire.InCorpus
		Question string `query:"question" doc:"The column of the questions; told by its name when not given"`
		Answer   string `query:"answer" doc:"The column of the answers; told by its name when not given"`
		RawBody  []byte `contentType:"application/octet-stream"`
	}
	huma.Register(api, raw(wire.Operation("previewPairs", http.MethodPost, "/corpora/{corpus}/pairs/preview", "gather", "Read questions and answers from CSV or JSON Lines without taking them in"), 21<<20),
		func(_ context.Context, in *InPairs) (*wire.Out[extract.PairFile], error) {
			return wire.Reply(gathering.PairPreview(in.RawBody, in.Question, in.Answer))
		})
	huma.Register(api, raw(wire.Operation("putPairs", http.MethodPut, "/corpora/{corpus}/pairs", "gather", "Take in questions and answers from CSV or JSON Lines"), 21<<20),
		func(ctx context.Context, in *InPairs) (*wire.Out[extract.PairFile], error) {
			return wire.Reply(h.app.Gathering.PutPairs(ctx, in.Corpus, in.RawBody, in.Question, in.Answer))
		})
	pairs := wire.Operation("getPairs", http.MethodGet, "/corpora/{corpus}/pairs", "gather", "All questions and answers as a file")
	pairs.Responses = map[string]*huma.Response{"200": {Description: "The file", Content: map[string]*huma.MediaType{"text/csv": {}, "application/jsonl": {}}}}
	huma.Register(api, pairs, func(ctx context.Context, in *struct {
		wire.InCorpus
		Form string `query:"form" enum:"csv,jsonl" default:"csv"`
	},
	) (*huma.StreamResponse, error) {
		b, err := h.app.Gathering.Pairs(ctx, in.Corpus, in.Form)
		if err != nil {
			return nil, wire.Known(err)
		}
		return &huma.StreamResponse{Body: func(c huma.Context) {
			c.SetHeader("Content-Type", map[string]string{"csv": "text/csv; charset=utf-8", "jsonl": "application/jsonl"}[in.Form])
			c.SetHeader("Content-Disposition", `attachment; filename="questions-and-answers.`+in.Form+`"`)
			_, _ = c.BodyWriter().Write(b) // the client has gone
		}}, nil
	})
}

// connections are what others run for what is not built in.
func (h *handlers) connections(api huma.API) {
	huma.Register(api, wire.Operation("getSpeech", http.MethodGet, "/connections/speech", "gather", "What turns speech into text"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[connections.Connection], error) {
			return wire.Reply(h.app.Connections.SpeechConnection(ctx))
		})
	huma.Register(api, wire.Operation("getEmbeddings", http.MethodGet, "/connections/embeddings", "find", "Where embeddings come from that are not built in"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[connections.Connection], error) {
			return wire.Reply(h.app.Indexing.EmbeddingsConnection(ctx))
		})
	huma.Register(api, wire.Operation("connectEmbeddings", http.MethodPut, "/connections/embeddings", "find", "Set where embeddings come from: an endpoint of the widely used embeddings protocol, which is tried at once"),
		func(ctx context.Context, in *struct{ Body connections.ConnectionChange }) (*wire.Out[connections.Connection], error) {
			return wire.Reply(h.app.Indexing.ConnectEmbeddings(ctx, in.Body))
		})
	huma.Register(api, wire.Operation("getChat", http.MethodGet, "/connections/chat", "answer", "The language model that words replies and questions, and what it has cost this month"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[connections.Connection], error) {
			return wire.Reply(h.app.Connections.ChatConnection(ctx))
		})
	huma.Register(api, wire.Operation("connectChat", http.MethodPut, "/connections/chat", "answer", "Set the language model: an endpoint of the widely used chat-completions protocol, which is tried at once"),
		func(ctx context.Context, in *struct{ Body connections.ConnectionChange }) (*wire.Out[connections.Connection], error) {
			return wire.Reply(h.app.Connections.ConnectChat(ctx, in.Body))
		})
	huma.Register(api, wire.Operation("connectSpeech", http.MethodPut, "/connections/speech", "gather", "Set what turns speech into text: an endpoint of the widely used transcription protocol"),
		func(ctx context.Context, in *struct{ Body connections.ConnectionChange }) (*wire.Out[connections.Connection], error) {
			return wire.Reply(h.app.Connections.ConnectSpeech(ctx, in.Body))
		})
}

func (h *handlers) findings(api huma.API) {
	huma.Register(api, wire.Operation("listFindings", http.MethodGet, "/corpora/{corpus}/findings", "gather", "What content checks found, the gravest first"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Document string `query:"document" doc:"Those about one document"`
		},
		) (*wire.Out[[]gathering.Finding], error) {
			return wire.Reply(h.app.Gathering.Findings(ctx, in.Corpus, in.Document))
		})
	huma.Register(api, wire.Operation("checkDocuments", http.MethodPost, "/corpora/{corpus}/findings/check", "gather", "Check all documents now"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[job.Job], error) {
			return wire.Reply(h.app.Gathering.Check(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("dismissFindings", http.MethodPost, "/corpora/{corpus}/findings/dismiss", "gather", "Mark findings as seen to be in order, or take that back"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Findings []string `json:"findings" maxItems:"10000" nullable:"false"`
				Back     bool     `json:"back,omitempty"`
			}
		},
		) (*struct{}, error) {
			return nil, wire.Known(h.app.Gathering.Dismiss(ctx, in.Corpus, in.Body.Findings, !in.Body.Back))
		})
}
