package extract

import (
	"fmt"
	"html"
	"regexp"
	"strconv"
	"strings"

	"jolvex/core/doc"
)

// cue is one caption with its time in seconds.
type cue struct {
	from, to float64
	speaker  string
	lines    []string
}

var (
	cueTime  = regexp.MustCompile(`^\s*((?:\d+:)?\d{1,2}:\d{2}[.,]\d{1,3})\s*-->\s*((?:\d+:)?\d{1,2}:\d{2}[.,]\d{1,3})`)
	cueVoice = regexp.MustCompile(`<v(?:\.[^\s>]*)?\s+([^>]*)>`)
	cueTag   = regexp.MustCompile(`<[^>]*>|\{\\[^}]*\}`)
	cueName  = regexp.MustCompile(`^(?:>>\s*)?([A-Z][\p{L}.'-]*(?: [A-Z][\p{L}.'-]*){0,2}):\s+`)
)

// fromCaptions reads WebVTT (W3C) and SubRip files, tolerantly: what cannot be read is passed over, times may use comma or
// point, with or without hours.
func fromCaptions(in Input) (*doc.Document, error) {
	src := strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(decode(in.Body, in.MediaType))
	var b doc.Builder
	b.Doc().Title = nameOf(in.Address)
	if rest, ok := strings.CutPrefix(src, "WEBVTT"); ok {
		head, _, _ := strings.Cut(rest, "\n")
		if t := strings.TrimLeft(head, " \t-–"); strings.TrimSpace(t) != "" {
			b.Doc().Title = strings.TrimSpace(t)
		}
	}
	var cues []cue
	var cur *cue
	for line := range strings.SplitSeq(src, "\n") {
		if m := cueTime.FindStringSubmatch(line); m != nil {
			cues = append(cues, cue{from: seconds(m[1]), to: seconds(m[2])})
			cur = &cues[len(cues)-1]
			continue
		}
		if strings.TrimSpace(line) == "" {
			cur = nil
			continue
		}
		if cur != nil {
			cur.add(line)
		}
	}
	if len(cues) == 0 {
		return nil, fmt.Errorf("%w: no line gives the time of a caption", ErrKind)
	}
	joinCues(&b, cues)
	return b.Document(), nil
}

func seconds(s string) float64 {
	total := 0.0
	for p := range strings.SplitSeq(strings.Replace(s, ",", ".", 1), ":") {
		x, err := strconv.ParseFloat(p, 64)
		if err != nil {
			return 0
		}
		total = 60*total + x
	}
	return total
}

func (c *cue) add(line string) {
	if m := cueVoice.FindStringSubmatch(line); m != nil {
		c.speaker = doc.Fold(html.UnescapeString(m[1]))
	}
	line = doc.Fold(html.UnescapeString(cueTag.ReplaceAllString(line, "")))
	if m := cueName.FindStringSubmatch(line); m != nil && c.speaker == "" {
		c.speaker, line = m[1], line[len(m[0]):]
	}
	if line != "" {
		c.lines = append(c.lines, line)
	}
}

// Captions are joined until a sentence ends, somebody else speaks, nobody does for a while, or much has been said.
// (Common practice, no published source.)
const (
	longestCue = 320 // bytes
	silence    = 2.0 // seconds
)

// joinCues turns captions, which break where the screen does, into blocks that break where the speech does.
func joinCues(b *doc.Builder, cues []cue) {
	var text, speaker, said string
	var from, to float64
	flush := func() {
		if text != "" {
			line := text
			if speaker != "" && speaker != said {
				line = speaker + ": " + text
			}
			said = speaker
			b.Add(doc.Block{Kind: doc.Cue, Place: doc.Place{From: from, To: to}}, line)
		}
		text = ""
	}
	last := ""
	for _, c := range cues {
		if c.speaker != "" && c.speaker != speaker || c.from-to > silence || len(text) > longestCue {
			flush()
		}
		if c.speaker != "" {
			speaker = c.speaker
		}
		for _, l := range c.lines {
			if l == last { // captions that roll up show each line twice
				continue
			}
			last = l
			if text == "" {
				from = c.from
			} else {
				text += " "
			}
			text += l
		}
		to = c.to
		if strings.HasSuffix(text, ".") || strings.HasSuffix(text, "!") || strings.HasSuffix(text, "?") || strings.HasSuffix(text, ".”") || strings.HasSuffix(text, `."`) {
			flush()
		}
	}
	flush()
}

// fromTTML reads timed text (W3C TTML): its paragraphs with "begin" and "end" or "dur".
func fromTTML(in Input) (*doc.Document, error) {
	t, err := parseXML([]byte(decode(in.Body, in.MediaType)))
	if err != nil {
		return nil, err
	}
	if t.child("tt") == nil {
		return nil, fmt.Errorf("%w: it is no timed text", ErrKind)
	}
	rate := 30.0
	if r, err := strconv.ParseFloat(t.child("tt").attr("frameRate"), 64); err == nil && r > 0 {
		rate = r
	}
	var b doc.Builder
	b.Doc().Title = nameOf(in.Address)
	if s := doc.Fold(t.find("title").all()); s != "" {
		b.Doc().Title = s
	}
	var cues []cue
	t.find("body").each("p", func(p *node) {
		c := cue{from: ttmlTime(p.attr("begin"), rate)}
		switch {
		case p.attr("end") != "":
			c.to = ttmlTime(p.attr("end"), rate)
		default:
			c.to = c.from + ttmlTime(p.attr("dur"), rate)
		}
		for line := range strings.SplitSeq(odtText(withBreaks(p)), "\n") {
			c.add(html.EscapeString(line))
		}
		cues = append(cues, c)
	})
	joinCues(&b, cues)
	return b.Document(), nil
}

func withBreaks(n *node) *node {
	out := &node{name: n.name, text: strings.ReplaceAll(n.text, "\n", " ")}
	if n.name == "br" {
		out.name = "line-break"
	}
	for _, k := range n.kids {
		out.kids = append(out.kids, withBreaks(k))
	}
	return out
}

var offsetTime = regexp.MustCompile(`^(\d+(?:\.\d+)?)(h|ms|m|s|f|t)$`)

// ttmlTime reads a clock time with fractions or frames, or an offset with a unit (TTML2, section 12.3.1); in seconds.
func ttmlTime(s string, rate float64) float64 {
	s = strings.TrimSpace(s)
	if m := offsetTime.FindStringSubmatch(s); m != nil {
		x, err := strconv.ParseFloat(m[1], 64)
		if err != nil {
			return 0
		}
		return x * map[string]float64{"h": 3600, "m": 60, "s": 1, "ms": 0.001, "f": 1 / rate, "t": 1e-7}[m[2]]
	}
	if parts := strings.Split(s, ":"); len(parts) == 4 {
		frames, err := strconv.ParseFloat(parts[3], 64)
		if err != nil {
			return 0
		}
		return seconds(strings.Join(parts[:3], ":")) + frames/rate
	}
	return seconds(s)
}
