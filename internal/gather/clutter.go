package gather

import (
	"net/url"
	"regexp"
	"strings"
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
