// Package visit is what visitors and programs reach: the widget, the pages behind links, and the endpoint of the chat-completions protocol. It is
// served at an address of its own, at which nothing of the workbench answers.
package visit

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/go-chi/httprate"
	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/modelcontextprotocol/go-sdk/mcp"

	"jolvex/internal/api/wire"
	"jolvex/internal/app"
	"jolvex/internal/fault"
	"jolvex/internal/serving"
	"jolvex/internal/serving/channels"
)

// Options say how visitors are served.
type Options struct {
	Web     fs.FS // the built pages of visitors: sheet.js, sheet.css, w.js
	Log     *slog.Logger
	Desk    string // origin of the workbench, which may show what is behind a link; empty for none
	Proxied bool   // a proxy in front tells the network address of who calls, as the last one in X-Forwarded-For
}

type handlers struct {
	app *app.App
	o   Options

	mu    sync.Mutex
	rates map[int]*httprate.RateLimiter // by what they allow in a minute

	tools *lru.Cache[string, *mcp.Server] // of keys, each with the release that it reads
}

// Bounds on what comes from outside.
const (
	mostBody        = 64 << 10 // bytes of a request
	mostTalk        = 1 << 20  // bytes of a program's request, which brings its conversation along
	perAddress      = 120      // messages a minute from one network address
	heardPerAddress = 600      // looks for what a person said, a minute, from one network address
	perVisitor      = 20       // messages a minute in one conversation, or of one visitor
	answeredAtOnce  = 64       // messages that are being answered
	waiting         = 500      // messages that wait for that
	readAtOnce      = 8        // messages of channels that are being read; mails are long
	keptTools       = 200      // servers of tools that are kept
)

// New makes the handler of everything that visitors and programs reach.
func New(a *app.App, o Options) http.Handler {
	tools, _ := lru.New[string, *mcp.Server](keptTools) // fails for a size of 0 alone
	h := &handlers{app: a, o: o, rates: map[int]*httprate.RateLimiter{}, tools: tools}
	r := chi.NewRouter()
	r.Use(middleware.RequestID, middleware.Recoverer, headers)
	r.Get("/healthz", func(w http.ResponseWriter, _ *http.Request) {
		write(w, http.StatusOK, map[string]string{"state": "ok"})
	})
	packed := r.With(middleware.Compress(5, "text/css", "text/javascript")) // what packs takes a megabyte for each request, also for those that wait
	packed.Get("/w.js", h.asset("w.js", "text/javascript; charset=utf-8"))
	packed.Get("/sheet.js", h.asset("sheet.js", "text/javascript; charset=utf-8"))
	packed.Get("/sheet.css", h.asset("sheet.css", "text/css; charset=utf-8"))
	r.Get("/at/{place}", h.sheet)
	r.Get("/s/{token}", h.shared)
	r.Get("/v/pass", h.pass)
	r.Post("/v/about", h.about)
	limited := r.With(httprate.LimitBy(perAddress, time.Minute, h.address, httprate.WithLimitHandler(tooMany)), middleware.ThrottleBacklog(answeredAtOnce, waiting, 30*time.Second))
	limited.Post("/v/ask", h.ask)
	limited.Post("/v/thumb", h.thumb)
	limited.Post("/v/forget", h.forget)
	r.With(httprate.LimitBy(heardPerAddress, time.Minute, h.address, httprate.WithLimitHandler(tooMany))).Post("/v/news", h.news)
	r.With(middleware.ThrottleBacklog(readAtOnce, waiting, 30*time.Second)).Post("/c/{channel}", h.channel)
	r.Post("/v1/chat/completions", h.completions)
	r.Get("/v1/models", h.models)
	r.Post("/v1/find", h.find)
	r.Post("/v1/embeddings", h.embeddings)
	r.Handle("/mcp", h.contextProtocol())
	r.NotFound(func(w http.ResponseWriter, q *http.Request) {
		wire.Problem(w, http.StatusNotFound, "there is nothing here")
	})
	r.MethodNotAllowed(func(w http.ResponseWriter, q *http.Request) {
		wire.Problem(w, http.StatusMethodNotAllowed, q.Method+" is not possible here")
	})
	return r
}

