// Package browser starts the Chromium that tests and pictures use.
package browser

import (
	"context"
	"fmt"
	"os"
	"os/exec"

	"github.com/chromedp/chromedp"
)

// Start starts a headless Chromium with an empty profile and opens a page. cancel ends it.
func Start(parent context.Context) (ctx context.Context, cancel func(), err error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, nil, fmt.Errorf("chromium is needed (Debian package chromium): %w", err)
	}
	opts := []chromedp.ExecAllocatorOption{
		chromedp.ExecPath(path), chromedp.Headless, chromedp.NoFirstRun, chromedp.NoDefaultBrowserCheck, chromedp.DisableGPU, chromedp.WindowSize(1280, 800),
		chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND, EXCLUDE 127.0.0.1"),
		chromedp.Flag("disable-features", "Translate,OptimizationHints,MediaRouter,DialMediaRouteProvider"),
		chromedp.Flag("force-color-profile", "srgb"), chromedp.Flag("lang", "en-US"), chromedp.Flag("password-store", "basic"),
	}
	for _, f := range []string{
		"disable-dev-shm-usage", "disable-background-networking", "disable-component-update", "disable-domain-reliability", "disable-client-side-phishing-detection",
		"disable-default-apps", "disable-extensions", "disable-sync", "disable-quic", "disable-breakpad", "metrics-recording-only", "no-pings",
		"disable-background-timer-throttling", "disable-renderer-backgrounding", "disable-backgrounding-occluded-windows",
	} {
		opts = append(opts, chromedp.Flag(f, true))
	}
	if os.Geteuid() == 0 {
		opts = append(opts, chromedp.NoSandbox)
	}
	alloc, endAlloc := chromedp.NewExecAllocator(parent, opts...)
	ctx, end := chromedp.NewContext(alloc)
	cancel = func() {
		end()
		endAlloc()
	}
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		cancel()
		return nil, nil, fmt.Errorf("start chromium: %w", err)
	}
	return ctx, cancel, nil
}
