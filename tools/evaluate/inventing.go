package main

import (
	"context"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"strings"
	"time"

	"jolvex/core/answer"
	"jolvex/core/measure"
	"jolvex/core/method"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/demo"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/sim"
)

// inventing has the stand-in word the demo's replies, faithfully and inventing, and counts which of its sentences are withheld:
// of the inventing one all that it changed ought to be, of the faithful one none.
func inventing() error {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "jolvex-evaluate-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	app, err := app.Open(ctx, dir, slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn})), app.Options{})
	if err != nil {
		return err
	}
	defer app.Close()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	stand := &http.Server{Handler: sim.Chat("", time.Second), ReadHeaderTimeout: 5 * time.Second}
	go func() { _ = stand.Serve(l) }() // ends with Close
	defer stand.Close()
	s := &session{ctx, app, func(m *method.Method) error {
		m.Answer.Composer = answer.ByModel
		return nil
	}, false}
	if err := s.gatherFerries(); err != nil {
		return err
	}
	qs, err := questions.ReadQuestions(strings.NewReader(string(demo.Questions())))
	if err != nil {
		return err
	}
	said := map[string]map[string]bool{} // behaviour -> what it wrote, and whether that was said
	for _, behaviour := range []string{sim.Faithful, sim.Inventing} {
		if _, err := app.Connections.ConnectChat(ctx, connections.ConnectionChange{Base: "http://" + l.Addr().String() + "/v1", Model: behaviour}); err != nil {
			return err
		}
		said[behaviour] = map[string]bool{}
		for _, q := range qs {
			r, err := app.Asking.Ask(ctx, asking.Caller{Audience: "public", Surface: "run"}, demo.Corpus, query.Question{Text: q.Text, Turns: q.Turns})
			if err != nil {
				return err
			}
			w := r.Trail.Written
			if w == nil || len(w.Prompt) == 0 {
				continue
			}
			for _, x := range w.Withheld {
				said[behaviour][q.ID+" "+x.Text] = false
			}
			if w.Note == "" {
				for _, x := range r.Trail.Reply {
					if x.Grounding != nil {
						said[behaviour][q.ID+" "+x.Text] = true
					}
				}
			}
		}
	}
	faithful, wronged := 0, 0
	for _, yes := range said[sim.Faithful] {
		faithful++
		if !yes {
			wronged++
		}
	}
	made, caught := 0, 0
	for text, yes := range said[sim.Inventing] {
		if _, same := said[sim.Faithful][text]; same {
			continue // it found nothing to change
		}
		made++
		if !yes {
			caught++
		}
	}
	c, w := measure.Wilson(caught, max(1, made)), measure.Wilson(wronged, max(1, faithful))
	fmt.Printf("\nTolmouth Ferries, worded by the stand-in for a model\n  inventing: %d of %d changed or added sentences withheld, %.0f %% [%.0f, %.0f]\n  faithful:  %d of %d sentences wrongly withheld, %.0f %% [%.0f, %.0f]\n",
		caught, made, 100*float64(caught)/float64(max(1, made)), 100*c.Low, 100*c.High, wronged, faithful, 100*float64(wronged)/float64(max(1, faithful)), 100*w.Low, 100*w.High)
	return nil
}
