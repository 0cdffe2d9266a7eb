package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/questions"
	"jolvex/demo"
	"jolvex/internal/api"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/gathering"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/mending/conversations"
	"jolvex/internal/mending/notices"
	"jolvex/internal/serving"
	"jolvex/internal/serving/channels"
	"jolvex/internal/sim"
	"jolvex/internal/store"
)

func demoCommand(s *settings) *cobra.Command {
	var addr, site, mail, visitors string
	c := &cobra.Command{
		Use:     "demo",
		Short:   "Serve the made-up ferry line: its site gathered, its questions run",
		Example: "  jolvex demo --data ./demo-data",
		Args:    args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			l, err := net.Listen("tcp", site)
			if err != nil {
				return fmt.Errorf("listen for the demo site on %s: %w", site, err)
			}
			home := "http://" + l.Addr().String() + "/"
			box := &sim.Mailbox{}
			post, err := net.Listen("tcp", mail)
			if err != nil {
				return errors.Join(fmt.Errorf("listen for the demo's mail on %s: %w", mail, err), l.Close())
			}
			go func() { _ = box.Serve(post) }() // ends with the program
			var sample sim.Sample
			messenger := &sim.Messenger{}
			stands, err := sim.StandIns(sim.Site(demo.Pages(), home, time.Now), box, &sample, messenger)
			if err != nil {
				return errors.Join(err, l.Close(), post.Close())
			}
			srv := &http.Server{Handler: stands, ReadHeaderTimeout: 5 * time.Second}
			go func() { _ = srv.Serve(l) }() // ends with the program
			o, err := own(cmd.Context(), s)
			if err != nil {
				return errors.Join(err, srv.Close())
			}
			err = serve(cmd.Context(), s, o, listening{addr: addr, visitors: visitors}, func(at string) error {
				if err := prepareDemo(cmd.Context(), s, home, post.Addr().String()); err != nil {
					return err
				}
				place, err := serveDemo(cmd.Context(), s, l.Addr().String())
				if err != nil {
					return err
				}
				sample.Carry(place.Visitors, place.Place)
				if err := channelsDemo(cmd.Context(), s, home, box, messenger); err != nil {
					return err
				}
				fmt.Printf("A messaging service that it answers in is at %smessenger\n", home)
				fmt.Printf("A page that carries the assistant is at %ssample\n", home)
				fmt.Printf("Jolvex is at %s\n", at)
				return nil
			})
			return errors.Join(err, o.close(), srv.Close())
		},
	}
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8642", "address to listen on")
	c.Flags().StringVar(&mail, "mail", "127.0.0.1:8644", "address of the demo's mailbox")
	c.Flags().StringVar(&visitors, "visitors", "127.0.0.1:8645", "address at which visitors are served")
	c.Flags().StringVar(&site, "site", "127.0.0.1:8643", "address of the demo site")
	return c
}

// prepareDemo does what a person would do, over the same API: makes the corpus, gathers the site, loads the questions, runs them.
func prepareDemo(ctx context.Context, s *settings, home, mail string) error {
	cl, err := connect(ctx, s)
	if err != nil {
		return err
	}
	const corpus = demo.Corpus
	var have app.Corpus
	err = cl.call(ctx, http.MethodGet, corpusPath(corpus), nil, &have)
	var problem *apiError
	if err == nil && have.LastRun != nil {
		return cl.close()
	}
	if err != nil && !(errors.As(err, &problem) && problem.Status == http.StatusNotFound) {
		return err
	}
	g := gatherer{cl, s, corpus, store.SourceSettings{AllowPrivate: true, Choose: true, Render: "empty"}, false, ""}
	if err := g.ensure(ctx); err != nil {
		return err
	}
	var told gathered
	if err := errors.Join(g.site(ctx, home, &told), chooseDemo(ctx, &g), handOver(ctx, cl)); err != nil {
		return err
	}
	if err := g.through(ctx); err != nil {
		return err
	}
	var saved api.Saved
	if err := cl.call(ctx, http.MethodGet, corpusPath(corpus, "method"), nil, &saved.Method); err != nil {
		return err
	}
	saved.Method.Answer.Refusal, saved.Method.Answer.TurnTo = demo.Refusal, demo.TurnTo
	saved.Method.Answer.Welcome, saved.Method.Answer.First = demo.Welcome, demo.First
	if err := json.Unmarshal(demo.Rules(), &saved.Method.Rules); err != nil {
		return fmt.Errorf("read the demo's house rules: %w", err)
	}
	glossary, err := asking.ReadGlossary(demo.Glossary())
	if err != nil {
		return fmt.Errorf("read the demo's glossary: %w", err)
	}
	saved.Method.Glossary = glossary.Entries
	if err := cl.call(ctx, http.MethodPut, corpusPath(corpus, "sheet"), demo.Sheet(), nil); err != nil {
		return err
	}
	if err := cl.call(ctx, http.MethodPut, corpusPath(corpus, "method"), saved.Method, nil); err != nil {
		return err
	}
	for kind, ch := range map[string]connections.ConnectionChange{"chat": {Base: home + "v1", Model: sim.Faithful, PriceIn: 0.5, PriceOut: 1.5}, "mail": {Base: "smtp://" + mail, Model: "assistant@tolmouth.example"}} {
		if err := cl.call(ctx, http.MethodPut, "/connections/"+kind, ch, nil); err != nil {
			return err
		}
	}
	for _, set := range slices.Backward(demo.Sets()) { // the first one last: its run is the one that the stage line shows
		qs, err := questions.ReadQuestions(bytes.NewReader(set.Lines))
		if err != nil {
			return fmt.Errorf("read the demo's questions: %w", err)
		}
		if err := cl.call(ctx, http.MethodPut, corpusPath(corpus, "sets", set.Name), qs, nil); err != nil {
			return err
		}
		if _, err := runSet(ctx, cl, s, proveOptions{corpus: corpus, set: set.Name}); err != nil {
			return err
		}
	}
	if err := conversed(ctx, cl, home); err != nil {
		return fmt.Errorf("bring in what visitors asked: %w", err)
	}
	if err := visitors(ctx, cl, s); err != nil {
		return fmt.Errorf("prepare the corpus in German: %w", err)
	}
	return cl.close()
}

