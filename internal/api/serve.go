package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/core/query"
	"jolvex/internal/api/door"
	"jolvex/internal/api/wire"
	"jolvex/internal/asking"
	"jolvex/internal/keeping/people"
	"jolvex/internal/serving"
)

// Making is what is said of a release when it is made.
type Making struct {
	Note     string `json:"note,omitempty" maxLength:"500" doc:"What it is for"`
	Overrule string `json:"overrule,omitempty" maxLength:"500" doc:"Why it is made although the gate is shut; kept with it"`
}

// Floors are what question sets must pass before a release.
type Floors struct {
	Floors []serving.Floor `json:"floors" maxItems:"100" nullable:"false"`
}

// identitySecret is what a site signs with.
type identitySecret struct {
	Secret string `json:"secret,omitempty" doc:"Of HS256; told once"`
}

// serve registers the operations of the last stage.
func (h *handlers) serve(api huma.API) {
	room := func() *serving.Server { return h.app.Serving }
	huma.Register(api, wire.Operation("listReleases", http.MethodGet, "/corpora/{corpus}/releases", "serve", "The releases of a corpus, the newest first"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]serving.Release], error) {
			return wire.Reply(room().Releases(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("makeRelease", http.MethodPost, "/corpora/{corpus}/releases", "serve", "Freeze the draft and its index, which visitors get from now on"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body Making
		},
		) (*wire.Out[serving.Release], error) {
			by := door.SignedBy(ctx, people.CallerOf(ctx).Name)
			return wire.Reply(room().MakeRelease(ctx, in.Corpus, serving.Making{Note: in.Body.Note, By: by, Overrule: in.Body.Overrule}))
		})
	huma.Register(api, wire.Operation("goLive", http.MethodPost, "/corpora/{corpus}/releases/{number}/live", "serve", "Have visitors get a release that was made before"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Number int `path:"number" minimum:"1"`
		},
		) (*struct{}, error) {
			return nil, wire.Known(room().GoLive(ctx, in.Corpus, in.Number))
		})
	huma.Register(api, wire.Operation("askReleased", http.MethodPost, "/corpora/{corpus}/releases/last/ask", "serve", "Ask the release that visitors get; nothing is kept"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body Ask
		},
		) (*wire.Out[*asking.Reply], error) {
			return wire.Reply(room().AskReleased(ctx, in.Body.caller(), in.Corpus, query.Question{Text: in.Body.Question, Turns: in.Body.Turns}))
		})
	huma.Register(api, wire.Operation("getChanges", http.MethodGet, "/corpora/{corpus}/releases/changes", "serve", "What a release of the draft would change for visitors, in material and in verdicts"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[serving.Changes], error) {
			return wire.Reply(room().Changes(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("getGate", http.MethodGet, "/corpora/{corpus}/gate", "serve", "Whether the draft may be released, and why"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[serving.Gate], error) {
			return wire.Reply(room().Gate(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("setGate", http.MethodPut, "/corpora/{corpus}/gate", "serve", "Say what question sets must pass before a release"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body Floors
		},
		) (*wire.Out[serving.Gate], error) {
			if err := room().SetGate(ctx, in.Corpus, in.Body.Floors); err != nil {
				return nil, wire.Known(err)
			}
			return wire.Reply(room().Gate(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("getPlace", http.MethodGet, "/corpora/{corpus}/place", "serve", "How a corpus is served to visitors"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[serving.Place], error) {
			return wire.Reply(room().Place(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("putPlace", http.MethodPut, "/corpora/{corpus}/place", "serve", "Change how a corpus is served to visitors, at once"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body serving.Settings
		},
		) (*wire.Out[serving.Place], error) {
			return wire.Reply(room().PutPlace(ctx, in.Corpus, in.Body))
		})
	huma.Register(api, wire.Operation("lookAtPage", http.MethodPost, "/corpora/{corpus}/place/look", "serve", "Look whether the assistant shows on a page, and what to do where it does not"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Address string `json:"address" minLength:"1" maxLength:"2000"`
			}
		},
		) (*wire.Out[serving.Looked], error) {
			return wire.Reply(room().Look(ctx, in.Corpus, in.Body.Address))
		})
	huma.Register(api, wire.Operation("setIdentity", http.MethodPut, "/corpora/{corpus}/place/identity", "serve", "Say how sites sign who asks; a secret is told once"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Algorithm string `json:"algorithm" enum:",HS256,EdDSA" doc:"Empty when sites do not say who asks"`
				Key       string `json:"key,omitempty" maxLength:"2000" doc:"Of EdDSA: the public key in PEM form"`
			}
		},
		) (*wire.Out[identitySecret], error) {
			secret, err := room().Doors.SetIdentity(ctx, in.Corpus, in.Body.Algorithm, in.Body.Key)
			return wire.Reply(identitySecret{secret}, err)
		})
	h.serveLinks(api)
	h.desk(api)
	h.channels(api)
}

// serveLinks registers the operations on links and keys.
func (h *handlers) serveLinks(api huma.API) {
	room := func() *serving.Server { return h.app.Serving }
	huma.Register(api, wire.Operation("listLinks", http.MethodGet, "/corpora/{corpus}/links", "serve", "Links by which somebody who is not signed in can ask"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]serving.Link], error) {
			return wire.Reply(room().Doors.Links(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("addLink", http.MethodPost, "/corpora/{corpus}/links", "serve", "Make a link; what it carries is told once"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body serving.NewLink
		},
		) (*wire.Out[serving.Link], error) {
			return wire.Reply(room().Doors.AddLink(ctx, in.Corpus, people.CallerOf(ctx).Name, in.Body))
		})
	huma.Register(api, wire.Operation("endLink", http.MethodDelete, "/corpora/{corpus}/links/{link}", "serve", "End a link"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Link string `path:"link" maxLength:"80"`
		},
		) (*struct{}, error) {
			return nil, wire.Known(room().Doors.EndLink(ctx, in.Corpus, in.Link))
		})
	huma.Register(api, wire.Operation("listKeys", http.MethodGet, "/corpora/{corpus}/keys", "serve", "Keys by which programs ask"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]serving.Key], error) {
			return wire.Reply(room().Doors.Keys(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("addKey", http.MethodPost, "/corpora/{corpus}/keys", "serve", "Make a key; it is told once"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body serving.NewKey
		},
		) (*wire.Out[serving.Key], error) {
			return wire.Reply(room().Doors.AddKey(ctx, in.Corpus, people.CallerOf(ctx).Name, in.Body))
		})
	huma.Register(api, wire.Operation("endKey", http.MethodDelete, "/corpora/{corpus}/keys/{key}", "serve", "End a key"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Key string `path:"key" maxLength:"80"`
		},
		) (*struct{}, error) {
			return nil, wire.Known(room().Doors.EndKey(ctx, in.Corpus, in.Key))
		})
}
