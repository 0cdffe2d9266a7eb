package proving

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/chunk"
	"jolvex/core/doc"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/rule"
	"jolvex/core/text"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// altered gives a method with an alteration brought in; ErrInput, wrapped, when that does not go.
func altered(m method.Method, a prove.Alteration) (method.Method, error) {
	m, err := method.With(m, a.Settings)
	if err != nil {
		return m, fault.Input("%v", err)
	}
	if len(a.RulesOff)+len(a.Wordings) > 0 {
		rs := slices.Clone(m.Rules)
		for i := range rs {
			rs[i].Off = rs[i].Off || slices.Contains(a.RulesOff, rs[i].ID)
			if w := a.Wordings[rs[i].ID]; w != "" {
				rs[i].When.Like = append(slices.Clone(rs[i].When.Like), w)
			}
		}
		m.Rules = rs
	}
	if len(a.Glossary) > 0 {
		m.Glossary = append(slices.Clone(m.Glossary), a.Glossary...)
	}
	if len(a.Priority) > 0 {
		p := maps.Clone(m.Priority)
		if p == nil {
			p = map[string]int{}
		}
		maps.Copy(p, a.Priority)
		m.Priority = p
	}
	for id, kv := range a.Sources {
		own := m
		own.Chunk = m.Cutting(id)
		settings := map[string]string{}
		for key, value := range kv {
			settings["chunk."+key] = value
		}
		if own, err = method.With(own, settings); err != nil {
			return m, fault.Input("%v", err)
		}
		sources := maps.Clone(m.Sources)
		if sources == nil {
			sources = map[string]chunk.Settings{}
		}
		sources[id] = own.Chunk
		m.Sources = sources
	}
	if bad := m.Validate(); len(bad) > 0 {
		return m, fault.Input("%s", strings.Join(bad, "; "))
	}
	return m, nil
}

// library is what a corpus holds, gathered once for many diagnoses.
type library struct {
	documents []store.Document
	flat      map[string]string     // version -> words of the text, with one space around each
	chunks    map[string][]doc.Span // document -> what its chunks bring
}

func (pv *Prover) libraryOf(ctx context.Context, c store.Corpus, v *index.View) (*library, error) {
	l := &library{flat: map[string]string{}, chunks: map[string][]doc.Span{}}
	const page = 2000
	for {
		ds, total, err := pv.store.Documents(ctx, c.ID, store.Filter{Limit: page, Offset: len(l.documents)})
		if err != nil {
			return nil, err
		}
		l.documents = append(l.documents, ds...)
		if len(l.documents) >= total || len(ds) == 0 {
			break
		}
	}
	v.Each(func(_ int, e *index.Entry) bool {
		l.chunks[e.Document] = append(l.chunks[e.Document], e.Evidence())
		return true
	})
	return l, nil
}

// trouble says why no public reply can draw on a document; "" when one can.
func (l *library) trouble(d store.Document) string {
	because := func(s string) string {
		if d.Reason == "" {
			return s
		}
		return s + ": " + d.Reason
	}
	switch {
	case d.State == store.Failed:
		return because("it failed")
	case d.State == store.LeftOut || d.Choice == store.Left:
		return because("it was left out")
	case d.State == store.Waiting || d.Choice == store.Undecided:
		return "it waits to be taken in"
	case d.Audience != index.Public:
		return "it is for " + d.Audience + " only"
	case len(l.chunks[d.ID]) == 0:
		return "nothing of it is in the index"
	}
	return ""
}

func (l *library) known(d store.Document) prove.Known {
	k := prove.Known{Document: d.ID, Source: d.Source, Address: d.Address, Title: d.Title, Trouble: l.trouble(d)}
	k.Takeable = k.Trouble != "" && d.Audience == index.Public && (d.Version != "" || strings.HasPrefix(d.Address, "http"))
	return k
}

// probe asks again and looks into the corpus, for the diagnosis of one question.
type probe struct {
	pv   *Prover
	ctx  context.Context // of the whole diagnosis, which is one call
	c    store.Corpus
	lib  *library
	snap *index.Snapshot // what b searches
	b    answer.Bench
	m    method.Method
	q    prove.Question
	seen prove.Seen
}

