// Command shots takes the pictures in docs/screenshots from a running demo.
//
//	go run ./tests/shots -address http://127.0.0.1:8642 -out docs/screenshots [-only name]
package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"net/http"
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
	look := flag.String("look", "", "take one picture of this path instead, as look.png")
	ready := flag.String("ready", "main", "selector that must be visible for -look")
	script := flag.String("do", "", "JavaScript expression to evaluate before -look, a promise is waited for")
	flag.Parse()
	var extra []shot
	if *look != "" {
		extra = []shot{{"look", *address + *look, *ready, func(ctx context.Context) error {
			return chromedp.Do(ctx, chromedp.Evaluate[chromedp.Void]("Promise.resolve("+*script+")", chromedp.EvalAwaitPromise))
		}}}
	}
	if err := run(*address, *out, *only, extra); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(address, out, only string, extra []shot) error {
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
	// find opens the palette and types.
	find := func(ctx context.Context, words string) error {
		return chromedp.Do(ctx, chromedp.KeyEvent("k", chromedp.KeyModifiers(chromedp.ModifierCtrl)), chromedp.WaitVisible(chromedp.CSS(".palette li")), chromedp.SendKeys(chromedp.CSS(".palette input"), words))
	}
	shots := []shot{
		{"gather", base + "/gather", "tr.line", nil},
		{"choose", base + "/gather", ".source", click(`.source a[href*="/choose/"]`)},
		{"document", base + "/answer", ".el-slider", func(ctx context.Context) error { // where a citation leads: the row, and the cell that was told
			return errors.Join(ask("What does a bicycle cost?")(ctx), chromedp.Do(ctx,
				chromedp.Click(chromedp.CSS(".trail .cite")), chromedp.WaitVisible(chromedp.CSS(".reading mark")), chromedp.WaitVisible(chromedp.CSS(".strata button")),
				chromedp.Evaluate[chromedp.Void](`[...document.querySelectorAll('.strip button')].find(b => b.textContent.trim() === 'Close')?.click()`),
			))
		}},
		{"shape", base + "/shape", ".text section", nil},
		{"find", base + "/find?q=" + url.QueryEscape("How much is a bicycle to Sandrel?"), ".hit", nil},
		{"log", base + "/mend?when=30", "tr.line", click("tr.line:nth-child(7) button.line")},
		{"snag", base + "/mend?view=snags", "tr.line", click("tr.line:nth-child(1) button.line")},
		{"ask", base + "/answer", ".el-slider", ask("What refund do I get if I cancel three days before departure?")},
		{"bar", base + "/answer?view=bar", "svg.curve", nil},
		{"rules", base + "/answer?view=rules", ".rules li", click(".rules .name")},
		{"rewriting", base + "/find?view=rewriting", ".talk textarea", func(ctx context.Context) error {
			return chromedp.Do(ctx,
				chromedp.SendKeys(chromedp.CSS(".talk textarea"), "How much is an adult return to Sandrel?\n> Adult – Return: £14.60.\nand for a senior?"),
				chromedp.WaitVisible(chromedp.CSS(".bench tbody tr")),
			)
		}},
		{"prove", base + "/prove", ".figures", func(ctx context.Context) error { // the set whose failures one fix cures together
			return errors.Join(click(".left .el-select")(ctx), chromedp.Do(ctx,
				chromedp.WaitVisible(chromedp.CSS(".el-select-dropdown__item")),
				chromedp.Evaluate[chromedp.Void](`[...document.querySelectorAll('.el-select-dropdown__item')].find(i => i.textContent.includes('Every way'))?.click()`),
				chromedp.WaitVisible(chromedp.CSS(`[aria-label="Failures with one fix"]`)),
			))
		}},
		{"verdict", base + "/prove?show=failed", ".figures", func(ctx context.Context) error {
			return errors.Join(click(".results tbody tr:nth-child(4) .linkish")(ctx), chromedp.Do(ctx, chromedp.WaitVisible(chromedp.CSS(".fixes"))))
		}},
		{"figures", base + "/mend?view=figures", ".tiles", nil},
		{"chart", base + "/prove?view=chart", "canvas", nil},
		{"serve", base + "/serve", ".releases", nil},
		{"share", "", "#ask", func(ctx context.Context) error { // what visitors see
			js := `(async () => { const e = document.querySelector('#ask'), ask = async (q, n) => { e.value = q; e.dispatchEvent(new Event('input', { bubbles: true }));
				await new Promise(r => setTimeout(r, 50)); document.querySelector('footer button').click(); while (document.querySelectorAll('.thumbs').length < n) await new Promise(r => setTimeout(r, 50)) };
				await ask('Can I bring my dog and what does it cost?', 1); await ask('How long does the crossing to Sandrel take?', 2); await ask('Who is the mayor of Tolmouth?', 3);
				document.querySelector('main').scrollTop = 0; e.blur() })()`
			return chromedp.Do(ctx, chromedp.Evaluate[chromedp.Void](js, chromedp.EvalAwaitPromise))
		}},
		{"staff", base + "/serve?view=staff", ".queue li", func(ctx context.Context) error { // a conversation that is taken, with a reply prepared
			js := `(async () => { const wait = async (f) => { while (!f()) await new Promise(r => setTimeout(r, 50)) }, named = (t) => [...document.querySelectorAll('.right button')].find(b => b.textContent.trim() === t);
				document.querySelector('.queue button').click(); await wait(() => named('Take it')); named('Take it').click(); await wait(() => !named('Take it') && document.querySelector('.right textarea').value);
				named('Prepare a reply').click(); await wait(() => document.querySelector('.passages')) })()`
			return chromedp.Do(ctx, chromedp.Evaluate[chromedp.Void](js, chromedp.EvalAwaitPromise))
		}},
		// Last: it leaves the dark theme behind.
		{"palette", base + "/shape", ".text section", func(ctx context.Context) error {
			return errors.Join(find(ctx, "dark theme\r"), find(ctx, "bicycle"))
		}},
	}
	if extra != nil {
		shots = extra
	}
	for _, s := range shots {
		if only != "" && !strings.Contains(s.name, only) {
			continue
		}
		if s.name == "share" {
			var err error
			if s.path, err = share(address); err != nil {
				return err
			}
		}
		if s.name == "staff" {
			if err := handOver(address, "Can I bring my dog and what does it cost?", "I want to speak to a person"); err != nil {
				return err
			}
		}
		if err := take(ctx, s, out); err != nil {
			return fmt.Errorf("picture %s: %w", s.name, err)
		}
	}
	return nil
}

