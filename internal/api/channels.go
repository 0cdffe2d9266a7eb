package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/internal/api/wire"
	"jolvex/internal/keeping/people"
	"jolvex/internal/serving/channels"
)

// PuttingChannel is a channel as it is to be.
type PuttingChannel struct {
	ID       string                   `json:"id,omitempty" maxLength:"80" doc:"Empty to make one"`
	Kind     string                   `json:"kind" enum:"service,mail"`
	Name     string                   `json:"name" minLength:"1" maxLength:"120"`
	Settings channels.ChannelSettings `json:"settings"`
	Renew    bool                     `json:"renew,omitempty" doc:"Give it a new secret; the one so far does not work any more"`
}

// ChannelTrial is what came of trying a channel.
type ChannelTrial struct {
	Problem string `json:"problem" doc:"What went wrong, in words; empty when it was taken"`
}

// channels registers the operations on messaging services and mail addresses.
func (h *handlers) channels(api huma.API) {
	room := func() *channels.Room { return h.app.Channels }
	huma.Register(api, wire.Operation("listChannels", http.MethodGet, "/corpora/{corpus}/channels", "serve", "Messaging services and mail addresses at which the corpus answers"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]channels.Channel], error) {
			return wire.Reply(room().List(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("putChannel", http.MethodPut, "/corpora/{corpus}/channels", "serve", "Make a channel, or change one; the secret of a new one is told once"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body PuttingChannel
		},
		) (*wire.Out[channels.Channel], error) {
			b := in.Body
			return wire.Reply(room().Put(ctx, in.Corpus, people.CallerOf(ctx).Name, channels.Channel{ID: b.ID, Kind: b.Kind, Name: b.Name, Settings: b.Settings}, b.Renew))
		})
	huma.Register(api, wire.Operation("dropChannel", http.MethodDelete, "/corpora/{corpus}/channels/{channel}", "serve", "Remove a channel; its conversations stay"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Channel string `path:"channel" maxLength:"80"`
		},
		) (*struct{}, error) {
			return nil, wire.Known(room().Drop(ctx, in.Corpus, in.Channel))
		})
	huma.Register(api, wire.Operation("tryChannel", http.MethodPost, "/corpora/{corpus}/channels/{channel}/try", "serve", "Send a trial message by a channel, at once"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Channel string `path:"channel" maxLength:"80"`
			Body    struct {
				To string `json:"to,omitempty" maxLength:"320" doc:"Of mail: the address to send it to"`
			}
		},
		) (*wire.Out[ChannelTrial], error) {
			problem, err := room().Try(ctx, in.Corpus, in.Channel, in.Body.To)
			return wire.Reply(ChannelTrial{problem}, err)
		})
}
