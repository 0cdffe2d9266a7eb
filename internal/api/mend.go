package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/internal/api/door"
	"jolvex/internal/api/wire"
	"jolvex/internal/job"
	"jolvex/internal/mending/conversations"
	"jolvex/internal/mending/figures"
	"jolvex/internal/mending/notices"
	"jolvex/internal/mending/settled"
	"jolvex/internal/mending/snags"
	"jolvex/internal/store/talk"
)

// LogFilter says which exchanges of the log are meant.
type LogFilter struct {
	wire.InCorpus
	Since    string `query:"since" maxLength:"30" doc:"RFC 3339 in UTC with milliseconds: the first moment"`
	Until    string `query:"until" maxLength:"30" doc:"The first moment that is no longer meant"`
	Tests    bool   `query:"tests" doc:"What people asked who work here, instead of what users did"`
	Surface  string `query:"surface" maxLength:"80"`
	Outcome  string `query:"outcome" maxLength:"40"`
	Language string `query:"language" maxLength:"40"`
	Page     string `query:"page" maxLength:"300" doc:"A part of the address of the page on which it was asked"`
	Rule     string `query:"rule" maxLength:"200" doc:"Name of a house rule that fired"`
	Mark     string `query:"mark" enum:"right,wrong,doubtful,any,none,"`
	Thumb    string `query:"thumb" enum:"up,down,"`
	Search   string `query:"search" maxLength:"200" doc:"In what was asked and said"`
	Snag     string `query:"snag" maxLength:"80"`
	Sample   string `query:"sample" maxLength:"80"`
	Visitor  string `query:"visitor" maxLength:"200"`
	Hide     bool   `query:"hide" doc:"Mask mail addresses, telephone numbers and the like"`
}

func (f LogFilter) filter() talk.Filter {
	return talk.Filter{
		Since: f.Since, Until: f.Until, Tests: f.Tests, Surface: f.Surface, Outcome: f.Outcome, Language: f.Language, Page: f.Page, Rule: f.Rule, Mark: f.Mark,
		Thumb: f.Thumb, Search: f.Search, Snag: f.Snag, Sample: f.Sample, Visitor: f.Visitor,
	}
}

// LogMark is what a person says of some exchanges.
type LogMark struct {
	Exchanges []string `json:"exchanges" minItems:"1" maxItems:"1000" nullable:"false"`
	Mark      string   `json:"mark" enum:"right,wrong,doubtful," doc:"Empty: read, and nothing to say"`
	Note      string   `json:"note,omitempty" maxLength:"2000"`
	Reviewer  string   `json:"reviewer,omitempty" maxLength:"120"`
	TakenBack bool     `json:"takenBack,omitempty" doc:"What was said is taken back, and it counts as not read"`
}

