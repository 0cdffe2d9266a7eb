// Package pdf reads what is drawn on the pages of PDF files, by PDFium, compiled to WebAssembly. A hostile file can bring it down, slow it
// down or bloat it: package extractor runs it in a process of its own.
package pdf

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"strings"
	"time"

	"github.com/klippa-app/go-pdfium"
	"github.com/klippa-app/go-pdfium/enums"
	perrors "github.com/klippa-app/go-pdfium/errors"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"
	"github.com/klippa-app/go-pdfium/responses"
	"github.com/klippa-app/go-pdfium/webassembly"
	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
	"github.com/tetratelabs/wazero/experimental"

	"jolvex/core/extract"
)

// Limits on one file.
const (
	MaxPages  = 5000
	MaxGlyphs = 4_000_000
	maxRules  = 20_000 // of one page
)

// Reader reads one file after another.
type Reader struct{ inst pdfium.Pdfium }

// Open starts PDFium. Compiled code is kept in a folder; of memory, WebAssembly may use three quarters of what is given.
func Open(cacheDir string, memory int64) (*Reader, error) {
	const page = 64 << 10
	cfg := wazero.NewRuntimeConfig().WithCoreFeatures(api.CoreFeaturesV2 | experimental.CoreFeaturesExceptionHandling).WithMemoryLimitPages(uint32(memory * 3 / 4 / page))
	if cacheDir != "" {
		cache, err := wazero.NewCompilationCacheWithDir(cacheDir)
		if err != nil {
			return nil, fmt.Errorf("open the cache of compiled code: %w", err)
		}
		cfg = cfg.WithCompilationCache(cache)
	}
	pool, err := webassembly.Init(webassembly.Config{
		MinIdle: 1, MaxIdle: 1, MaxTotal: 1, RuntimeConfig: cfg, FSConfig: wazero.NewFSConfig(), Stdout: io.Discard, Stderr: io.Discard, Context: context.Background(),
	})
	if err != nil {
		return nil, fmt.Errorf("start PDFium: %w", err)
	}
	inst, err := pool.GetInstance(time.Minute)
	if err != nil {
		return nil, fmt.Errorf("start PDFium: %w", err)
	}
	return &Reader{inst}, nil
}

// Read reads what is drawn on the pages of a file, and calls read after each. It fails with extract.ErrEncrypted, extract.ErrTooLarge or, for
// a damaged file, extract.ErrKind, wrapped.
func (r *Reader) Read(body []byte, read func() error) (extract.PDF, error) {
	out, err := readFile(r.inst, body, read)
	switch {
	case err == nil:
		return out, nil
	case errors.Is(err, perrors.ErrPassword), errors.Is(err, perrors.ErrSecurity):
		return out, extract.ErrEncrypted
	case errors.Is(err, extract.ErrTooLarge):
		return out, err
	}
	return out, fmt.Errorf("%w: damaged: %w", extract.ErrKind, err)
}

func readFile(inst pdfium.Pdfium, body []byte, read func() error) (out extract.PDF, err error) {
	open, err := inst.OpenDocument(&requests.OpenDocument{File: &body})
	if err != nil {
		return out, err
	}
	d := open.Document
	defer func() { _, _ = inst.FPDF_CloseDocument(&requests.FPDF_CloseDocument{Document: d}) }() // the next file does not need it
	count, err := inst.FPDF_GetPageCount(&requests.FPDF_GetPageCount{Document: d})
	if err != nil {
		return out, err
	}
	if count.PageCount > MaxPages {
		return out, fmt.Errorf("%w: %d pages, the limit is %d", extract.ErrTooLarge, count.PageCount, MaxPages)
	}
	if t, err := inst.FPDF_GetMetaText(&requests.FPDF_GetMetaText{Document: d, Tag: "Title"}); err == nil {
		out.Title = strings.TrimSpace(t.Value)
	}
	out.Outline = outline(inst, d)
	glyphs, broken := 0, 0
	for i := range count.PageCount {
		pg, err := readPage(inst, d, i)
		if err != nil {
			broken++
			pg = &extract.PDFPage{Number: i + 1}
		}
		if glyphs += len(pg.Glyphs); glyphs > MaxGlyphs {
			return out, fmt.Errorf("%w: more than %d characters", extract.ErrTooLarge, MaxGlyphs)
		}
		out.Pages = append(out.Pages, *pg)
		if err := read(); err != nil {
			return out, err
		}
	}
	if broken > 0 && broken == count.PageCount {
		return out, fmt.Errorf("none of its %d pages can be read", count.PageCount)
	}
	return out, nil
}

