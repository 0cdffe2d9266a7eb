package extract

import (
	"regexp"
	"strconv"
	"strings"

	"github.com/PuerkitoBio/goquery"

	"jolvex/core/doc"
)

func (r *htmlReader) head(page *goquery.Document) {
	d := r.b.Doc()
	d.Title = doc.Fold(page.Find("head > title").First().Text())
	if h1 := page.Find("h1"); h1.Length() == 1 {
		// A site's name in the title ("Fares | Example") tells nothing about the page: where the one first-level heading
		// stands in the title, it is the title.
		if t := strings.TrimRight(doc.Fold(h1.Text()), " ¶#§"); t != "" && len(t) < 200 && (d.Title == "" || strings.Contains(strings.ToLower(d.Title), strings.ToLower(t))) {
			d.Title = t
		}
	}
	d.Language, _ = page.Find("html").First().Attr("lang")
	page.Find("meta[name]").Each(func(_ int, s *goquery.Selection) {
		content, _ := s.Attr("content")
		switch strings.ToLower(s.AttrOr("name", "")) {
		case "description":
			d.Description = doc.Fold(content)
		case "robots", "jolvexbot":
			low := strings.ToLower(content)
			d.NoIndex = d.NoIndex || strings.Contains(low, "noindex") || strings.Contains(low, "none")
			d.NoFollow = d.NoFollow || strings.Contains(low, "nofollow") || strings.Contains(low, "none")
			if _, at, ok := strings.Cut(content, "unavailable_after:"); ok {
				d.Until = strings.TrimSpace(at)
			}
		}
	})
	d.Dated = dated(page)
	if c, ok := page.Find("link[rel=canonical][href]").First().Attr("href"); ok {
		d.Canonical = r.resolve(c)
	}
}

// dated finds when the page says that it was last changed: in its metadata, or as structured data.
func dated(page *goquery.Document) string {
	for _, q := range []string{`meta[property="article:modified_time"]`, `meta[name="last-modified"]`, `meta[name="dcterms.modified"]`, `meta[itemprop=dateModified]`, `meta[property="article:published_time"]`} {
		if v := strings.TrimSpace(page.Find(q).First().AttrOr("content", "")); moment.MatchString(v) {
			return v
		}
	}
	return ""
}

var moment = regexp.MustCompile(`^\d{4}-\d{2}-\d{2}(?:[T ]|$)`)

// hidden keeps what the page hides from readers by its style, so that it can be checked; it is never part of the text.
// Menus and dialogs that are merely closed hold no long passages of their own and are told by their kind.
func (r *htmlReader) hidden(page *goquery.Document) {
	page.Find("[style], [hidden], [aria-hidden=true]").Each(func(_ int, s *goquery.Selection) {
		if !hides(s) || s.Closest("nav, dialog, form, svg, [role=dialog], [role=menu]").Length() > 0 || s.ParentsFiltered("[data-jolvex-hidden]").Length() > 0 {
			return
		}
		s.SetAttr("data-jolvex-hidden", "")
		if t := doc.Fold(s.Text()); len(t) >= 20 && len(r.b.Doc().Hidden) < 50 {
			r.b.Doc().Hidden = append(r.b.Doc().Hidden, t[:min(len(t), 2000)])
		}
	})
}

// hides tells whether an element is kept from readers' eyes by its own attributes.
func hides(s *goquery.Selection) bool {
	if _, ok := s.Attr("hidden"); ok {
		return true
	}
	st := strings.ToLower(strings.ReplaceAll(s.AttrOr("style", ""), " ", ""))
	for _, sign := range []string{"display:none", "visibility:hidden", "font-size:0", "font-size:1px", "opacity:0;", "text-indent:-9999", "left:-9999", "left:-10000", "left:-100vw", "top:-9999", "top:-10000", "color:transparent"} {
		if strings.Contains(st+";", sign) {
			return true
		}
	}
	return s.AttrOr("aria-hidden", "") == "true" || ownColour(st)
}

// ownColour tells a style by which text is of the colour of its ground.
func ownColour(style string) bool {
	ink, ground := "", ""
	for part := range strings.SplitSeq(style, ";") {
		switch name, value, _ := strings.Cut(part, ":"); name {
		case "color":
			ink = value
		case "background", "background-color":
			ground = value
		}
	}
	return ink != "" && ink == ground
}