// mend registers the operations of the log.
func (h *handlers) mend(api huma.API) {
	room := func() *conversations.Room { return h.app.Mending.Conversations }
	huma.Register(api, wire.Operation("listLog", http.MethodGet, "/corpora/{corpus}/log", "mend", "What was asked, the newest first"),
		func(ctx context.Context, in *struct {
			LogFilter
			Before string `query:"before" maxLength:"120" doc:"A time and an id of an exchange: what is older"`
			Limit  int    `query:"limit" default:"200" minimum:"1" maximum:"2000"`
		},
		) (*wire.Out[[]conversations.Line], error) {
			f := in.filter()
			f.Before, f.Limit = in.Before, in.Limit
			return wire.Reply(room().Log(ctx, in.Corpus, f, in.Hide))
		})
	huma.Register(api, wire.Operation("getLogOverview", http.MethodGet, "/corpora/{corpus}/log/overview", "mend", "How much was asked when and how it ended, and what the log can be filtered by"),
		func(ctx context.Context, in *LogFilter) (*wire.Out[conversations.Overview], error) {
			return wire.Reply(room().Overview(ctx, in.Corpus, in.filter()))
		})
	huma.Register(api, wire.Operation("getConversation", http.MethodGet, "/corpora/{corpus}/conversations/{conversation}", "mend", "A conversation, whole or a part of it"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Conversation string `path:"conversation"`
			From         int    `query:"from" minimum:"0"`
			Limit        int    `query:"limit" default:"100" minimum:"1" maximum:"500"`
			Hide         bool   `query:"hide"`
		},
		) (*wire.Out[conversations.Conversation], error) {
			return wire.Reply(room().Conversation(ctx, in.Corpus, in.Conversation, in.From, in.Limit, in.Hide))
		})
	huma.Register(api, wire.Operation("markLog", http.MethodPost, "/corpora/{corpus}/log/marks", "mend", "Mark exchanges right, wrong, doubtful, or just read"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body LogMark
		},
		) (*struct{}, error) {
			return nil, wire.Known(room().Mark(ctx, in.Corpus, in.Body.Exchanges, talk.Marking{Mark: in.Body.Mark, Note: in.Body.Note, Reviewer: door.SignedBy(ctx, in.Body.Reviewer)}, !in.Body.TakenBack))
		})
	huma.Register(api, wire.Operation("setReviewed", http.MethodPost, "/corpora/{corpus}/log/reviewed", "mend", "Say that the log has been read up to now"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[ReviewedAt], error) {
			at, err := room().Read(ctx, in.Corpus)
			return wire.Reply(ReviewedAt{at}, err)
		})
	huma.Register(api, wire.Operation("putThumb", http.MethodPut, "/corpora/{corpus}/log/{exchange}/thumb", "mend", "Keep what a visitor thinks of a reply"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Exchange string `path:"exchange"`
			Body     struct {
				Thumb string `json:"thumb" enum:"up,down,"`
				Word  string `json:"word,omitempty" maxLength:"2000"`
			}
		},
		) (*struct{}, error) {
			return nil, wire.Known(room().Thumb(ctx, in.Corpus, in.Exchange, in.Body.Thumb, in.Body.Word))
		})
	imported := wire.Operation("importLog", http.MethodPost, "/corpora/{corpus}/log/import", "mend", "Read conversations from JSON Lines or CSV, and keep them")
	imported.MaxBodyBytes = 256 << 20
	huma.Register(api, imported, func(ctx context.Context, in *struct {
		wire.InCorpus
		Keep    bool   `query:"keep" doc:"Keep them; otherwise they are only read"`
		Ask     bool   `query:"ask" doc:"Have the draft answer every question in place of the reply that the log has"`
		RawBody []byte `contentType:"application/octet-stream"`
	},
	) (*wire.Out[conversations.Imported], error) {
		return wire.Reply(room().Import(ctx, in.Corpus, in.RawBody, in.Keep, in.Ask))
	})
	huma.Register(api, wire.Operation("exportLog", http.MethodGet, "/corpora/{corpus}/log/export", "mend", "The log as JSON Lines, which can be imported, or as CSV"),
		func(ctx context.Context, in *struct {
			LogFilter
			Form string `query:"form" enum:"jsonl,csv" default:"jsonl"`
		},
		) (*huma.StreamResponse, error) {
			kind := map[string]string{"jsonl": "application/jsonl; charset=utf-8", "csv": "text/csv; charset=utf-8"}[in.Form]
			return wire.File("log."+in.Form, kind)(room().Export(ctx, in.Corpus, in.Form, in.filter(), in.Hide))
		})
	huma.Register(api, wire.Operation("eraseVisitor", http.MethodDelete, "/corpora/{corpus}/visitors/{visitor}", "mend", "Erase all conversations of one visitor, with their replies"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Visitor string `path:"visitor"`
		},
		) (*wire.Out[Erased], error) {
			n, err := room().Erase(ctx, in.Corpus, in.Visitor)
			return wire.Reply(Erased{n}, err)
		})
	huma.Register(api, wire.Operation("listSamples", http.MethodGet, "/corpora/{corpus}/log/samples", "mend", "Random samples of the log, and what was judged of them"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]conversations.Sampled], error) {
			return wire.Reply(room().Samples(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("drawSample", http.MethodPost, "/corpora/{corpus}/log/samples", "mend", "Draw a random sample of what users asked, to judge how often they are answered rightly"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Since string `json:"since" maxLength:"30"`
				Until string `json:"until" maxLength:"30"`
				Size  int    `json:"size" minimum:"1" maximum:"2000"`
			}
		},
		) (*wire.Out[conversations.Sampled], error) {
			return wire.Reply(room().Draw(ctx, in.Corpus, in.Body.Since, in.Body.Until, in.Body.Size))
		})
}