// Limits on an outline.
const (
	mostBookmarks = 10_000
	deepOutline   = 12
)

// outline reads the bookmarks of a file, level by level. One that leads back to another ends when there are too many.
func outline(inst pdfium.Pdfium, d references.FPDF_DOCUMENT) (out []extract.Bookmark) {
	asked := 0
	var level func(parent *references.FPDF_BOOKMARK, depth int)
	level = func(parent *references.FPDF_BOOKMARK, depth int) {
		at, err := inst.FPDFBookmark_GetFirstChild(&requests.FPDFBookmark_GetFirstChild{Document: d, Bookmark: parent})
		if err != nil || depth > deepOutline {
			return
		}
		for next := at.Bookmark; next != nil && asked < mostBookmarks; {
			asked++
			m := extract.Bookmark{Level: depth}
			if t, err := inst.FPDFBookmark_GetTitle(&requests.FPDFBookmark_GetTitle{Bookmark: *next}); err == nil {
				m.Title = t.Title
			}
			m.Page = pageOf(inst, d, *next)
			out = append(out, m)
			level(next, depth+1)
			more, err := inst.FPDFBookmark_GetNextSibling(&requests.FPDFBookmark_GetNextSibling{Document: d, Bookmark: *next})
			if err != nil {
				return
			}
			next = more.Bookmark
		}
	}
	level(nil, 1)
	if asked >= mostBookmarks { // it goes round in a ring
		return nil
	}
	return out
}

// pageOf is the page that a bookmark leads to, from 1; 0 for none.
func pageOf(inst pdfium.Pdfium, d references.FPDF_DOCUMENT, b references.FPDF_BOOKMARK) int {
	var dest *references.FPDF_DEST
	if x, err := inst.FPDFBookmark_GetDest(&requests.FPDFBookmark_GetDest{Document: d, Bookmark: b}); err == nil && x.Dest != nil {
		dest = x.Dest
	} else if act, err := inst.FPDFBookmark_GetAction(&requests.FPDFBookmark_GetAction{Bookmark: b}); err == nil && act.Action != nil {
		if x, err := inst.FPDFAction_GetDest(&requests.FPDFAction_GetDest{Document: d, Action: *act.Action}); err == nil {
			dest = x.Dest
		}
	}
	if dest == nil {
		return 0
	}
	x, err := inst.FPDFDest_GetDestPageIndex(&requests.FPDFDest_GetDestPageIndex{Document: d, Dest: *dest})
	if err != nil {
		return 0
	}
	return x.Index + 1
}

var (
	boldName = regexp.MustCompile(`(?i)bold|black|heavy|semibold|demi`)
	monoName = regexp.MustCompile(`(?i)mono|courier|consol|typewriter|menlo|cmtt|\btt\b`)
)

