package extract

import (
	"fmt"
	"net/url"
	"path"

	"jolvex/core/doc"
)

// fromEPUB reads a book (W3C EPUB 3.3): its chapters in the order of the spine, each through the HTML reader.
func fromEPUB(in Input) (*doc.Document, error) {
	a, err := openArchive(in.Body)
	if err != nil {
		return nil, err
	}
	if a.files["META-INF/encryption.xml"] != nil && a.files["META-INF/rights.xml"] != nil {
		return nil, ErrEncrypted
	}
	container, err := a.tree("META-INF/container.xml")
	if err != nil {
		return nil, err
	}
	at := container.find("rootfile").attr("full-path")
	pack, err := a.tree(at)
	if err != nil {
		return nil, err
	}
	if pack == nil {
		return nil, fmt.Errorf("%w: it names no package", ErrKind)
	}
	type item struct{ href, kind, role string }
	items := map[string]item{}
	pack.find("manifest").each("item", func(n *node) {
		href, err := url.PathUnescape(n.attr("href"))
		if err != nil {
			href = n.attr("href")
		}
		items[n.attr("id")] = item{path.Join(path.Dir(at), href), n.attr("media-type"), n.attr("properties")}
	})
	var b doc.Builder
	meta := pack.find("metadata")
	b.Doc().Title, b.Doc().Language = doc.Fold(meta.child("title").all()), doc.Fold(meta.child("language").all())
	var failed error
	pack.find("spine").each("itemref", func(n *node) {
		it := items[n.attr("idref")]
		if failed != nil || it.href == "" || it.role == "nav" || n.attr("linear") == "no" || b.Len() > MaxText {
			return
		}
		body, err := a.read(it.href)
		if err != nil {
			failed = err
			return
		}
		if body == nil {
			return
		}
		chapter, err := fromHTML(Input{Address: it.href, MediaType: "application/xhtml+xml; charset=utf-8", Body: body})
		if err != nil {
			failed = fmt.Errorf("%s: %w", it.href, err)
			return
		}
		b.Append(chapter)
	})
	if failed != nil {
		return nil, failed
	}
	return b.Document(), nil
}
