package walk

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	cdpage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/sim"
)

// inFrame evaluates a condition in the page's one frame, which is of another origin. It does not hold while the frame is still being loaded: then its
// world goes away in between, or what is looked at is not there.
func (p *page) inFrame(js string) bool {
	p.t.Helper()
	ok, err := chromedp.Run(p.ctx, func(ctx context.Context, _ *chromedp.Target) (bool, error) {
		tree, err := chromedp.Call(ctx, cdpage.GetFrameTree, cdp.Empty{})
		if err != nil || len(tree.FrameTree.ChildFrames) == 0 {
			return false, err
		}
		world, err := chromedp.Call(ctx, cdpage.CreateIsolatedWorld, cdpage.CreateIsolatedWorldParams{FrameID: tree.FrameTree.ChildFrames[0].Frame.ID})
		if err != nil {
			return false, err
		}
		yes := true
		got, err := chromedp.Call(ctx, runtime.Evaluate, runtime.EvaluateParams{Expression: "!!(" + js + ")", ContextID: world.ExecutionContextID, ReturnByValue: &yes})
		if err != nil || got.ExceptionDetails != nil {
			return false, err
		}
		return string(got.Result.Value) == "true", nil
	})
	if err != nil {
		p.t.Log("in the frame:", err)
	}
	return ok
}

func (p *page) frameUntil(js string) {
	p.t.Helper()
	until(p.t, js, func() bool { return p.inFrame(js) })
}

// frameAsks has the visitor ask something in the frame.
func (p *page) frameAsks(text string) {
	p.t.Helper()
	p.frameUntil(`document.querySelector('#ask')`)
	p.frameUntil(fmt.Sprintf(`(() => { const f = document.querySelector('#ask'); f.value = %q; f.dispatchEvent(new Event('input')); return true })()`, text))
	p.frameUntil(`!document.querySelector('footer form [type=submit]').disabled`)
	p.frameUntil(`(() => { document.querySelector('footer form [type=submit]').click(); return true })()`)
}

// The widget is asked inside its frame, on pages of another origin: in the corner by keyboard, in the text of a page from right to left at 200 % zoom.
func TestTheWidgetOnOtherPages(t *testing.T) {
	data := filepath.Join(t.TempDir(), "data")
	require.Equal(t, 0, run(t, "", "gather", "--data", data, "--corpus", "f", "--allow-private", ferries(t, 0)).code)
	server := start(t, "serve", "--data", data, "--addr", "127.0.0.1:0", "--visitors", "127.0.0.1:0")
	var settings map[string]any
	get(t, server.address+"api/corpora/f/method", &settings)
	settings["rules"] = []any{
		map[string]any{"id": "pier", "name": "Closed pier", "when": map[string]any{"contains": []string{"pier"}, "places": []string{"Sandrel"}}, "then": []any{map[string]any{"kind": "reply", "text": "The pier of Sandrel is closed today."}}},
		map[string]any{"id": "spring", "name": "Spring letter", "when": map[string]any{"contains": []string{"offer"}, "campaigns": []string{"spring"}}, "then": []any{map[string]any{"kind": "reply", "text": "The spring offer ends in May."}}},
	}
	raw, err := json.Marshal(settings)
	require.NoError(t, err)
	put(t, server.address+"api/corpora/f/method", string(raw))
	p := openPage(t, server.address+"c/f/serve")
	p.has("main", "No release yet")
	p.clickText("Release the draft")
	p.has(".releases", "Live")

	corner, inText := &sim.Sample{Style: hostile, Attrs: `data-at="Sandrel"`}, &sim.Sample{Style: `html { direction: rtl }`, Attrs: `data-into="#help"`}
	site := http.NewServeMux()
	site.Handle("/corner", corner)
	site.Handle("/text", inText)
	srv := httptest.NewServer(site)
	t.Cleanup(srv.Close)
	var place struct {
		Place, Visitors string
		Settings        map[string]any
	}
	get(t, server.address+"api/corpora/f/place", &place)
	place.Settings["domains"], place.Settings["button"], place.Settings["memoryDays"] = []string{strings.TrimPrefix(srv.URL, "http://")}, "sign", 2
	raw, err = json.Marshal(place.Settings)
	require.NoError(t, err)
	put(t, server.address+"api/corpora/f/place", string(raw))
	for _, s := range []*sim.Sample{corner, inText} {
		s.Carry(place.Visitors, place.Place)
	}

	// By keyboard: the button is reached, opens the frame, and has the focus again when it is closed.
	v := openPage(t, srv.URL+"/corner?utm_campaign=spring")
	button := "#jolvex-" + place.Place
	v.until(`document.querySelector('` + button + `')`)
	v.until(`document.querySelector('` + button + `').getAttribute('aria-label') === 'Ask us' && document.querySelector('` + button + `').innerText === '?'`)
	v.do(chromedp.Evaluate[chromedp.Void](`document.querySelector('` + button + `').focus()`))
	v.key(kb.Enter)
	v.until(`document.activeElement.tagName === 'IFRAME'`)
	v.frameAsks("How much is a bicycle?")
	v.frameUntil(`document.querySelector('article')?.innerText.includes('£4.00')`)
	v.frameUntil(`document.querySelectorAll('.sources a').length > 0`)
	v.frameAsks("Is the pier open?")
	v.frameUntil(`document.querySelector('main').innerText.includes('The pier of Sandrel is closed today.')`)
	v.frameAsks("Is there an offer?")
	v.frameUntil(`document.querySelector('main').innerText.includes('The spring offer ends in May.')`)
	v.frameUntil(`(() => { [...document.querySelectorAll('.thumbs button')].at(-1).click(); return true })()`)
	v.frameUntil(`document.querySelector('[aria-pressed=true]')`)
	v.frameUntil(`(() => { document.querySelector('.sheet').dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true })); return true })()`)
	v.until(`document.activeElement.id === '` + strings.TrimPrefix(button, "#") + `' && document.activeElement.getAttribute('aria-expanded') === 'false'`)

	// In the text of a page that is read from right to left, at 200 % zoom of a window of 1280 pixels.
	z := openPage(t, srv.URL+"/text")
	z.do(chromedp.EmulateViewport(640, 400, chromedp.EmulateScale(2)))
	z.until(`document.querySelector('#help iframe')`)
	z.frameAsks("How much is a bicycle?")
	z.frameUntil(`document.querySelector('article')?.innerText.includes('£4.00')`)
	assert.True(t, z.inFrame(`document.documentElement.scrollWidth <= innerWidth`), "nothing is cut off")
	assert.True(t, z.holds(`document.documentElement.scrollWidth <= innerWidth`))
	z.frameAsks("Is the pier open?")
	z.frameUntil(`document.querySelectorAll('article').length === 2 && !document.querySelector('main').innerText.includes('Looking it up')`)
	assert.True(t, z.inFrame(`!document.querySelector('main').innerText.includes('is closed today')`), "the rule is for another place")

	// A page of a host that may not show it has no button, and cannot frame the sheet.
	other := httptest.NewServer(http.HandlerFunc(corner.ServeHTTP))
	t.Cleanup(other.Close)
	o := openPage(t, other.URL)
	o.until(`document.readyState === 'complete' && document.scripts.length > 0`)
	assert.False(t, o.holds(`document.querySelector('`+button+`')`))
	server.stop(t)
}
