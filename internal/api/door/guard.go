// Package door is where requests come in: who somebody is, what they may do, and what of it is kept in the audit trail; and the operations of
// signing in, of people and of the audit trail.
package door

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"log/slog"
	"maps"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"jolvex/internal/api/wire"
	"jolvex/internal/app"
	"jolvex/internal/fault"
	"jolvex/internal/keeping/audit"
	"jolvex/internal/keeping/people"
	"jolvex/internal/store/register"
)

// Door says by which way requests come in.
type Door struct {
	Command bool   // the socket of the data folder: whoever reaches it owns the folder
	SignIn  bool   // people sign in even before there is an owner; they always do once there is one
	Base    string // address under which browsers reach it, when it is not the one they say
	Proxied bool   // a proxy in front tells the network address of who calls, as the last one in X-Forwarded-For
}

// Guard lets nobody call what they may not, and keeps in the audit trail what was done.
type Guard struct {
	app      *app.App
	door     Door
	sessions *scs.SessionManager
	ids      map[string]string // operation by method and route
	said     map[string]string // what an operation does, in words, by its id
	mux      *chi.Mux
	log      *slog.Logger

	mu   sync.Mutex
	read map[string]time.Time // when somebody last read personal data somewhere
	past bool                 // there is an owner, so everybody signs in
}

// NewGuard makes the guard of a router.
func NewGuard(a *app.App, door Door, mux *chi.Mux, log *slog.Logger) *Guard {
	m := scs.New()
	m.Store, m.HashTokenInStore, m.Lifetime = a.Sessions, true, 90*24*time.Hour
	m.Cookie.Name, m.Cookie.SameSite, m.Cookie.HttpOnly, m.Cookie.Path = "jolvex", http.SameSiteLaxMode, true, "/"
	if strings.HasPrefix(door.Base, "https://") {
		m.Cookie.Name, m.Cookie.Secure = "__Host-jolvex", true
	}
	m.ErrorFunc = func(w http.ResponseWriter, _ *http.Request, err error) {
		log.Error("a session cannot be kept", "error", err)
		wire.Problem(w, http.StatusInternalServerError, "the session cannot be kept")
	}
	return &Guard{
		app: a, door: door, sessions: m, ids: map[string]string{}, said: map[string]string{"playClip": "Play a clip", "goToOpenID": "Go to the other service to sign in", "backFromOpenID": "Sign in through another service"}, mux: mux, log: log, read: map[string]time.Time{},
	}
}

// Knows tells the guard of the operations that are described.
func (g *Guard) Knows(o *huma.OpenAPI) {
	for path, item := range o.Paths {
		for method, op := range map[string]*huma.Operation{
			http.MethodGet: item.Get, http.MethodPut: item.Put, http.MethodPost: item.Post, http.MethodPatch: item.Patch, http.MethodDelete: item.Delete,
		} {
			if op != nil {
				g.ids[method+" "+path], g.said[op.OperationID] = op.OperationID, op.Summary
			}
		}
	}
}

// Get serves what is no typed operation, under the name that the table of needs has for it.
func (g *Guard) Get(path, id string, h http.HandlerFunc) {
	g.ids["GET "+path] = id
	g.mux.Get(path, h)
}

// visit is one request as it goes through the house.
type visit struct {
	caller people.Caller
	base   string // address of this program as the browser knows it
	guard  *Guard
	failed bool // in a way that the response does not tell
}

type (
	visitKey   struct{}
	recheckKey struct{} // of a func that finds out who a long request still belongs to
)

// Recheck finds out who a long request still belongs to.
func Recheck(ctx context.Context) (people.Caller, error) {
	f, ok := ctx.Value(recheckKey{}).(func() (people.Caller, error))
	if !ok {
		return people.CallerOf(ctx), nil
	}
	return f()
}

func visitOf(ctx context.Context) *visit {
	v, _ := ctx.Value(visitKey{}).(*visit)
	return v
}

// Handler guards everything under /api/. What else there is, is the interface itself, which holds nothing of anybody.
func (g *Guard) Handler(next http.Handler) http.Handler {
	guarded := g.sessions.LoadAndSave(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) { g.serve(w, q, next) }))
	return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		if !strings.HasPrefix(q.URL.Path, "/api/") {
			next.ServeHTTP(w, q)
			return
		}
		guarded.ServeHTTP(w, q)
	})
}