// share makes a share link, and gives its address.
func share(address string) (string, error) {
	var place struct{ Visitors string }
	var link struct{ Token string }
	at := address + "/api/corpora/" + url.PathEscape(demo.Corpus)
	for _, c := range []struct {
		method, path, body string
		into               any
	}{{http.MethodGet, "/place", "", &place}, {http.MethodPost, "/links", `{"name":"Harbour office"}`, &link}} {
		q, err := http.NewRequest(c.method, at+c.path, strings.NewReader(c.body))
		if err != nil {
			return "", err
		}
		q.Header.Set("Content-Type", "application/json")
		r, err := http.DefaultClient.Do(q)
		if err != nil {
			return "", err
		}
		err = errors.Join(json.NewDecoder(r.Body).Decode(c.into), r.Body.Close())
		if err != nil {
			return "", err
		}
	}
	return place.Visitors + "/s/" + link.Token, nil
}

// handOver has a visitor say something after the other.
func handOver(address string, says ...string) error {
	link, err := share(address)
	if err != nil {
		return err
	}
	visitors, token, _ := strings.Cut(link, "/s/")
	var said struct{ Conversation string }
	for _, text := range says {
		body, err := json.Marshal(map[string]string{"link": token, "text": text, "conversation": said.Conversation})
		if err != nil {
			return err
		}
		r, err := http.Post(visitors+"/v/ask", "application/json", strings.NewReader(string(body)))
		if err != nil {
			return err
		}
		if err := errors.Join(json.NewDecoder(r.Body).Decode(&said), r.Body.Close()); err != nil {
			return err
		}
	}
	return nil
}

func take(ctx context.Context, s shot, out string) error {
	ctx, cancel := context.WithTimeout(ctx, 150*time.Second)
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
