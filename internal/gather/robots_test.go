package gather

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// RFC 9309, section 5.1 ("Simple Example") and the rules of section 2.2.
func TestRobotsSimpleExample(t *testing.T) {
	const file = `User-Agent: *
Disallow: *.gif$
Disallow: /example/
Allow: /publications/

User-Agent: foobot
Disallow:/
Allow:/example/page.html
Allow:/example/allowed.gif

User-Agent: barbot
User-Agent: bazbot
Disallow: /example/page.html

User-Agent: quxbot
`
	cases := []struct {
		agent, path string
		want        bool
	}{
		{"anybot", "/example/page.html", false},
		{"anybot", "/publications/a", true},
		{"anybot", "/pictures/a.gif", false},
		{"anybot", "/pictures/a.gif?x=1", true},
		{"foobot", "/", false},
		{"foobot", "/example/page.html", true},
		{"foobot", "/example/allowed.gif", true},
		{"barbot", "/example/page.html", false},
		{"barbot", "/example/other", true},
		{"bazbot", "/example/page.html", false},
		{"quxbot", "/example/page.html", true},
	}
	for _, c := range cases {
		assert.Equal(t, c.want, ParseRobots(file, c.agent).Allows(c.path), "%s %s", c.agent, c.path)
	}
}

// RFC 9309, section 5.2 ("Longest Match"): the rule with the most octets decides.
func TestRobotsLongestMatch(t *testing.T) {
	r := ParseRobots("User-Agent: foobot\nAllow: /example/page/\nDisallow: /example/page/disallowed.gif\n", "foobot")
	assert.True(t, r.Allows("/example/page/"))
	assert.True(t, r.Allows("/example/page/other.gif"))
	assert.False(t, r.Allows("/example/page/disallowed.gif"))
}

// RFC 9309, section 2.2.2: the table of percent-encoding, ties and special characters.
func TestRobotsMatching(t *testing.T) {
	cases := []struct {
		rules, path string
		want        bool
	}{
		{"Disallow: /foo/bar?baz=quz", "/foo/bar?baz=quz", false},
		{"Disallow: /foo/bar?baz=https://foo.bar", "/foo/bar?baz=https%3A%2F%2Ffoo.bar", true}, // reserved characters stay as they are
		{"Disallow: /foo/bar/ツ", "/foo/bar/%E3%83%84", false},
		{"Disallow: /foo/bar/%E3%83%84", "/foo/bar/%E3%83%84", false},
		{"Disallow: /foo/bar/%62%61%7A", "/foo/bar/baz", false},
		{"Disallow: /a%3cd.html", "/a%3Cd.html", false},
		{"Allow: /page\nDisallow: /page", "/page", true}, // a tie allows
		{"Disallow: /page\nAllow: /page", "/page", true},
		{"Disallow: /path/file-with-a-%2A.html", "/path/file-with-a-*.html", true},
		{"Disallow: /this/*/exactly", "/this/path/exactly", false},
		{"Disallow: /this/path/exactly$", "/this/path/exactly", false},
		{"Disallow: /this/path/exactly$", "/this/path/exactly/more", true},
		{"Disallow:", "/anything", true},
		{"Disallow: /", "/robots.txt", true},
		{"Disallow: /x # a comment", "/x", false},
		{"disallow: /x", "/x", false},
		{"Disallow : /x", "/x", false},
	}
	for _, c := range cases {
		assert.Equal(t, c.want, ParseRobots("User-agent: *\n"+c.rules, "jolvexbot").Allows(c.path), "%s with %q", c.path, c.rules)
	}
}

// RFC 9309, section 2.2.1: groups of one token are merged, tokens compare without case, and a group that names the
// crawler replaces the one for all.
func TestRobotsGroups(t *testing.T) {
	const file = "\ufeffUser-agent: *\r\nDisallow: /all\r\nCrawl-delay: 2\r\n\r\nUser-agent: JOLVEXbot/2.1\r\nDisallow: /one\r\nSitemap: https://example.org/map.xml\r\nnonsense\r\nDisallow: /two\r\n\r\nUser-agent: other\r\nDisallow: /\r\n\r\nUser-agent: jolvexbot\r\nDisallow: /three\r\n"
	own := ParseRobots(file, Product)
	for path, want := range map[string]bool{"/one": false, "/two": false, "/three": false, "/all": true, "/": true} {
		assert.Equal(t, want, own.Allows(path), path)
	}
	assert.Equal(t, []string{"https://example.org/map.xml"}, own.Sitemaps)
	assert.Zero(t, own.Delay)
	all := ParseRobots(file, "somebody")
	assert.False(t, all.Allows("/all"))
	assert.True(t, all.Allows("/one"))
	assert.Equal(t, 2*time.Second, all.Delay)
	assert.False(t, ParseRobots("User-agent: jolvexbotplus\nDisallow: /\n\nUser-agent: *\nDisallow: /a", Product).Allows("/a"), "a longer token is another crawler")
}

func TestRobotsOfAnUnreachableHostForbidEverything(t *testing.T) {
	assert.False(t, unreachable("503").Allows("/"))
	assert.True(t, unreachable("503").Allows("/robots.txt"))
	assert.True(t, (&Robots{}).Allows("/"))
}

func TestRobotsOfManyStarsEnd(t *testing.T) {
	r := ParseRobots("User-agent: *\nDisallow: /"+strings.Repeat("*a", 2000)+"$", Product)
	assert.True(t, r.Allows("/"+strings.Repeat("a", 2000)+"b"))
}

func FuzzRobots(f *testing.F) {
	f.Add("User-agent: *\nDisallow: /*a*$\nAllow: %", "/a%2")
	f.Add("user-agent:\nallow:*$$", "")
	f.Fuzz(func(t *testing.T, file, path string) {
		r := ParseRobots(file, Product)
		if !r.Allows("/robots.txt") {
			t.Fatal("robots.txt itself may always be fetched")
		}
		r.Allows(path)
	})
}

// RFC 9309, section 2.5: what is within the limit holds when a robots.txt is longer; a rule that the limit cuts through is none.
func TestALongRobotsHoldsAsFarAsItIsRead(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprint(w, "User-agent: *\nDisallow: /x\n")
		for n := 0; n < maxRobots-60; n += 10 {
			fmt.Fprint(w, "# 4567890\n")
		}
		fmt.Fprint(w, "Disallow: /cut"+strings.Repeat("x", 60_000)+"\nDisallow: /beyond\n")
	}))
	defer srv.Close()
	r, err := NewFetcher(Reach{Private: []string{HostPort(srv.URL)}}).Robots(t.Context(), srv.URL+"/x")
	require.NoError(t, err)
	assert.Empty(t, r.Unreachable)
	assert.False(t, r.Allows("/x/y"))
	assert.True(t, r.Allows("/cutxxx"))
	assert.True(t, r.Allows("/beyond"))
}