// Rules gives the method's house rules.
func (p *probe) Rules() []rule.Rule { return p.m.Rules }

// Named finds documents by address or title.
func (p *probe) Named(names []string) ([]prove.Known, error) {
	var out []prove.Known
	for _, d := range p.lib.documents {
		if (prove.Document{Address: d.Address, Title: d.Title}).Is(names) {
			out = append(out, p.lib.known(d))
		}
	}
	return out, nil
}

// Again answers the question under an altered method.
func (p *probe) Again(ctx context.Context, change prove.Alteration, documents []string) (prove.Seen, prove.Verdict, error) {
	m, err := altered(p.m, change)
	if err != nil {
		return prove.Seen{}, prove.Verdict{}, err
	}
	b, err := p.bench(m, change)
	if err != nil {
		return prove.Seen{}, prove.Verdict{}, err
	}
	b.Filter.Documents = documents
	s, v, _, err := p.pv.examine(ctx, b, p.q)
	return s, v, err
}

// bench is what an altered method answers on.
func (p *probe) bench(m method.Method, change prove.Alteration) (answer.Bench, error) {
	if !change.Material() {
		return p.pv.asking.Under(p.ctx, p.b, m)
	}
	tried, err := p.pv.gathering.Bring(p.ctx, p.c, change)
	if err != nil {
		return answer.Bench{}, err
	}
	snap, err := p.pv.index.With(p.ctx, p.snap, m, tried)
	if err != nil {
		return answer.Bench{}, err
	}
	return p.pv.asking.BenchOn(p.ctx, asRun, snap, m)
}

// Where is the address of a page that is named by its address, or by its path on the one host that the corpus visits.
func (p *probe) Where(name string) string {
	if strings.HasPrefix(name, "http://") || strings.HasPrefix(name, "https://") {
		return name
	}
	if !strings.HasPrefix(name, "/") {
		return ""
	}
	hosts := map[string]bool{}
	for _, d := range p.lib.documents {
		if u, err := url.Parse(d.Address); err == nil && strings.HasPrefix(u.Scheme, "http") {
			hosts[u.Scheme+"://"+u.Host] = true
		}
	}
	if len(hosts) != 1 {
		return ""
	}
	for h := range hosts {
		return h + name
	}
	return ""
}

// Whole cuts the document of a place under an altered method, and looks whether one chunk holds all of it.
func (p *probe) Whole(ctx context.Context, change prove.Alteration, h prove.Held) (bool, error) {
	m, err := altered(p.m, change)
	if err != nil {
		return false, err
	}
	at := slices.IndexFunc(p.lib.documents, func(d store.Document) bool { return d.ID == h.Document })
	if at < 0 {
		return false, nil
	}
	_, chunks, err := p.pv.index.ChunksOf(ctx, p.lib.documents[at].Version, m.Cutting(h.Source))
	return slices.ContainsFunc(chunks, func(c chunk.Chunk) bool { return c.Span.Contains(h.Span) || c.Parent.Contains(h.Span) }), err
}

// Limits of a search for what was expected: places of one document, places in all, and documents that are read for figures.
const (
	mostPlaces   = 6
	mostHeld     = 60
	mostVersions = 5
)

// Holding finds what an expectation wants: in the documents that the question names and in those that were found, wherever the
// figure stands; words in all documents of the corpus. Earlier versions are looked at in the documents that are named.
func (p *probe) Holding(ctx context.Context, e prove.Expectation) ([]prove.Held, error) {
	var names []string
	for _, x := range p.q.Expect {
		switch x.Kind {
		case prove.Cites:
			names = append(names, x.Values...)
		case prove.Reaches:
			names = append(names, x.Document)
		}
	}
	near := map[string]bool{}
	for _, c := range p.seen.Trail.Candidates {
		near[c.Document] = true
	}
	var out []prove.Held
	for _, d := range p.lib.documents {
		if d.Version == "" || len(out) >= mostHeld {
			continue
		}
		named := len(names) > 0 && (prove.Document{Address: d.Address, Title: d.Title}).Is(names)
		if !named && !near[d.ID] {
			may, err := p.may(ctx, d.Version, e)
			if err != nil {
				return nil, err
			}
			if !may {
				continue
			}
		}
		here, err := p.places(ctx, d, d.Version, e)
		if err != nil {
			return nil, err
		}
		if len(here) == 0 && named {
			if here, err = p.past(ctx, d, e); err != nil {
				return nil, err
			}
		}
		out = append(out, here...)
	}
	return out, nil
}

