package policy

import (
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestBlocks holds the matching against W3C Content Security Policy Level 3, sections 6.7.2.6 to 6.7.2.12 and 6.8.3.
func TestBlocks(t *testing.T) {
	for _, x := range []struct {
		policy, page, at string
		kind             []string
		nonce, blocks    string
	}{
		{"", "https://a.example/", "https://w.example/w.js", Script, "", ""},
		{"script-src 'self'", "https://a.example/", "https://w.example/w.js", Script, "", "script-src"},
		{"script-src 'self'", "https://a.example/", "https://a.example/w.js", Script, "", ""},
		{"script-src 'self'", "http://a.example/", "https://a.example/w.js", Script, "", ""},           // the same made safe
		{"script-src 'self'", "https://a.example/", "http://a.example/w.js", Script, "", "script-src"}, // and not the other way
		{"script-src https://w.example", "https://a.example/", "https://w.example/w.js", Script, "", ""},
		{"script-src w.example", "https://a.example/", "https://w.example/w.js", Script, "", ""},
		{"script-src w.example", "https://a.example/", "http://w.example/w.js", Script, "", "script-src"},
		{"script-src http://w.example", "https://a.example/", "https://w.example/w.js", Script, "", ""},
		{"script-src https://w.example:8443", "https://a.example/", "https://w.example/w.js", Script, "", "script-src"},
		{"script-src https://w.example:*", "https://a.example/", "https://w.example:8443/w.js", Script, "", ""},
		{"script-src https://w.example", "https://a.example/", "https://w.example:8443/w.js", Script, "", "script-src"},
		{"script-src *.w.example", "https://a.example/", "https://x.y.w.example/w.js", Script, "", ""},
		{"script-src *.w.example", "https://a.example/", "https://w.example/w.js", Script, "", "script-src"}, // those below alone
		{"script-src https://w.example/js/", "https://a.example/", "https://w.example/js/w.js", Script, "", ""},
		{"script-src https://w.example/js", "https://a.example/", "https://w.example/js/w.js", Script, "", "script-src"},
		{"script-src https:", "https://a.example/", "https://w.example/w.js", Script, "", ""},
		{"script-src *", "https://a.example/", "https://w.example/w.js", Script, "", ""},
		{"script-src 'none'", "https://a.example/", "https://w.example/w.js", Script, "", "script-src"},
		{"script-src", "https://a.example/", "https://w.example/w.js", Script, "", "script-src"}, // an empty list allows nothing
		{"script-src 'nonce-abc'", "https://a.example/", "https://w.example/w.js", Script, "abc", ""},
		{"script-src 'nonce-abc'", "https://a.example/", "https://w.example/w.js", Script, "", "script-src"},
		{"script-src 'nonce-abc' 'strict-dynamic' https://w.example", "https://a.example/", "https://w.example/w.js", Script, "", "script-src"},
		{"script-src 'none'; script-src *", "https://a.example/", "https://w.example/w.js", Script, "", "script-src"}, // the first counts
		{"default-src 'self'", "https://a.example/", "https://w.example/w.js", Script, "", "default-src"},
		{"default-src 'self'; script-src-elem https://w.example", "https://a.example/", "https://w.example/w.js", Script, "", ""},
		{"default-src 'self'; child-src https://w.example", "https://a.example/", "https://w.example/at/1", Frame, "", ""},
		{"child-src https://w.example; frame-src 'self'", "https://a.example/", "https://w.example/at/1", Frame, "", "frame-src"},
		{"script-src *, connect-src 'self'", "https://a.example/", "https://w.example/v/pass", Connect, "", "connect-src"}, // each of several policies
		{"img-src 'none'", "https://a.example/", "https://w.example/v/pass", Connect, "", ""},
	} {
		page, err := url.Parse(x.page)
		require.NoError(t, err)
		at, err := url.Parse(x.at)
		require.NoError(t, err)
		assert.Equal(t, x.blocks, Parse(x.policy).Blocks(page, at, x.kind, x.nonce), "%s | %s on %s", x.policy, x.at, x.page)
	}
}