// routed gives the operation that a request is for, and the parameters of its route. An empty one has no route.
func (g *Guard) routed(q *http.Request, method string) (id string, param func(string) string) {
	route := q.URL.RawPath
	if route == "" {
		route = q.URL.Path
	}
	at := chi.NewRouteContext()
	pattern := g.mux.Find(at, method, route)
	id = g.ids[method+" "+pattern]
	if id == "" && strings.HasPrefix(pattern, "/api/openapi") {
		id = "getOpenAPI"
	}
	return id, func(name string) string { return RouteParam(q, at.URLParam(name)) }
}

// RouteParam is a parameter of a route as the operations read it.
func RouteParam(q *http.Request, v string) string {
	if q.URL.RawPath == "" {
		return v
	}
	if u, err := url.PathUnescape(v); err == nil {
		return u
	}
	return v
}

func (g *Guard) serve(w http.ResponseWriter, q *http.Request, next http.Handler) {
	id, param := g.routed(q, q.Method)
	if id == "" {
		next.ServeHTTP(w, q) // there is no such operation, and the router says so
		return
	}
	n, ok := Needs[id]
	if !ok {
		wire.Problem(w, http.StatusForbidden, "nobody may do this")
		return
	}
	v, err := g.visit(q)
	if err != nil {
		g.fail(w, err)
		return
	}
	ctx := people.WithCaller(context.WithValue(q.Context(), visitKey{}, v), v.caller)
	if id == "watchEvents" {
		ctx = context.WithValue(ctx, recheckKey{}, func() (people.Caller, error) { return g.again(q, v.caller) })
	}
	corpus, name := "", ""
	if given := param("corpus"); given != "" && v.caller.Via != "" {
		corpus, name, err = g.app.Register.Corpus(ctx, given)
		if err != nil && !errors.Is(err, fault.ErrMissing) {
			g.fail(w, err)
			return
		}
		if err != nil || !v.caller.May(corpus, people.See) {
			wire.Problem(w, http.StatusNotFound, fmt.Sprintf("corpus %q: not found", given))
			return
		}
	}
	e := audit.Deed{Operation: id, Corpus: name, CorpusID: corpus, Target: strings.TrimPrefix(q.URL.Path, "/api")}
	if status, reason := refuses(v.caller, n.Who, corpus); status != 0 {
		if v.caller.Via != "" && n.Kept != Quiet {
			g.record(ctx, v, e, audit.Refused, nil)
		}
		wire.Problem(w, status, reason)
		return
	}
	if n.Kept == Quiet || n.Kept == Personal && !g.unread(v.caller, id, q.URL.Path) {
		next.ServeHTTP(w, q.WithContext(ctx))
		return
	}
	g.watched(ctx, w, q, next, v, e, n.Kept)
}

// refuses says with which status and why a caller may not do something; 0 when they may.
func refuses(c people.Caller, need Who, corpus string) (int, string) {
	switch {
	case need == Anyone:
		return 0, ""
	case c.Via == "":
		return http.StatusUnauthorized, "sign in first"
	case need == Signed || c.Owner:
		return 0, ""
	case need == Owner:
		return http.StatusForbidden, "only an owner of the installation may do this"
	case !c.May(corpus, people.Role(need)):
		return http.StatusForbidden, fmt.Sprintf("this needs the role %q in this corpus: an owner of the corpus can give it to you", roleLabel(people.Role(need)))
	}
	return 0, ""
}

func roleLabel(r people.Role) string {
	for _, n := range people.Named() {
		if n.Name == r {
			return n.Label
		}
	}
	return string(r)
}

// OwnersOnly refuses what reaches into this machine or its network, from anybody but an owner of the installation: a folder of the machine, a
// private host.
func OwnersOnly(ctx context.Context, reaches bool) error {
	if !reaches || people.CallerOf(ctx).Owner {
		return nil
	}
	visitOf(ctx).failed = true
	return huma.Error403Forbidden("folders of this machine and private hosts are an owner's to add: ask an owner of the installation")
}

// SignedBy is the name of who is signed in; where nobody signs in, what was given.
func SignedBy(ctx context.Context, given string) string {
	if c := people.CallerOf(ctx); c.Via == people.ViaSession {
		return c.Name
	}
	return given
}

// unread says whether personal data is read for the first time in an hour by somebody at a place.
func (g *Guard) unread(c people.Caller, id, place string) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	now := time.Now()
	key := c.Person + " " + c.Via + " " + id + " " + place
	if now.Sub(g.read[key]) < time.Hour {
		return false
	}
	if len(g.read) > 10_000 {
		for k, at := range g.read {
			if now.Sub(at) >= time.Hour {
				delete(g.read, k)
			}
		}
	}
	g.read[key] = now
	return true
}