// serveDemo releases the demo behind a gate, once, and lets its site show the assistant.
func serveDemo(ctx context.Context, s *settings, site string) (serving.Place, error) {
	var place serving.Place
	cl, err := connect(ctx, s)
	if err != nil {
		return place, err
	}
	var made []serving.Release
	if err := cl.call(ctx, http.MethodGet, corpusPath(demo.Corpus, "releases"), nil, &made); err != nil {
		return place, err
	}
	if len(made) == 0 {
		floors := api.Floors{Floors: []serving.Floor{{Set: demo.Sets()[0].Name, Floor: demoFloor}}}
		if err := cl.call(ctx, http.MethodPut, corpusPath(demo.Corpus, "gate"), floors, nil); err != nil {
			return place, err
		}
		if err := cl.call(ctx, http.MethodPost, corpusPath(demo.Corpus, "releases"), api.Making{Note: "First release: routes, fares, conditions"}, nil); err != nil {
			return place, fmt.Errorf("release the demo: %w", err)
		}
	}
	if err := cl.call(ctx, http.MethodGet, corpusPath(demo.Corpus, "place"), nil, &place); err != nil {
		return place, err
	}
	if len(made) == 0 {
		place.Settings.Title, place.Settings.Domains = "Ask "+demo.Corpus, []string{site}
		if err := cl.call(ctx, http.MethodPut, corpusPath(demo.Corpus, "place"), place.Settings, &place); err != nil {
			return place, err
		}
	}
	return place, cl.close()
}

// channelsDemo connects the demo to the stand-ins for a messaging service and a mail server. They keep no secret: each start gives them a new one.
func channelsDemo(ctx context.Context, s *settings, home string, box *sim.Mailbox, messenger *sim.Messenger) error {
	cl, err := connect(ctx, s)
	if err != nil {
		return err
	}
	var have []channels.Channel
	if err := cl.call(ctx, http.MethodGet, corpusPath(demo.Corpus, "channels"), nil, &have); err != nil {
		return err
	}
	for _, p := range []api.PuttingChannel{
		{Kind: channels.KindService, Name: "Harbour chat", Settings: channels.ChannelSettings{Address: home + "messenger/replies", Mode: channels.ModeSure, Markup: channels.MarkupPlain, Longest: 1000, Silence: 24, Sources: true}},
		{Kind: channels.KindMail, Name: "Mail to the office", Settings: channels.ChannelSettings{Address: demo.Mail, Mode: channels.ModeDraft, Markup: channels.MarkupPlain, Silence: 336, Sources: true}},
	} {
		if at := slices.IndexFunc(have, func(c channels.Channel) bool { return c.Kind == p.Kind && c.Name == p.Name }); at >= 0 {
			p.ID, p.Settings, p.Renew = have[at].ID, have[at].Settings, true
		}
		var c channels.Channel
		if err := cl.call(ctx, http.MethodPut, corpusPath(demo.Corpus, "channels"), p, &c); err != nil {
			return fmt.Errorf("connect the demo to %s: %w", p.Name, err)
		}
		if c.Kind == channels.KindMail {
			box.Forward(demo.Mail, c.In, c.Secret)
		} else {
			messenger.Connect(c.In, c.Secret)
		}
	}
	return cl.close()
}

// demoFloor is what the first set must pass before the demo is released.
const demoFloor = 0.8

