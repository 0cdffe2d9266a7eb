// Package method gathers every setting from chunking to answering into one versioned value, with defaults, bounds,
// differences and the chained hashes by which work is shared and measurements are pinned.
package method

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"github.com/gowebpki/jcs"

	"jolvex/core/answer"
	"jolvex/core/chunk"
	"jolvex/core/embed"
	"jolvex/core/extract"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/record"
	"jolvex/core/rule"
	"jolvex/core/text"
)

// Method is one set of every setting.
type Method struct {
	Chunk  chunk.Settings  `json:"chunk"`
	Embed  embed.Settings  `json:"embed"`
	Query  query.Settings  `json:"query"`
	Find   find.Settings   `json:"find"`
	Answer answer.Settings `json:"answer"`
	// Sources are the sources that are cut in a way of their own, by portable id.
	Sources map[string]chunk.Settings `json:"sources,omitempty"`
	// Glossary says what terms mean.
	Glossary []query.Entry `json:"glossary,omitempty" nullable:"false" maxItems:"5000"`
	// Rules are the house rules, in the order in which they are tried.
	Rules []rule.Rule `json:"rules,omitempty" nullable:"false" maxItems:"200"`
	// Priority lifts or lowers what comes from a source, by portable id, in steps from -3 to 3; 0 for those not named.
	Priority map[string]int `json:"priority,omitempty"`
}

// mostPriority is the highest priority of a source, and, below 0, the lowest.
const mostPriority = 3

// Cutting is how the documents of a source are cut.
func (m Method) Cutting(source string) chunk.Settings {
	if s, own := m.Sources[source]; own {
		return s
	}
	return m.Chunk
}

// Default is the method of a new corpus: the default of every setting.
func Default() Method {
	var m Method
	for _, g := range groups(&m) {
		g.setDefaults()
	}
	return m
}

// Validate reports every setting that is out of its bounds, in words.
func (m Method) Validate() []string {
	var out []string
	for _, g := range groups(&m) {
		out = append(out, g.check()...)
	}
	out = append(out, m.Chunk.Check()...)
	out = append(out, m.Query.Check()...)
	out = append(out, m.Answer.Check()...)
	out = append(out, rule.CheckAll(m.Rules)...)
	for i, e := range m.Glossary {
		if bad := e.Check(); bad != "" {
			out = append(out, fmt.Sprintf("glossary, entry %d: %s", i+1, bad))
		}
	}
	for _, id := range slices.Sorted(maps.Keys(m.Sources)) {
		own := Method{Chunk: m.Sources[id]}
		for _, bad := range append(groups(&own)[0].check(), own.Chunk.Check()...) {
			out = append(out, "source "+id+": "+bad)
		}
	}
	for _, id := range slices.Sorted(maps.Keys(m.Priority)) {
		if p := m.Priority[id]; p < -mostPriority || p > mostPriority {
			out = append(out, fmt.Sprintf("priority of source %s: %d is outside %d to %d", id, p, -mostPriority, mostPriority))
		}
	}
	return out
}

// Stages are the chained hashes: each covers its own settings, its algorithm's version and the stage before it, so that a
// change is felt by what comes after and by nothing before.
type Stages struct {
	Extract string `json:"extract"`
	Analyse string `json:"analyse"`
	Chunk   string `json:"chunk"`
	Embed   string `json:"embed"`
	Index   string `json:"index"`
	Rewrite string `json:"rewrite"`
	Rank    string `json:"rank"`
	Answer  string `json:"answer"`
}

// Stages computes the hashes; embedder is the ID of the embedder in use.
func (m Method) Stages(embedder string) (Stages, error) {
	var s Stages
	var err error
	last := ""
	step := func(version string, settings any) string {
		if err != nil {
			return ""
		}
		last, err = hashOf(struct {
			Before   string `json:"before"`
			Version  string `json:"version"`
			Settings any    `json:"settings"`
		}{last, version, settings})
		return last
	}
	s.Extract = step(extract.Version, nil)
	s.Analyse = step(text.Version, nil)
	s.Chunk = step(chunk.Version, cutting{m.Chunk, m.Sources})
	s.Embed = step(embedder, nil)
	s.Index = step(index.Version, nil)
	s.Rewrite = step(query.Version, rewriting{m.Query, m.Glossary})
	s.Rank = step(find.Version, ranking{m.Find, m.Priority})
	s.Answer = step(answer.Version+" "+record.Version+" "+rule.Version, answering{m.Answer, m.Rules})
	return s, err
}

// CutOf names how the documents of a source are cut and indexed: by which settings, and by which versions of what does it.
func (m Method) CutOf(source string) (string, error) {
	return hashOf(struct {
		Versions []string       `json:"versions"`
		Settings chunk.Settings `json:"settings"`
	}{[]string{text.Version, chunk.Version, index.Version}, m.Cutting(source)})
}

// cutting is what the chunk stage hangs on.
type cutting struct {
	Chunk   chunk.Settings            `json:"chunk"`
	Sources map[string]chunk.Settings `json:"sources"`
}

// rewriting is what the rewrite stage hangs on.
type rewriting struct {
	Query    query.Settings `json:"query"`
	Glossary []query.Entry  `json:"glossary"`
}

// answering is what the answer stage hangs on.
type answering struct {
	Answer answer.Settings `json:"answer"`
	Rules  []rule.Rule     `json:"rules"`
}

// ranking is what the rank stage hangs on.
type ranking struct {
	Find     find.Settings  `json:"find"`
	Priority map[string]int `json:"priority"`
}

// Hash names the whole method.
func (m Method) Hash() (string, error) { return hashOf(m) }

// hashOf is the SHA-256 of the canonical JSON (RFC 8785) of v.
func hashOf(v any) (string, error) {
	raw, err := json.Marshal(v)
	if err != nil {
		return "", fmt.Errorf("write settings for hashing: %w", err)
	}
	canonical, err := jcs.Transform(raw)
	if err != nil {
		return "", fmt.Errorf("bring settings to canonical form: %w", err)
	}
	sum := sha256.Sum256(canonical)
	return hex.EncodeToString(sum[:]), nil
}