// ReviewedAt is up to when the log was read.
type ReviewedAt struct {
	At string `json:"at"`
}

// Erased is how many conversations were erased.
type Erased struct {
	Conversations int `json:"conversations"`
}

// mendSnags registers the operations of snags.
func (h *handlers) mendSnags(api huma.API) {
	room := func() *snags.Room { return h.app.Mending.Snags }
	type InSnag struct {
		wire.InCorpus
		Snag string `path:"snag"`
	}
	huma.Register(api, wire.Operation("listSnags", http.MethodGet, "/corpora/{corpus}/snags", "mend", "Things to mend, those most asked first"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			State string `query:"state" enum:"open,waiting,settled,dismissed,"`
		},
		) (*wire.Out[[]snags.Snag], error) {
			return wire.Reply(room().List(ctx, in.Corpus, in.State))
		})
	huma.Register(api, wire.Operation("getSnag", http.MethodGet, "/corpora/{corpus}/snags/{snag}", "mend", "One snag with what was gathered in it"),
		func(ctx context.Context, in *InSnag) (*wire.Out[snags.OpenSnag], error) {
			return wire.Reply(room().Open(ctx, in.Corpus, in.Snag))
		})
	huma.Register(api, wire.Operation("addSnag", http.MethodPost, "/corpora/{corpus}/snags", "mend", "Make a snag of a reply, a verdict, a conflict between sources, or a question"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body snags.Report
		},
		) (*wire.Out[snags.Snag], error) {
			return wire.Reply(room().Add(ctx, in.Corpus, in.Body))
		})
	huma.Register(api, wire.Operation("expectExchange", http.MethodPost, "/corpora/{corpus}/log/{exchange}/expect", "mend", "Make an expected question of an exchange"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Exchange string `path:"exchange"`
			Body     snags.Expecting
		},
		) (*struct{}, error) {
			return nil, wire.Known(room().Expect(ctx, in.Corpus, in.Exchange, in.Body))
		})
	huma.Register(api, wire.Operation("gatherSnags", http.MethodPost, "/corpora/{corpus}/snags/gather", "mend", "Gather what went wrong, and group it by meaning"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[job.Job], error) {
			return wire.Reply(room().Gather(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("changeSnag", http.MethodPatch, "/corpora/{corpus}/snags/{snag}", "mend", "Assign, note, date, word, dismiss or reopen a snag"),
		func(ctx context.Context, in *struct {
			InSnag
			Body snags.Change
		},
		) (*wire.Out[snags.Snag], error) {
			return wire.Reply(room().Change(ctx, in.Corpus, in.Snag, in.Body))
		})
	huma.Register(api, wire.Operation("mergeSnags", http.MethodPost, "/corpora/{corpus}/snags/{snag}/merge/{into}", "mend", "Put all that is in a snag into another one"),
		func(ctx context.Context, in *struct {
			InSnag
			Into string `path:"into"`
		},
		) (*wire.Out[snags.Snag], error) {
			return wire.Reply(room().Merge(ctx, in.Corpus, in.Snag, in.Into))
		})
	huma.Register(api, wire.Operation("splitSnag", http.MethodPost, "/corpora/{corpus}/snags/split", "mend", "Take exchanges out of their snag, and make one of their own of them"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Exchanges []string `json:"exchanges" minItems:"1" maxItems:"1000" nullable:"false"`
			}
		},
		) (*wire.Out[snags.Snag], error) {
			return wire.Reply(room().Split(ctx, in.Corpus, in.Body.Exchanges))
		})
	huma.Register(api, wire.Operation("diagnoseSnag", http.MethodPost, "/corpora/{corpus}/snags/{snag}/cause", "mend", "Find the likely cause of a snag, and what would cure it"),
		func(ctx context.Context, in *InSnag) (*wire.Out[snags.Snag], error) {
			return wire.Reply(room().Look(ctx, in.Corpus, in.Snag))
		})
	huma.Register(api, wire.Operation("settleSnag", http.MethodPost, "/corpora/{corpus}/snags/{snag}/settle", "mend", "Settle a snag; its questions are asked again when that is done"),
		func(ctx context.Context, in *struct {
			InSnag
			Body snags.Settlement
		},
		) (*wire.Out[snags.Snag], error) {
			return wire.Reply(room().Settle(ctx, in.Corpus, in.Snag, in.Body))
		})
}

