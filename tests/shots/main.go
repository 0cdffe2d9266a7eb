// Command shots takes the pictures in docs/screenshots from a running demo.
//
//	go run ./tests/shots -address http://127.0.0.1:8642 -out docs/screenshots [-only name]
package main

import (
	"context"
	"flag"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/chromedp"

	"jolvex/demo"
	"jolvex/tests/browser"
)

type shot struct {
	name, path string
	ready      string // selector that must be visible
	do         func(ctx context.Context) error
}

func main() {
	address := flag.String("address", "http://127.0.0.1:8642", "where the demo is served")
	out := flag.String("out", "docs/screenshots", "folder for the pictures")
	only := flag.String("only", "", "take the pictures whose name holds this")
	flag.Parse()
	if err := run(*address, *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(address, out, only string) error {
	ctx, cancel, err := browser.Start(context.Background())
	if err != nil {
		return err
	}
	defer cancel()
	base := address + "/c/" + url.PathEscape(demo.Corpus)
	ask := func(question string) func(context.Context) error {
		return func(ctx context.Context) error {
			return chromedp.Do(ctx,
				chromedp.SendKeys(chromedp.CSS("#ask"), question+"\r"),
				chromedp.WaitVisible(chromedp.CSS(".strip .sheet .sentence")),
			)
		}
	}
	click := func(sel string) func(context.Context) error {
		return func(ctx context.Context) error { return chromedp.Do(ctx, chromedp.Click(chromedp.CSS(sel))) }
	}
	shots := []shot{
		{"home", address + "/", "table.plain", nil},
		{"gather", base + "/gather", ".el-table__row", nil},
		{"document", base + "/gather", ".el-table__row", func(ctx context.Context) error {
			return chromedp.Do(ctx, chromedp.Click(chromedp.CSS(`a[href*="/gather/"][href$="-"], .el-table__row:nth-child(6) a`)), chromedp.WaitVisible(chromedp.CSS(".reading")), chromedp.WaitVisible(chromedp.CSS(".strata button")))
		}},
		{"shape", base + "/shape", ".text section", nil},
		{"find", base + "/find?q=" + url.QueryEscape("How much is a bicycle to Sandrel?"), ".hit", nil},
		{"answer", base + "/answer", ".el-slider", nil},
		{"ask", base + "/answer", ".el-slider", ask("What refund do I get if I cancel three days before departure?")},
		{"refusal", base + "/answer", ".el-slider", ask("Do you sell gift vouchers?")},
		{"prove", base + "/prove", ".figures", nil},
		{"verdict", base + "/prove", ".figures", click(".results tbody tr:nth-child(16) .linkish")},
	}
	for _, s := range shots {
		if only != "" && !strings.Contains(s.name, only) {
			continue
		}
		if err := take(ctx, s, out); err != nil {
			return fmt.Errorf("picture %s: %w", s.name, err)
		}
	}
	return nil
}

func take(ctx context.Context, s shot, out string) error {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(s.path), chromedp.WaitVisible(chromedp.CSS(s.ready))); err != nil {
		return err
	}
	if s.do != nil {
		if err := s.do(ctx); err != nil {
			return err
		}
	}
	if err := chromedp.Do(ctx, chromedp.Sleep(500*time.Millisecond)); err != nil { // moving parts come to rest
		return err
	}
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(out, s.name+".png"), png, 0o644)
}