// clips lists the page's films and recordings: their captions (W3C HTML, the track element), in the page's language first,
// or themselves when they have none. A clip without captions that schema.org data give a transcript of has it in the text.
func (r *htmlReader) clips(page *goquery.Document) {
	d := r.b.Doc()
	page.Find("video, audio").Each(func(_ int, v *goquery.Selection) {
		src := r.resolve(v.AttrOr("src", ""))
		if src == "" {
			src = r.resolve(v.Find("source[src]").First().AttrOr("src", ""))
		}
		name := doc.Fold(v.AttrOr("title", v.AttrOr("aria-label", "")))
		if name == "" {
			name = doc.Fold(v.Closest("figure").Find("figcaption").First().Text())
		}
		best, rank := "", 0
		v.Find("track[src]").Each(func(_ int, t *goquery.Selection) {
			kind, lang := strings.ToLower(t.AttrOr("kind", "subtitles")), strings.ToLower(t.AttrOr("srclang", ""))
			if kind != "captions" && kind != "subtitles" {
				return
			}
			n := 1
			if _, ok := t.Attr("default"); ok {
				n += 2
			}
			if kind == "captions" {
				n++
			}
			if own := strings.ToLower(d.Language); own != "" && strings.HasPrefix(own, strings.SplitN(lang, "-", 2)[0]) && lang != "" {
				n += 4
			}
			if a := r.resolve(t.AttrOr("src", "")); a != "" && n > rank {
				best, rank = a, n
			}
		})
		switch {
		case best != "":
			d.Links = append(d.Links, doc.Link{Address: best, Text: name, Relation: doc.Captions, Media: src})
		case src != "":
			d.Links = append(d.Links, doc.Link{Address: src, Text: name, Relation: doc.Clip, Media: src})
		}
	})
}

func (r *htmlReader) resolve(href string) string {
	href = strings.TrimSpace(href)
	if r.base == nil || href == "" {
		return ""
	}
	u, err := r.base.Parse(href)
	if err != nil || (u.Scheme != "http" && u.Scheme != "https" && u.Scheme != "file" && u.Scheme != "") {
		return ""
	}
	return u.String()
}

func (r *htmlReader) links(page *goquery.Document) {
	d := r.b.Doc()
	page.Find(`link[rel~=alternate][href]`).Each(func(_ int, s *goquery.Selection) {
		switch t := strings.ToLower(s.AttrOr("type", "")); t {
		case "application/rss+xml", "application/atom+xml", "application/feed+json":
			if a := r.resolve(s.AttrOr("href", "")); a != "" {
				d.Links = append(d.Links, doc.Link{Address: a, Text: s.AttrOr("title", ""), Relation: doc.Feed})
			}
		}
	})
	if s := page.Find(`meta[http-equiv]`).FilterFunction(func(_ int, s *goquery.Selection) bool {
		return strings.EqualFold(s.AttrOr("http-equiv", ""), "refresh")
	}).First(); s.Length() > 0 {
		if a := r.resolve(refreshTarget(s.AttrOr("content", ""))); a != "" {
			d.Links = append(d.Links, doc.Link{Address: a, Relation: doc.Refresh})
		}
	}
	page.Find("iframe[src], frame[src]").Each(func(_ int, s *goquery.Selection) {
		if a := r.resolve(s.AttrOr("src", "")); a != "" && len(d.Links) < 20_000 {
			d.Links = append(d.Links, doc.Link{Address: a, Text: doc.Fold(s.AttrOr("title", ""))})
		}
	})
	page.Find("a[href], area[href]").EachWithBreak(func(_ int, s *goquery.Selection) bool {
		if a := r.resolve(s.AttrOr("href", "")); a != "" {
			rel := strings.Fields(strings.ToLower(s.AttrOr("rel", "")))
			l := doc.Link{Address: a, Text: doc.Fold(s.Text())}
			for _, v := range rel {
				l.NoFollow = l.NoFollow || v == "nofollow"
			}
			d.Links = append(d.Links, l)
		}
		return len(d.Links) < 20_000
	})
}

// refreshTarget reads where a meta refresh leads ("5; url=/new"), by the shared declarative refresh steps of the HTML
// standard; "" when it reloads the page itself or waits for more than 30 seconds.
func refreshTarget(content string) string {
	wait, rest, ok := strings.Cut(strings.Replace(content, ",", ";", 1), ";")
	sec, err := strconv.ParseFloat(strings.TrimSpace(wait), 64)
	if !ok || err != nil || sec > 30 {
		return ""
	}
	rest = strings.TrimSpace(rest)
	if len(rest) > 3 && strings.EqualFold(rest[:3], "url") {
		rest = strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(rest[3:]), "="))
	}
	return strings.Trim(rest, `'"`)
}
