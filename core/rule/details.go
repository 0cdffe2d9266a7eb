package rule

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/query"
	"jolvex/core/text"
)

var mailForm = regexp.MustCompile(`(?i)^[a-z0-9._%+'-]+@[a-z0-9-]+(?:\.[a-z0-9-]+)*\.[a-z]{2,}$`)

func goodMail(s string) bool { return mailForm.MatchString(s) }

// find takes a detail's value from free text; why says, in words for the asker, what is wrong with what was told. Both are
// empty when nothing was told that could be it.
func (d Detail) find(said string, alone bool) (value, why string) {
	said = strings.TrimSpace(said)
	switch d.Type {
	case TypePhone:
		return findPhone(said, alone)
	case TypeMail:
		return d.findMail(said, alone)
	case TypeNumber:
		return d.findNumber(said, alone)
	case TypeDate:
		return findDate(said, alone)
	case TypeChoice:
		if c := d.choose(said); c != "" {
			return c, ""
		}
		if alone {
			return "", "It is one of these: " + strings.Join(d.Choices, ", ") + "."
		}
	default:
		if alone && len(norms(said)) > 0 {
			return lead.ReplaceAllString(said, ""), ""
		}
		if m := introduced.FindStringSubmatch(said); m != nil && strings.Contains(strings.ToLower(d.Name), "name") {
			return strings.TrimSpace(m[1]), ""
		}
	}
	return "", ""
}

var (
	dayWord    = en.Pattern("day-word")
	lead       = en.Pattern("tells-name-lead")
	introduced = en.Pattern("introduced")
	extension  = en.Pattern("extension")
	dateLike   = en.Pattern("date-like")
	slipped    = regexp.MustCompile(`\b(?:\d+[OoIlSB]+\d*|[OoIl]+\d+[OoIl\d]*)\b`) // a letter taken for a figure: 1O, l2
	letters    = regexp.MustCompile(`\p{L}`)
	digitsRun  = regexp.MustCompile(`\+?[\d(][\d\s()/.-]{4,}\d`)
)

// findNumber takes a number. In a message that says more, it must stand by what the detail is called ("for four people"), so that an
// extension or a house number is no count; two numbers, or one with a letter in it, are none.
func (d Detail) findNumber(said string, alone bool) (value, why string) {
	if m := slipped.FindString(said); m != "" {
		if alone {
			return "", "There is a letter in “" + m + "”. What is the number?"
		}
		return "", ""
	}
	var found []string
	for _, q := range text.Quantities(said) {
		switch q.Kind {
		case text.Phone, text.Mail, text.Web, text.Date, text.Clock:
			continue
		}
		if at := extension.FindStringIndex(said[:q.Start]); at != nil || !alone && !d.near(said, q.Start, q.End) {
			continue
		}
		v := said[q.Start:q.End]
		if q.Kind == text.Number && !strings.ContainsAny(v, "0123456789") || q.Kind == text.Number && strings.Contains(v, " ") {
			v = grouped(q.Value)
		}
		if !slices.Contains(found, v) {
			found = append(found, v)
		}
	}
	switch {
	case len(found) == 1:
		return found[0], ""
	case alone && len(found) > 1:
		return "", "Is it " + strings.Join(found, " or ") + "?"
	case alone:
		return "", "That is no number."
	}
	return "", ""
}

// near reports whether a word of a detail's name or question stands within two words of a place in a text.
func (d Detail) near(said string, start, end int) bool {
	about := text.Stems(d.Name, d.Ask)
	ws := text.Words(said)
	for i, w := range ws {
		if w.Start < end && start < w.End {
			for k := max(0, i-2); k < min(len(ws), i+3); k++ {
				if about[ws[k].Stem] && k != i {
					return true
				}
			}
		}
	}
	return false
}

// grouped is a whole number with its thousands set off.
func grouped(n string) string {
	if strings.ContainsAny(n, ".-") {
		return n
	}
	for i := len(n) - 3; i > 0; i -= 3 {
		n = n[:i] + "," + n[i:]
	}
	return n
}

