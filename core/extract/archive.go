package extract

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"
)

// Limits on files that are archives.
const (
	MaxEntries  = 10_000    // files within
	MaxUnpacked = 128 << 20 // bytes of all that is read of them
)

// ErrEncrypted says that a file needs a password. It arrives wrapped.
var ErrEncrypted = errors.New("encrypted: it opens with a password only")

// archive is an open zip file from which a limited number of bytes may be read.
type archive struct {
	files map[string]*zip.File
	left  int64
}

func openArchive(body []byte) (*archive, error) {
	// Office programs put encrypted files into a compound file, which starts like this (MS-CFB, section 2.2).
	if bytes.HasPrefix(body, []byte{0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1}) {
		return nil, ErrEncrypted
	}
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		return nil, fmt.Errorf("damaged: %w", err)
	}
	if len(z.File) > MaxEntries {
		return nil, fmt.Errorf("%w: %d files within, the limit is %d", ErrTooLarge, len(z.File), MaxEntries)
	}
	a := &archive{map[string]*zip.File{}, MaxUnpacked}
	for _, f := range z.File {
		if f.Flags&1 != 0 {
			return nil, ErrEncrypted
		}
		a.files[path.Clean(strings.TrimPrefix(f.Name, "/"))] = f
	}
	return a, nil
}

// read gives the bytes of a file within; nil and no error when there is none.
func (a *archive) read(name string) ([]byte, error) {
	f, ok := a.files[path.Clean(strings.TrimPrefix(name, "/"))]
	if !ok {
		return nil, nil
	}
	r, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("open %s within: %w", name, err)
	}
	defer r.Close()
	b, err := io.ReadAll(io.LimitReader(r, a.left+1))
	if err != nil {
		return nil, fmt.Errorf("unpack %s: %w", name, err)
	}
	if a.left -= int64(len(b)); a.left < 0 {
		return nil, fmt.Errorf("%w: more than %d bytes unpacked", ErrTooLarge, MaxUnpacked)
	}
	return b, nil
}

// node is one element of an XML file, by local names: the formats read here have no two of one name that matter.
type node struct {
	name  string
	attrs map[string]string
	text  string // of a text node, whose name is ""
	kids  []*node
}

// maxNodes is how many elements and texts of one XML file are read.
const maxNodes = 3_000_000

// parseXML reads a file into a tree, within limits on depth and size. Entities are not expanded but for XML's own five, so
// that none can blow up.
func parseXML(b []byte) (*node, error) {
	dec := xml.NewDecoder(bytes.NewReader(b))
	dec.Strict = false
	root := &node{}
	stack := []*node{root}
	for n := 0; ; n++ {
		tok, err := dec.Token()
		if errors.Is(err, io.EOF) {
			return root, nil
		}
		if err != nil {
			return nil, fmt.Errorf("damaged: %w", err)
		}
		if n > maxNodes {
			return nil, fmt.Errorf("%w: more than %d parts", ErrTooLarge, maxNodes)
		}
		top := stack[len(stack)-1]
		switch t := tok.(type) {
		case xml.StartElement:
			if len(stack) > MaxDepth {
				return nil, fmt.Errorf("%w: nested more than %d deep", ErrTooLarge, MaxDepth)
			}
			k := &node{name: t.Name.Local}
			if len(t.Attr) > 0 {
				k.attrs = make(map[string]string, len(t.Attr))
				for _, a := range t.Attr {
					k.attrs[a.Name.Local] = a.Value
				}
			}
			top.kids = append(top.kids, k)
			stack = append(stack, k)
		case xml.EndElement:
			if len(stack) > 1 {
				stack = stack[:len(stack)-1]
			}
		case xml.CharData:
			top.kids = append(top.kids, &node{text: string(t)})
		}
	}
}

// child is the first child of that name, nil when there is none. It may be called on nil.
func (n *node) child(name string) *node {
	if n == nil {
		return nil
	}
	for _, k := range n.kids {
		if k.name == name {
			return k
		}
	}
	return nil
}

// find is the first element of that name below n, in order of the file.
func (n *node) find(name string) *node {
	if n == nil {
		return nil
	}
	for _, k := range n.kids {
		if k.name == name {
			return k
		}
		if f := k.find(name); f != nil {
			return f
		}
	}
	return nil
}

// each calls do with every element of that name below n, and does not look inside those.
func (n *node) each(name string, do func(*node)) {
	if n == nil {
		return
	}
	for _, k := range n.kids {
		if k.name == name {
			do(k)
			continue
		}
		k.each(name, do)
	}
}

func (n *node) attr(name string) string {
	if n == nil {
		return ""
	}
	return n.attrs[name]
}

// all is the text of n and everything below it.
func (n *node) all() string {
	if n == nil {
		return ""
	}
	var b strings.Builder
	var walk func(*node)
	walk = func(k *node) {
		b.WriteString(k.text)
		for _, c := range k.kids {
			walk(c)
		}
	}
	walk(n)
	return b.String()
}

func (a *archive) tree(name string) (*node, error) {
	b, err := a.read(name)
	if err != nil || b == nil {
		return nil, err
	}
	t, err := parseXML(b)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return t, nil
}
