package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"jolvex/core/index"
	"jolvex/core/measure"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/demo"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/proving/runs"
	"jolvex/internal/sim"
	"jolvex/internal/store"
)

// replies asks the questions of the debian-faq and demo sets the way a person does, over the pages as they are, and sums
// up what came of them.
func replies(change func(*method.Method) error, verbose bool) error {
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
	s := &session{ctx, app, change, verbose}
	if err := s.debian(); err != nil {
		return err
	}
	return s.ferries()
}

type session struct {
	ctx     context.Context
	app     *app.App
	change  func(*method.Method) error
	verbose bool
}

func (s *session) corpus(name string) error {
	if _, err := s.app.CreateCorpus(s.ctx, name); err != nil {
		return err
	}
	m, err := s.app.Indexing.Method(s.ctx, name)
	if err != nil {
		return err
	}
	if err := s.change(&m); err != nil {
		return err
	}
	_, err = s.app.Indexing.SaveMethod(s.ctx, name, m)
	return err
}

func (s *session) debian() error {
	if err := s.corpus("debian-faq"); err != nil {
		return err
	}
	files, err := filepath.Glob(filepath.Join(debianFAQ, "*.en.html"))
	if err != nil {
		return err
	}
	for _, f := range files {
		if strings.HasPrefix(filepath.Base(f), "index.") {
			continue
		}
		body, err := os.ReadFile(f)
		if err != nil {
			return err
		}
		if _, err := s.app.Gathering.Upload(s.ctx, "debian-faq", filepath.Base(f), "text/html", body); err != nil {
			return err
		}
	}
	if err := s.idle("debian-faq"); err != nil {
		return err
	}
	qs, err := readExpected("tools/evaluate/debian-faq.jsonl")
	if err != nil {
		return err
	}
	var set []questions.Question
	for _, q := range qs {
		set = append(set, q.Question)
	}
	return errors.Join(s.run("debian-faq", "questions", set), s.run("debian-faq", "put in other ways", append(asWritten(qs), otherWays(set)...)))
}

// asWritten are the FAQ's own headings with what is expected of the questions that they answer, and two words on one of them after
// talk of another: a follow-up that changes the subject.
func asWritten(qs []expected) []questions.Question {
	var out []questions.Question
	before := ""
	seen := map[string]bool{}
	for _, q := range qs {
		if q.Entry == "" || q.Refusal() {
			continue
		}
		if slices.Contains(q.Tags, "two-word") && before != "" && before != q.Entry {
			out = append(out, questions.Question{ID: q.ID + " follow-up", Text: "And " + q.Text + "?", Tags: []string{"follow-up"}, Expect: q.Expect, Turns: []query.Turn{{Role: "user", Text: before}, {Role: "assistant", Text: "That is told in the FAQ."}}})
		}
		if !seen[q.Entry] {
			seen[q.Entry] = true
			out = append(out, questions.Question{ID: q.ID + " direct", Text: q.Entry, Tags: []string{"direct"}, Expect: q.Expect})
		}
		before = q.Entry
	}
	return out
}

// otherWays puts questions in the ways that a set of single wordings lacks: misspelt, beside the subject and hostile by the stress
// kit, and two questions in one message. What is expected stays; nothing is written for the purpose.
func otherWays(set []questions.Question) []questions.Question {
	var out []questions.Question
	var last *questions.Question
	rare := func(string) float64 { return 1 }
	seen := map[string]bool{}
	for i, q := range set {
		if q.Refusal() {
			continue
		}
		for _, v := range questions.Stress(q, rare) {
			if slices.ContainsFunc([]string{questions.StressMisspelt, questions.StressOffSubject, questions.StressHostile}, func(k string) bool { return slices.Contains(v.Tags, k) }) && !seen[v.Text] {
				seen[v.Text] = true // a question beside the subject is proposed for several
				out = append(out, v)
			}
		}
		if !strings.HasSuffix(q.Text, "?") {
			continue // run together, what is no question is no second one
		}
		if last == nil {
			last = &set[i]
			continue
		}
		two := questions.Question{ID: last.ID + " and " + q.ID, Text: last.Text + " " + q.Text, Tags: []string{"several-part"}, Expect: append(slices.Clone(last.Expect), q.Expect...)}
		out, last = append(out, two), nil
	}
	return out
}

func (s *session) ferries() error {
	if err := s.gatherFerries(); err != nil {
		return err
	}
	for _, set := range demo.Sets() {
		qs, err := questions.ReadQuestions(bytes.NewReader(set.Lines))
		if err != nil {
			return err
		}
		if err := s.run(demo.Corpus, set.Name, qs); err != nil {
			return err
		}
	}
	return nil
}

