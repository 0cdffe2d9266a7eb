package gather

import (
	"strconv"
	"strings"
	"time"
)

// Robots are the rules of one host for one crawler (RFC 9309).
type Robots struct {
	rules    []robotRule
	Delay    time.Duration // Crawl-delay, an extension that many sites use; 0 when none is set
	Sitemaps []string
	// Unreachable says why robots.txt could not be had; "" when it could. Then nothing may be fetched, and nothing is known of what was
	// allowed before (RFC 9309, section 2.3.1.4).
	Unreachable string
}

type robotRule struct {
	allow   bool
	pattern string
}

// unreachable are the rules of a host whose robots.txt cannot be had.
func unreachable(why string) *Robots { return &Robots{Unreachable: why} }

// maxRobots is how much of a robots.txt is read; the RFC asks for 500 KiB at least (section 2.5).
const maxRobots = 512 << 10

// ParseRobots reads a robots.txt for the crawler with the given product token. Groups that name the token are merged;
// without any, those for "*" are (section 2.2.1). Lines that cannot be read are passed over.
func ParseRobots(body, product string) *Robots {
	if len(body) > maxRobots {
		body = body[:maxRobots]
	}
	body = strings.TrimPrefix(body, "\ufeff")
	product = strings.ToLower(product)
	own, any := &Robots{}, &Robots{}
	out := &Robots{}
	named := false
	var inOwn, inAny, inAgents bool
	for line := range strings.SplitSeq(strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(body), "\n") {
		line, _, _ = strings.Cut(line, "#")
		key, value, ok := strings.Cut(line, ":")
		if !ok {
			continue
		}
		key, value = strings.ToLower(strings.TrimSpace(key)), strings.TrimSpace(value)
		switch key {
		case "user-agent", "useragent", "user agent":
			if !inAgents {
				inOwn, inAny = false, false
			}
			inAgents = true
			token := productToken(value)
			switch {
			case value == "*":
				inAny = true
			case token != "" && token == product:
				inOwn, named = true, true
			}
			continue
		case "sitemap":
			if value != "" {
				out.Sitemaps = append(out.Sitemaps, value)
			}
			continue // belongs to no group and ends none
		case "allow", "disallow", "crawl-delay":
		default:
			continue
		}
		inAgents = false
		for _, g := range []struct {
			in bool
			r  *Robots
		}{{inOwn, own}, {inAny, any}} {
			if !g.in {
				continue
			}
			if key == "crawl-delay" {
				if sec, err := strconv.ParseFloat(value, 64); err == nil && sec > 0 {
					g.r.Delay = time.Duration(min(sec, 60) * float64(time.Second))
				}
				continue
			}
			if value != "" { // an empty pattern matches nothing
				g.r.rules = append(g.r.rules, robotRule{key == "allow", canonical(value)})
			}
		}
	}
	from := any
	if named {
		from = own
	}
	out.rules, out.Delay = from.rules, from.Delay
	return out
}

// productToken is the part of a User-agent value that names the crawler: letters, "-" and "_" (section 2.2.1).
func productToken(s string) string {
	for i, r := range s {
		if (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && r != '-' && r != '_' {
			return strings.ToLower(s[:i])
		}
	}
	return strings.ToLower(s)
}

// canonical brings percent-encoding to one form for comparison: octets outside ASCII are encoded, encoded unreserved
// characters are decoded, hexadecimal digits are in upper case (section 2.2.2).
func canonical(s string) string {
	const hexa = "0123456789ABCDEF"
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		c := s[i]
		if c == '%' && i+2 < len(s) {
			if n, err := strconv.ParseUint(s[i+1:i+3], 16, 8); err == nil {
				d := byte(n)
				if d >= 'a' && d <= 'z' || d >= 'A' && d <= 'Z' || d >= '0' && d <= '9' || strings.IndexByte("-._~", d) >= 0 {
					b.WriteByte(d)
				} else {
					b.WriteString("%" + strings.ToUpper(s[i+1:i+3]))
				}
				i += 2
				continue
			}
		}
		if c >= 0x80 {
			b.WriteByte('%')
			b.WriteByte(hexa[c>>4])
			b.WriteByte(hexa[c&15])
			continue
		}
		b.WriteByte(c)
	}
	return b.String()
}

// Allows reports whether a path, with its query, may be fetched: the longest matching pattern decides, and of two of one
// length the one that allows (section 2.2.2). robots.txt itself always may.
func (r *Robots) Allows(path string) bool {
	if path == "/robots.txt" {
		return true
	}
	if r.Unreachable != "" {
		return false
	}
	path = canonical(path)
	longest, allow := -1, true
	for _, rule := range r.rules {
		if !matches(rule.pattern, path) {
			continue
		}
		if n := len(rule.pattern); n > longest || n == longest && rule.allow {
			longest, allow = n, rule.allow
		}
	}
	return allow
}

// Match reports whether a path with its query fits a path pattern as robots.txt has them (RFC 9309, section 2.2.3): "*"
// stands for anything, "$" at the end for the end; else the path may go on behind the pattern.
func Match(pattern, path string) bool { return matches(canonical(pattern), canonical(path)) }

// matches compares a pattern, in which "*" stands for any characters and a final "$" for the end, with a path. It takes
// time proportional to the product of their lengths at worst.
func matches(pattern, path string) bool {
	anchored := strings.HasSuffix(pattern, "$")
	pattern = strings.TrimSuffix(pattern, "$")
	parts := strings.Split(pattern, "*")
	if !strings.HasPrefix(path, parts[0]) {
		return false
	}
	if len(parts) == 1 {
		return !anchored || len(path) == len(parts[0])
	}
	rest := path[len(parts[0]):]
	for i, p := range parts[1:] {
		if anchored && i == len(parts)-2 {
			return strings.HasSuffix(rest, p)
		}
		at := strings.Index(rest, p)
		if at < 0 {
			return false
		}
		rest = rest[at+len(p):]
	}
	return true
}