func readPage(inst pdfium.Pdfium, d references.FPDF_DOCUMENT, index int) (*extract.PDFPage, error) {
	loaded, err := inst.FPDF_LoadPage(&requests.FPDF_LoadPage{Document: d, Index: index})
	if err != nil {
		return nil, err
	}
	page := requests.Page{ByReference: &loaded.Page}
	defer func() { _, _ = inst.FPDF_ClosePage(&requests.FPDF_ClosePage{Page: loaded.Page}) }() // what was read of it is read
	size, err := inst.GetPageSize(&requests.GetPageSize{Page: page})
	if err != nil {
		return nil, err
	}
	out := &extract.PDFPage{Number: index + 1, Width: float32(size.Width), Height: float32(size.Height)}
	rotation, err := inst.FPDFPage_GetRotation(&requests.FPDFPage_GetRotation{Page: page})
	if err != nil {
		return nil, err
	}
	text, err := inst.GetPageTextStructured(&requests.GetPageTextStructured{Page: page, Mode: requests.GetPageTextStructuredModeChars, CollectFontInformation: true})
	if err != nil {
		return nil, err
	}
	turn := turned(int(rotation.PageRotation), text.Chars)
	unturned := *out
	if rotation.PageRotation%2 == 1 {
		unturned.Width, unturned.Height = out.Height, out.Width
	}
	if out.Width, out.Height = unturned.Width, unturned.Height; turn%2 == 1 {
		out.Width, out.Height = unturned.Height, unturned.Width
	}
	upright := func(l, t, r, b float64) extract.Box { return place(turn, unturned.Width, unturned.Height, l, t, r, b) }
	for _, c := range text.Chars {
		for _, r := range c.Text {
			g := extract.Glyph{Rune: r, Box: upright(c.PointPosition.Left, c.PointPosition.Top, c.PointPosition.Right, c.PointPosition.Bottom)}
			if f := c.FontInformation; f != nil {
				g.Size = float32(f.RenderedSize)
				g.Bold = f.Weight >= 600 || boldName.MatchString(f.Name)
				g.Mono = f.Flags&1 != 0 || monoName.MatchString(f.Name)
			}
			if g.Size <= 0 {
				g.Size = g.Box.Y1 - g.Box.Y0
			}
			if r != '\n' && r != '\r' && quarter(float64(c.Angle)) != turn && r != ' ' {
				continue // stands across the rest, as a stamp or the name at a margin does
			}
			out.Glyphs = append(out.Glyphs, g)
		}
	}
	n, err := inst.FPDFPage_CountObjects(&requests.FPDFPage_CountObjects{Page: page})
	if err != nil {
		return nil, err
	}
	for i := range min(n.Count, 50_000) {
		o, err := inst.FPDFPage_GetObject(&requests.FPDFPage_GetObject{Page: page, Index: i})
		if err != nil {
			continue
		}
		drawn(inst, o.PageObject, out, upright, 0)
	}
	return out, nil
}

// quarter is an angle in radians as a number of quarter turns, 0 to 3; -1 when it is none.
func quarter(angle float64) int {
	q := angle / (math.Pi / 2)
	k := math.Round(q)
	if math.Abs(q-k) > 0.07 {
		return -1
	}
	return ((int(k) % 4) + 4) % 4
}

// turned is how most of the text of a page stands, in quarter turns; that of the page itself when there is none.
func turned(page int, cs []*responses.GetPageTextStructuredChar) int {
	count := [4]int{}
	all := 0
	for _, c := range cs {
		if q := quarter(float64(c.Angle)); q >= 0 && strings.TrimSpace(c.Text) != "" {
			count[q]++
			all++
		}
	}
	for q, n := range count {
		if n*2 > all {
			return q
		}
	}
	return page % 4
}

// place brings a box from the page's own coordinates, with Y upwards, to reading ones.
func place(turn int, w, h float32, left, top, right, bottom float64) extract.Box {
	l, t, r, b := float32(left), float32(top), float32(right), float32(bottom)
	switch turn {
	case 1:
		return extract.Box{X0: b, Y0: l, X1: t, Y1: r}
	case 2:
		return extract.Box{X0: w - r, Y0: b, X1: w - l, Y1: t}
	case 3:
		return extract.Box{X0: h - t, Y0: w - r, X1: h - b, Y1: w - l}
	}
	return extract.Box{X0: l, Y0: h - t, X1: r, Y1: h - b}
}

