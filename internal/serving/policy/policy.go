// Package policy says what a page's Content Security Policy allows: W3C Content Security Policy Level 3, sections 6.7.2 (matching of addresses) and
// 6.8.3 (directives that stand for others).
package policy

import (
	"net/url"
	"slices"
	"strings"
)

// Kinds of what a page loads, each with the directives that speak of it, the nearest first.
var (
	Script  = []string{"script-src-elem", "script-src", "default-src"}
	Connect = []string{"connect-src", "default-src"}
	Frame   = []string{"frame-src", "child-src", "default-src"}
)

// List are all policies of a page; what is loaded must pass each.
type List []map[string][]string

// Parse reads the policies of headers or meta elements. A header can hold several, divided by commas; of a directive that stands twice in one, the first
// counts (section 2.2.1).
func Parse(values ...string) List {
	var out List
	for _, v := range values {
		for one := range strings.SplitSeq(v, ",") {
			p := map[string][]string{}
			for d := range strings.SplitSeq(one, ";") {
				fields := strings.Fields(d)
				if len(fields) == 0 {
					continue
				}
				if name := strings.ToLower(fields[0]); p[name] == nil {
					p[name] = append([]string{}, fields[1:]...)
				}
			}
			if len(p) > 0 {
				out = append(out, p)
			}
		}
	}
	return out
}

// Blocks gives the directive that keeps a page from loading what lies at an address; "" when none does. nonce is that of the element, for scripts.
func (l List) Blocks(page, at *url.URL, kind []string, nonce string) string {
	for _, p := range l {
		for _, name := range kind {
			sources, ok := p[name]
			if !ok {
				continue
			}
			if !passes(sources, page, at, kind[0] == Script[0], nonce) {
				return name
			}
			break
		}
	}
	return ""
}

func passes(sources []string, page, at *url.URL, script bool, nonce string) bool {
	strict := script && slices.ContainsFunc(sources, func(s string) bool { return strings.EqualFold(s, "'strict-dynamic'") })
	return slices.ContainsFunc(sources, func(s string) bool {
		if n, ok := strings.CutPrefix(s, "'nonce-"); ok {
			return script && nonce != "" && strings.TrimSuffix(n, "'") == nonce
		}
		return !strict && matches(s, page, at)
	})
}

// ports are those that a scheme has when none is written.
var ports = map[string]string{"http": "80", "https": "443"}

func port(u *url.URL) string {
	if p := u.Port(); p != "" {
		return p
	}
	return ports[u.Scheme]
}

// scheme reports whether an address's scheme is one that was asked for, or the same made safe.
func scheme(want, got string) bool { return want == got || want == "http" && got == "https" }

// matches holds an address against one source expression (section 6.7.2.6).
func matches(source string, page, at *url.URL) bool {
	s := strings.ToLower(source)
	switch {
	case s == "*":
		return at.Scheme == "http" || at.Scheme == "https"
	case s == "'self'":
		return strings.EqualFold(page.Hostname(), at.Hostname()) && scheme(page.Scheme, at.Scheme) && (port(page) == port(at) || port(page) == "80" && port(at) == "443")
	case strings.HasPrefix(s, "'"):
		return false
	case strings.HasSuffix(s, ":") && !strings.Contains(s, "/"):
		return scheme(strings.TrimSuffix(s, ":"), at.Scheme)
	}
	want, rest, given := strings.Cut(source, "://")
	if !given {
		want, rest = page.Scheme, source
	}
	if !scheme(strings.ToLower(want), at.Scheme) {
		return false
	}
	host, path, withPath := strings.Cut(rest, "/")
	host = strings.ToLower(host)
	wanted := ""
	if i := strings.LastIndex(host, ":"); i > strings.LastIndex(host, "]") {
		host, wanted = host[:i], host[i+1:]
	}
	got := strings.ToLower(at.Hostname())
	if below, ok := strings.CutPrefix(host, "*."); ok {
		if !strings.HasSuffix(got, "."+below) {
			return false
		}
	} else if host != got {
		return false
	}
	if wanted != "*" && !(wanted == "" && port(at) == ports[at.Scheme]) && wanted != port(at) && !(wanted == "80" && port(at) == "443") {
		return false
	}
	if !withPath || path == "" {
		return true
	}
	if path = "/" + path; strings.HasSuffix(path, "/") {
		return strings.HasPrefix(at.EscapedPath(), path)
	}
	return at.EscapedPath() == path
}