// gatherFerries gathers the demo site.
func (s *session) gatherFerries() error {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	home := "http://" + l.Addr().String() + "/"
	srv := &http.Server{Handler: sim.Site(demo.Pages(), home, time.Now), ReadHeaderTimeout: 5 * time.Second}
	go func() { _ = srv.Serve(l) }() // ends with Close
	defer srv.Close()
	change := s.change
	s.change = func(m *method.Method) error {
		g, err := asking.ReadGlossary(demo.Glossary())
		m.Glossary = g.Entries
		return errors.Join(err, json.Unmarshal(demo.Rules(), &m.Rules), change(m))
	}
	if err := s.corpus(demo.Corpus); err != nil {
		return err
	}
	if _, err := s.app.Gathering.PutPairs(s.ctx, demo.Corpus, demo.Pairs(), "", ""); err != nil {
		return err
	}
	if _, _, err := s.app.Gathering.AddSite(s.ctx, demo.Corpus, home, store.SourceSettings{AllowPrivate: true}); err != nil {
		return err
	}
	return s.idle(demo.Corpus)
}

// idle waits until nothing is under way.
func (s *session) idle(corpus string) error {
	for {
		js, err := s.app.Jobs.Jobs(s.ctx, corpus)
		if err != nil {
			return err
		}
		busy := false
		for _, j := range js {
			busy = busy || j.State == store.Queued || j.State == store.Running
			if j.State == store.Broken {
				return fmt.Errorf("%s of %s: %s", j.Kind, corpus, j.Error)
			}
		}
		if !busy {
			return nil
		}
		time.Sleep(50 * time.Millisecond)
	}
}

func (s *session) run(corpus, name string, qs []questions.Question) error {
	if _, err := s.app.Proving.Sets.PutQuestions(s.ctx, corpus, name, qs); err != nil {
		return err
	}
	r, _, err := s.app.Proving.Runs.StartRun(s.ctx, corpus, name, runs.Order{})
	if err != nil {
		return err
	}
	if err := s.idle(corpus); err != nil {
		return err
	}
	run, results, err := s.app.Proving.Runs.RunResults(s.ctx, corpus, r.ID)
	if err != nil {
		return err
	}
	c, err := s.app.Corpus(s.ctx, corpus)
	if err != nil {
		return err
	}
	sum := run.Summary
	fmt.Printf("\n%s, %d questions over %d documents in %d chunks, as %s\n", corpus+", "+name, sum.Questions, c.Documents, c.Chunks, index.Public)
	pass := func(r prove.Rate) string {
		return fmt.Sprintf("%d of %d, %.0f %% [%.0f, %.0f]", r.Hits, r.Of, 100*r.Rate, 100*r.Interval.Low, 100*r.Interval.High)
	}
	fmt.Printf("  passed            %s\n", pass(sum.Passed))
	for _, t := range sum.Tags {
		fmt.Printf("    %-15s %s, facts %d of %d, refused %d right %d wrong %d missed\n", t.Tag, pass(t.Passed), t.Facts.Hits, t.Facts.Of, t.Right, t.Wrong, t.Missed)
	}
	for _, f := range sum.Figures {
		switch f.Key {
		case "grounded", "agreement", "citePrecision", "citeRecall", "ndcg", "f1", "rougeL":
			fmt.Printf("  %-38s %.3f [%.3f, %.3f] over %d\n", f.Label, f.Value, f.Interval.Low, f.Interval.High, f.Of)
		}
	}
	fmt.Printf("  facts found       %s (a refusal finds none)\n", pass(sum.Facts))
	refused, should := sum.RightRefusals+sum.WrongRefusals, sum.RightRefusals+sum.MissedRefusals
	share := func(k, n int) string {
		w := measure.Wilson(k, n)
		return fmt.Sprintf("%d of %d, %.0f %% [%.0f, %.0f]", k, n, 100*float64(k)/float64(max(1, n)), 100*w.Low, 100*w.High)
	}
	fmt.Printf("  refusal precision %s\n  refusal recall    %s\n", share(sum.RightRefusals, refused), share(sum.RightRefusals, should))
	if sum.Ranked > 0 {
		fmt.Printf("  hit@1 %.2f  hit@5 %.2f  MRR %.2f over %d questions that name a page\n", sum.Hit1, sum.Hit5, sum.MRR, sum.Ranked)
	}
	fmt.Printf("  reply p50 %.0f ms, p95 %.0f ms\n", sum.MillisP50, sum.MillisP95)
	if s.verbose {
		for _, x := range results {
			if !x.Verdict.Passed {
				if x.Cause != nil {
					fmt.Printf("    [%s] ", x.Cause.Cause)
				}
				fmt.Printf("    failed %s %q (refused %v, rank %d)\n      said: %.300s\n", x.Question.ID, x.Question.Text, x.Verdict.Refused, x.Verdict.Rank, x.Reply)
				for _, f := range x.Verdict.Findings {
					if !f.Held {
						fmt.Printf("      %s %v\n", f.Expectation.Kind, f.Expectation.Values)
					}
				}
			}
		}
	}
	return nil
}
