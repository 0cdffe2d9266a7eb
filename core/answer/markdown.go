package answer

import (
	"regexp"
	"strings"

	"jolvex/core/text"
)

// Marks of Markdown that a model puts around its words (CommonMark 0.31, sections 4 to 6, and the tables of its common extension).
var (
	bulleted = regexp.MustCompile(`^\s*(?:[-*+•]|\d{1,2}[.)])\s+`)
	headed   = regexp.MustCompile(`^\s{0,3}#{1,6}\s+\S`)
	fenced   = regexp.MustCompile("^\\s*(?:```|~~~)")
	thematic = regexp.MustCompile(`^\s*(?:[-*_]\s*){3,}$`)
	tabled   = regexp.MustCompile(`^\s*\|?(?:\s*:?-{2,}:?\s*\|)+(?:\s*:?-{2,}:?\s*)?$`)
	linked   = regexp.MustCompile(`!?\[([^\]]+)\]\(<?([^)\s>]+)>?(?:\s+"[^"]*")?\)`)
	strong   = regexp.MustCompile(`(\*\*\*|\*\*|__)(\S(?:.*?\S)?)(\*\*\*|\*\*|__)`)
	stressed = regexp.MustCompile(`(^|[\s(“"'])([*_])(\S(?:[^*_]*?\S)?)([*_])([\s).,;:!?”"']|$)`)
	coded    = regexp.MustCompile("(`+)([^`]+)(`+)")
)

// unmarked takes the marks of Markdown off what a model wrote, line by line: emphasis and code become plain words, a link its
// words with its address behind, a row of a table its cells with the names of their columns, as passages have theirs; headings go. What is
// in a fenced block is kept as it stands.
func unmarked(s string) string {
	var out, header []string // of the table that is being read
	within, last := false, ""
	for line := range strings.Lines(s) {
		line = strings.TrimRight(line, "\r\n")
		switch {
		case fenced.MatchString(line):
			within = !within
			continue
		case within:
			out = append(out, line)
			continue
		case tabled.MatchString(line) && strings.Contains(line, "|"):
			if n := len(out); n > 0 && header == nil {
				header, out = cellsOf(citation.ReplaceAllString(last, "")), out[:n-1]
			}
			continue
		case thematic.MatchString(line):
			continue
		}
		last = line
		if header != nil && strings.Contains(line, "|") {
			out = append(out, rowSaid(header, cellsOf(line)))
			continue
		}
		header = nil
		line = strings.TrimLeft(line, "> ")
		if headed.MatchString(line) { // it says nothing by itself
			continue
		}
		line = bulleted.ReplaceAllString(line, "")
		out = append(out, unmarkedLine(line))
	}
	return strings.Join(out, "\n")
}

// unmarkedLine takes the marks within a line off it.
func unmarkedLine(line string) string {
	line = linked.ReplaceAllStringFunc(line, func(m string) string {
		x := linked.FindStringSubmatch(m)
		if strings.EqualFold(x[1], x[2]) || strings.HasPrefix(m, "!") {
			return x[1]
		}
		return x[1] + " (" + strings.TrimPrefix(x[2], "mailto:") + ")"
	})
	line = strong.ReplaceAllString(line, "$2")
	line = stressed.ReplaceAllString(line, "$1$3$5")
	line = coded.ReplaceAllString(line, "$2")
	return line
}

// cellsOf are the cells of a line of a table.
func cellsOf(line string) []string {
	cells := strings.Split(strings.Trim(strings.TrimSpace(line), "|"), "|")
	for i := range cells {
		cells[i] = unmarkedLine(strings.TrimSpace(cells[i]))
	}
	return cells
}

// rowSaid says a row of a table with the names of its columns, as passages have theirs.
func rowSaid(header, cells []string) string {
	var told []string
	for i, c := range cells {
		if i == 0 || c == "" {
			continue
		}
		if i < len(header) && header[i] != "" {
			c = header[i] + ": " + c
		}
		told = append(told, c)
	}
	if len(told) == 0 {
		return ended(cells[0])
	}
	return ended(cells[0] + " – " + strings.Join(told, "; "))
}

// ended is a text with a full stop at its end, where it has no mark.
func ended(s string) string {
	if s = strings.TrimSpace(s); s == "" || strings.ContainsAny(s[len(s)-1:], ".:!?") {
		return s
	}
	return s + "."
}

// upToSentence is a text that was cut off, up to the end of its last whole sentence; "" when there is none.
func upToSentence(s string) string {
	s = strings.TrimRight(s, " \n\r\t")
	lines := strings.Split(s, "\n")
	last := lines[len(lines)-1]
	ps := text.Sentences(last)
	if len(ps) == 0 {
		return s
	}
	end := ps[len(ps)-1]
	if closes(last[end.Start:end.End]) {
		return s
	}
	lines[len(lines)-1] = strings.TrimSpace(last[:end.Start])
	return strings.TrimSpace(strings.Join(lines, "\n"))
}

// closes reports whether a sentence ends as one does, its citations left aside.
func closes(s string) bool {
	s = strings.TrimRight(strings.TrimSpace(citation.ReplaceAllString(s, "")), `"'”’)*_`)
	return s != "" && strings.ContainsAny(s[len(s)-1:], ".!?")
}
