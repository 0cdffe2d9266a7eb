package extract

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"sort"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/doc"
)

// fromJSON reads JSON and JSON Lines so that a person could: a list of records becomes a table, questions with answers
// become headings with text, other objects become headings by their keys.
func fromJSON(in Input) (*doc.Document, error) {
	src := []byte(decode(in.Body, in.MediaType))
	if n := bytes.Count(src, []byte(",")) + bytes.Count(src, []byte("{")) + bytes.Count(src, []byte("[")); n > maxValues+bytes.Count(src, []byte(", ")) {
		return nil, fmt.Errorf("%w: about %d values, the limit is %d", ErrTooLarge, n, maxValues)
	}
	dec := json.NewDecoder(bytes.NewReader(src))
	dec.UseNumber()
	var all []any
	for {
		var v any
		err := dec.Decode(&v)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("damaged: %w", err)
		}
		if all = append(all, v); len(all) > MaxBlocks {
			return nil, fmt.Errorf("%w: more than %d lines", ErrTooLarge, MaxBlocks)
		}
	}
	var b doc.Builder
	b.Doc().Title = nameOf(in.Address)
	var v any = all
	if len(all) == 1 {
		v = all[0]
	}
	if m, ok := v.(map[string]any); ok {
		if t, ok := m["title"].(string); ok {
			b.Doc().Title = t
		}
	}
	sayJSON(&b, v, 2)
	return b.Document(), nil
}

// maxValues is how many values of a JSON file are read. They are counted by the marks that part them, those in running text apart.
const maxValues = 1_000_000

func sayJSON(b *doc.Builder, v any, level int) {
	if full(b) || level > 40 {
		return
	}
	switch t := v.(type) {
	case []any:
		sayList(b, t, level)
	case map[string]any:
		if q, a := pair(t); a != "" {
			b.Add(doc.Block{Kind: doc.Heading, Level: min(level, 6)}, q)
			b.Add(doc.Block{Kind: doc.Paragraph}, a)
			return
		}
		keys := keysOf(t)
		for _, k := range keys { // its own values first: what is said under the name of a part is the part's
			if s, ok := scalar(t[k]); ok && s != "" && !full(b) {
				b.Add(doc.Block{Kind: doc.Item, Level: 1}, readable(k)+": "+s)
			}
		}
		for _, k := range keys {
			if _, ok := scalar(t[k]); !ok && !full(b) {
				b.Add(doc.Block{Kind: doc.Heading, Level: min(level, 6)}, readable(k))
				sayJSON(b, t[k], level+1)
			}
		}
	default:
		if s, ok := scalar(v); ok {
			b.Add(doc.Block{Kind: doc.Paragraph}, s)
		}
	}
}

// sayList makes a table of records with names in common, items of plain values, and one part after another of the rest, each under its name.
func sayList(b *doc.Builder, list []any, level int) {
	if header, rows := records(list); len(rows) > 1 {
		b.AddTable(doc.Place{}, "", header, rows)
		return
	}
	for _, v := range list {
		if full(b) {
			return
		}
		if s, ok := scalar(v); ok {
			if s != "" {
				b.Add(doc.Block{Kind: doc.Item, Level: 1}, s)
			}
			continue
		}
		if name := nameIn(v); name != "" {
			b.Add(doc.Block{Kind: doc.Heading, Level: min(level, 6)}, name)
			sayJSON(b, v, level+1)
			continue
		}
		sayJSON(b, v, level)
	}
}

// nameIn is what an object is called; "" for one without a name, and for a question with its answer.
func nameIn(v any) string {
	m, ok := v.(map[string]any)
	if !ok {
		return ""
	}
	if _, answer := pair(m); answer != "" {
		return ""
	}
	for _, k := range []string{"name", "title", "label", "id"} {
		for have, x := range m {
			if s, plain := scalar(x); plain && s != "" && strings.EqualFold(have, k) {
				return s
			}
		}
	}
	return ""
}

// mostNames is how many names records may have in common to be a table.
const mostNames = 60

// records reads a list of objects whose values are plain, or lists of plain values, or objects of such, which keep their owner's name before
// their own; none when it is anything else, or holds questions and answers.
func records(list []any) (header []string, rows [][]string) {
	at := map[string]int{}
	flat := make([][][2]string, len(list))
	for i, v := range list {
		m, ok := v.(map[string]any)
		if !ok {
			return nil, nil
		}
		if _, a := pair(m); a != "" {
			return nil, nil
		}
		if flat[i], ok = flattened(nil, "", m, 0); !ok {
			return nil, nil
		}
		for _, f := range flat[i] {
			if _, known := at[f[0]]; !known {
				at[f[0]] = len(header)
				header = append(header, f[0])
			}
		}
		if len(header) > mostNames {
			return nil, nil
		}
	}
	cells := 0
	for _, fs := range flat {
		row := make([]string, len(header))
		for _, f := range fs {
			row[at[f[0]]] = f[1]
		}
		if cells += len(row); cells > MaxCells {
			break
		}
		rows = append(rows, row)
	}
	return header, rows
}

// flattened adds the values of an object to those of its owner, each with its whole name; false when one is neither plain nor an object or list
// of such.
func flattened(out [][2]string, owner string, m map[string]any, depth int) ([][2]string, bool) {
	if depth > 3 {
		return nil, false
	}
	for _, k := range keysOf(m) {
		name := readable(k)
		if owner != "" {
			name = owner + " " + strings.ToLower(name)
		}
		if s, plain := scalar(m[k]); plain {
			out = append(out, [2]string{name, s})
			continue
		}
		switch t := m[k].(type) {
		case map[string]any:
			var ok bool
			if out, ok = flattened(out, name, t, depth+1); !ok {
				return nil, false
			}
		case []any:
			var all []string
			for _, x := range t {
				s, plain := scalar(x)
				if !plain {
					return nil, false
				}
				all = append(all, s)
			}
			out = append(out, [2]string{name, strings.Join(all, ", ")})
		}
	}
	return out, true
}

// pair finds a question and its answer under their usual names.
func pair(m map[string]any) (question, answer string) {
	get := func(names ...string) string {
		for k, v := range m {
			for _, n := range names {
				if s, ok := v.(string); ok && strings.EqualFold(k, n) {
					return s
				}
			}
		}
		return ""
	}
	if question, answer = get("question", "q"), get("answer", "a"); question == "" || answer == "" {
		return "", ""
	}
	return question, answer
}

func scalar(v any) (string, bool) {
	switch t := v.(type) {
	case nil:
		return "", true
	case string:
		return t, true
	case json.Number:
		return t.String(), true
	case bool:
		if t {
			return "yes", true
		}
		return "no", true
	}
	return "", false
}

func keysOf(m map[string]any) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	sort.Strings(out)
	return out
}

// readable makes words of a name as programs write them: "openingHours", "opening_hours".
func readable(k string) string {
	var b strings.Builder
	last := 'A'
	for _, r := range k {
		switch r {
		case '_', '-':
			r = ' '
		case '@':
			continue
		}
		if r >= 'A' && r <= 'Z' && last >= 'a' && last <= 'z' {
			b.WriteByte(' ')
			r += 'a' - 'A'
		}
		b.WriteRune(r)
		last = r
	}
	s := strings.TrimSpace(b.String())
	if s == "" {
		return k
	}
	first, n := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(first)) + s[n:]
}
