package extract

import (
	"fmt"
	"path"
	"sort"
	"strconv"
	"strings"

	"jolvex/core/doc"
)

// fromPPTX reads a presentation (ECMA-376, part 1, section 19): a heading for each slide by its title, its texts and tables,
// and the speaker's notes.
func fromPPTX(in Input) (*doc.Document, error) {
	a, err := openArchive(in.Body)
	if err != nil {
		return nil, err
	}
	var slides []int
	for name := range a.files {
		if n, ok := strings.CutPrefix(name, "ppt/slides/slide"); ok {
			if k, err := strconv.Atoi(strings.TrimSuffix(n, ".xml")); err == nil {
				slides = append(slides, k)
			}
		}
	}
	if len(slides) == 0 {
		return nil, fmt.Errorf("%w: it holds no slides", ErrKind)
	}
	sort.Ints(slides)
	order, err := slideOrder(a)
	if err != nil {
		return nil, err
	}
	sort.SliceStable(slides, func(i, j int) bool { return order[slides[i]] < order[slides[j]] })
	var b doc.Builder
	core, err := a.tree("docProps/core.xml")
	if err != nil {
		return nil, err
	}
	b.Doc().Title = doc.Fold(core.find("title").all())
	for i, n := range slides {
		if err := slide(a, &b, n, i+1); err != nil {
			return nil, err
		}
	}
	return b.Document(), nil
}

// slideOrder gives each slide's place in the show; the numbers in file names are those of creation.
func slideOrder(a *archive) (map[int]int, error) {
	show, err := a.tree("ppt/presentation.xml")
	if err != nil {
		return nil, err
	}
	targets, err := relations(a, "ppt/_rels/presentation.xml.rels")
	if err != nil {
		return nil, err
	}
	out := map[int]int{}
	show.find("sldIdLst").each("sldId", func(s *node) {
		// The relation's id and the slide's own are both named "id"; the relation's is the one that leads somewhere.
		n := strings.TrimSuffix(strings.TrimPrefix(path.Base(targets[s.attr("id")]), "slide"), ".xml")
		if k, err := strconv.Atoi(n); err == nil {
			out[k] = len(out) + 1
		}
	})
	return out, nil
}

func relations(a *archive, name string) (map[string]string, error) {
	t, err := a.tree(name)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	t.each("Relationship", func(r *node) { out[r.attr("Id")] = r.attr("Target") })
	return out, nil
}

func slide(a *archive, b *doc.Builder, n, place int) error {
	name := fmt.Sprintf("ppt/slides/slide%d.xml", n)
	t, err := a.tree(name)
	if err != nil {
		return err
	}
	at := doc.Place{Page: place}
	title := ""
	shape := func(s *node) bool {
		kind := s.find("ph").attr("type")
		return kind == "title" || kind == "ctrTitle"
	}
	t.each("sp", func(s *node) {
		if title == "" && shape(s) {
			title = slideText(s)
		}
	})
	if title == "" {
		title = fmt.Sprintf("Slide %d", place)
	}
	b.Add(doc.Block{Kind: doc.Heading, Level: 2, Place: at}, title)
	var visit func(*node)
	visit = func(k *node) {
		for _, c := range k.kids {
			switch {
			case c.name == "sp" && shape(c):
			case c.name == "sp":
				slideParagraphs(b, c, at)
			case c.name == "tbl":
				slideTable(b, c, at)
			default:
				visit(c)
			}
		}
	}
	visit(t)
	rels, err := relations(a, fmt.Sprintf("ppt/slides/_rels/slide%d.xml.rels", n))
	if err != nil {
		return err
	}
	for _, target := range rels {
		if !strings.Contains(target, "notesSlide") {
			continue
		}
		notes, err := a.tree(path.Join("ppt/slides", target))
		if err != nil {
			return err
		}
		notes.each("sp", func(s *node) {
			if s.find("ph").attr("type") == "body" {
				slideParagraphs(b, s, at)
			}
		})
	}
	return nil
}

func slideText(n *node) string {
	var parts []string
	n.each("p", func(p *node) {
		var b strings.Builder
		for _, k := range p.kids {
			switch k.name {
			case "r", "fld":
				b.WriteString(k.child("t").all())
			case "br":
				b.WriteByte(' ')
			}
		}
		if s := doc.Fold(b.String()); s != "" {
			parts = append(parts, s)
		}
	})
	return strings.Join(parts, " ")
}

func slideParagraphs(b *doc.Builder, s *node, at doc.Place) {
	body := s.child("txBody")
	many := 0
	body.each("p", func(*node) { many++ })
	body.each("p", func(p *node) {
		bl := doc.Block{Kind: doc.Paragraph, Place: at}
		if many > 1 {
			depth, _ := strconv.Atoi(p.child("pPr").attr("lvl")) // "" is the first level
			bl = doc.Block{Kind: doc.Item, Level: depth + 1, Place: at}
		}
		b.Add(bl, slideText(&node{kids: []*node{p}}))
	})
}

func slideTable(b *doc.Builder, t *node, at doc.Place) {
	var rows [][]string
	t.each("tr", func(tr *node) {
		var row []string
		tr.each("tc", func(tc *node) { row = append(row, slideText(tc)) })
		rows = append(rows, row)
	})
	marked := 0
	if t.child("tblPr").attr("firstRow") == "1" {
		marked = 1
	}
	b.AddTable(at, "", tableHeader(&rows, marked), rows)
}