// may reports whether a version's text holds a wording at all.
func (p *probe) may(ctx context.Context, version string, e prove.Expectation) (bool, error) {
	flat, ok := p.lib.flat[version]
	if !ok {
		body, err := p.pv.index.Version(ctx, version)
		if err != nil {
			return false, fmt.Errorf("look for what was expected: %w", err)
		}
		flat = flatWords(body.Text)
		p.lib.flat[version] = flat
	}
	return slices.ContainsFunc(e.Values, func(v string) bool { return strings.Contains(flat, flatWords(v)) }), nil
}

// flatWords is a text as its words in their normal form, with one space around each.
func flatWords(s string) string {
	var b strings.Builder
	b.WriteByte(' ')
	for _, w := range text.Words(s) {
		b.WriteString(w.Norm)
		b.WriteByte(' ')
	}
	return b.String()
}

func (p *probe) places(ctx context.Context, d store.Document, version string, e prove.Expectation) ([]prove.Held, error) {
	body, err := p.pv.index.Version(ctx, version)
	if err != nil {
		return nil, fmt.Errorf("look for what was expected: %w", err)
	}
	var out []prove.Held
	for _, s := range e.Places(body, mostPlaces) {
		h := prove.Held{Known: p.lib.known(d), Version: version, Span: s, Text: doc.Fold(body.Of(s)), Heading: strings.Join(append([]string{body.Title}, indexing.PathAt(body, s)...), " ")}
		if i := body.BlockAt(s.Start); i >= 0 && body.Blocks[i].Grid != nil {
			h.Row = answer.Worded(body.Blocks[i].Grid, s)
		}
		h.Cut = h.Trouble == "" && !slices.ContainsFunc(p.lib.chunks[d.ID], func(c doc.Span) bool { return c.Contains(s) })
		out = append(out, h)
	}
	return out, nil
}

func (p *probe) past(ctx context.Context, d store.Document, e prove.Expectation) ([]prove.Held, error) {
	old, err := p.pv.store.History(p.ctx, d.ID)
	if err != nil {
		return nil, err
	}
	for _, v := range old[:min(len(old), mostVersions)] {
		if v.Version == d.Version {
			continue
		}
		held, err := p.places(ctx, d, v.Version, e)
		if err != nil {
			return nil, err
		}
		for i := range held {
			held[i].Past, held[i].Cut = true, false
		}
		if len(held) > 0 {
			return held, nil
		}
	}
	return nil, nil
}

// lookInto finds the cause of every failure of a run. With a model that words replies, asking again costs money: then it is
// done for a question when somebody wants to know.
func (pv *Prover) lookInto(ctx context.Context, c store.Corpus, snap *index.Snapshot, b answer.Bench, r store.Run, rs []store.Result, p *job.Progress) error {
	if r.Method.Answer.Composer == answer.ByModel {
		return nil
	}
	var failed []store.Result
	for _, x := range rs {
		if x.Failed == "" && !x.Verdict.Passed && x.Cause == nil {
			failed = append(failed, x)
		}
	}
	if len(failed) == 0 {
		return nil
	}
	lib, err := pv.libraryOf(ctx, c, b.View)
	if err != nil {
		return err
	}
	base := probe{pv: pv, ctx: ctx, c: c, lib: lib, snap: snap, b: b, m: r.Method}
	var errs []error // one that cannot be looked into does not keep the others from it
	for i, x := range failed {
		if err := ctx.Err(); err != nil {
			return err
		}
		d, err := pv.diagnose(ctx, base, r.Questions[x.Position])
		if err == nil {
			err = pv.store.PutCause(ctx, r.ID, x.Question, d)
		}
		if err != nil {
			errs = append(errs, fmt.Errorf("look into question %s: %w", x.Question, err))
		}
		p.Set(ctx, i+1, len(failed), "finding causes")
	}
	return errors.Join(errs...)
}

