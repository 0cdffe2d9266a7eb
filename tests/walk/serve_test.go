package walk

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/sim"
)

// hostile are styles of a page that would bend everything on it.
const hostile = `* { all: unset; display: none !important; color: lime !important; font-size: 3px !important; position: static !important } html, body { display: block !important }
button { visibility: hidden !important; transform: rotate(90deg) !important } iframe { width: 1px !important; height: 1px !important; opacity: 0 !important }`

// A gate holds a release back; mended, it goes out; visitors ask it on a page of another origin with hostile styles and a strict policy; what they asked
// is in Mend; a share link works for who is not signed in; one goes back to an earlier release.
func TestServing(t *testing.T) {
	data := filepath.Join(t.TempDir(), "data")
	require.Equal(t, 0, run(t, "", "gather", "--data", data, "--corpus", "f", "--allow-private", ferries(t, 0)).code)
	sample := &sim.Sample{Style: hostile}
	site := httptest.NewServer(http.HandlerFunc(sample.ServeHTTP))
	t.Cleanup(site.Close)
	server := start(t, "serve", "--data", data, "--addr", "127.0.0.1:0", "--visitors", "127.0.0.1:0")
	p := openPage(t, server.address+"c/f/prove")
	p.has("header", "This machine")
	put(t, server.address+"api/corpora/f/sets/fares", `[{"id":"q1","question":"How much is a bicycle?","expect":[{"kind":"mentions","values":["a thousand pounds"]}]}]`)

	// The gate is shut, and says why.
	p.do(chromedp.Navigate(server.address + "c/f/serve"))
	p.has("main", "No release yet")
	p.clickText("Ask for a question set")
	p.has("form", "fares")
	p.click(`form[aria-label=Gate] .el-checkbox`)
	p.clickText("Save")
	p.has(".notice", "not measured on this draft yet: fares")
	p.audit("serve, gate")
	p.clickText("Measure the draft")
	p.has(".notice", "fares passes 0.0 % of its questions, and the floor is 90 %")
	assert.True(t, p.holds(`[...document.querySelectorAll('button')].find(b => b.innerText.trim() === 'Release the draft').disabled`))

	// The question is mended, and the draft measured again: the gate opens.
	put(t, server.address+"api/corpora/f/sets/fares", `[{"id":"q1","question":"How much is a bicycle?","expect":[{"kind":"gives","values":["£4.00"]}]}]`)
	p.do(chromedp.Navigate(server.address + "c/f/serve"))
	p.clickText("Measure the draft")
	p.has(".notice", "every set passes its floor")
	p.write(`input[placeholder^=winter]`, "first fares")
	p.clickText("Release the draft")
	p.has(".releases", "Live")

	// The site is named; its page carries the line.
	p.clickText("On a site")
	p.write("textarea", strings.TrimPrefix(site.URL, "http://"))
	p.clickText("Save")
	p.has("form", "Saved: visitors get it at once.")
	p.audit("serve, on a site")
	var place struct{ Place, Visitors string }
	get(t, server.address+"api/corpora/f/place", &place)
	sample.Carry(place.Visitors, place.Place)

	v := openPage(t, site.URL)
	button := "#jolvex-" + place.Place
	v.until(`document.querySelector('` + button + `')`)
	v.until(`(() => { const r = document.querySelector('` + button + `').getBoundingClientRect(); return r.width > 60 && r.bottom <= innerHeight && r.right <= innerWidth })()`)
	v.do(chromedp.Evaluate[chromedp.Void](`document.querySelector('` + button + `').click()`))
	v.until(`(() => { const r = document.querySelector('iframe').getBoundingClientRect(); return r.width > 300 && r.height > 400 })()`)
	assert.True(t, v.holds(`getComputedStyle(document.querySelector('iframe')).opacity === '1'`))

	// The sheet itself, as a page: by a share link, of somebody who is not signed in.
	p.clickText("Links")
	p.write(`input[aria-label="For whom"]`, "Everybody")
	p.clickText("Make a link")
	p.has(".notice .link", "/s/")
	p.audit("serve, links")
	share := p.text(".notice .link")
	s := openPage(t, share)
	s.has("main", "Ask me anything")
	s.write("#ask", "How much is a bicycle?")
	s.clickText("Ask")
	s.has("article", "£4.00")
	s.until(`document.querySelectorAll('.sources a').length > 0`)
	s.audit("share page")
	s.clickText("Did not help")
	s.until(`document.querySelector('[aria-pressed=true]')`)
	s.write("#ask", "Which planet is the largest?")
	s.clickText("Ask")
	s.until(`document.querySelectorAll('article').length === 2 && !document.querySelector('main').innerText.includes('Looking it up')`)
	s.do(chromedp.EmulateViewport(320, 600))
	s.until(`document.documentElement.scrollWidth <= 320`)
	s.audit("share page at 320 px")

	// What was asked is in Mend, as users' traffic.
	p.do(chromedp.Navigate(server.address + "c/f/mend"))
	p.has("tr.line", "How much is a bicycle?")
	p.has("tbody", "Which planet is the largest?")

	// Programs.
	p.do(chromedp.Navigate(server.address + "c/f/serve?view=keys"))
	p.write(`input[aria-label="For which program"]`, "desk")
	p.clickText("Make a key")
	p.has(".notice .link", "jvx_")
	p.audit("serve, programs")
	answer := post(t, place.Visitors+"/v1/chat/completions", p.text(".notice .link"), `{"model":"f","messages":[{"role":"user","content":"How much is a bicycle?"}]}`)
	assert.Contains(t, answer, "£4.00")
	assert.Contains(t, answer, "url_citation")

	// A channel is made; the reference of the API shows its operation; for how long things are kept has a page.
	p.clickText("Messages and mail")
	p.has("main", "No channel yet")
	p.clickText("Add a service")
	p.write(`form[aria-label="Settings of the channel"] label:nth-of-type(1) input`, "Chat")
	p.write(`form[aria-label="Settings of the channel"] label:nth-of-type(2) input`, site.URL+"/replies")
	p.clickText("Make the channel")
	p.has(".notice", "whsec_")
	p.has("main", place.Visitors+"/c/")
	p.audit("serve, messages and mail")
	p.do(chromedp.Navigate(server.address + "reference?op=putChannel"))
	p.has("article", "PUT /api/corpora/{corpus}/channels")
	p.has("article pre", "curl -X PUT")
	p.audit("reference of the API")
	p.do(chromedp.Navigate(server.address + "c/f/keeping"))
	p.has("main", "For how long")
	p.audit("what is kept")

	// A second release against the gate, and back.
	put(t, server.address+"api/corpora/f/sets/fares", `[{"id":"q1","question":"How much is a bicycle?","expect":[{"kind":"gives","values":["£5.00"]}]}]`)
	p.do(chromedp.Navigate(server.address + "c/f/serve"))
	p.has(".notice", "not measured on this draft yet")
	p.write(`label:has(.hint) input`, "the set is wrong, not the draft")
	p.clickText("Release the draft")
	p.has(".releases", "Against the gate: the set is wrong, not the draft")
	p.clickText("Go back to this")
	p.until(`document.querySelectorAll('.releases tbody tr')[1].innerText.includes('Live')`)
	p.has("header nav", "release 1")
	p.audit("serve, releases")

	// A page is checked for the line.
	p.clickText("On a site")
	p.write(`input[aria-label="Address of the page"]`, site.URL+"/")
	p.clickText("Check")
	p.has(".points", "The page cannot be fetched")
	put(t, server.address+"api/corpora/f/gate", `{"floors":[]}`)

	// A visitor asks for a person; staff take the conversation, answer it and close it.
	var settings map[string]any
	get(t, server.address+"api/corpora/f/method", &settings)
	settings["rules"] = []any{map[string]any{"id": "person", "name": "Asks for a person", "when": map[string]any{"person": true}, "then": []any{
		map[string]any{"kind": "handOver", "team": "Office", "purpose": "Wants to talk", "text": "Our office has been told."},
	}}}
	raw, err := json.Marshal(settings)
	require.NoError(t, err)
	put(t, server.address+"api/corpora/f/method", string(raw))
	p.clickText("Releases")
	p.has(".notice", "no question set is asked for before a release")
	p.clickText("Release the draft")
	p.has(".releases", "3")
	u := openPage(t, share)
	u.write("#ask", "How much is a bicycle?")
	u.clickText("Ask")
	u.has("article", "£4.00")
	u.write("#ask", "I want to speak to a human")
	u.clickText("Ask")
	u.has("main", "Our office has been told.")
	u.has("main", "A person was asked to join")
	p.clickText("Staff")
	p.has(".queue", "I want to speak to a human")
	p.audit("serve, staff")
	p.click(".queue button")
	p.has(".talk", "Our office has been told.")
	p.clickText("Take it")
	p.has("header", "taken")
	p.until(`document.querySelector('.right textarea').value === 'How much is a bicycle?'`)
	p.click(`.right form .el-button`)
	p.has(".passages", "public")
	p.until(`[...document.querySelectorAll('.right textarea')].some(x => x.value.includes('£4.00'))`)
	p.audit("serve, staff, a prepared reply")
	p.clickText("Send the answer")
	p.has(".talk", "£4.00")
	u.has(".person", "£4.00")
	u.audit("share page with a person")
	u.write("#ask", "Thank you, that helps")
	u.clickText("Ask")
	u.has("main", "Passed on")
	p.has(".talk", "Thank you, that helps")
	p.clickText("Close")
	p.until(`document.querySelector('.left').innerText.includes('No conversation waits')`)
	server.stop(t)
}

// put sends a JSON body to an address of the API.
func put(t *testing.T, address, body string) {
	t.Helper()
	q, err := http.NewRequestWithContext(t.Context(), http.MethodPut, address, strings.NewReader(body))
	require.NoError(t, err)
	q.Header.Set("Content-Type", "application/json")
	r, err := http.DefaultClient.Do(q)
	require.NoError(t, err)
	defer r.Body.Close()
	require.Less(t, r.StatusCode, 300, address)
}

// post sends a JSON body with a key, and gives the answer.
func post(t *testing.T, address, key, body string) string {
	t.Helper()
	q, err := http.NewRequestWithContext(t.Context(), http.MethodPost, address, strings.NewReader(body))
	require.NoError(t, err)
	q.Header.Set("Authorization", "Bearer "+key)
	r, err := http.DefaultClient.Do(q)
	require.NoError(t, err)
	defer r.Body.Close()
	raw, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	require.Equal(t, 200, r.StatusCode, string(raw))
	return string(raw)
}
