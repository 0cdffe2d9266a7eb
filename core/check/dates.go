package check

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"

	"jolvex/core/doc"
	"jolvex/core/text"
)

var (
	// A span of years as titles have it: 2025, 2025/26, 2025-2026, 2025 to 2026.
	years = regexp.MustCompile(`\b((?:19|20)\d{2})(?:\s?(?:[/–-]|to)\s?((?:19|20)?\d{2}))?\b`)
	// Subjects of which a past year says that they are over.
	perishable = en.Pattern("perishable")
	// Words by which a page tells that it is of the past on purpose.
	archival = en.Pattern("archival")
	// The end of a time of validity.
	expiry = en.Pattern("expiry")
	season = en.Pattern("last-season")
)

// oldYears is the age from which a page that was last changed then is told of, in years. (Common practice, no published
// source.)
const oldYears = 3

// dates finds times that have passed: a year in the title or a heading of something that is replaced every year, an end of
// validity, and a page that nobody has changed for years.
func (l *Look) dates(in Input, list []sentence) {
	d := in.Doc
	past := archival.MatchString(in.Address) || archival.MatchString(d.Title)
	if y, what := l.oldTitle(d.Title); y > 0 && !past {
		l.find(Finding{Kind: OutOfDate, Severity: Medium, At: Passage{Document: in.ID, Text: clip(d.Title)}, Detail: fmt.Sprintf("its title is of %s, and it is %d now", what, l.now.Year())})
	}
	for _, b := range d.Blocks {
		if t := d.Of(b.Span); b.Kind == doc.Heading && !past && !strings.EqualFold(t, d.Title) {
			if y, what := l.oldTitle(t); y > 0 {
				l.find(Finding{Kind: OutOfDate, Severity: Low, At: Passage{in.ID, b.Span, clip(t)}, Detail: "a heading of " + what})
			}
		}
	}
	for _, x := range list {
		if past {
			break
		}
		if m := season.FindString(x.text); m != "" {
			l.find(Finding{Kind: OutOfDate, Severity: Low, At: Passage{in.ID, x.span, clip(x.text)}, Detail: "says “" + strings.ToLower(m) + "”"})
		}
		if at, ok := l.expired(x); ok {
			l.find(Finding{Kind: OutOfDate, Severity: Medium, At: Passage{in.ID, x.span, clip(x.text)}, Detail: "holds until " + at.Format("2 January 2006") + ", which has passed"})
		}
	}
	changed := in.Changed
	if d.Dated != "" {
		changed = d.Dated
	}
	if at, err := time.Parse("2006-01-02", changed[:min(len(changed), 10)]); err == nil && at.AddDate(oldYears, 0, 0).Before(l.now) && !past {
		l.find(Finding{Kind: OutOfDate, Severity: Low, At: Passage{Document: in.ID, Text: clip(d.Title)}, Detail: "last changed on " + at.Format("2 January 2006")})
	}
}

// expired tells the end of a time of validity that has passed.
func (l *Look) expired(x sentence) (time.Time, bool) {
	for _, q := range x.figures {
		if q.Kind != text.Date || strings.HasPrefix(q.Value, "-") {
			continue
		}
		at, err := time.Parse("2006-01-02", q.Value)
		if err == nil && at.AddDate(0, 0, 1).Before(l.now) && expiry.MatchString(x.text[:q.Start]) {
			return at, true
		}
	}
	return time.Time{}, false
}

// oldTitle tells the last year of a title about something perishable, when it has passed.
func (l *Look) oldTitle(s string) (year int, what string) {
	if !perishable.MatchString(s) {
		return 0, ""
	}
	for _, m := range years.FindAllStringSubmatch(s, -1) {
		y, err := strconv.Atoi(m[1])
		if err != nil {
			continue
		}
		if len(m[2]) > 0 {
			if z, err := strconv.Atoi(m[2]); err == nil {
				if z < 100 {
					z += y / 100 * 100
				}
				y = max(y, z)
			}
		}
		if y > year {
			year, what = y, m[0]
		}
	}
	if year >= l.now.Year() || year == l.now.Year()-1 && l.now.Month() <= time.January {
		// A span that ends this year may have ended: that is for the dates in the text to say.
		return 0, ""
	}
	return year, what
}
