package gather

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"syscall"
	"time"
)

// Reach says where a source may be fetched from: public addresses, and the hosts named here though they are private. What counts is the
// address that a name resolves to at the moment of dialling, for every redirect and for everything that a page in the browser asks for.
type Reach struct {
	Private []string                  // host:port, as HostPort gives them
	Never   func(netip.AddrPort) bool // addresses of this program itself; nil for none
}

// HostPort is the host and port that an address is fetched from, as in "wiki.example:80".
func HostPort(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	port := u.Port()
	if port == "" {
		port = map[string]string{"http": "80", "https": "443"}[u.Scheme]
	}
	return net.JoinHostPort(strings.ToLower(u.Hostname()), port)
}

// dial connects where the reach allows it.
func (r Reach) dial(ctx context.Context, network, address string) (net.Conn, error) {
	named := slices.Contains(r.Private, strings.ToLower(address))
	d := net.Dialer{Timeout: 10 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		ap, err := netip.ParseAddrPort(address)
		if err != nil {
			return err
		}
		ap = netip.AddrPortFrom(ap.Addr().Unmap(), ap.Port())
		switch {
		case r.Never != nil && r.Never(ap):
			return fmt.Errorf("%s: %w", ap, ErrOwn)
		case !named && !Public(ap.Addr()):
			return fmt.Errorf("%s: %w", ap.Addr(), ErrPrivate)
		}
		return nil
	}}
	return d.DialContext(ctx, network, address)
}

// Public reports whether an address can belong to a host on the open internet: see special.
func Public(a netip.Addr) bool {
	a = a.Unmap()
	if !a.IsValid() || a.IsLoopback() || a.IsPrivate() || a.IsLinkLocalUnicast() || a.IsLinkLocalMulticast() || a.IsMulticast() || a.IsUnspecified() || a.IsInterfaceLocalMulticast() {
		return false
	}
	for _, p := range special {
		if p.Contains(a) {
			return false
		}
	}
	return true
}

// special are the ranges that are not reachable over the open internet, by the IANA IPv4 and IPv6 Special-Purpose Address Registries (RFC 6890
// and its updates), from memory; those that the registries list and that Go tells by itself (loopback, private use, link-local) are left to
// it. Ranges that embed IPv4 addresses are refused whole, for what they embed may be private.
var special = prefixes(
	"0.0.0.0/8",       // this network (RFC 791)
	"100.64.0.0/10",   // shared address space (RFC 6598)
	"192.0.0.0/24",    // IETF protocol assignments (RFC 6890)
	"192.0.2.0/24",    // documentation (RFC 5737)
	"192.88.99.0/24",  // 6to4 relay anycast, deprecated (RFC 7526)
	"198.18.0.0/15",   // benchmarking (RFC 2544)
	"198.51.100.0/24", // documentation (RFC 5737)
	"203.0.113.0/24",  // documentation (RFC 5737)
	"240.0.0.0/4",     // reserved (RFC 1112), and limited broadcast (RFC 919)
	"::/96",           // IPv4-compatible, deprecated (RFC 4291)
	"64:ff9b::/96",    // IPv4/IPv6 translation (RFC 6052)
	"64:ff9b:1::/48",  // IPv4/IPv6 translation (RFC 8215)
	"100::/64",        // discard only (RFC 6666)
	"100:0:0:1::/64",  // dummy prefix (RFC 9780)
	"2001::/23",       // IETF protocol assignments (RFC 2928): Teredo, benchmarking, ORCHID, DRIP
	"2001:db8::/32",   // documentation (RFC 3849)
	"2002::/16",       // 6to4 (RFC 3056)
	"3fff::/20",       // documentation (RFC 9637)
	"5f00::/16",       // segment routing (RFC 9602)
	"fc00::/7",        // unique local (RFC 4193)
	"fec0::/10",       // site local, deprecated (RFC 3879)
)

func prefixes(list ...string) []netip.Prefix {
	out := make([]netip.Prefix, len(list))
	for i, s := range list {
		out[i] = netip.MustParsePrefix(s)
	}
	return out
}
