package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/internal/api/wire"
	"jolvex/internal/asking"
	"jolvex/internal/keeping/people"
	"jolvex/internal/serving/desk"
)

// Preparing is what a reply is prepared for.
type Preparing struct {
	Question string `json:"question" minLength:"1" maxLength:"4000" doc:"The question, or the message with the question in it"`
	Tone     string `json:"tone,omitempty" maxLength:"400" doc:"How a model is to word it; empty for the draft's own"`
}

// Sending is what a person made of a prepared reply.
type Sending struct {
	Text string `json:"text" minLength:"1" maxLength:"20000"`
	To   string `json:"to,omitempty" maxLength:"320" doc:"Mail address; empty when it was copied"`
}

// InHandover is an operation on one hand-over.
type InHandover struct {
	wire.InCorpus
	Handover string `path:"handover" maxLength:"80"`
}

// desk registers the operations of those who answer others.
func (h *handlers) desk(api huma.API) {
	room := func() *desk.Room { return h.app.Desk }
	by := func(ctx context.Context) string { // who answers is read by the asker
		if c := people.CallerOf(ctx); c.Via != people.ViaMachine {
			return c.Name
		}
		return "Staff"
	}
	huma.Register(api, wire.Operation("listHandovers", http.MethodGet, "/corpora/{corpus}/handovers", "serve", "Conversations that wait for a person, or were closed"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Closed bool `query:"closed"`
		},
		) (*wire.Out[[]desk.Handover], error) {
			return wire.Reply(room().List(ctx, in.Corpus, in.Closed, by(ctx)))
		})
	huma.Register(api, wire.Operation("openHandover", http.MethodGet, "/corpora/{corpus}/handovers/{handover}", "serve", "One conversation that was handed over, with what was said"),
		func(ctx context.Context, in *InHandover) (*wire.Out[desk.Handover], error) {
			return wire.Reply(room().Open(ctx, in.Corpus, in.Handover, by(ctx)))
		})
	huma.Register(api, wire.Operation("takeHandover", http.MethodPost, "/corpora/{corpus}/handovers/{handover}/take", "serve", "Take a conversation, from whoever has it"),
		func(ctx context.Context, in *struct {
			InHandover
			Body struct {
				From string `json:"from,omitempty" maxLength:"200" doc:"Who has it so far; empty for nobody"`
			}
		},
		) (*wire.Out[desk.Handover], error) {
			return wire.Reply(room().Take(ctx, in.Corpus, in.Handover, in.Body.From, by(ctx)))
		})
	huma.Register(api, wire.Operation("answerHandover", http.MethodPost, "/corpora/{corpus}/handovers/{handover}/answer", "serve", "Say something to the asker"),
		func(ctx context.Context, in *struct {
			InHandover
			Body desk.Written
		},
		) (*wire.Out[desk.Handover], error) {
			return wire.Reply(room().Answer(ctx, in.Corpus, in.Handover, by(ctx), in.Body))
		})
	huma.Register(api, wire.Operation("closeHandover", http.MethodPost, "/corpora/{corpus}/handovers/{handover}/close", "serve", "Close a conversation; the assistant answers again"),
		func(ctx context.Context, in *InHandover) (*wire.Out[desk.Handover], error) {
			return wire.Reply(room().Close(ctx, in.Corpus, in.Handover, by(ctx)))
		})
	huma.Register(api, wire.Operation("prepareReply", http.MethodPost, "/corpora/{corpus}/prepared", "serve", "Prepare a reply for somebody who answers others, from all that staff may read"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body Preparing
		},
		) (*wire.Out[*asking.Reply], error) {
			return wire.Reply(room().Prepare(ctx, in.Corpus, in.Body.Question, in.Body.Tone))
		})
	huma.Register(api, wire.Operation("sendPrepared", http.MethodPost, "/corpora/{corpus}/prepared/{exchange}/sent", "serve", "Say what became of a prepared reply; what was changed becomes a snag"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Exchange string `path:"exchange" maxLength:"80"`
			Body     Sending
		},
		) (*struct{}, error) {
			return nil, wire.Known(room().Sent(ctx, in.Corpus, in.Exchange, by(ctx), in.Body.Text, in.Body.To))
		})
	huma.Register(api, wire.Operation("findByDetails", http.MethodPost, "/corpora/{corpus}/found-by-details", "serve", "Find the conversations of somebody who tells two details as they told them before"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Details []string `json:"details" minItems:"2" maxItems:"5" maxLength:"200" nullable:"false"`
			}
		},
		) (*wire.Out[[]desk.Handover], error) {
			return wire.Reply(room().ByDetails(ctx, in.Corpus, by(ctx), in.Body.Details))
		})
}
