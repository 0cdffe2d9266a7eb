// Package api is the HTTP surface: the typed API, the event stream and the embedded interface.
package api

import (
	"bytes"
	"encoding/json"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"path"
	"reflect"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"jolvex/internal/api/door"
	"jolvex/internal/api/wire"
	"jolvex/internal/app"
)

// SocketHost is the Host that requests over the data folder's socket carry.
const SocketHost = "jolvex.socket"

// Options say how the surface is served.
type Options struct {
	Version string
	Hosts   []string  // further names under which it may be reached, besides loopback
	Web     fs.FS     // the built interface; nil for none
	Door    door.Door // by which way requests come in
	Log     *slog.Logger
}

// packed compresses answers, but for streams: what packs takes a megabyte for as long as a request lasts.
func packed(next http.Handler) http.Handler {
	with := middleware.Compress(5, "application/json", "application/problem+json", "text/html", "text/css", "text/javascript", "application/javascript", "image/svg+xml")(next)
	return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		if strings.HasSuffix(q.URL.Path, "/events") {
			next.ServeHTTP(w, q)
			return
		}
		with.ServeHTTP(w, q)
	})
}

// New makes the handler of everything that belongs to the workbench.
func New(app *app.App, o Options) http.Handler {
	r := chi.NewRouter()
	g := door.NewGuard(app, o.Door, r, o.Log)
	r.Use(middleware.RequestID, recoverer(o.Log), hosts(o.Hosts, o.Door.Command), http.NewCrossOriginProtection().Handler, headers, framing(app), g.Handler)
	r.Use(packed)
	r.Use(newUploads().handler)
	g.Knows(describe(r, app, o.Version).OpenAPI())
	g.Get("/api/events", "watchEvents", events(app))
	g.Get("/api/corpora/{corpus}/documents/{document}/media", "playClip", clip(app))
	g.Get("/api/openid/go", "goToOpenID", door.GoToOpenID(app))
	g.Get("/api/openid/back", "backFromOpenID", door.BackFromOpenID(app))
	r.NotFound(func(w http.ResponseWriter, q *http.Request) {
		if strings.HasPrefix(q.URL.Path, "/api/") || o.Web == nil {
			wire.Problem(w, http.StatusNotFound, "there is nothing at "+q.URL.Path)
			return
		}
		page(o.Web, w, q)
	})
	r.MethodNotAllowed(func(w http.ResponseWriter, q *http.Request) {
		wire.Problem(w, http.StatusMethodNotAllowed, q.Method+" is not possible at "+q.URL.Path)
	})
	return r
}

// describe registers every operation.
func describe(r chi.Router, app *app.App, version string) huma.API {
	huma.DefaultArrayNullable = false // lists are never null: see the use cases
	cfg := huma.DefaultConfig("Jolvex", version)
	cfg.DocsPath = "" // its docs page loads scripts from elsewhere
	cfg.CreateHooks = nil
	cfg.OpenAPIPath = "/api/openapi"
	cfg.SchemasPath = ""
	cfg.Components = &huma.Components{Schemas: huma.NewMapRegistry("#/components/schemas/", schemaName)}
	api := humachi.New(r, cfg)
	h := &handlers{app}
	door.Describe(api, app)
	h.corpora(api)
	h.vocabulary(api)
	h.gather(api)
	h.shape(api)
	h.ask(api)
	h.find(api)
	h.answering(api)
	h.prove(api)
	h.proving(api)
	h.mend(api)
	h.mendSnags(api)
	h.mendSettled(api)
	h.mendFigures(api)
	h.mendNotices(api)
	h.serve(api)
	wire.Bound(api)
	describeEvents(api)
	return api
}

// schemaName puts the package's name before the types of core, where several packages have a type of one name.
func schemaName(t reflect.Type, hint string) string {
	name := huma.DefaultSchemaNamer(t, hint)
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	dir, pkg, ok := strings.Cut(t.PkgPath(), "/core/")
	pkg = path.Base(pkg)
	if ok && dir == "jolvex" && !strings.EqualFold(pkg, t.Name()) {
		return strings.ToUpper(pkg[:1]) + pkg[1:] + name
	}
	return name
}