// mendSettled registers the operations of settled answers.
func (h *handlers) mendSettled(api huma.API) {
	room := func() *settled.Room { return h.app.Mending.Settled }
	type InSettled struct {
		wire.InCorpus
		Settled string `path:"settled"`
	}
	huma.Register(api, wire.Operation("listSettled", http.MethodGet, "/corpora/{corpus}/settled", "mend", "Settled answers, with how often they were used"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]settled.Answer], error) {
			return wire.Reply(room().List(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("putSettled", http.MethodPut, "/corpora/{corpus}/settled", "mend", "Write a settled answer: a new one without an id"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body settled.Answer
		},
		) (*wire.Out[settled.Answer], error) {
			return wire.Reply(room().Put(ctx, in.Corpus, in.Body))
		})
	huma.Register(api, wire.Operation("setSettledState", http.MethodPost, "/corpora/{corpus}/settled/{settled}/state", "mend", "Withdraw a settled answer, or put it into force again"),
		func(ctx context.Context, in *struct {
			InSettled
			Body struct {
				State   string `json:"state" enum:"inForce,withdrawn"`
				Version int    `json:"version"`
			}
		},
		) (*wire.Out[settled.Answer], error) {
			return wire.Reply(room().SetState(ctx, in.Corpus, in.Settled, in.Body.Version, in.Body.State))
		})
	huma.Register(api, wire.Operation("getSettledHistory", http.MethodGet, "/corpora/{corpus}/settled/{settled}/history", "mend", "What a settled answer was, the latest first"),
		func(ctx context.Context, in *InSettled) (*wire.Out[[]talk.SettledVersion], error) {
			return wire.Reply(room().History(ctx, in.Corpus, in.Settled))
		})
	huma.Register(api, wire.Operation("exportSettled", http.MethodGet, "/corpora/{corpus}/settled/export", "mend", "The settled answers that are in force, as JSON Lines or CSV"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Form string `query:"form" enum:"jsonl,csv" default:"jsonl"`
		},
		) (*huma.StreamResponse, error) {
			kind := map[string]string{"jsonl": "application/jsonl; charset=utf-8", "csv": "text/csv; charset=utf-8"}[in.Form]
			return wire.File("settled-answers."+in.Form, kind)(room().Export(ctx, in.Corpus, in.Form))
		})
	imported := wire.Operation("importSettled", http.MethodPost, "/corpora/{corpus}/settled/import", "mend", "Take in settled answers from JSON Lines or CSV; an answer to a question that has one becomes a new version of it")
	imported.MaxBodyBytes = 64 << 20
	huma.Register(api, imported, func(ctx context.Context, in *struct {
		wire.InCorpus
		RawBody []byte `contentType:"application/octet-stream"`
	},
	) (*wire.Out[settled.Taken], error) {
		return wire.Reply(room().Import(ctx, in.Corpus, in.RawBody))
	})
	huma.Register(api, wire.Operation("catchSettled", http.MethodPost, "/corpora/{corpus}/settled/catch", "mend", "Which past questions a settled answer in the making would catch, and which it would take over from other answers"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Question string   `json:"question" maxLength:"2000"`
				Wordings []string `json:"wordings,omitempty" maxItems:"20" nullable:"false"`
				Snag     string   `json:"snag,omitempty"`
			}
		},
		) (*wire.Out[settled.Catch], error) {
			return wire.Reply(room().Catches(ctx, in.Corpus, in.Body.Snag, settled.Answer{Question: in.Body.Question, Wordings: in.Body.Wordings}))
		})
}

// FiguresOf says what is counted.
type FiguresOf struct {
	wire.InCorpus
	Since    string `query:"since" required:"true" maxLength:"30"`
	Until    string `query:"until" required:"true" maxLength:"30"`
	Zone     string `query:"zone" default:"UTC" maxLength:"60" doc:"IANA name of the time zone whose days are meant"`
	Week     bool   `query:"week" doc:"By week instead of by day"`
	Surface  string `query:"surface" maxLength:"80"`
	Language string `query:"language" maxLength:"40"`
}