// drawn takes up the rules and pictures among the objects of a page; those of forms within too.
func drawn(inst pdfium.Pdfium, o references.FPDF_PAGEOBJECT, out *extract.PDFPage, upright func(l, t, r, b float64) extract.Box, depth int) {
	typ, err := inst.FPDFPageObj_GetType(&requests.FPDFPageObj_GetType{PageObject: o})
	if err != nil || len(out.Rules) >= maxRules {
		return
	}
	switch typ.Type {
	case enums.FPDF_PAGEOBJ_IMAGE:
		out.Pictures++
	case enums.FPDF_PAGEOBJ_FORM:
		n, err := inst.FPDFFormObj_CountObjects(&requests.FPDFFormObj_CountObjects{PageObject: o})
		if err != nil || depth > 3 {
			return
		}
		for i := range min(n.Count, 5000) {
			if in, err := inst.FPDFFormObj_GetObject(&requests.FPDFFormObj_GetObject{PageObject: o, Index: uint64(i)}); err == nil {
				drawn(inst, in.PageObject, out, upright, depth+1)
			}
		}
	case enums.FPDF_PAGEOBJ_PATH:
		b, err := inst.FPDFPageObj_GetBounds(&requests.FPDFPageObj_GetBounds{PageObject: o})
		if err != nil {
			return
		}
		box := upright(float64(b.Left), float64(b.Top), float64(b.Right), float64(b.Bottom))
		w, h := box.X1-box.X0, box.Y1-box.Y0
		if w <= 3 || h <= 3 {
			out.Rules = append(out.Rules, box)
			return
		}
		n, err := inst.FPDFPath_CountSegments(&requests.FPDFPath_CountSegments{PageObject: o})
		if err != nil || n.Count > 2000 {
			return
		}
		if n.Count <= 6 {
			out.Rules = append(out.Rules, edges(box)...)
			return
		}
		out.Rules = append(out.Rules, segments(inst, o, n.Count, upright)...)
	}
}

func edges(b extract.Box) []extract.Box {
	return []extract.Box{{X0: b.X0, Y0: b.Y0, X1: b.X1, Y1: b.Y0}, {X0: b.X0, Y0: b.Y1, X1: b.X1, Y1: b.Y1}, {X0: b.X0, Y0: b.Y0, X1: b.X0, Y1: b.Y1}, {X0: b.X1, Y0: b.Y0, X1: b.X1, Y1: b.Y1}}
}

// segments are the level and upright lines of a path of many.
func segments(inst pdfium.Pdfium, o references.FPDF_PAGEOBJECT, n int, upright func(l, t, r, b float64) extract.Box) []extract.Box {
	m, err := inst.FPDFPageObj_GetMatrix(&requests.FPDFPageObj_GetMatrix{PageObject: o})
	if err != nil {
		return nil
	}
	var out []extract.Box
	var px, py float64
	for i := range n {
		s, err := inst.FPDFPath_GetPathSegment(&requests.FPDFPath_GetPathSegment{PageObject: o, Index: i})
		if err != nil {
			return out
		}
		pt, err := inst.FPDFPathSegment_GetPoint(&requests.FPDFPathSegment_GetPoint{PathSegment: s.PathSegment})
		if err != nil {
			return out
		}
		typ, err := inst.FPDFPathSegment_GetType(&requests.FPDFPathSegment_GetType{PathSegment: s.PathSegment})
		if err != nil {
			return out
		}
		a, b, c, d, e, f := float64(m.Matrix.A), float64(m.Matrix.B), float64(m.Matrix.C), float64(m.Matrix.D), float64(m.Matrix.E), float64(m.Matrix.F)
		x, y := a*float64(pt.X)+c*float64(pt.Y)+e, b*float64(pt.X)+d*float64(pt.Y)+f
		if typ.Type == enums.FPDF_SEGMENT_LINETO && (math.Abs(x-px) < 0.5) != (math.Abs(y-py) < 0.5) {
			out = append(out, upright(min(x, px), max(y, py), max(x, px), min(y, py)))
		}
		px, py = x, y
	}
	return out
}