func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		h := w.Header()
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
		if !strings.HasSuffix(q.URL.Path, ".js") && !strings.HasSuffix(q.URL.Path, ".css") {
			h.Set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, q)
	})
}

func tooMany(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Retry-After", "60")
	wire.Problem(w, http.StatusTooManyRequests, "too many messages: try again in a minute")
}

// address is by what callers are told apart.
func (h *handlers) address(q *http.Request) (string, error) {
	if list := q.Header.Values("X-Forwarded-For"); h.o.Proxied && len(list) > 0 {
		last := list[len(list)-1]
		if ip := net.ParseIP(strings.TrimSpace(last[strings.LastIndex(last, ",")+1:])); ip != nil {
			return httprate.CanonicalizeIP(ip.String()), nil
		}
	}
	host, _, err := net.SplitHostPort(q.RemoteAddr)
	return httprate.CanonicalizeIP(host), err
}

// limiter counts against a rate of a minute.
func (h *handlers) limiter(rate int) *httprate.RateLimiter {
	h.mu.Lock()
	defer h.mu.Unlock()
	l := h.rates[rate]
	if l == nil {
		l = httprate.NewRateLimiter(rate, time.Minute, httprate.WithLimitHandler(tooMany))
		h.rates[rate] = l
	}
	return l
}

// allow counts a question; it has answered when it gives false.
func (h *handlers) allow(w http.ResponseWriter, q *http.Request, key string, rate int) bool {
	return !h.limiter(rate).RespondOnLimit(w, q, key)
}

// byLink lets in who comes by a link. Wrong words are counted by network address, right ones are not: nobody tries words one after the other, and
// whoever knows the word is not held off for it. It has answered when it gives false.
func (h *handlers) byLink(w http.ResponseWriter, q *http.Request, l *letter) (serving.Admitted, bool) {
	address, err := h.address(q)
	if err != nil {
		h.fail(w, err)
		return serving.Admitted{}, false
	}
	key := "word " + l.Link + " " + address
	if _, tried, err := h.limiter(perVisitor).Status(key); err != nil || tried >= perVisitor {
		tooMany(w, q)
		return serving.Admitted{}, false
	}
	a, err := h.app.Serving.AdmitLink(q.Context(), l.Link, l.Word, time.Now())
	if errors.Is(err, serving.ErrWord) && l.Word != "" && !h.allow(w, q, key, perVisitor) {
		return a, false
	}
	if err != nil {
		h.fail(w, err)
	}
	return a, err == nil
}

func write(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v) // the client has gone
}

// fail tells a visitor what went wrong; what is not theirs to know is logged.
func (h *handlers) fail(w http.ResponseWriter, err error) {
	status, said := h.told(err)
	wire.Problem(w, status, said)
}

func (h *handlers) told(err error) (int, string) {
	for _, x := range []struct {
		err    error
		status int
	}{
		{serving.ErrDomain, http.StatusForbidden},
		{serving.ErrGone, http.StatusNotFound},
		{serving.ErrPass, http.StatusUnauthorized},
		{serving.ErrPerson, http.StatusForbidden},
		{serving.ErrWord, http.StatusForbidden},
		{serving.ErrPaused, http.StatusServiceUnavailable},
		{serving.ErrNoLive, http.StatusServiceUnavailable},
		{serving.ErrScope, http.StatusForbidden},
		{channels.ErrSigned, http.StatusUnauthorized},
		{channels.ErrTooMany, http.StatusTooManyRequests},
	} {
		if errors.Is(err, x.err) {
			return x.status, x.err.Error()
		}
	}
	switch {
	case errors.Is(err, fault.ErrInput):
		return http.StatusUnprocessableEntity, strings.TrimPrefix(err.Error(), fault.ErrInput.Error()+": ")
	case errors.Is(err, fault.ErrMissing):
		return http.StatusNotFound, serving.ErrGone.Error()
	}
	h.o.Log.Error("a visitor was not answered", "error", err)
	return http.StatusInternalServerError, "something went wrong on our side: try again in a moment"
}

