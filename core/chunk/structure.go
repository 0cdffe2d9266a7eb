package chunk

import (
	"strings"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// unit is a piece that is not cut further while it fits: a block, some rows of a table, a sentence of a long paragraph.
type unit struct {
	span    doc.Span
	heading int    // level, 0 when it is not a heading
	carried string // see Chunk.Carried
	glued   bool   // reads on from the unit before: an item after its lead-in
	loose   bool   // may be repeated as overlap: running text and items, not tables
}

// cutStructure packs whole sections. A section that does not fit is cut between blocks, then between rows or
// sentences. A section smaller than Least joins the one before it under the same parent, or else the one after it.
func cutStructure(d *doc.Document, t Tokens, s Settings) []Chunk {
	units := unitsOf(d, t, max(16, s.Size))
	var sections [][]unit
	for i, u := range units {
		if i == 0 || (u.heading > 0 && units[i-1].heading == 0) || (u.heading > 0 && u.heading <= units[i-1].heading) {
			sections = append(sections, nil)
		}
		n := len(sections) - 1
		sections[n] = append(sections[n], u)
	}
	sections = joinSmall(sections, t, s)
	var out []Chunk
	for _, sec := range sections {
		out = append(out, packSection(d, sec, t, s)...)
	}
	return out
}

func extent(us []unit) doc.Span {
	return doc.Span{Start: us[0].span.Start, End: us[len(us)-1].span.End}
}

func topLevel(us []unit) int {
	if us[0].heading > 0 {
		return us[0].heading
	}
	return 0
}

// joinSmall lets a section under the least size join its neighbour, when both together fit. A section that is a heading
// alone goes forward to what it introduces, whatever its size.
func joinSmall(in [][]unit, t Tokens, s Settings) [][]unit {
	var out [][]unit
	for i := 0; i < len(in); i++ {
		sec := in[i]
		size := t.Count(extent(sec))
		lone := sec[len(sec)-1].heading > 0
		if i+1 < len(in) && (lone || size < s.Least) && topLevel(in[i+1]) > topLevel(sec) &&
			size+t.Count(extent(in[i+1])) <= s.Size {
			in[i+1] = append(append([]unit(nil), sec...), in[i+1]...)
			continue
		}
		if n := len(out); n > 0 && size < s.Least && topLevel(sec) >= topLevel(out[n-1]) && topLevel(out[n-1]) > 0 &&
			t.Count(doc.Span{Start: extent(out[n-1]).Start, End: extent(sec).End}) <= s.Size {
			out[n-1] = append(out[n-1], sec...)
			continue
		}
		out = append(out, sec)
	}
	return out
}

func packSection(d *doc.Document, sec []unit, t Tokens, s Settings) []Chunk {
	var out []Chunk
	from := 0
	for from < len(sec) {
		to := from + 1
		for to < len(sec) && t.Count(extent(sec[from:to+1])) <= s.Size {
			to++
		}
		// A heading or a lead-in stays with what it introduces.
		for to < len(sec) && to-1 > from && (sec[to-1].heading > 0 || (sec[to].glued && !sec[to-1].glued)) {
			to--
		}
		c := Chunk{Span: extent(sec[from:to]), Carried: sec[from].carried}
		if len(out) > 0 && s.Overlap > 0 && sec[from].loose {
			start := overlapStart(d, sec[:from], t, s.Overlap)
			if start < c.Span.Start {
				c.Overlap = doc.Span{Start: start, End: out[len(out)-1].Span.End}
				c.Span.Start = start
			}
		}
		out = append(out, c)
		from = to
	}
	return out
}

// overlapStart walks back over whole sentences of the running text before, for at most budget tokens.
func overlapStart(d *doc.Document, before []unit, t Tokens, budget int) int {
	end := before[len(before)-1].span.End
	start := end
	for i := len(before) - 1; i >= 0 && before[i].loose; i-- {
		pieces := text.Sentences(d.Of(before[i].span))
		for j := len(pieces) - 1; j >= 0; j-- {
			at := before[i].span.Start + pieces[j].Start
			if t.Count(doc.Span{Start: at, End: end}) > budget {
				return start
			}
			start = at
		}
	}
	return start
}

func unitsOf(d *doc.Document, t Tokens, size int) []unit {
	var out []unit
	for i, b := range d.Blocks {
		u := unit{span: b.Span}
		switch b.Kind {
		case doc.Heading:
			u.heading = max(1, b.Level)
		case doc.Item:
			u.glued, u.loose = i > 0 && d.Blocks[i-1].Kind != doc.Heading, true
		case doc.Table:
			u.glued = i > 0 && d.Blocks[i-1].Kind == doc.Paragraph && strings.HasSuffix(d.Of(d.Blocks[i-1].Span), ":")
		case doc.Paragraph, doc.Cue:
			u.loose = true
		}
		if t.Count(b.Span) <= size || b.Kind == doc.Heading {
			out = append(out, u)
			continue
		}
		out = append(out, split(d, b, t, size)...)
	}
	return out
}

// split cuts a block that is larger than a chunk: a table between rows, code between lines, text between sentences, and
// what still does not fit every size tokens.
func split(d *doc.Document, b doc.Block, t Tokens, size int) []unit {
	var parts []doc.Span
	carried := ""
	switch b.Kind {
	case doc.Table:
		at := b.Span.Start
		for _, r := range b.Grid.Rows {
			parts = append(parts, doc.Span{Start: at, End: r.Span.End})
			at = min(r.Span.End+1, b.Span.End)
		}
		carried = strings.TrimSpace(b.Grid.Caption + "\n" + strings.Join(b.Grid.Header, " | "))
	case doc.Code:
		at := b.Span.Start
		for at < b.Span.End {
			n := strings.IndexByte(d.Text[at:b.Span.End], '\n')
			if n < 0 {
				n = b.Span.End - at - 1
			}
			parts = append(parts, doc.Span{Start: at, End: at + n + 1})
			at += n + 1
		}
	default:
		for _, p := range text.Sentences(d.Of(b.Span)) {
			parts = append(parts, doc.Span{Start: b.Span.Start + p.Start, End: b.Span.Start + p.End})
		}
	}
	var out []unit
	for i, p := range parts {
		u := unit{span: p, loose: b.Kind != doc.Table && b.Kind != doc.Code}
		if i > 0 {
			u.carried = carried
		}
		for t.Count(u.span) > size {
			head := u
			at := runeStart(d.Text, int(t[t.index(u.span.Start)+size]))
			if at <= u.span.Start {
				break
			}
			head.span.End = at
			u.span.Start = at
			head.span = trim(d.Text, head.span)
			if head.span.Len() > 0 {
				out = append(out, head)
			}
		}
		if u.span = trim(d.Text, u.span); u.span.Len() > 0 {
			out = append(out, u)
		}
	}
	return out
}

// Stats are figures that say whether documents are cut well.
type Stats struct {
	Chunks       int     `json:"chunks"`
	Mean         float64 `json:"mean"` // tokens
	Smallest     int     `json:"smallest"`
	Largest      int     `json:"largest"`
	CutSentences int     `json:"cutSentences"` // cuts that run through a sentence
	CutTables    int     `json:"cutTables"`    // tables that stand in more than one chunk
	LoneHeadings int     `json:"loneHeadings"` // chunks that hold nothing but headings
}

// Judge measures the cuts of one document.
func Judge(d *doc.Document, chunks []Chunk) Stats {
	st := Stats{Chunks: len(chunks)}
	total := 0
	for i, c := range chunks {
		total += c.Tokens
		st.Largest = max(st.Largest, c.Tokens)
		if i == 0 || c.Tokens < st.Smallest {
			st.Smallest = c.Tokens
		}
		lone := true
		for _, b := range d.Blocks {
			if b.Span.Overlaps(c.Span) && b.Kind != doc.Heading {
				lone = false
			}
		}
		if lone {
			st.LoneHeadings++
		}
	}
	if len(chunks) > 0 {
		st.Mean = float64(total) / float64(len(chunks))
	}
	for _, b := range d.Blocks {
		var ends []int
		for _, c := range chunks {
			if c.Span.End > b.Span.Start && c.Span.End < b.Span.End {
				ends = append(ends, c.Span.End-b.Span.Start)
			}
		}
		if len(ends) == 0 {
			continue
		}
		if b.Kind == doc.Table {
			st.CutTables++
			continue
		}
		for _, p := range text.Sentences(d.Of(b.Span)) {
			for _, e := range ends {
				if e > p.Start && e < p.End {
					st.CutSentences++
				}
			}
		}
	}
	return st
}
