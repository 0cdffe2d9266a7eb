// Package gather reaches out: it fetches pages politely and safely, reads robots.txt and sitemaps, and brings addresses
// to one form.
package gather

import (
	"fmt"
	"net"
	"net/url"
	"path"
	"regexp"
	"sort"
	"strings"

	"golang.org/x/net/idna"
)

// Parameters that name the way a reader came and never the page. (Common practice, no published source.)
var tracking = map[string]bool{"gclid": true, "fbclid": true, "msclkid": true, "dclid": true, "yclid": true, "igshid": true, "mc_cid": true, "mc_eid": true, "_ga": true, "_gl": true, "ref_src": true}

// Normalise brings an absolute http(s) address to the form by which two ways of writing the same page are one: lower-case
// scheme and host, no default port, no fragment, dot segments resolved (RFC 3986, section 6.2), percent-encoding in upper
// case and only where needed, tracking parameters and session ids dropped and an empty path as "/".
func Normalise(address string) (string, error) {
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil {
		return "", fmt.Errorf("address %q: %w", address, err)
	}
	u.Scheme = strings.ToLower(u.Scheme)
	if u.Scheme != "http" && u.Scheme != "https" {
		return "", fmt.Errorf("address %q: only http and https addresses can be fetched", address)
	}
	host, err := idna.Lookup.ToASCII(strings.ToLower(u.Hostname()))
	if err != nil {
		host = strings.ToLower(u.Hostname())
	}
	if host == "" {
		return "", fmt.Errorf("address %q names no host", address)
	}
	port := u.Port()
	if u.Scheme == "http" && port == "80" || u.Scheme == "https" && port == "443" {
		port = ""
	}
	if port != "" {
		u.Host = net.JoinHostPort(host, port)
	} else if strings.Contains(host, ":") {
		u.Host = "[" + host + "]"
	} else {
		u.Host = host
	}
	u.Fragment, u.RawFragment, u.User = "", "", nil
	if u.Path == "" {
		u.Path = "/"
	}
	if sessionPath.MatchString(u.Path) {
		u.Path, u.RawPath = sessionPath.ReplaceAllString(u.Path, ""), ""
	}
	clean := path.Clean(u.Path)
	if strings.HasSuffix(u.Path, "/") && clean != "/" {
		clean += "/"
	}
	if clean != u.Path {
		u.Path, u.RawPath = clean, ""
	}
	u.RawQuery = cleanQuery(u.RawQuery)
	u.ForceQuery = false
	return u.String(), nil
}

func cleanQuery(q string) string {
	if q == "" {
		return ""
	}
	var kept []string
	for p := range strings.SplitSeq(q, "&") {
		name, _, _ := strings.Cut(p, "=")
		low := strings.ToLower(name)
		if p == "" || tracking[low] || sessionNames[low] || strings.HasPrefix(low, "utm_") {
			continue
		}
		kept = append(kept, p)
	}
	sort.Strings(kept)
	return strings.Join(kept, "&")
}

// Session ids that servers put into addresses: each visit gives another one. (Common practice, no published source.)
var (
	sessionPath  = regexp.MustCompile(`(?i);(?:jsessionid|phpsessid|sid)=[^/?#]*`)
	sessionNames = map[string]bool{"jsessionid": true, "phpsessid": true, "aspsessionid": true, "sessionid": true, "session_id": true, "sid": true, "cfid": true, "cftoken": true}
)

// Scope says which addresses belong to a source.
type Scope struct {
	anywhere bool
	host     string
	prefix   string
	include  []string
	exclude  []string
}

// NewScope makes the scope of a site from its start address: its host, under the folder that it starts in. Patterns are
// as in Match.
func NewScope(start string, include, exclude []string) (Scope, error) {
	n, err := Normalise(start)
	if err != nil {
		return Scope{}, err
	}
	u, err := url.Parse(n)
	if err != nil {
		return Scope{}, err
	}
	return Scope{false, u.Host, u.Path[:strings.LastIndexByte(u.Path, '/')+1], include, exclude}, nil
}

// Anywhere is the scope of a list of addresses that were given one by one.
func Anywhere(include, exclude []string) Scope { return Scope{true, "", "", include, exclude} }

// Endings of what holds no text that can be read.
const mediaEndings = ` .jpg .jpeg .png .gif .webp .avif .svg .ico .bmp .tif .tiff .css .js .mjs .map .xml .rss .atom .woff .woff2 .ttf .otf .eot
 .mp3 .mp4 .m4a .m4v .mov .avi .webm .ogg .wav .zip .gz .tar .tgz .bz2 .xz .7z .rar .exe .dmg .iso .deb .rpm .apk .jar .bin .ics .vcf `

// Holds reports whether a normalised address belongs to the source and may be a page.
func (s Scope) Holds(address string) bool {
	u, err := url.Parse(address)
	if err != nil {
		return false
	}
	if !s.anywhere {
		if u.Host != s.host || !strings.HasPrefix(u.Path, s.prefix) {
			return false
		}
		ext := strings.ToLower(path.Ext(u.Path))
		if ext != "" && !strings.ContainsAny(ext, " \n") && strings.Contains(mediaEndings, " "+ext+" ") {
			return false
		}
	}
	for _, x := range s.exclude {
		if x != "" && Match(x, u.RequestURI()) {
			return false
		}
	}
	return true
}

// Takes reports whether an address that belongs to the source is among the patterns to take in. One that is not is still
// read for its links.
func (s Scope) Takes(address string) bool {
	if len(s.include) == 0 {
		return true
	}
	u, err := url.Parse(address)
	if err != nil {
		return false
	}
	for _, x := range s.include {
		if x != "" && Match(x, u.RequestURI()) {
			return true
		}
	}
	return false
}
