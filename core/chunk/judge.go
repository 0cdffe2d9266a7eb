package chunk

import (
	"hash/fnv"
	"sort"
	"strings"

	"jolvex/core/doc"
)

// binWidth is the width of one bar of Stats.Sizes, in tokens; bins is the number of bars, the last one open upward.
const (
	binWidth = 40
	bins     = 16
)

// Stats are figures that say whether documents are cut well. They add up over documents.
type Stats struct {
	Documents    int     `json:"documents"`
	Chunks       int     `json:"chunks"`
	Tokens       int     `json:"tokens"`
	Mean         float64 `json:"mean"` // tokens
	Smallest     int     `json:"smallest"`
	Largest      int     `json:"largest"`
	Sizes        []int   `json:"sizes" nullable:"false" doc:"Chunks by size, in steps of 40 tokens; the last is open upward"`
	CutSentences int     `json:"cutSentences" doc:"Sentences that a cut runs through"`
	CutTables    int     `json:"cutTables" doc:"Tables that stand in more than one chunk"`
	LoneHeadings int     `json:"loneHeadings" doc:"Chunks that hold nothing but headings"`
	Duplicates   int     `json:"duplicates" doc:"Chunks with the words of another chunk"`
	Passages     int     `json:"passages" doc:"Expected passages of question sets that stand in these documents"`
	CutPassages  int     `json:"cutPassages" doc:"Those that a cut runs through: no chunk holds all of one"`
}

// Tally collects the figures of many documents. The zero value is ready to use.
type Tally struct {
	Stats
	seen map[uint64]bool
}

// Add takes in the cuts of one document. passages are the places of it that question sets expect to be found.
// Cost: linear in the document.
func (y *Tally) Add(p *Prepared, chunks []Chunk, passages []doc.Span) {
	if y.seen == nil {
		y.seen, y.Sizes = map[uint64]bool{}, make([]int, bins)
	}
	d := p.Doc
	y.Documents++
	for _, c := range chunks {
		if y.Chunks == 0 || c.Tokens < y.Smallest {
			y.Smallest = c.Tokens
		}
		y.Chunks++
		y.Tokens += c.Tokens
		y.Largest = max(y.Largest, c.Tokens)
		y.Sizes[min(bins-1, c.Tokens/binWidth)]++
		if lone(d, c.Span) {
			y.LoneHeadings++
		}
		h := fnv.New64a()
		_, _ = h.Write([]byte(strings.Join(strings.Fields(strings.ToLower(d.Of(c.Span))), " "))) // never fails
		if k := h.Sum64(); y.seen[k] {
			y.Duplicates++
		} else {
			y.seen[k] = true
		}
	}
	if y.Chunks > 0 {
		y.Mean = float64(y.Tokens) / float64(y.Chunks)
	}
	last := -1
	for _, pc := range p.pieces {
		switch d.Blocks[pc.block].Kind {
		case doc.Table:
			if b := d.Blocks[pc.block]; last != pc.block && Cuts(chunks, b.Span) {
				y.CutTables++
			}
			last = pc.block
		case doc.Code, doc.Heading:
		default:
			if Cuts(chunks, pc.span) {
				y.CutSentences++
			}
		}
	}
	for _, s := range passages {
		y.Passages++
		if Cuts(chunks, s) {
			y.CutPassages++
		}
	}
}

// Cuts reports whether no chunk, nor the section that a small chunk brings, holds the whole of a span. The chunks must
// be in order of place.
func Cuts(chunks []Chunk, s doc.Span) bool {
	i := sort.Search(len(chunks), func(i int) bool { return chunks[i].Span.End > s.Start })
	for ; i < len(chunks) && chunks[i].Span.Start < s.End; i++ {
		if chunks[i].Span.Contains(s) || chunks[i].Parent.Contains(s) {
			return false
		}
	}
	return true
}

func lone(d *doc.Document, s doc.Span) bool {
	for i := max(0, d.BlockAt(s.Start)); i < len(d.Blocks) && d.Blocks[i].Span.Start < s.End; i++ {
		if d.Blocks[i].Kind != doc.Heading && d.Blocks[i].Span.Overlaps(s) {
			return false
		}
	}
	return true
}

// Judge measures the cuts of one document.
func Judge(p *Prepared, chunks []Chunk, passages []doc.Span) Stats {
	var y Tally
	y.Add(p, chunks, passages)
	return y.Stats
}