// read reads a request's JSON; it has answered when it gives false.
func read(w http.ResponseWriter, q *http.Request, most int64, into any) bool {
	raw, err := io.ReadAll(http.MaxBytesReader(w, q.Body, most))
	var big *http.MaxBytesError
	switch {
	case errors.As(err, &big):
		wire.Problem(w, http.StatusRequestEntityTooLarge, fmt.Sprintf("a message has at most %d bytes", most))
	case err != nil:
		wire.Problem(w, http.StatusBadRequest, "the message did not come through")
	case json.Unmarshal(raw, into) != nil:
		wire.Problem(w, http.StatusBadRequest, "the message is no JSON as it should be")
	default:
		return true
	}
	return false
}

func (h *handlers) asset(name, kind string) http.HandlerFunc {
	return func(w http.ResponseWriter, q *http.Request) {
		raw, err := fs.ReadFile(h.o.Web, name)
		if err != nil {
			wire.Problem(w, http.StatusNotFound, "this program was built without its pages for visitors")
			return
		}
		w.Header().Set("Content-Type", kind)
		w.Header().Set("Cache-Control", "public, max-age=300")
		w.Header().Set("Cross-Origin-Resource-Policy", "cross-origin") // a script on other sites
		_, _ = w.Write(raw)                                            // the client has gone
	}
}