func (f FiguresOf) filter() figures.Filter {
	return figures.Filter{Since: f.Since, Until: f.Until, Zone: f.Zone, Week: f.Week, Surface: f.Surface, Language: f.Language}
}

// mendFigures registers the operations of figures over time.
func (h *handlers) mendFigures(api huma.API) {
	huma.Register(api, wire.Operation("getFigures", http.MethodGet, "/corpora/{corpus}/figures", "mend", "What users asked over time and how it ended"),
		func(ctx context.Context, in *FiguresOf) (*wire.Out[figures.UserFigures], error) {
			return wire.Reply(h.app.Mending.Figures.Figures(ctx, in.Corpus, in.filter()))
		})
	huma.Register(api, wire.Operation("getSubjects", http.MethodGet, "/corpora/{corpus}/figures/subjects", "mend", "What users asked about, what grows, and incidents"),
		func(ctx context.Context, in *FiguresOf) (*wire.Out[figures.Subjects], error) {
			return wire.Reply(h.app.Mending.Figures.Subjects(ctx, in.Corpus, in.filter()))
		})
	huma.Register(api, wire.Operation("listUncovered", http.MethodGet, "/corpora/{corpus}/figures/uncovered", "mend", "What users asked and nothing answered, by subject, with what near pages say"),
		func(ctx context.Context, in *FiguresOf) (*wire.Out[[]figures.Uncovered], error) {
			return wire.Reply(h.app.Mending.Figures.Uncovered(ctx, in.Corpus, in.filter()))
		})
	huma.Register(api, wire.Operation("exportUncovered", http.MethodGet, "/corpora/{corpus}/figures/uncovered/export", "mend", "The same as a brief for writers, in Markdown"),
		func(ctx context.Context, in *FiguresOf) (*huma.StreamResponse, error) {
			return wire.File("not-covered.md", "text/markdown; charset=utf-8")(h.app.Mending.Figures.Brief(ctx, in.Corpus, in.filter()))
		})
}

// mendNotices registers the operations of what people are told.
func (h *handlers) mendNotices(api huma.API) {
	room := func() *notices.Room { return h.app.Mending.Notices }
	type InSubscription struct {
		wire.InCorpus
		Subscription string `path:"subscription"`
	}
	huma.Register(api, wire.Operation("listSubscriptions", http.MethodGet, "/corpora/{corpus}/subscriptions", "mend", "Who is told of what, by mail or webhook"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]notices.Subscription], error) {
			return wire.Reply(room().Subscriptions(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("putSubscription", http.MethodPut, "/corpora/{corpus}/subscriptions", "mend", "Tell somebody of something: a new subscription without an id"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body notices.Subscription
		},
		) (*wire.Out[notices.Subscription], error) {
			return wire.Reply(room().Put(ctx, in.Corpus, in.Body))
		})
	huma.Register(api, wire.Operation("deleteSubscription", http.MethodDelete, "/corpora/{corpus}/subscriptions/{subscription}", "mend", "Tell somebody no more"),
		func(ctx context.Context, in *InSubscription) (*struct{}, error) {
			return nil, wire.Known(room().Drop(ctx, in.Corpus, in.Subscription))
		})
	huma.Register(api, wire.Operation("listDeliveries", http.MethodGet, "/corpora/{corpus}/deliveries", "mend", "The latest messages that went out, or are to"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[[]notices.Delivery], error) {
			return wire.Reply(room().Deliveries(ctx, in.Corpus))
		})
	huma.Register(api, wire.Operation("retryDelivery", http.MethodPost, "/corpora/{corpus}/deliveries/{delivery}/retry", "mend", "Send a failed message again"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Delivery string `path:"delivery"`
		},
		) (*struct{}, error) {
			return nil, wire.Known(room().Retry(ctx, in.Corpus, in.Delivery))
		})
	huma.Register(api, wire.Operation("mailAskers", http.MethodPost, "/corpora/{corpus}/snags/{snag}/mail", "mend", "Mail the answer of a settled snag to those of its askers who left an address"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Snag string `path:"snag"`
		},
		) (*wire.Out[Mailed], error) {
			n, err := room().Answer(ctx, in.Corpus, in.Snag)
			return wire.Reply(Mailed{n}, err)
		})
}

// Mailed is how many mails are on their way.
type Mailed struct {
	Mails int `json:"mails"`
}