// OpenAPI is the description of the API as JSON.
func OpenAPI(version string) ([]byte, error) {
	return json.MarshalIndent(describe(chi.NewRouter(), nil, version).OpenAPI(), "", " ")
}

type handlers struct{ app *app.App }

func recoverer(log *slog.Logger) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
			defer func() {
				v := recover()
				if v == nil {
					return
				}
				if v == http.ErrAbortHandler {
					panic(v)
				}
				log.Error("a handler panicked", "path", q.URL.Path, "panic", v)
				wire.Problem(w, http.StatusInternalServerError, "an error in the program; its log says more")
			}()
			next.ServeHTTP(w, q)
		})
	}
}

// hosts refuses requests for names that are not ours: a page elsewhere whose name was pointed here cannot reach us.
// The name of the socket is answered there alone.
func hosts(more []string, socket bool) func(http.Handler) http.Handler {
	allowed := map[string]bool{"localhost": true, "127.0.0.1": true, "::1": true, SocketHost: socket}
	for _, h := range more {
		allowed[strings.ToLower(h)] = true
	}
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
			host := q.Host
			if h, _, err := net.SplitHostPort(host); err == nil {
				host = h
			}
			if !allowed[strings.ToLower(strings.Trim(host, "[]"))] {
				wire.Problem(w, http.StatusMisdirectedRequest, "this server does not answer for the host "+strconv.Quote(host))
				return
			}
			next.ServeHTTP(w, q)
		})
	}
}

const policy = "default-src 'self'; img-src 'self' data: blob:; media-src 'self' http: https:; style-src 'self' 'unsafe-inline'; font-src 'self'; script-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"

// framing lets the workbench show pages of visitors, from their address.
func framing(app *app.App) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
			if at := app.Serving.Visitors(); at != "" {
				w.Header().Set("Content-Security-Policy", policy+"; frame-src "+at)
			}
			next.ServeHTTP(w, q)
		})
	}
}

func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		if strings.HasPrefix(q.URL.Path, "/api/") {
			h.Set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, q)
	})
}

// page serves a file of the interface, or its front page for any address that the interface reads itself.
func page(web fs.FS, w http.ResponseWriter, q *http.Request) {
	if q.Method != http.MethodGet && q.Method != http.MethodHead {
		wire.Problem(w, http.StatusMethodNotAllowed, q.Method+" is not possible here")
		return
	}
	name := strings.TrimPrefix(q.URL.Path, "/")
	if st, err := fs.Stat(web, name); err == nil && !st.IsDir() {
		if strings.HasPrefix(name, "assets/") {
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		http.ServeFileFS(w, q, web, name)
		return
	}
	if strings.HasPrefix(name, "assets/") {
		wire.Problem(w, http.StatusNotFound, "there is nothing at "+q.URL.Path)
		return
	}
	body, err := fs.ReadFile(web, "index.html")
	if err != nil {
		wire.Problem(w, http.StatusNotFound, "this program was built without its interface: run make build")
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-cache")
	_, _ = w.Write(body) // the client has gone
}

// clipTypes are the media types of what may be played; nothing else is served to be shown.
var clipTypes = map[string]string{
	".mp4": "video/mp4", ".m4v": "video/mp4", ".webm": "video/webm", ".mov": "video/quicktime", ".ogv": "video/ogg", ".mp3": "audio/mpeg", ".m4a": "audio/mp4", ".ogg": "audio/ogg",
	".oga": "audio/ogg", ".opus": "audio/ogg", ".wav": "audio/wav", ".aac": "audio/aac", ".flac": "audio/flac",
}

// clip serves a film or recording that was handed over, in ranges, to be played.
func clip(app *app.App) http.HandlerFunc {
	return func(w http.ResponseWriter, q *http.Request) {
		d, o, err := app.Gathering.Original(q.Context(), door.RouteParam(q, chi.URLParam(q, "corpus")), chi.URLParam(q, "document"))
		kind, ok := clipTypes[strings.ToLower(path.Ext(d.Address))]
		if err != nil || !ok {
			wire.Problem(w, http.StatusNotFound, "there is no clip at "+q.URL.Path)
			return
		}
		w.Header().Set("Content-Type", kind)
		http.ServeContent(w, q, "", time.Time{}, bytes.NewReader(o.Body))
	}
}
