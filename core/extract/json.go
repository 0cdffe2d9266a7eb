package extract

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"sort"
	"strings"

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
		for _, k := range keysOf(t) {
			if full(b) {
				return
			}
			if s, ok := scalar(t[k]); ok {
				if s != "" {
					b.Add(doc.Block{Kind: doc.Item, Level: 1}, readable(k)+": "+s)
				}
				continue
			}
			b.Add(doc.Block{Kind: doc.Heading, Level: min(level, 6)}, readable(k))
			sayJSON(b, t[k], level+1)
		}
	default:
		if s, ok := scalar(v); ok {
			b.Add(doc.Block{Kind: doc.Paragraph}, s)
		}
	}
}

// sayList makes a table of flat records with names in common, items of plain values, and one part after another of the rest.
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
		sayJSON(b, v, level)
	}
}

// records reads a list of objects whose values are all plain; none when it is anything else, or holds questions and answers.
func records(list []any) (header []string, rows [][]string) {
	at := map[string]int{}
	cells := 0
	for _, v := range list {
		m, ok := v.(map[string]any)
		if !ok {
			return nil, nil
		}
		if _, a := pair(m); a != "" {
			return nil, nil
		}
		for _, k := range keysOf(m) {
			if _, plain := scalar(m[k]); !plain {
				return nil, nil
			}
			if _, known := at[k]; !known {
				at[k] = len(header)
				header = append(header, readable(k))
			}
		}
		if len(header) > 60 {
			return nil, nil
		}
	}
	for _, v := range list {
		row := make([]string, len(header))
		for k, x := range v.(map[string]any) {
			row[at[k]], _ = scalar(x)
		}
		if cells += len(row); cells > MaxCells {
			break
		}
		rows = append(rows, row)
	}
	return header, rows
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
	return strings.ToUpper(s[:1]) + s[1:]
}
