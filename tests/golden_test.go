package tests

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/answer"
	"jolvex/core/check"
	"jolvex/core/chunk"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/extract"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/record"
	"jolvex/core/rule"
	"jolvex/demo"
)

// What each stage makes of the demo's pages and questions, by the version that made it. A stage whose output moves while its version
// stays fails: replies and indexes would be taken for what they no longer are. GOLDEN=1 writes the file anew, for versions that moved.
const goldenFile = "testdata/golden.json"

// golden is the output of one stage: the version of the stage, and the SHA-256 of what it made.
type golden struct {
	Version string `json:"version"`
	Output  string `json:"output"`
}

func TestOutputsMoveWithTheirVersionsAlone(t *testing.T) {
	got := goldens(t, 0)
	if child := os.Getenv("GOLDEN_SEED"); child != "" { // the other process: it says what it makes, in another order
		seed, err := strconv.ParseUint(child, 10, 64)
		require.NoError(t, err)
		raw, err := json.Marshal(goldens(t, seed))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(os.Getenv("GOLDEN_OUT"), raw, 0o600))
		return
	}
	raw, err := os.ReadFile(goldenFile)
	require.NoError(t, err)
	var want map[string]golden
	require.NoError(t, json.Unmarshal(raw, &want))
	if os.Getenv("GOLDEN") != "" {
		for stage, g := range got {
			if w, ok := want[stage]; ok && w.Version == g.Version && w.Output != g.Output {
				t.Errorf("%s makes something else and is still called %s: give it another version first", stage, g.Version)
				got[stage] = w
			}
		}
		raw, err := json.MarshalIndent(got, "", "  ")
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(goldenFile, append(raw, '\n'), 0o600))
		return
	}
	for stage, g := range got {
		w := want[stage]
		if !assert.Equal(t, w.Version, g.Version, "%s has a new version: write what it makes down with GOLDEN=1 go test -run Versions ./tests", stage) {
			continue
		}
		assert.Equal(t, w.Output, g.Output, "%s makes something else and is still called %s", stage, g.Version)
	}
	assert.Len(t, want, len(got))

	// Another process, and another order, make the same.
	out := path.Join(t.TempDir(), "out.json")
	cmd := exec.CommandContext(t.Context(), os.Args[0], "-test.run", "^TestOutputsMoveWithTheirVersionsAlone$")
	cmd.Env = append(os.Environ(), "GOLDEN_SEED=7", "GOLDEN_OUT="+out)
	said, err := cmd.CombinedOutput()
	require.NoError(t, err, string(said))
	raw, err = os.ReadFile(out)
	require.NoError(t, err)
	var again map[string]golden
	require.NoError(t, json.Unmarshal(raw, &again))
	assert.Equal(t, got, again, "the same in another process and in another order")
}

// library serves the demo's documents by their addresses.
type library map[string]*doc.Document

func (l library) Version(_ context.Context, hash string) (*doc.Document, error) { return l[hash], nil }