// page is what a visitor's browser loads: a frame that a script fills.
const page = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><meta name="robots" content="noindex">` +
	`<title>Ask</title><link rel="stylesheet" href="/sheet.css"></head><body><div id="sheet"></div><script type="module" src="/sheet.js"></script></body></html>`

// pagePolicy is what such a page may do. Colours are set as properties by the script, which a policy on styles does not concern.
const pagePolicy = "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; img-src 'self' data:; base-uri 'none'; form-action 'none'; frame-ancestors "

// sheet is the frame of the widget, which allowed hosts alone may show.
func (h *handlers) sheet(w http.ResponseWriter, q *http.Request) {
	set, err := h.app.Serving.Shown(q.Context(), chi.URLParam(q, "place"))
	if err != nil {
		h.fail(w, err)
		return
	}
	h.give(w, set.Ancestors())
}

// shared is the page behind a link; no site but the workbench may show it.
func (h *handlers) shared(w http.ResponseWriter, _ *http.Request) {
	if h.o.Desk == "" {
		h.give(w, "'none'")
		return
	}
	h.give(w, h.o.Desk)
}

func (h *handlers) give(w http.ResponseWriter, ancestors string) {
	w.Header().Set("Content-Security-Policy", pagePolicy+ancestors)
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_, _ = io.WriteString(w, page) // the client has gone
}

// pass lets the script on a site's page ask: browsers tell of which origin it is.
func (h *handlers) pass(w http.ResponseWriter, q *http.Request) {
	origin := q.Header.Get("Origin")
	w.Header().Set("Vary", "Origin")
	if origin == "" {
		wire.Problem(w, http.StatusForbidden, "a pass is given to the script on a page")
		return
	}
	got, err := h.app.Serving.Pass(q.Context(), q.URL.Query().Get("place"), origin, time.Now())
	if err == nil || errors.Is(err, serving.ErrDomain) { // so that the script can tell why
		w.Header().Set("Access-Control-Allow-Origin", origin)
		w.Header().Set("Cross-Origin-Resource-Policy", "cross-origin")
	}
	if err != nil {
		h.fail(w, err)
		return
	}
	set, err := h.app.Serving.Shown(q.Context(), q.URL.Query().Get("place"))
	if err != nil {
		h.fail(w, err)
		return
	}
	speech := ""
	if set.Speech {
		speech = "on"
	}
	write(w, http.StatusOK, map[string]string{"pass": got, "accent": set.Accent, "corner": set.Corner, "title": set.Title, "button": set.Button, "speech": speech})
}

// letter is what every message of a visitor's page carries.
type letter struct {
	Pass         string `json:"pass"`
	Token        string `json:"token"` // the site's word on who asks
	Link         string `json:"link"`
	Word         string `json:"word"`
	Text         string `json:"text"`
	Conversation string `json:"conversation"`
	Exchange     string `json:"exchange"`
	Visitor      string `json:"visitor"`
	Page         string `json:"page"`
	Campaign     string `json:"campaign"`
	Place        string `json:"place"` // that the site's line names
	Thumb        string `json:"thumb"`
	After        string `json:"after"` // the last line of a person's that was heard
}

// admit reads a message and lets its sender in; it has answered when it gives false.
func (h *handlers) admit(w http.ResponseWriter, q *http.Request, l *letter) (serving.Admitted, bool) {
	if !read(w, q, mostBody, l) {
		return serving.Admitted{}, false
	}
	if len(l.Conversation) > 80 || len(l.Exchange) > 80 || len(l.Visitor) > 80 || len(l.Page) > 2000 || len(l.Campaign) > 200 || len(l.Place) > 200 {
		wire.Problem(w, http.StatusUnprocessableEntity, "a part of the message is too long")
		return serving.Admitted{}, false
	}
	if l.Link != "" {
		return h.byLink(w, q, l)
	}
	a, err := h.app.Serving.AdmitPass(q.Context(), l.Pass, l.Token, time.Now())
	if err != nil {
		h.fail(w, err)
		return a, false
	}
	return a, true
}

func (h *handlers) about(w http.ResponseWriter, q *http.Request) {
	var l letter
	a, ok := h.admit(w, q, &l)
	if !ok {
		return
	}
	got, err := h.app.Serving.About(q.Context(), a)
	if err != nil {
		h.fail(w, err)
		return
	}
	write(w, http.StatusOK, got)
}

func (h *handlers) ask(w http.ResponseWriter, q *http.Request) {
	var l letter
	a, ok := h.admit(w, q, &l)
	if !ok {
		return
	}
	for _, who := range []string{l.Conversation, l.Visitor} {
		if who != "" && !h.allow(w, q, who, perVisitor) {
			return
		}
	}
	got, err := h.app.Serving.Ask(q.Context(), a, serving.Message{Text: l.Text, Conversation: l.Conversation, Visitor: l.Visitor, Page: l.Page, Campaign: l.Campaign, Place: l.Place})
	if err != nil {
		h.fail(w, err)
		return
	}
	write(w, http.StatusOK, got)
}

// news gives what persons said in a conversation that was handed over.
func (h *handlers) news(w http.ResponseWriter, q *http.Request) {
	var l letter
	a, ok := h.admit(w, q, &l)
	if !ok {
		return
	}
	after, err := strconv.ParseInt(cmp.Or(l.After, "0"), 10, 64)
	if err != nil {
		wire.Problem(w, http.StatusUnprocessableEntity, "the last line is a number")
		return
	}
	got, err := h.app.Serving.Persons.News(q.Context(), a, l.Conversation, after)
	if err != nil {
		h.fail(w, err)
		return
	}
	write(w, http.StatusOK, got)
}

func (h *handlers) thumb(w http.ResponseWriter, q *http.Request) {
	var l letter
	a, ok := h.admit(w, q, &l)
	if !ok {
		return
	}
	if l.Thumb != "up" && l.Thumb != "down" && l.Thumb != "" || len(l.Text) > 2000 {
		wire.Problem(w, http.StatusUnprocessableEntity, "a thumb is up, down or neither, with a word of at most 2000 bytes")
		return
	}
	if err := h.app.Serving.Thumb(q.Context(), a, l.Conversation, l.Exchange, l.Thumb, l.Text); err != nil {
		h.fail(w, err)
		return
	}
	write(w, http.StatusOK, map[string]string{"thumb": l.Thumb})
}

func (h *handlers) forget(w http.ResponseWriter, q *http.Request) {
	var l letter
	a, ok := h.admit(w, q, &l)
	if !ok {
		return
	}
	n, err := h.app.Serving.Forget(q.Context(), a, l.Visitor)
	if err != nil {
		h.fail(w, err)
		return
	}
	write(w, http.StatusOK, map[string]int{"forgotten": n})
}