// visit finds out who calls.
func (g *Guard) visit(q *http.Request) (*visit, error) {
	c, err := g.caller(q)
	if err != nil {
		return nil, err
	}
	v := &visit{caller: c, base: g.door.Base, guard: g}
	if v.base == "" {
		v.base = "http://" + q.Host
		if q.TLS != nil {
			v.base = "https://" + q.Host
		}
	}
	return v, nil
}

func (g *Guard) caller(q *http.Request) (people.Caller, error) {
	ctx := q.Context()
	if g.door.Command {
		return people.Caller{Name: "command line", Owner: true, Via: people.ViaCommand}, nil
	}
	address := g.address(q)
	asked, err := g.signsIn(ctx)
	if err != nil {
		return people.Caller{}, err
	}
	if !asked {
		return people.Caller{Name: "this machine", Owner: true, Via: people.ViaMachine, Address: address}, nil
	}
	nobody := people.Caller{Address: address}
	person := g.sessions.GetString(ctx, register.SessionPerson)
	if person == "" {
		return nobody, nil
	}
	id := g.sessions.GetString(ctx, register.SessionID)
	seen := g.sessions.GetString(ctx, register.SessionSeen)
	c, ok, err := g.app.People.Resume(ctx, person, seen)
	if err != nil || !ok {
		return nobody, err
	}
	c.Address, c.Session = address, id
	if g.app.People.Stale(seen) {
		g.sessions.Put(ctx, register.SessionSeen, g.app.People.Now())
		return c, g.app.People.Seen(ctx, person)
	}
	return c, nil
}

// again finds out who a long request still belongs to: nobody, when the session was ended meanwhile.
func (g *Guard) again(q *http.Request, c people.Caller) (people.Caller, error) {
	if c.Via == people.ViaSession {
		if held, err := g.app.People.Held(q.Context(), c.Person, c.Session); err != nil || !held {
			return people.Caller{}, err
		}
	}
	return g.caller(q)
}

// signsIn says whether people sign in here.
func (g *Guard) signsIn(ctx context.Context) (bool, error) {
	if g.door.SignIn {
		return true, nil
	}
	g.mu.Lock()
	past := g.past
	g.mu.Unlock()
	if past {
		return true, nil
	}
	begun, err := g.app.People.Begun(ctx)
	if begun {
		g.mu.Lock()
		g.past = true
		g.mu.Unlock()
	}
	return begun, err
}

func (g *Guard) address(q *http.Request) string {
	if list := q.Header.Values("X-Forwarded-For"); g.door.Proxied && len(list) > 0 {
		last := list[len(list)-1]
		last = strings.TrimSpace(last[strings.LastIndex(last, ",")+1:])
		if net.ParseIP(last) != nil {
			return last
		}
	}
	if host, _, err := net.SplitHostPort(q.RemoteAddr); err == nil {
		return host
	}
	return q.RemoteAddr
}

func (g *Guard) fail(w http.ResponseWriter, err error) {
	g.log.Error("a request could not be let in", "error", err)
	wire.Problem(w, http.StatusInternalServerError, "an error in the program; its log says more")
}

// Limits of what is read for the audit trail.
const (
	mostKept = 64 << 10 // bytes of what was sent
	mostHeld = 4 << 20  // bytes of what is held against what was before
)

// sent keeps the beginning of a request's body, and what tells the whole.
type sent struct {
	io.ReadCloser
	head bytes.Buffer
	size int64
	sum  hash.Hash
}

func (s *sent) Read(p []byte) (int, error) {
	n, err := s.ReadCloser.Read(p)
	s.head.Write(p[:min(n, max(0, mostKept-s.head.Len()))])
	s.sum.Write(p[:n])
	s.size += int64(n)
	return n, err
}

