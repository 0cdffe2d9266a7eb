package gather

import (
	"net/url"
	"regexp"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/lang"
)

// Words that addresses of clutter are made of. (Common practice, no published source.)
var clutterWords = []struct {
	word string
	in   *regexp.Regexp
}{
	{"basket", regexp.MustCompile(`(?i)(?:^|[/_-])(?:basket|cart|checkout|bag|order-?(?:complete|received|confirmation)|thank-?you|thanks)(?:[/_.-]|$)`)},
	{"log-in", regexp.MustCompile(`(?i)(?:^|[/_-])(?:log-?in|sign-?in|log-?out|sign-?up|register|account|my-?account|password|wp-login|wp-admin)(?:[/_.-]|$)`)},
	{"tags", regexp.MustCompile(`(?i)/(?:tags?|category|categories|topics?|labels?|author|authors|archives?)(?:/|$)`)},
	{"search results", regexp.MustCompile(`(?i)/(?:search|find|results)(?:[/.]|$)|[?&](?:q|query|s|search|keyword|keywords)=`)},
	{"pagination", regexp.MustCompile(`(?i)/page/\d+|[?&](?:page|p|paged|start|offset|seite)=\d+|[/_-]page-?\d+(?:[/.]|$)`)},
	{"sorting", regexp.MustCompile(`(?i)[?&](?:sort|order|orderby|dir|view|filter|color|size)=`)},
	{"print copy", regexp.MustCompile(`(?i)[?&](?:print|format|pdf|share|replytocom)=|/print(?:[/.]|$)`)},
	{"calendar", regexp.MustCompile(`(?i)/calendar/|[?&](?:month|day|week|date|year)=|/\d{4}/\d{1,2}/?$`)},
}

// Clutter names what an address looks like that seldom answers a question: a basket, a log-in, a list of tags. nil for
// none.
func Clutter(address string) []string {
	u, err := url.Parse(address)
	if err != nil {
		return nil
	}
	at := u.RequestURI()
	var out []string
	for _, c := range clutterWords {
		if c.in.MatchString(at) {
			out = append(out, c.word)
		}
	}
	return out
}

// NearEmpty is the number of words below which a page is called near-empty.
const NearEmpty = 20

// ClutterOf is Clutter joined, with near-empty for a page of few words.
func ClutterOf(address string, words int) string {
	c := Clutter(address)
	if words < NearEmpty {
		c = append(c, "near-empty")
	}
	return strings.Join(c, ",")
}

var en = lang.English()

// stand is what may stand at an address in place of a page.
var stand = []struct {
	list, reason string
}{
	{"page-not-found", "says that there is nothing at this address"},
	{"page-log-in", "needs a log-in"},
	{"page-consent", "asks for consent before it shows anything"},
	{"page-checked", "is kept from programs by a check for people"},
}

// standInWords is how many words a page may have that only stands in for another.
const standInWords = 160

// StandsIn tells what a page is that only stands in for another, by its title and first heading: a "not found" that came with status 200, a
// log-in, a request for consent, a check for people. "" for a page of its own.
func StandsIn(d *doc.Document, words int) string {
	if words > standInWords {
		return ""
	}
	said := []string{d.Title}
	for _, b := range d.Blocks {
		if b.Kind == doc.Heading {
			said = append(said, d.Of(b.Span))
			break
		}
	}
	for _, s := range stand {
		for _, t := range said {
			if en.Pattern(s.list).MatchString(t) {
				return s.reason
			}
		}
	}
	return ""
}