// goldens runs every stage. With a seed, documents and questions are worked on in a shuffled order, and put back into order after.
func goldens(t *testing.T, seed uint64) map[string]golden {
	t.Helper()
	shuffle := func(n int, swap func(i, j int)) {
		if seed > 0 {
			rand.New(rand.NewPCG(seed, seed)).Shuffle(n, swap)
		}
	}
	words, err := embed.NewStatic()
	require.NoError(t, err)
	m := method.Default()
	m.Answer.Refusal, m.Answer.TurnTo = demo.Refusal, demo.TurnTo
	m.Embed.Grade = embed.GradeWords

	var names []string
	require.NoError(t, fs.WalkDir(demo.Pages(), ".", func(at string, e fs.DirEntry, err error) error {
		if err == nil && !e.IsDir() && slices.Contains([]string{".md", ".html", ".docx", ".xlsx", ".vtt"}, path.Ext(at)) {
			names = append(names, at)
		}
		return err
	}))
	shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	lib := library{}
	var looks []*check.Look
	for _, at := range names {
		raw, err := fs.ReadFile(demo.Pages(), at)
		require.NoError(t, err)
		d, err := extract.Extract(extract.Input{Address: "https://ferries.example/" + at, Body: raw})
		if err != nil {
			continue // the demo has pages that hold no text
		}
		lib[at] = d
		looks = append(looks, check.At(check.Input{ID: at, Address: at, Source: "site", Doc: d}, time.Date(2030, 1, 1, 0, 0, 0, 0, time.UTC)))
	}
	findings := check.Join(looks)
	slices.SortFunc(findings, func(a, b check.Finding) int { return strings.Compare(written(t, a), written(t, b)) })

	// Cut, embed and index, in the order of addresses whatever the order of reading.
	chunks := map[string][]chunk.Chunk{}
	for _, at := range names {
		if lib[at] == nil {
			continue
		}
		p, err := chunk.Prepare(lib[at], nil)
		require.NoError(t, err)
		chunks[at], err = p.Cut(m.Chunk)
		require.NoError(t, err)
	}
	slices.Sort(names)
	b := index.NewBuilder(index.Public)
	var texts []string
	for _, at := range names {
		d := lib[at]
		for _, c := range chunks[at] {
			ts := index.Texts{index.Title: d.Title, index.Path: strings.Join(c.Path, "\n"), index.Body: d.Of(c.Span)}
			b.Add(index.Entry{Document: at, Version: at, Address: at, Title: d.Title, Path: c.Path, Span: c.Span, Ordinal: c.Ordinal}, ts)
			texts = append(texts, ts[index.Title]+"\n"+ts[index.Path]+"\n"+ts[index.Body])
		}
	}
	vs, err := words.Embed(t.Context(), texts)
	require.NoError(t, err)
	seg := b.Build()
	view := (&index.Snapshot{Name: "golden", Parts: []index.Part{{Segment: seg, Vectors: index.Flat(vs)}}}).See(index.Public)

	// Ask.
	var qs []questions.Question
	for _, s := range demo.Sets() {
		more, err := questions.ReadQuestions(strings.NewReader(string(s.Lines)))
		require.NoError(t, err)
		qs = append(qs, more...)
	}
	shuffle(len(qs), func(i, j int) { qs[i], qs[j] = qs[j], qs[i] })
	memory, err := find.NewMemory(1000)
	require.NoError(t, err)
	opened, err := answer.NewOpened(1000)
	require.NoError(t, err)
	rules, err := rule.NewMatcher(words, false)
	require.NoError(t, err)
	bench := answer.Bench{
		View: view, Texts: lib, Embedder: words, Sentence: words, Memory: memory, Opened: opened, Words: words, Lexicon: words, Rules: m.Rules, Matcher: rules,
		Glossary: m.Glossary, Query: m.Query, Find: m.Find, Answer: m.Answer, Pins: answer.Pins{AsOf: "2030-01-01T00:00:00Z"}, Clock: func() time.Duration { return 0 },
	}
	type asked struct {
		id       string
		reading  query.Reading
		ranked   []answer.Candidate
		trail    *answer.Trail
		verdicts prove.Verdict
	}
	all := make([]asked, len(qs))
	for i, q := range qs {
		trail, err := answer.Answer(t.Context(), query.Question{Text: q.Text, Turns: q.Turns}, bench)
		require.NoError(t, err)
		s := prove.Seen{Trail: trail, Grounded: make([]float64, len(trail.Reply))}
		for _, c := range trail.Candidates {
			d := lib[c.Version]
			s.Documents = append(s.Documents, questions.Document{Address: c.Address, Title: d.Title, Text: d.Of(c.Evidence())})
			s.Bodies = append(s.Bodies, d)
		}
		all[i] = asked{q.ID, trail.Reading, trail.Candidates, trail, prove.Judge(q, s)}
	}
	slices.SortFunc(all, func(a, b asked) int { return cmp.Compare(a.id, b.id) })
	readings, ranked, trails, verdicts := map[string]any{}, map[string]any{}, map[string]any{}, map[string]any{}
	for _, a := range all {
		readings[a.id], ranked[a.id], trails[a.id], verdicts[a.id] = a.reading, a.ranked, a.trail, a.verdicts
	}
	return map[string]golden{
		"extract":  {extract.Version, digest(t, lib)},
		"check":    {check.Version, digest(t, findings)},
		"chunk":    {chunk.Version, digest(t, chunks)},
		"embed":    {words.ID(), digest(t, vs)},
		"index":    {index.Version, index.Hash(seg.Encode())},
		"rewrite":  {query.Version + " " + extract.Version, digest(t, readings)},
		"rank":     {strings.Join([]string{find.Version, index.Version, query.Version, chunk.Version, words.ID()}, " "), digest(t, ranked)},
		"answer":   {strings.Join([]string{answer.Version, record.Version, rule.Version, find.Version, query.Version}, " "), digest(t, trails)},
		"verdicts": {strings.Join([]string{prove.Version, answer.Version, query.Version}, " "), digest(t, verdicts)},
	}
}

func written(t *testing.T, v any) string {
	t.Helper()
	raw, err := json.Marshal(v)
	require.NoError(t, err)
	return string(raw)
}

func digest(t *testing.T, v any) string {
	t.Helper()
	sum := sha256.Sum256([]byte(written(t, v)))
	return hex.EncodeToString(sum[:8])
}