// How many conversations the demo's visitors had, over how many days.
const (
	demoTalks = 300
	demoDays  = 28
)

// conversed has visitors of the demo ask over the last weeks, and gathers what went wrong.
func conversed(ctx context.Context, cl *client, home string) error {
	var got conversations.Imported
	log := demo.Log(demoTalks, demoDays, time.Now(), strings.TrimSuffix(home, "/"), 1)
	if err := cl.call(ctx, http.MethodPost, corpusPath(demo.Corpus, "log", "import")+"?keep=true&ask=true", log, &got); err != nil {
		return err
	}
	if got.Job != nil {
		if _, err := cl.follow(ctx, demo.Corpus, got.Job.ID, func(job.Job) {}); err != nil {
			return err
		}
	}
	told := notices.Subscription{Recipient: "desk@tolmouth.example", Kinds: []string{notices.Unanswered, notices.Alerts, notices.Digest}, Pace: "hour", Hour: 8, QuietFrom: 20, QuietTo: 7, Zone: "Europe/London", Most: 20}
	if err := cl.call(ctx, http.MethodPut, corpusPath(demo.Corpus, "subscriptions"), told, &told); err != nil {
		return err
	}
	var j job.Job
	if err := cl.call(ctx, http.MethodPost, corpusPath(demo.Corpus, "snags", "gather"), nil, &j); err != nil {
		return err
	}
	_, err := cl.follow(ctx, demo.Corpus, j.ID, func(job.Job) {})
	return err
}

// visitors makes the corpus for visitors from abroad: German pages, read by the encoder of many languages, asked in four of them.
func visitors(ctx context.Context, cl *client, s *settings) error {
	const corpus = demo.Visitors
	g := gatherer{cl, s, corpus, store.SourceSettings{}, false, ""}
	if err := g.ensure(ctx); err != nil {
		return err
	}
	var saved api.Saved
	if err := cl.call(ctx, http.MethodGet, corpusPath(corpus, "method"), nil, &saved.Method); err != nil {
		return err
	}
	saved.Method.Embed.Grade = embed.GradeMany
	if err := cl.call(ctx, http.MethodPut, corpusPath(corpus, "method"), saved.Method, nil); err != nil {
		return err
	}
	for _, f := range demo.VisitorPages() {
		var d indexing.Document
		if err := cl.call(ctx, http.MethodPut, corpusPath(corpus, "files")+"?name="+url.QueryEscape(f.Name), f.Body, &d); err != nil {
			return err
		}
	}
	if err := g.through(ctx); err != nil {
		return err
	}
	qs, err := questions.ReadQuestions(bytes.NewReader(demo.VisitorQuestions()))
	if err != nil {
		return fmt.Errorf("read the questions in four languages: %w", err)
	}
	if err := cl.call(ctx, http.MethodPut, corpusPath(corpus, "sets", demo.VisitorsSet), qs, nil); err != nil {
		return err
	}
	_, err = runSet(ctx, cl, s, proveOptions{corpus: corpus, set: demo.VisitorsSet})
	return err
}

// chooseDemo takes in what the site has found, without the clutter. A page that is found later waits for a decision.
func chooseDemo(ctx context.Context, g *gatherer) error {
	var sources []gathering.Source
	if err := g.cl.call(ctx, http.MethodGet, corpusPath(g.corpus, "sources"), nil, &sources); err != nil {
		return err
	}
	for _, s := range sources {
		if s.Kind != store.KindSite || s.Chosen {
			continue
		}
		var list gathering.PageList
		if err := g.cl.call(ctx, http.MethodGet, corpusPath(g.corpus, "sources", s.ID, "pages"), nil, &list); err != nil {
			return err
		}
		ch := gathering.Choice{Taken: []string{}, NewPages: "ask"}
		for _, p := range list.Pages {
			if p.State == store.Found && len(p.Clutter) == 0 || p.State == store.Failed {
				ch.Taken = append(ch.Taken, p.ID)
			}
		}
		var done gathering.Chosen
		if err := g.cl.call(ctx, http.MethodPut, corpusPath(g.corpus, "sources", s.ID, "choice"), ch, &done); err != nil {
			return err
		}
		if _, err := g.cl.follow(ctx, g.corpus, done.Job.ID, g.counter("taking in: %d of %d pages")); err != nil {
			return err
		}
	}
	return nil
}

// handOver gives the handbook, which only staff may be answered from, and the questions with their answers.
func handOver(ctx context.Context, cl *client) error {
	name, body := demo.Handbook()
	var d indexing.Document
	if err := cl.call(ctx, http.MethodPut, corpusPath(demo.Corpus, "files")+"?audience="+index.Staff+"&name="+url.QueryEscape(name), body, &d); err != nil {
		return err
	}
	return cl.call(ctx, http.MethodPut, corpusPath(demo.Corpus, "pairs"), demo.Pairs(), nil)
}