// watched serves a request and keeps what it changed.
func (g *Guard) watched(ctx context.Context, w http.ResponseWriter, q *http.Request, next http.Handler, v *visit, e audit.Deed, kept Kept) {
	replaces := q.Method == http.MethodPut || q.Method == http.MethodPatch || q.Method == http.MethodDelete
	var before []byte
	if replaces {
		before = g.standing(ctx, q, next)
	}
	body := &sent{ReadCloser: q.Body, sum: sha256.New()}
	again := q.WithContext(ctx)
	if q.Body != nil && q.Body != http.NoBody {
		again.Body = body
	}
	rw := middleware.NewWrapResponseWriter(w, q.ProtoMajor)
	next.ServeHTTP(rw, again)
	status := rw.Status()
	outcome := audit.Done
	switch {
	case status == http.StatusTooManyRequests || status == 499:
		return
	case v.failed, status == http.StatusUnauthorized, status == http.StatusForbidden:
		outcome = audit.Refused
	case status >= 400:
		outcome = audit.Failed
	}
	var changes []audit.Altered
	switch {
	case kept == Act:
	case q.Method == http.MethodDelete:
		if outcome == audit.Done {
			changes = audit.Differences(plain(before), nil)
		}
	case replaces && before != nil && outcome == audit.Done:
		changes = audit.Differences(before, g.standing(ctx, q, next))
	case body.size > 0 && int64(body.head.Len()) == body.size && json.Valid(body.head.Bytes()):
		changes = audit.Differences(nil, body.head.Bytes())
	case body.size > 0:
		changes = []audit.Altered{{Path: "/bytes", After: fmt.Sprint(body.size)}, {Path: "/sha256", After: hex.EncodeToString(body.sum.Sum(nil))}}
	}
	asked := q.URL.Query()
	for _, k := range slices.Sorted(maps.Keys(asked)) {
		if s := asked.Get(k); s != "" && s != "0" {
			changes = append(changes, audit.Altered{Path: "/" + k, After: s})
		}
	}
	g.record(ctx, v, e, outcome, changes)
}

// plain keeps of an object what stands at its top and is short: what is deleted does not live on in the audit trail.
func plain(raw []byte) []byte {
	var all map[string]any
	if json.Unmarshal(raw, &all) != nil {
		return nil
	}
	for k, v := range all {
		switch v := v.(type) {
		case map[string]any, []any:
			delete(all, k)
		case string:
			if len(v) > 200 {
				delete(all, k)
			}
		}
	}
	out, err := json.Marshal(all)
	if err != nil {
		return nil
	}
	return out
}

// standing reads what stands at the address that a request changes: by the operation that reads it, or out of the list that it is in.
// Nothing when neither is there.
func (g *Guard) standing(ctx context.Context, q *http.Request, next http.Handler) []byte {
	if id, _ := g.routed(q, http.MethodGet); id != "" {
		return g.fetch(ctx, q.URL.Path, q.URL.RawPath, next)
	}
	at := strings.LastIndex(q.URL.Path, "/")
	up := q.Clone(ctx)
	up.URL = &url.URL{Path: q.URL.Path[:at]}
	if id, _ := g.routed(up, http.MethodGet); id == "" || q.URL.RawPath != "" {
		return nil
	}
	var list []map[string]any
	if json.Unmarshal(g.fetch(ctx, up.URL.Path, "", next), &list) != nil {
		return nil
	}
	for _, x := range list {
		if x["id"] == q.URL.Path[at+1:] {
			raw, err := json.Marshal(x)
			if err != nil {
				return nil
			}
			return raw
		}
	}
	return nil
}

// fetch is what a GET inside the house gives; nothing when it fails.
func (g *Guard) fetch(ctx context.Context, path, raw string, next http.Handler) []byte {
	inside := context.WithValue(context.WithoutCancel(ctx), chi.RouteCtxKey, chi.NewRouteContext())
	q, err := http.NewRequestWithContext(inside, http.MethodGet, "/", nil)
	if err != nil {
		return nil
	}
	q.URL.Path, q.URL.RawPath, q.RequestURI = path, raw, path
	var r recorder
	next.ServeHTTP(&r, q)
	if r.status != 0 && r.status != http.StatusOK || r.body.Len() > mostHeld {
		return nil
	}
	return r.body.Bytes()
}

// recorder is a response that is kept.
type recorder struct {
	header http.Header
	status int
	body   bytes.Buffer
}

func (r *recorder) Header() http.Header {
	if r.header == nil {
		r.header = http.Header{}
	}
	return r.header
}

func (r *recorder) WriteHeader(status int) {
	if r.status == 0 {
		r.status = status
	}
}

func (r *recorder) Write(p []byte) (int, error) {
	if r.body.Len() > mostHeld {
		return len(p), nil // too much to be held against anything: see fetch
	}
	return r.body.Write(p)
}

// record adds to the audit trail. What has been done stays done: what cannot be recorded is logged.
func (g *Guard) record(ctx context.Context, v *visit, e audit.Deed, outcome string, changes []audit.Altered) {
	e.Person, e.Who, e.Via, e.Address, e.Outcome, e.Changes = v.caller.Person, v.caller.Name, v.caller.Via, v.caller.Address, outcome, changes
	if err := g.app.Audit.Record(context.WithoutCancel(ctx), e); err != nil {
		g.log.Error("what was done is not in the audit trail", "operation", e.Operation, "error", err)
	}
}
