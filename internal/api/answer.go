package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/core/rule"
	"jolvex/internal/work"
)

// RuleTrial is what a list of rules is tried on.
type RuleTrial struct {
	Rules    []rule.Rule     `json:"rules" maxItems:"200" nullable:"false"`
	Message  string          `json:"message,omitempty" maxLength:"4000"`
	Page     string          `json:"page,omitempty" maxLength:"2000"`
	Labelled []rule.Labelled `json:"labelled,omitempty" maxItems:"500" nullable:"false" doc:"Messages with the rules that ought to fire"`
}

// caller is as whom and where an ask is made.
func (a Ask) caller() work.Caller {
	c := asWhom(a.Audience, a.Surface)
	c.Page = a.Page
	return c
}

func (h *handlers) answering(api huma.API) {
	huma.Register(api, operation("tryRules", http.MethodPost, "/corpora/{corpus}/rules/try", "answer", "Hold a list of house rules against a message and against labelled ones, and warn of rules that get in each other's way or stand before what the sources say"),
		func(ctx context.Context, in *struct {
			InCorpus
			Body RuleTrial
		},
		) (*out[work.RuleTest], error) {
			return reply(h.app.TryRules(ctx, asWhom("", "bench"), in.Corpus, in.Body.Rules, in.Body.Message, in.Body.Page, in.Body.Labelled))
		})
	huma.Register(api, operation("listNotices", http.MethodGet, "/corpora/{corpus}/notices", "answer", "What house rules had to tell somebody: details, hand-overs, alerts"),
		func(ctx context.Context, in *InCorpus) (*out[[]work.Notice], error) {
			return reply(h.app.Notices(ctx, in.Corpus))
		})
	export := operation("exportNotices", http.MethodGet, "/corpora/{corpus}/notices/export", "answer", "The same as CSV, a column for each detail")
	export.Responses = map[string]*huma.Response{"200": {Description: "The file", Content: map[string]*huma.MediaType{"text/csv": {}}}}
	huma.Register(api, export,
		func(ctx context.Context, in *InCorpus) (*huma.StreamResponse, error) {
			b, err := h.app.ExportNotices(ctx, in.Corpus)
			if err != nil {
				return nil, known(err)
			}
			return &huma.StreamResponse{Body: func(c huma.Context) {
				c.SetHeader("Content-Type", "text/csv; charset=utf-8")
				c.SetHeader("Content-Disposition", `attachment; filename="notices.csv"`)
				_, _ = c.BodyWriter().Write(b) // the client has gone
			}}, nil
		})
	huma.Register(api, operation("getMail", http.MethodGet, "/connections/mail", "answer", "The mail server that alerts go out by"),
		func(ctx context.Context, _ *struct{}) (*out[work.Connection], error) {
			return reply(h.app.MailConnection(ctx))
		})
	huma.Register(api, operation("connectMail", http.MethodPut, "/connections/mail", "answer", "Set the mail server (smtp:// or smtps://); its model is the address that mail is sent from"),
		func(ctx context.Context, in *struct{ Body work.ConnectionChange }) (*out[work.Connection], error) {
			return reply(h.app.ConnectMail(ctx, in.Body))
		})
}
