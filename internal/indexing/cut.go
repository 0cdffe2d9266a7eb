package indexing

import (
	"cmp"
	"context"
	"runtime"
	"slices"
	"strings"

	"jolvex/core/chunk"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/text"
	"jolvex/internal/store"

	"golang.org/x/sync/errgroup"
)

// cut is one document made ready for the index.
type cut struct {
	audience string
	entries  []index.Entry
	texts    []index.Texts
	words    []embed.Vector
	encoded  []embed.Vector // nil until what reads behind has read the chunks
	by       embed.Embedder // of encoded
}

// whole is what of a chunk is embedded.
func whole(t index.Texts) string {
	return t[index.Title] + "\n" + t[index.Path] + "\n" + t[index.Body]
}

// Prepare cuts documents and gives their chunks word vectors, on all cores; the order stays.
func (ix *Indexer) Prepare(ctx context.Context, docs []store.Document, m method.Method) ([]cut, error) {
	out := make([]cut, len(docs))
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, d := range docs {
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			var err error
			out[i], err = ix.prepareOne(ctx, d, m)
			return err
		})
	}
	return out, g.Wait()
}

func (ix *Indexer) prepareOne(ctx context.Context, d store.Document, m method.Method) (cut, error) {
	body, chunks, err := ix.ChunksOf(ctx, d.Version, m.Cutting(d.Source))
	if err != nil {
		return cut{}, err
	}
	c := cut{audience: d.Audience}
	marks := 0
	for _, m := range MarksOf(d.Marks) {
		marks |= map[string]int{Unquotable: index.Unquotable, Volatile: index.Volatile, Given: index.Given, Settled: index.Settled}[m]
	}
	texts := make([]string, len(chunks))
	for i, ch := range chunks {
		c.entries = append(c.entries, index.Entry{
			Document: d.ID, Version: d.Version, Source: d.Source, Address: d.Address, Title: body.Title, Path: ch.Path, Span: ch.Span, Parent: ch.Parent, Ordinal: ch.Ordinal, Tokens: ch.Tokens, Marks: marks,
			Kind: kindOf(d, body), Language: cmp.Or(body.Language, text.LanguageOfText(body.Text)), Dated: index.Day(cmp.Or(body.Dated, d.LastMod)),
		})
		c.texts = append(c.texts, textsOf(body, ch))
		texts[i] = whole(c.texts[i])
	}
	c.words, err = ix.words.Embed(ctx, texts)
	return c, err
}

// kindOf says what a document is, for filters.
func kindOf(d store.Document, body *doc.Document) string {
	switch {
	case d.SourceKind == store.KindPairs:
		return "pairs"
	case slices.ContainsFunc(body.Blocks, func(b doc.Block) bool { return b.Kind == doc.Cue }):
		return "film"
	case d.SourceKind == store.KindText:
		return "text"
	case strings.HasPrefix(d.MediaType, "text/html") || strings.HasPrefix(d.MediaType, "application/xhtml"):
		return "page"
	}
	return "file"
}

// ChunksOf cuts a document version.
func (ix *Indexer) ChunksOf(ctx context.Context, version string, s chunk.Settings) (*doc.Document, []chunk.Chunk, error) {
	p, err := ix.prepareText(ctx, version)
	if err != nil {
		return nil, nil, err
	}
	chunks, err := p.Cut(s)
	return p.Doc, chunks, err
}

// keptTokens is the most tokens of a document whose preparation is kept; larger ones are few.
const keptTokens = 200_000

// prepareText makes a document version ready to be cut; what is cut again was kept.
func (ix *Indexer) prepareText(ctx context.Context, version string) (*chunk.Prepared, error) {
	if p, ok := ix.prepared.Get(version); ok {
		return p, nil
	}
	body, err := ix.Version(ctx, version)
	if err != nil {
		return nil, err
	}
	p, err := chunk.Prepare(body, func(texts []string) ([][]int8, error) { return ix.directions(ctx, texts) })
	if err == nil && len(p.Tokens) <= keptTokens {
		ix.prepared.Add(version, p)
	}
	return p, err
}

// directions are the word vectors of texts, as the change of subject wants them.
func (ix *Indexer) directions(ctx context.Context, texts []string) ([][]int8, error) {
	vs, err := ix.words.Embed(ctx, texts)
	if err != nil {
		return nil, err
	}
	out := make([][]int8, len(vs))
	for i, v := range vs {
		out[i] = v
	}
	return out, nil
}

func textsOf(d *doc.Document, c chunk.Chunk) index.Texts {
	return index.Texts{index.Title: d.Title, index.Path: strings.Join(c.Path, "\n"), index.Body: bodyText(d, c)}
}

// bodyText is what of a chunk is indexed as its body: its text without headings, which have a field of their own, and
// with the caption and header of a table that was cut before it.
func bodyText(d *doc.Document, c chunk.Chunk) string {
	var out strings.Builder
	out.WriteString(c.Carried)
	for i := max(0, d.BlockAt(c.Span.Start)); i < len(d.Blocks) && d.Blocks[i].Span.Start < c.Span.End; i++ {
		b := d.Blocks[i]
		if b.Kind == doc.Heading || !b.Span.Overlaps(c.Span) {
			continue
		}
		out.WriteByte('\n')
		out.WriteString(d.Of(doc.Span{Start: max(b.Span.Start, c.Span.Start), End: min(b.Span.End, c.Span.End)}))
	}
	if out.Len() == 0 {
		return d.Of(c.Span)
	}
	return out.String()
}