// diagnose answers a question once more and finds why it fails. A question whose script fails is looked into where it fails first.
func (pv *Prover) diagnose(ctx context.Context, p probe, q prove.Question) (prove.Diagnosis, error) {
	q, err := pv.firstFailing(ctx, p.b, q)
	if err != nil {
		return prove.Diagnosis{}, err
	}
	s, v, _, err := pv.examine(ctx, p.b, q)
	if err != nil {
		return prove.Diagnosis{}, err
	}
	if v.Passed {
		return prove.Diagnosis{Cause: prove.Doubtful, Why: "asked once more, it passes: what answers is not steady", Shown: []string{}, Fixes: []prove.Fix{}}, nil
	}
	p.q, p.seen = q, s
	return prove.Diagnose(ctx, q, s, v, &p)
}

// firstFailing gives the message of a script whose reply first falls short, as a question of its own with what was said before;
// the question itself, when its script holds.
func (pv *Prover) firstFailing(ctx context.Context, b answer.Bench, q prove.Question) (prove.Question, error) {
	turns := q.Turns
	for i, line := range q.Script {
		s, _, err := pv.put(ctx, b, line.Text, turns)
		if err != nil {
			return q, err
		}
		if slices.ContainsFunc(prove.JudgeLine(line, i+1, s), func(f prove.Finding) bool { return !f.Held }) {
			return prove.Question{ID: q.ID, Text: line.Text, Turns: turns, Expect: line.Expect}, nil
		}
		turns = append(turns[:len(turns):len(turns)], query.Turn{Role: "user", Text: line.Text}, query.Turn{Role: "assistant", Text: s.Trail.Text()})
	}
	q.Turns, q.Script = turns, nil
	return q, nil
}

// Cause finds why a question of a run failed, or gives what was found.
func (pv *Prover) Cause(ctx context.Context, corpus, run, question string) (prove.Diagnosis, error) {
	r, err := pv.runOf(ctx, corpus, run)
	if err != nil {
		return prove.Diagnosis{}, err
	}
	rs, err := pv.store.Results(ctx, run, false)
	if err != nil {
		return prove.Diagnosis{}, err
	}
	at := slices.IndexFunc(rs, func(x store.Result) bool { return x.Question == question })
	if at < 0 {
		return prove.Diagnosis{}, fmt.Errorf("question %s of run %s: %w", question, run, fault.ErrMissing)
	}
	if x := rs[at]; x.Cause != nil {
		return *x.Cause, nil
	} else if x.Verdict.Passed || x.Failed != "" {
		return prove.Diagnosis{}, fault.Input("question %s did not fail", question)
	}
	c, err := pv.store.Corpus(ctx, r.Corpus)
	if err != nil {
		return prove.Diagnosis{}, err
	}
	shelf, err := pv.index.Shelf(ctx, c)
	if err != nil {
		return prove.Diagnosis{}, err
	}
	snap, err := pv.index.With(ctx, shelf.Snapshot.Load(), r.Method, r.Tried)
	if err != nil {
		return prove.Diagnosis{}, err
	}
	b, err := pv.asking.BenchOn(ctx, asRun, snap, r.Method)
	if err != nil {
		return prove.Diagnosis{}, err
	}
	lib, err := pv.libraryOf(ctx, c, b.View)
	if err != nil {
		return prove.Diagnosis{}, err
	}
	d, err := pv.diagnose(ctx, probe{pv: pv, ctx: ctx, c: c, lib: lib, snap: snap, b: b, m: r.Method}, r.Questions[rs[at].Position])
	if err != nil {
		return d, err
	}
	return d, pv.store.PutCause(ctx, run, question, d)
}