// findDate takes a day: a date that exists, or a day by its word.
func findDate(said string, alone bool) (value, why string) {
	var found []string
	for _, q := range text.Quantities(said) {
		if v := said[q.Start:q.End]; q.Kind == text.Date && !slices.Contains(found, v) {
			found = append(found, v)
		}
	}
	switch {
	case len(found) == 1:
		return found[0], ""
	case len(found) > 1 && alone:
		return "", "Is it " + strings.Join(found, " or ") + "?"
	case len(found) > 1:
		return "", ""
	}
	if day := dayWord.FindString(said); day != "" {
		return day, ""
	}
	switch {
	case alone && dateLike.MatchString(said):
		return "", "There is no such day."
	case alone:
		return "", "That is no date that I can read."
	}
	return "", ""
}

// findPhone takes a telephone number: seven to fifteen digits (ITU-T E.164), no letters in it.
func findPhone(said string, alone bool) (value, why string) {
	for _, m := range digitsRun.FindAllStringIndex(said, -1) {
		if letterAt(said[:m[0]], true) || letterAt(said[m[1]:], false) {
			continue
		}
		n := 0
		for _, r := range said[m[0]:m[1]] {
			if r >= '0' && r <= '9' {
				n++
			}
		}
		switch {
		case n >= 7 && n <= 15:
			return strings.TrimSpace(said[m[0]:m[1]]), ""
		case alone:
			return "", "A telephone number has seven to fifteen digits."
		}
	}
	if alone && letters.MatchString(said) {
		return "", "A telephone number has no letters."
	}
	if alone {
		return "", "That is no telephone number."
	}
	return "", ""
}

// letterAt reports whether a text ends, or begins, with a letter.
func letterAt(s string, end bool) bool {
	r, _ := utf8.DecodeRuneInString(s)
	if end {
		r, _ = utf8.DecodeLastRuneInString(s)
	}
	return unicode.IsLetter(r)
}

// findMail takes a mail address: it has an @, a dot and a top-level domain (common practice, no published source; the whole
// grammar is RFC 5321, which few addresses need).
func (d Detail) findMail(said string, alone bool) (value, why string) {
	for _, w := range strings.Fields(said) {
		w = strings.Trim(w, ".,;:!?<>()\"'")
		if !strings.Contains(w, "@") {
			continue
		}
		if !goodMail(w) {
			return "", "A mail address looks like name@example.org."
		}
		_, domain, _ := strings.Cut(w, "@")
		if slices.ContainsFunc(d.Blocked, func(b string) bool {
			return strings.EqualFold(b, domain) || strings.HasSuffix(strings.ToLower(domain), "."+strings.ToLower(b))
		}) {
			return "", "Addresses at " + domain + " are not taken. Is there another one?"
		}
		return w, ""
	}
	if alone {
		return "", "A mail address looks like name@example.org."
	}
	return "", ""
}

// choose finds the choice that is named, or numbered, a slip of the pen forgiven.
func (d Detail) choose(said string) string {
	in := norms(said)
	for _, c := range d.Choices {
		if contained([]string{c}, said) != "" {
			return c
		}
	}
	if len(in) == 1 && len(in[0]) == 1 && in[0][0] >= '1' && int(in[0][0]-'1') < len(d.Choices) {
		return d.Choices[in[0][0]-'1']
	}
	for _, c := range d.Choices { // "the small one" for "Small van"
		for _, w := range norms(c) {
			if len(w) >= 4 && slices.ContainsFunc(in, func(s string) bool { return query.Distance(s, w, 1) <= 1 }) {
				return c
			}
		}
	}
	return ""
}

var (
	cancels  = en.Pattern("cancels")
	declines = en.Pattern("declines")
	agrees   = en.Pattern("agrees")
	changes  = en.Pattern("changes")
)
