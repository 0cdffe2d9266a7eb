package gathering

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"jolvex/core/doc"
	"jolvex/core/extract"
	"jolvex/internal/gather"
	"jolvex/internal/store"
)

// defaultRendered is how many pages of one visit are opened in a browser when the source says nothing else.
const defaultRendered = 200

// browsing opens pages of one visit in a browser, which starts with the first of them.
type browsing struct {
	mu       sync.Mutex
	tried    bool
	renderer *gather.Renderer
	pages    int
}

func (b *browsing) close() {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.renderer != nil {
		b.renderer.Close()
		b.renderer = nil
	}
}

// render opens a page in the browser, when its source says so, and reads it anew. What cannot be opened stays as it came.
func (k *crawl) render(ctx context.Context, in extract.Input, o store.Outcome, body *doc.Document) (store.Outcome, *doc.Document) {
	mode := k.set.Render
	if mode == "" || mode == "never" || extract.Kind(in) != "text/html" {
		return o, body
	}
	empty := o.State == store.Failed || o.Words < gather.NearEmpty
	if mode == "empty" && (!empty || !extract.Scripted(in)) {
		return o, body
	}
	seen, err := k.open(ctx, in.Address)
	if err != nil {
		return o, body
	}
	if at, err := gather.Normalise(seen.Address); err != nil || at != in.Address && (!k.holds(at) || k.may(ctx, at) != nil) {
		k.note(fmt.Sprintf("the scripts of %s lead on to %s, which is not fetched", in.Address, seen.Address))
		return o, body
	}
	rendered := extract.Input{Address: in.Address, MediaType: "text/html; charset=utf-8", Body: seen.HTML, Closed: in.Closed}
	again, page := k.ga.read(ctx, rendered)
	if again.Content == nil || again.Words < o.Words {
		return o, body
	}
	again.Bytes = o.Bytes
	return again, page
}

// open opens one page, and says once in the visit's notices when that is not possible.
func (k *crawl) open(ctx context.Context, address string) (gather.Rendered, error) {
	b := &k.browser
	b.mu.Lock()
	defer b.mu.Unlock()
	most := k.set.RenderCap
	if most == 0 {
		most = defaultRendered
	}
	if b.pages >= most {
		k.note("more pages than the source allows would have been opened in a browser")
		return gather.Rendered{}, errors.New("the budget of pages is used up")
	}
	if !b.tried {
		b.tried = true
		var err error
		if b.renderer, err = gather.NewRenderer(ctx, k.ga.reach(k.src.Address, k.set)); err != nil {
			k.note("pages were to be opened in a browser, but " + err.Error())
		}
	}
	if b.renderer == nil {
		return gather.Rendered{}, gather.ErrNoBrowser
	}
	b.pages++
	seen, err := b.renderer.Render(ctx, address, time.Duration(k.set.Quiet)*time.Millisecond)
	if err != nil && ctx.Err() == nil {
		k.note("not opened in the browser: " + err.Error())
	}
	return seen, err
}
