package serving

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestContrast holds the ratio against values of the W3C: 21 for black on white by definition (WCAG 2.2), 4.54 for #767676 and 4.48 for #777777,
// either side of the bound (Understanding Success Criterion 1.4.3; from memory).
func TestContrast(t *testing.T) {
	for colour, want := range map[string]float64{"#000000": 21, "#ffffff": 1, "#767676": 4.54, "#777777": 4.48} {
		assert.InDelta(t, want, contrastToWhite(colour), 0.006, colour)
	}
}

// TestDomains reads what people write for a host.
func TestDomains(t *testing.T) {
	for given, want := range map[string]string{
		"www.example.org": "www.example.org", " WWW.Example.ORG ": "www.example.org", "https://www.example.org/shop?x=1": "www.example.org", "*.example.org": "*.example.org",
		"localhost:3000": "localhost:3000", "http://127.0.0.1:8643/": "127.0.0.1:8643", "xn--mnchen-3ya.example": "xn--mnchen-3ya.example",
	} {
		got, err := domain(given)
		require.NoError(t, err, given)
		assert.Equal(t, want, got)
	}
	for _, given := range []string{"", "*", "*.org:", "*.", "**.example.org", "a b.example", "example.org; script-src *", "'self'", "https://", "*.example", "example.org/path"} {
		got, err := domain(given)
		if given == "*.example" { // all below a top-level domain: nobody owns that
			assert.Error(t, err, given)
			continue
		}
		assert.Error(t, err, "%q became %q", given, got)
	}
}

// TestOneByOne has many take turns; nothing is left behind.
func TestOneByOne(t *testing.T) {
	o := &oneByOne{held: map[string]*turn{}}
	n := 0
	done := make(chan struct{})
	for range 50 {
		go func() {
			defer func() { done <- struct{}{} }()
			defer o.take("a")()
			n++
		}()
	}
	for range 50 {
		<-done
	}
	assert.Equal(t, 50, n)
	assert.Empty(t, o.held)
}

// TestHoursOfReplies has visitors answered in the hours of a place alone, in its own time zone, summer time included.
func TestHoursOfReplies(t *testing.T) {
	set := Settings{Hours: "Mon-Fri 09:00-17:00", Zone: "Europe/London", HoursText: "In office hours", PausedText: "Paused"}
	for at, open := range map[string]bool{
		"2026-11-30T09:00:00Z": true, "2026-11-30T08:59:00Z": false, "2026-11-30T17:00:00Z": false, "2026-11-28T12:00:00Z": false, // a Monday and a Saturday in winter
		"2026-07-06T08:30:00Z": true, "2026-07-06T16:30:00Z": false, // a Monday in summer, an hour ahead
	} {
		now, err := time.Parse(time.RFC3339, at)
		require.NoError(t, err)
		got := set.at(now)
		assert.Equal(t, !open, got.Paused, at)
		if !open {
			assert.Equal(t, "In office hours", got.PausedText, at)
		}
	}
	set.Paused = true
	assert.Equal(t, "Paused", set.at(time.Now()).PausedText, "a pause says its own words")
	assert.False(t, Settings{}.at(time.Now()).Paused, "without hours, always")
}
