package chunk

import (
	"strings"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// piece is the smallest part that is not cut while it fits: a heading, a sentence, an item's sentence, a row, a line of code.
type piece struct {
	span  doc.Span
	block int
	first bool // of its block
}

func piecesOf(d *doc.Document) []piece {
	var out []piece
	for i, b := range d.Blocks {
		n := len(out)
		add := func(from, to int) {
			if s := trim(d.Text, doc.Span{Start: from, End: to}); s.Len() > 0 {
				out = append(out, piece{s, i, len(out) == n})
			}
		}
		switch b.Kind {
		case doc.Heading:
			add(b.Span.Start, b.Span.End)
		case doc.Table:
			at := b.Span.Start
			for _, r := range b.Grid.Rows {
				add(at, r.Span.End)
				at = min(r.Span.End+1, b.Span.End)
			}
			add(at, b.Span.End)
		case doc.Code:
			for at := b.Span.Start; at < b.Span.End; {
				n := strings.IndexByte(d.Text[at:b.Span.End], '\n') + 1
				if n == 0 {
					n = b.Span.End - at
				}
				add(at, at+n)
				at += n
			}
		default:
			for _, s := range text.Sentences(d.Of(b.Span)) {
				add(b.Span.Start+s.Start, b.Span.Start+s.End)
			}
		}
	}
	return out
}

// unit is what is packed: a block, or a piece of one that does not fit.
type unit struct {
	span     doc.Span
	block    int
	heading  int    // level, 0 when it is not a heading
	carried  string // see Chunk.Carried
	glued    bool   // reads on from the unit before: an item after its lead-in
	loose    bool   // may be repeated as overlap: running text and items, not tables
	question bool   // a question that an answer follows
}

// units lists what is packed into chunks of size tokens. Blocks stay whole where they fit, unless fine asks for pieces.
func (p *Prepared) units(size int, fine bool) []unit {
	d, t := p.Doc, p.Tokens
	size = max(1, size)
	var out []unit
	at := 0
	for i, b := range d.Blocks {
		from := at
		for at < len(p.pieces) && p.pieces[at].block == i {
			at++
		}
		u := unit{span: trim(d.Text, b.Span), block: i}
		if u.span.Len() == 0 {
			continue
		}
		switch b.Kind {
		case doc.Heading:
			u.heading = max(1, b.Level)
		case doc.Item:
			u.glued, u.loose = i > 0 && d.Blocks[i-1].Kind != doc.Heading, true
		case doc.Table:
			u.glued = i > 0 && d.Blocks[i-1].Kind == doc.Paragraph && strings.HasSuffix(d.Of(d.Blocks[i-1].Span), ":")
		case doc.Paragraph, doc.Cue, doc.Picture:
			u.loose = true
		}
		if t.Count(u.span) <= size && (!fine || at-from <= 1) {
			out = append(out, u)
			continue
		}
		out = p.divide(out, u, p.pieces[from:at], size)
	}
	return out
}

// divide appends the pieces of a block; what does not fit even alone is cut every size tokens. Later rows carry the
// caption and header of their table.
func (p *Prepared) divide(out []unit, u unit, pieces []piece, size int) []unit {
	d, t := p.Doc, p.Tokens
	header := headerOf(d.Blocks[u.block])
	for i, pc := range pieces {
		one := u
		one.span = pc.span
		if !pc.first {
			one.carried = header
		}
		if i > 0 {
			one.glued = false
		}
		for t.Count(one.span) > size {
			at := runeStart(d.Text, int(t[t.index(one.span.Start)+size]))
			if at <= one.span.Start {
				break
			}
			head := one
			head.span = trim(d.Text, doc.Span{Start: one.span.Start, End: at})
			one.span.Start, one.heading = at, 0
			if head.span.Len() > 0 {
				out = append(out, head)
			}
		}
		if one.span = trim(d.Text, one.span); one.span.Len() > 0 {
			out = append(out, one)
		}
	}
	return out
}

// headerOf is the caption and the header of a table, "" of any other block.
func headerOf(b doc.Block) string {
	if b.Grid == nil {
		return ""
	}
	return strings.TrimSpace(b.Grid.Caption + "\n" + strings.Join(b.Grid.Header, " | "))
}

// cutStructure packs whole sections. A section that does not fit is cut between blocks, then between rows or
// sentences. A section smaller than Least joins the one before it under the same parent, or else the one after it.
func (p *Prepared) cutStructure(s Settings) []Chunk {
	return p.bySection(p.units(s.Size, false), s)
}

func (p *Prepared) bySection(us []unit, s Settings) []Chunk {
	var out []Chunk
	for _, sec := range p.joinSmall(sections(us), s) {
		out = append(out, p.pack(sec, s)...)
	}
	return out
}

// sections divides units where a heading stands; directly following lower headings open one section together.
func sections(us []unit) [][]unit {
	var out [][]unit
	for i, u := range us {
		opens := i == 0
		if !opens {
			before := us[i-1].heading
			opens = u.heading > 0 && (before == 0 || u.heading <= before) || u.question && before == 0
		}
		if opens {
			out = append(out, nil)
		}
		n := len(out) - 1
		out[n] = append(out[n], u)
	}
	return out
}

// cutQuestions keeps each question with its answer, and each term with its definition, in a chunk of its own, up to
// twice the size. What is larger carries its question along.
func (p *Prepared) cutQuestions(s Settings) []Chunk {
	d := p.Doc
	us := p.units(2*s.Size, false)
	for i := range us {
		if i+1 < len(us) && us[i].heading == 0 && us[i+1].heading == 0 && asks(d.Of(us[i].span)) && !asks(d.Of(us[i+1].span)) {
			us[i].question = true
		}
	}
	s.Least = 0
	var out []Chunk
	for _, sec := range p.joinSmall(sections(us), s) {
		head := sec[0]
		for _, u := range sec {
			if u.heading == 0 && !u.question {
				break
			}
			head = u
		}
		if q := d.Of(head.span); head.question || head.heading > 0 && asks(q) {
			if p.Tokens.Count(extent(sec)) <= 2*s.Size {
				out = append(out, Chunk{Span: extent(sec)})
				continue
			}
			parts := p.pack(p.refine(sec, s.Size), s)
			for i := 1; i < len(parts); i++ {
				parts[i].Carried = strings.TrimSpace(q + "\n" + parts[i].Carried)
			}
			out = append(out, parts...)
			continue
		}
		out = append(out, p.pack(p.refine(sec, s.Size), s)...)
	}
	return out
}

// refine divides the units that are larger than size.
func (p *Prepared) refine(us []unit, size int) []unit {
	var out []unit
	for _, u := range us {
		if u.heading > 0 || p.Tokens.Count(u.span) <= size {
			out = append(out, u)
			continue
		}
		out = p.divide(out, u, p.within(u.span), size)
	}
	return out
}

// within are the pieces that stand in a span.
func (p *Prepared) within(s doc.Span) []piece {
	lo, hi := 0, len(p.pieces)
	for lo < hi {
		if m := (lo + hi) / 2; p.pieces[m].span.End <= s.Start {
			lo = m + 1
		} else {
			hi = m
		}
	}
	var out []piece
	for ; lo < len(p.pieces) && p.pieces[lo].span.Start < s.End; lo++ {
		pc := p.pieces[lo]
		pc.span = doc.Span{Start: max(pc.span.Start, s.Start), End: min(pc.span.End, s.End)}
		out = append(out, pc)
	}
	return out
}

// asks reports whether a short text is a question: it ends with a mark of one, in any of several scripts.
func asks(s string) bool {
	s = strings.TrimRight(s, " )”\"'*")
	if len(s) > 300 {
		return false
	}
	for _, mark := range []string{"?", "？", "؟", "\u037e"} { // the last is the Greek question mark
		if strings.HasSuffix(s, mark) {
			return true
		}
	}
	return false
}

func extent(us []unit) doc.Span {
	return doc.Span{Start: us[0].span.Start, End: us[len(us)-1].span.End}
}

// joinSmall lets a section under the least size join its neighbour, when both together fit. A section that is a heading
// alone goes forward to what it introduces, whatever its size.
func (p *Prepared) joinSmall(in [][]unit, s Settings) [][]unit {
	t := p.Tokens
	var out [][]unit
	for i := 0; i < len(in); i++ {
		sec := in[i]
		size := t.Count(extent(sec))
		lone := sec[len(sec)-1].heading > 0
		if i+1 < len(in) && (lone || size < s.Least) && in[i+1][0].heading > sec[0].heading &&
			size+t.Count(extent(in[i+1])) <= s.Size {
			in[i+1] = append(append([]unit(nil), sec...), in[i+1]...)
			continue
		}
		if n := len(out); n > 0 && size < s.Least && sec[0].heading >= out[n-1][0].heading && out[n-1][0].heading > 0 &&
			t.Count(doc.Span{Start: extent(out[n-1]).Start, End: extent(sec).End}) <= s.Size {
			out[n-1] = append(out[n-1], sec...)
			continue
		}
		out = append(out, sec)
	}
	return out
}

// pack fills chunks of at most the size with the units of one section.
func (p *Prepared) pack(sec []unit, s Settings) []Chunk {
	return p.packWhile(sec, s, func(us []unit) bool { return p.Tokens.Count(extent(us)) <= s.Size })
}

func (p *Prepared) packWhile(sec []unit, s Settings, fits func([]unit) bool) []Chunk {
	var out []Chunk
	from := 0
	for from < len(sec) {
		to := from + 1
		for to < len(sec) && fits(sec[from:to+1]) {
			to++
		}
		// A heading or a lead-in stays with what it introduces.
		for to < len(sec) && to-1 > from && (sec[to-1].heading > 0 || (sec[to].glued && !sec[to-1].glued)) {
			to--
		}
		c := Chunk{Span: extent(sec[from:to]), Carried: sec[from].carried}
		if len(out) > 0 && s.Overlap > 0 && sec[from].loose {
			if start := p.overlapStart(sec[:from], s.Overlap); start < c.Span.Start {
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
func (p *Prepared) overlapStart(before []unit, budget int) int {
	end := before[len(before)-1].span.End
	start := end
	for i := len(before) - 1; i >= 0 && before[i].loose; i-- {
		ps := p.within(before[i].span)
		for j := len(ps) - 1; j >= 0; j-- {
			if p.Tokens.Count(doc.Span{Start: ps[j].span.Start, End: end}) > budget {
				return start
			}
			start = ps[j].span.Start
		}
	}
	return start
}

// cutCaptions makes windows of time over what is said; whatever else the document holds is cut by structure.
func (p *Prepared) cutCaptions(s Settings) []Chunk {
	d := p.Doc
	us := p.units(s.Size, false)
	var out []Chunk
	for from := 0; from < len(us); {
		said := d.Blocks[us[from].block].Kind == doc.Cue
		to := from
		for to < len(us) && (d.Blocks[us[to].block].Kind == doc.Cue) == said {
			to++
		}
		run := us[from:to]
		from = to
		if !said {
			out = append(out, p.bySection(run, s)...)
			continue
		}
		cs := p.packWhile(run, s, func(us []unit) bool {
			a, z := d.Blocks[us[0].block].Place, d.Blocks[us[len(us)-1].block].Place
			return z.To-a.From <= float64(s.Window) && p.Tokens.Count(extent(us)) <= s.Size
		})
		if n := len(cs); n > 1 && p.Tokens.Count(cs[n-1].Span) < s.Least {
			if whole := (doc.Span{Start: cs[n-2].Span.Start, End: cs[n-1].Span.End}); p.Tokens.Count(whole) <= s.Size {
				cs[n-2].Span.End = whole.End
				cs = cs[:n-1]
			}
		}
		out = append(out, cs...)
	}
	return out
}

// cutSmall cuts each section into small chunks that bring the section with them.
func (p *Prepared) cutSmall(s Settings) []Chunk {
	s.Overlap = 0
	inner := s
	inner.Size = s.Inner
	fits := func(us []unit) bool { return p.Tokens.Count(extent(us)) <= s.Inner }
	if s.Inner == 0 {
		inner.Size = s.Size
		fits = func(us []unit) bool { return us[len(us)-2].heading > 0 } // one piece, with the headings before it
	}
	var out []Chunk
	for _, parent := range p.cutStructure(s) {
		var fine []unit
		for _, pc := range p.within(parent.Span) {
			b := p.Doc.Blocks[pc.block]
			u := unit{span: trim(p.Doc.Text, pc.span), block: pc.block}
			if b.Kind == doc.Heading {
				u.heading = max(1, b.Level)
			}
			fine = p.divide(fine, u, []piece{pc}, inner.Size)
		}
		for _, c := range p.packWhile(fine, inner, fits) {
			if c.Span != parent.Span {
				c.Parent = parent.Span
			}
			if c.Carried == "" {
				c.Carried = parent.Carried
			}
			out = append(out, c)
		}
	}
	return out
}
