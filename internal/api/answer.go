package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/core/answer/wording"
	"jolvex/core/prove"
	"jolvex/core/rule"
	"jolvex/internal/api/wire"
	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/proving/trials"
)

// RuleTrial is what a list of rules is tried on.
type RuleTrial struct {
	Rules    []rule.Rule     `json:"rules" maxItems:"200" nullable:"false"`
	Message  string          `json:"message,omitempty" maxLength:"4000"`
	Page     string          `json:"page,omitempty" maxLength:"2000"`
	Labelled []rule.Labelled `json:"labelled,omitempty" maxItems:"500" nullable:"false" doc:"Messages with the rules that ought to fire"`
}

// Curve is what questions that were weighed say about the evidence bar.
type Curve struct {
	Heights []prove.Height `json:"heights" nullable:"false"`
	Steps   []prove.Step   `json:"steps" nullable:"false"`
	Placing prove.Placing  `json:"placing"`
}

// caller is as whom and where an ask is made.
func (a Ask) caller() asking.Caller {
	c := asWhom(a.Audience, a.Surface)
	c.Page, c.Conversation = a.Page, a.Conversation
	return c
}

func (h *handlers) answering(api huma.API) {
	huma.Register(api, wire.Operation("tryRules", http.MethodPost, "/corpora/{corpus}/rules/try", "answer", "Hold a list of house rules against a message and against labelled ones, and warn of rules that get in each other's way or stand before what the sources say"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body RuleTrial
		},
		) (*wire.Out[asking.RuleTest], error) {
			return wire.Reply(h.app.Asking.TryRules(ctx, asWhom("", "bench"), in.Corpus, in.Body.Rules, in.Body.Message, in.Body.Page, in.Body.Labelled))
		})
	huma.Register(api, wire.Operation("draftManner", http.MethodPost, "/manner/draft", "answer", "Draft a manner from a few words about it, or from a sample of writing"),
		func(_ context.Context, in *struct{ Body wording.Guide }) (*wire.Out[wording.Drafted], error) {
			return wire.Reply(wording.Draft(in.Body), nil)
		})
	huma.Register(api, wire.Operation("tryAnswer", http.MethodPost, "/corpora/{corpus}/try", "answer", "Answer a question under something that is tried out; nothing is kept or carried out"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body Search
		},
		) (*wire.Out[*asking.Reply], error) {
			return wire.Reply(h.app.Asking.Try(ctx, in.Body.caller(), in.Corpus, in.Body.question(), in.Body.Variant))
		})
	huma.Register(api, wire.Operation("getSheet", http.MethodGet, "/corpora/{corpus}/sheet", "answer", "Questions that are answered again whenever the manner changes"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]string], error) {
			return wire.Reply(h.app.Asking.Sheet(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("putSheet", http.MethodPut, "/corpora/{corpus}/sheet", "answer", "Replace them"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body []string `maxItems:"40"`
		},
		) (*wire.Out[[]string], error) {
			return wire.Reply(h.app.Asking.SaveSheet(ctx, in.Corpus, in.Body))
		})
	huma.Register(api, wire.Operation("weighSet", http.MethodPost, "/corpora/{corpus}/sets/{set}/weigh", "answer", "Answer questions of a set, from a place on, whatever the evidence bar, to draw its curve of risk and coverage"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Set  string `path:"set" doc:"Name or id"`
			Body struct {
				From    int            `json:"from" minimum:"0"`
				Variant asking.Variant `json:"variant,omitzero"`
			}
		},
		) (*wire.Out[trials.WeighedPart], error) {
			return wire.Reply(h.app.Proving.Trials.Weigh(ctx, asWhom("", "run"), in.Corpus, in.Set, in.Body.From, in.Body.Variant))
		})
	huma.Register(api, wire.Operation("drawCurve", http.MethodPost, "/curve", "answer", "Risk and coverage of questions that were weighed, at each height of the evidence bar; how support and being right go together; and where the bar is best placed"),
		func(_ context.Context, in *struct {
			Body struct {
				Weighed []prove.Weighed `json:"weighed" maxItems:"100000" nullable:"false"`
				Cost    float64         `json:"cost" minimum:"0.01" maximum:"1000" doc:"As how many questions refused that would have been answered rightly a wrong answer weighs"`
			}
		},
		) (*wire.Out[Curve], error) {
			ws := in.Body.Weighed
			return wire.Reply(Curve{prove.Curve(ws), prove.Calibrate(ws), prove.Place(ws, in.Body.Cost)}, nil)
		})
	huma.Register(api, wire.Operation("suggestGlossary", http.MethodGet, "/corpora/{corpus}/glossary/suggestions", "find", "Terms that the corpus's own texts propose for its glossary"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]asking.Suggestion], error) {
			return wire.Reply(h.app.Asking.SuggestGlossary(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("dismissSuggestion", http.MethodPost, "/corpora/{corpus}/glossary/dismissed", "find", "Keep a term from being proposed again"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Term string `json:"term" minLength:"1" maxLength:"200"`
			}
		},
		) (*wire.Out[struct{}], error) {
			return wire.Reply(struct{}{}, h.app.Asking.DismissSuggestion(ctx, in.Corpus, in.Body.Term))
		})
	huma.Register(api, wire.Operation("readGlossary", http.MethodPost, "/glossary/read", "find", "Read a glossary from CSV without keeping it"),
		func(_ context.Context, in *struct {
			RawBody []byte `contentType:"text/csv"`
		},
		) (*wire.Out[asking.GlossaryFile], error) {
			return wire.Reply(asking.ReadGlossary(in.RawBody))
		})
	glossary := wire.Operation("exportGlossary", http.MethodGet, "/corpora/{corpus}/glossary/export", "find", "The glossary as CSV")
	glossary.Responses = map[string]*huma.Response{"200": {Description: "The file", Content: map[string]*huma.MediaType{"text/csv": {}}}}
	huma.Register(api, glossary, func(ctx context.Context, in *wire.InCorpus) (*huma.StreamResponse, error) {
		return wire.CSV("glossary.csv")(h.app.Asking.Glossary(ctx, in.Corpus))
	})
	huma.Register(api, wire.Operation("listNotices", http.MethodGet, "/corpora/{corpus}/notices", "answer", "What house rules had to tell somebody: details, hand-overs, alerts"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]asking.Notice], error) {
			return wire.Reply(h.app.Asking.Notices(ctx, in.Corpus))
		})
	export := wire.Operation("exportNotices", http.MethodGet, "/corpora/{corpus}/notices/export", "answer", "The same as CSV, a column for each detail")
	export.Responses = map[string]*huma.Response{"200": {Description: "The file", Content: map[string]*huma.MediaType{"text/csv": {}}}}
	huma.Register(api, export,
		func(ctx context.Context, in *wire.InCorpus) (*huma.StreamResponse, error) {
			return wire.CSV("notices.csv")(h.app.Asking.ExportNotices(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("getMail", http.MethodGet, "/connections/mail", "answer", "The mail server that alerts go out by"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[connections.Connection], error) {
			return wire.Reply(h.app.Connections.MailConnection(ctx))
		})
	huma.Register(api, wire.Operation("connectMail", http.MethodPut, "/connections/mail", "answer", "Set the mail server (smtp:// or smtps://); its model is the address that mail is sent from"),
		func(ctx context.Context, in *struct{ Body connections.ConnectionChange }) (*wire.Out[connections.Connection], error) {
			return wire.Reply(h.app.Connections.ConnectMail(ctx, in.Body))
		})
}
