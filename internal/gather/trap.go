package gather

import (
	"fmt"
	"hash/fnv"
	"net/url"
	"regexp"
	"strings"
	"sync"
	"time"
)

// Limits by which addresses without end are told. (Common practice, no published source.)
const (
	longestAddress = 2000 // bytes
	deepestPath    = 24   // parts
	repeatedParts  = 3    // times one part may stand in a path
	trapSample     = 40   // pages of one shape before it can be a trap
	trapPoor       = 0.8  // share of them that bring nothing
	trapCrowd      = 2000 // addresses of one shape, made of numbers alone, that are not believed
	mostShapes     = 20_000
)

var (
	digits   = regexp.MustCompile(`\d+`)
	dateLike = regexp.MustCompile(`\b(19|20|21)\d{2}[-/._](0?[1-9]|1[0-2])\b|\b(?:year|yr|y)=(\d{4})\b`)
	yearLike = regexp.MustCompile(`(?:19|20|21|22)\d{2}`)
)

// The first letters of months and weekdays.
var dateWords = map[string]bool{
	"jan": true, "feb": true, "mar": true, "apr": true, "may": true, "jun": true, "jul": true, "aug": true, "sep": true, "oct": true, "nov": true, "dec": true,
	"mon": true, "tue": true, "wed": true, "thu": true, "fri": true, "sat": true, "sun": true,
}

// Traps watches the addresses of one visit for those that never end: paths that repeat themselves, calendars that go on
// for ever, lists of lists. It is safe for use by several goroutines.
type Traps struct {
	mu     sync.Mutex
	now    time.Time
	shapes map[string]*shape
	closed map[string]string // shape -> why
	told   []string
}

type shape struct {
	seen, read, poor int
	texts            map[uint64]bool // what its pages say, numbers and dates taken out
}

// NewTraps starts watching. now tells which years are far off.
func NewTraps(now time.Time) *Traps {
	return &Traps{now: now, shapes: map[string]*shape{}, closed: map[string]string{}}
}

// Shape is an address with its numbers and the values of its query taken out: the pages of one template share it.
func Shape(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return address
	}
	out := u.Host + digits.ReplaceAllString(u.Path, "#")
	var names []string
	for p := range strings.SplitSeq(u.RawQuery, "&") {
		if n, _, _ := strings.Cut(p, "="); n != "" {
			names = append(names, n)
		}
	}
	if len(names) > 0 {
		out += "?" + strings.Join(names, "&")
	}
	return out
}

// Admit reports whether a newly found address may be followed, and why not.
func (t *Traps) Admit(address string) (reason string, ok bool) {
	if len(address) > longestAddress {
		return "looks endless: its address is longer than 2,000 characters", false
	}
	u, err := url.Parse(address)
	if err != nil {
		return "", true
	}
	parts := strings.Split(strings.Trim(u.Path, "/"), "/")
	if len(parts) > deepestPath {
		return fmt.Sprintf("looks endless: its path is %d folders deep", len(parts)), false
	}
	count := map[string]int{}
	for _, p := range parts {
		if count[p]++; count[p] > repeatedParts && p != "" {
			return fmt.Sprintf("looks endless: its path repeats %q", p), false
		}
	}
	if dateLike.MatchString(u.RequestURI()) {
		for _, y := range yearLike.FindAllString(u.RequestURI(), -1) {
			var year int
			if _, err := fmt.Sscan(y, &year); err == nil && year > t.now.Year()+3 {
				return t.note(address, "looks endless: a calendar that goes on to "+y), false
			}
		}
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	key := Shape(address)
	if why := t.closed[key]; why != "" {
		return why, false
	}
	s := t.of(key)
	if s == nil || !strings.ContainsAny(key, "#?") {
		return "", true
	}
	if s.seen++; s.seen > trapCrowd && s.poor*2 > s.read {
		t.close(key, address, fmt.Sprintf("looks endless: over %d addresses of one form, and most of those that were read bring nothing new", trapCrowd))
		return t.closed[key], false
	}
	return "", true
}

func (t *Traps) of(key string) *shape {
	s := t.shapes[key]
	if s == nil && len(t.shapes) < mostShapes {
		s = &shape{}
		t.shapes[key] = s
	}
	return s
}

// Read records what a page said. It brings nothing when, numbers and dates taken out, another page of its shape has said the
// same. It returns why the pages of its shape are not to be followed any more, once that is so.
func (t *Traps) Read(address, text string) (reason string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	key := Shape(address)
	s := t.of(key)
	if s == nil || !strings.ContainsAny(key, "#?") {
		return ""
	}
	h := fnv.New64a()
	for w := range strings.FieldsSeq(text) {
		w = strings.ToLower(strings.Trim(w, ".,;:!?()|"))
		if w != "" && !strings.ContainsAny(w, "0123456789") && !dateWords[w[:min(3, len(w))]] {
			_, _ = h.Write([]byte(w + " ")) // never fails
		}
	}
	s.read++
	sum := h.Sum64()
	if s.texts == nil {
		s.texts = map[uint64]bool{}
	}
	if s.texts[sum] {
		s.poor++
	} else if len(s.texts) < 1000 {
		s.texts[sum] = true
	}
	if s.read >= trapSample && float64(s.poor) >= trapPoor*float64(s.read) && t.closed[key] == "" {
		t.close(key, address, fmt.Sprintf("looks endless: %d of %d pages of this form bring nothing new", s.poor, s.read))
	}
	return t.closed[key]
}

func (t *Traps) close(key, address, why string) {
	t.closed[key] = why
	t.told = append(t.told, why+": "+address)
}

func (t *Traps) note(address, why string) string {
	t.mu.Lock()
	defer t.mu.Unlock()
	if key := Shape(address); t.closed[key] == "" && len(t.told) < 50 {
		t.closed[key] = why
		t.told = append(t.told, why+": "+address)
	}
	return why
}

// Notices are the traps that were found, for people to read.
func (t *Traps) Notices() []string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return append([]string(nil), t.told...)
}
