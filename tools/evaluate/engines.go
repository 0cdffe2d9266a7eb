package main

import (
	"context"
	"database/sql"
	"fmt"
	"strings"

	"github.com/blevesearch/bleve/v2"
	"github.com/blevesearch/bleve/v2/analysis/lang/en"
	_ "modernc.org/sqlite" // FTS5

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/query"
)

// engine ranks a collection's entries for a question, best first, ten at most.
type engine struct {
	name string
	rank func(question string) ([]string, error)
}

const depth = 10

// product is the product's own ranking, as every question of a person goes through it.
func product(ctx context.Context, name string, c *collection, emb embed.Embedder, words *embed.Static, s find.Settings) (engine, error) {
	return rewritten(ctx, name, c, emb, words, s, method.Default().Query)
}

// rewritten is the same with passes of rewriting of one's own choice.
func rewritten(ctx context.Context, name string, c *collection, emb embed.Embedder, words *embed.Static, s find.Settings, set query.Settings) (engine, error) {
	texts := make([]string, len(c.entries))
	for i, e := range c.entries {
		texts[i] = e.answer.Text
	}
	vs, err := emb.Embed(ctx, texts)
	if err != nil {
		return engine{}, err
	}
	memory, err := find.NewMemory(len(texts))
	if err != nil {
		return engine{}, err
	}
	v := (&index.Snapshot{Parts: []index.Part{{Segment: c.snapshot(), Vectors: vs}}}).See(index.Public)
	encoded := find.Encoded{Chunks: emb.ID() != words.ID(), Sentences: emb.ID() != words.ID()}
	lib := find.Library{Texts: c, Embedder: emb, Sentence: emb, Encoded: encoded, Memory: memory}
	look := func(ctx context.Context, r query.Reading, chunks int) ([]query.Found, error) {
		ranked, err := find.Rank(ctx, r, v, lib, s, chunks)
		if err != nil {
			return nil, err
		}
		var out []query.Found
		for _, x := range ranked.Ranked {
			d, err := c.Version(ctx, x.Entry.Version)
			if err != nil {
				return nil, err
			}
			if x.Lexical > 0 {
				out = append(out, query.Found{Text: d.Of(x.Entry.Span), Score: x.Lexical})
			}
		}
		return out, nil
	}
	return engine{name, func(q string) ([]string, error) {
		ranked, err := find.Rank(ctx, query.Read(ctx, query.Question{Text: q}, query.Tools{Corpus: v, Lexicon: words, Look: look}, set), v, lib, s, depth)
		if err != nil {
			return nil, err
		}
		var out []string
		for _, r := range ranked.Ranked {
			out = append(out, r.Entry.Document)
		}
		return out, nil
	}}, nil
}

// bleveEngine is the general full-text library bleve with its English analyser and BM25.
func bleveEngine(c *collection) (engine, error) {
	m := bleve.NewIndexMapping()
	m.DefaultAnalyzer = en.AnalyzerName
	m.ScoringModel = "bm25"
	idx, err := bleve.NewMemOnly(m)
	if err != nil {
		return engine{}, err
	}
	for _, e := range c.entries {
		if err := idx.Index(e.id, map[string]string{"body": e.answer.Text}); err != nil {
			return engine{}, err
		}
	}
	return engine{"bleve BM25", func(q string) ([]string, error) {
		res, err := idx.Search(bleve.NewSearchRequestOptions(bleve.NewMatchQuery(q), depth, 0, false))
		if err != nil {
			return nil, err
		}
		var out []string
		for _, h := range res.Hits {
			out = append(out, h.ID)
		}
		return out, nil
	}}, nil
}

// ftsEngine is SQLite's FTS5 with the Porter stemmer, the question's stop words dropped.
func ftsEngine(c *collection) (engine, error) {
	db, err := sql.Open("sqlite", ":memory:")
	if err != nil {
		return engine{}, err
	}
	db.SetMaxOpenConns(1)
	if _, err := db.Exec(`CREATE VIRTUAL TABLE t USING fts5(id UNINDEXED, body, tokenize = 'porter unicode61')`); err != nil {
		return engine{}, err
	}
	for _, e := range c.entries {
		if _, err := db.Exec(`INSERT INTO t VALUES (?, ?)`, e.id, e.answer.Text); err != nil {
			return engine{}, err
		}
	}
	return engine{"SQLite FTS5", func(q string) ([]string, error) {
		words := stopless(q)
		if len(words) == 0 {
			return nil, nil
		}
		for i, w := range words {
			words[i] = `"` + strings.ReplaceAll(w, `"`, ``) + `"`
		}
		rows, err := db.Query(fmt.Sprintf(`SELECT id FROM t WHERE t MATCH ? ORDER BY rank LIMIT %d`, depth), strings.Join(words, " OR "))
		if err != nil {
			return nil, err
		}
		defer rows.Close()
		var out []string
		for rows.Next() {
			var id string
			if err := rows.Scan(&id); err != nil {
				return nil, err
			}
			out = append(out, id)
		}
		return out, rows.Err()
	}}, nil
}
