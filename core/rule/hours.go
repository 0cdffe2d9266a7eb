package rule

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// span is one stretch of the week in which staff are there: days of the week and minutes of the day.
type span struct {
	days     [7]bool // from Sunday
	from, to int
}

var stretch = en.Pattern("stretch")

// hours reads opening hours: "Mon-Fri 09:00-17:00, Sat 10:00-12:30", or "daily" for all days. A stretch that ends at or before
// its beginning goes on past midnight; its days are those on which it begins.
func hours(s string) ([]span, error) {
	var out []span
	for part := range strings.SplitSeq(s, ",") {
		m := stretch.FindStringSubmatch(part)
		if m == nil {
			return nil, fmt.Errorf("hours %q are not like “Mon-Fri 09:00-17:00”", strings.TrimSpace(part))
		}
		var x span
		var n [4]int
		for i := range n {
			n[i], _ = strconv.Atoi(m[3+i]) // two digits at most
		}
		x.from, x.to = 60*n[0]+n[1], 60*n[2]+n[3]
		if n[0] > 23 || n[1] > 59 || n[3] > 59 || x.to > 24*60 {
			return nil, fmt.Errorf("hours %q name a time that no clock shows", strings.TrimSpace(part))
		}
		first, last := 0, 6
		if !strings.EqualFold(m[1], "daily") {
			first = weekday(m[1])
			last = first
			if m[2] != "" {
				last = weekday(m[2])
			}
		}
		for d := first; ; d = (d + 1) % 7 {
			x.days[d] = true
			if d == last {
				break
			}
		}
		out = append(out, x)
	}
	return out, nil
}

func weekday(name string) int {
	return strings.Index("sunmontuewedthufrisat", strings.ToLower(name[:3])) / 3
}

// within reports whether a moment lies in one of the stretches, by the clock of its own zone.
func within(ss []span, at time.Time) bool {
	day, minute := int(at.Weekday()), 60*at.Hour()+at.Minute()
	for _, s := range ss {
		switch past := s.to <= s.from; {
		case s.days[day] && minute >= s.from && (past || minute < s.to):
			return true
		case past && s.days[(day+6)%7] && minute < s.to:
			return true
		}
	}
	return false
}

// staffed reports whether somebody is there to hand over to. Hours that are not given, or cannot be read, close nobody out.
// Open reports whether a moment lies in hours such as "Mon-Fri 09:00-17:00, Sat 10:00-12:00" of a time zone (its IANA name; empty for UTC). Empty hours are
// always open. It fails where hours or zone cannot be read.
func Open(hours, zone string, at time.Time) (bool, error) {
	a := Action{Hours: hours, Zone: zone}
	ss, in, err := a.hours()
	if err != nil {
		return false, err
	}
	return len(ss) == 0 || within(ss, at.In(in)), nil
}

func (a Action) staffed(at time.Time) bool {
	ss, zone, err := a.hours()
	return err != nil || len(ss) == 0 || at.IsZero() || within(ss, at.In(zone))
}

func (a Action) hours() ([]span, *time.Location, error) {
	if strings.TrimSpace(a.Hours) == "" {
		return nil, time.UTC, nil
	}
	ss, err := hours(a.Hours)
	if err != nil {
		return nil, nil, err
	}
	zone, err := time.LoadLocation(a.Zone)
	if err != nil {
		return nil, nil, fmt.Errorf("there is no time zone %q", a.Zone)
	}
	return ss, zone, nil
}
