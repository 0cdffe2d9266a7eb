package rule

import (
	"regexp"
	"slices"
	"strings"

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
		for _, q := range text.Quantities(said) {
			if q.Kind != text.Phone && q.Kind != text.Mail && q.Kind != text.Web && q.Kind != text.Date {
				return said[q.Start:q.End], ""
			}
		}
		if alone {
			return "", "That is no number."
		}
	case TypeDate:
		for _, q := range text.Quantities(said) {
			if q.Kind == text.Date {
				return said[q.Start:q.End], ""
			}
		}
		if day := dayWord.FindString(said); day != "" {
			return day, ""
		}
		if alone {
			return "", "That is no date that I can read."
		}
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
	letters    = regexp.MustCompile(`\p{L}`)
	digitsRun  = regexp.MustCompile(`\+?[\d(][\d\s()/.-]{4,}\d`)
)

// findPhone takes a telephone number: seven to fifteen digits (ITU-T E.164), no letters in it.
func findPhone(said string, alone bool) (value, why string) {
	if m := digitsRun.FindString(said); m != "" {
		n := 0
		for _, r := range m {
			if r >= '0' && r <= '9' {
				n++
			}
		}
		switch {
		case n >= 7 && n <= 15:
			return strings.TrimSpace(m), ""
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
