package gather

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var then = time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC)

func TestTrapsAreRecognised(t *testing.T) {
	tr := NewTraps(then)
	for address, want := range map[string]bool{
		"https://a.example/a/b/c":                                         true,
		"https://a.example/a/b/a/b/a/b/a/b":                               false,
		"https://a.example/" + strings.Repeat("x/", 30):                   false,
		"https://a.example/" + strings.Repeat("x", 2100):                  false,
		"https://a.example/calendar?month=2027-05":                        true,
		"https://a.example/events/2031-05":                                false,
		"https://b.example/history/1066-10":                               true,
		"https://a.example/products/2099":                                 true, // a number that is no date
		"https://a.example/docs/version/15/sql/create/table/sql/examples": true,
	} {
		_, ok := tr.Admit(address)
		assert.Equal(t, want, ok, address)
	}
	assert.NotEmpty(t, tr.Notices())
}

// A calendar with nothing in it is left after some pages; a shop whose pages differ is not, nor are pages without numbers.
func TestPagesThatSayTheSameAreLeft(t *testing.T) {
	tr := NewTraps(then)
	closed := func(shape, text func(i int) string) bool {
		for i := range 200 {
			at := shape(i)
			if _, ok := tr.Admit(at); !ok {
				return true
			}
			tr.Read(at, text(i))
		}
		return false
	}
	number := func(form string) func(int) string { return func(i int) string { return fmt.Sprintf(form, i) } }
	months := []string{"January", "February", "March"}
	assert.True(t, closed(number("https://a.example/cal?week=%d"), func(i int) string { return fmt.Sprintf("Week %d, %s: no events.", i, months[i%3]) }))
	assert.False(t, closed(number("https://a.example/shop/item-%d"), func(i int) string {
		return fmt.Sprintf("Lamp %s, costs %d", strings.Repeat("ab", i+1), i)
	}))
	assert.False(t, closed(func(i int) string { return "https://a.example/term/" + strings.Repeat("q", i+1) }, func(int) string { return "To be written." }))
}

func TestClutterIsToldByItsAddress(t *testing.T) {
	for address, want := range map[string]string{
		"https://a.example/basket": "basket", "https://a.example/shop/cart/": "basket", "https://a.example/baskets-and-bags": "", "https://a.example/account/login": "log-in",
		"https://a.example/news/tag/boats": "tags", "https://a.example/author/jo/": "tags", "https://a.example/search?q=boats": "search results", "https://a.example/news/page/3": "pagination",
		"https://a.example/news?page=2": "pagination", "https://a.example/fares?sort=price": "sorting", "https://a.example/fares?print=1": "print copy", "https://a.example/calendar?month=2026-11": "calendar",
		"https://a.example/fares": "", "https://a.example/research/boats": "", "https://a.example/accounting": "", "https://a.example/travel/bicycles": "", "https://a.example/homepage/3": "",
	} {
		assert.Equal(t, want, strings.Join(Clutter(address), ","), address)
	}
	assert.Equal(t, "basket,near-empty", ClutterOf("https://a.example/basket", 3))
}

// The forms: RSS 2.0 (rssboard.org) with an enclosure and the Podcast namespace's transcript element, Atom (RFC 4287, section
// 1.1, the first example, shortened), JSON Feed 1.1 (jsonfeed.org).
func TestFeeds(t *testing.T) {
	const rss = `<?xml version="1.0"?><rss version="2.0" xmlns:podcast="https://podcastindex.org/namespace/1.0" xmlns:media="http://search.yahoo.com/mrss/"><channel><title>Films</title>
<item><title>In fog</title><link>/films/fog</link><enclosure url="/media/fog.mp3" type="audio/mpeg" length="1"/><podcast:transcript url="/media/fog.vtt" type="text/vtt"/><pubDate>Tue, 03 Nov 2026 09:00:00 +0000</pubDate></item>
<item><title>On deck</title><link>https://other.example/deck</link><media:group><media:content url="https://other.example/deck.mp4" type="video/mp4"/></media:group></item>
<item><title>No link</title></item></channel></rss>`
	es, err := ParseFeed([]byte(rss), "https://a.example/feed.xml")
	require.NoError(t, err)
	require.Len(t, es, 3)
	assert.Equal(t, FeedEntry{Title: "In fog", Address: "https://a.example/films/fog", Media: "https://a.example/media/fog.mp3", Captions: []string{"https://a.example/media/fog.vtt"}, Changed: "2026-11-03T09:00:00Z"}, es[0])
	assert.Equal(t, "https://other.example/deck.mp4", es[1].Media)
	assert.Empty(t, es[2].Address)
	const atom = `<?xml version="1.0" encoding="utf-8"?><feed xmlns="http://www.w3.org/2005/Atom"><title>Example Feed</title><link href="http://example.org/"/><updated>2003-12-13T18:30:02Z</updated><id>urn:uuid:60a76c80-d399-11d9-b93C-0003939e0af6</id>
<entry><title>Atom-Powered Robots Run Amok</title><link href="http://example.org/2003/12/13/atom03"/><id>urn:uuid:1225c695-cfb8-4ebb-aaaa-80da344efa6a</id><updated>2003-12-13T18:30:02Z</updated><summary>Some text.</summary></entry></feed>`
	es, err = ParseFeed([]byte(atom), "http://example.org/feed")
	require.NoError(t, err)
	assert.Equal(t, []FeedEntry{{Title: "Atom-Powered Robots Run Amok", Address: "http://example.org/2003/12/13/atom03", Changed: "2003-12-13T18:30:02Z"}}, es)
	es, err = ParseFeed([]byte(`{"version":"https://jsonfeed.org/version/1.1","title":"My Example Feed","items":[{"id":"2","content_text":"This is a second item.","url":"https://example.org/second-item"}]}`), "https://example.org/feed.json")
	require.NoError(t, err)
	require.Len(t, es, 1)
	assert.Equal(t, "https://example.org/second-item", es[0].Address)
	for _, bad := range []string{"", "<html><p>no feed</p></html>", "<rss", "{"} {
		_, err := ParseFeed([]byte(bad), "https://a.example/")
		assert.Error(t, err, bad)
	}
}

func FuzzLists(f *testing.F) {
	f.Add([]byte("<urlset><url><loc>http://a.example/</loc></url></urlset>"))
	f.Add([]byte(`<rss version="2.0"><channel><item><title>x</title><link>/a</link><enclosure url="b.mp3"/></item></channel></rss>`))
	f.Add([]byte(`{"version":"https://jsonfeed.org/version/1.1","items":[{"url":"x"}]}`))
	f.Add([]byte("http://a.example/a\nhttp://a.example/b"))
	f.Fuzz(func(t *testing.T, body []byte) {
		if pages, _, err := ParseSitemap(body); err == nil && len(pages) > MaxSitemapAddresses {
			t.Fatal("too many")
		}
		es, err := ParseFeed(body, "https://a.example/feed")
		if err != nil {
			return
		}
		for _, e := range es {
			if e.Address != "" && !strings.HasPrefix(e.Address, "http") {
				t.Fatal(e.Address)
			}
		}
	})
}
