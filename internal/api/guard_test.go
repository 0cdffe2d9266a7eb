package api_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/api"
	"jolvex/internal/api/door"
	"jolvex/internal/app"
	"jolvex/internal/keeping/audit"
	"jolvex/internal/keeping/people"
	"jolvex/internal/sim"
)

// desk is a workbench at which people sign in.
type desk struct {
	t   *testing.T
	app *app.App
	at  *httptest.Server
	now func() time.Time
}

func newDesk(t *testing.T, in door.Door, now func() time.Time) *desk {
	t.Helper()
	log := slog.New(slog.DiscardHandler)
	a, err := app.Open(t.Context(), t.TempDir(), log, app.Options{Now: now})
	require.NoError(t, err)
	srv := httptest.NewServer(api.New(a, api.Options{Version: "test", Log: log, Door: in}))
	t.Cleanup(func() {
		srv.CloseClientConnections()
		srv.Close()
		assert.NoError(t, a.Close())
	})
	return &desk{t, a, srv, now}
}

// browser is somebody's, with its cookies.
func (d *desk) browser() *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(d.t, err)
	return &http.Client{Jar: jar}
}

func (d *desk) call(c *http.Client, method, path, body string) (int, string) {
	d.t.Helper()
	ctx, cancel := context.WithTimeout(d.t.Context(), 30*time.Second)
	defer cancel()
	q, err := http.NewRequestWithContext(ctx, method, d.at.URL+path, strings.NewReader(body))
	require.NoError(d.t, err)
	if body != "" {
		q.Header.Set("Content-Type", "application/json")
	}
	r, err := c.Do(q)
	require.NoError(d.t, err, path)
	defer r.Body.Close()
	if r.Header.Get("Content-Type") == "text/event-stream" {
		return r.StatusCode, ""
	}
	raw, err := io.ReadAll(r.Body)
	require.NoError(d.t, err)
	return r.StatusCode, string(raw)
}

const secret = "a long enough password"

// owner is the first owner, who comes in by the link.
func (d *desk) owner() *http.Client {
	d.t.Helper()
	link, err := d.app.People.OwnerLink(d.t.Context())
	require.NoError(d.t, err)
	c := d.browser()
	status, body := d.call(c, "POST", "/api/welcome/"+link.Token, `{"name":"Olive Owner","mail":"olive@tolmouth.example","password":"`+secret+`"}`)
	require.Equal(d.t, 200, status, body)
	return c
}

// member is somebody whom the owner has invited to a corpus.
func (d *desk) member(owner *http.Client, corpus, role string) (*http.Client, string) {
	d.t.Helper()
	mail := fmt.Sprintf("%s@%s.example", role, corpus)
	status, body := d.call(owner, "POST", "/api/corpora/"+corpus+"/invitations", `{"mail":"`+mail+`","role":"`+role+`"}`)
	require.Equal(d.t, 200, status, body)
	var got people.Invited
	require.NoError(d.t, json.Unmarshal([]byte(body), &got))
	c := d.browser()
	status, body = d.call(c, "POST", "/api/welcome/"+got.Token, `{"name":"`+role+`","password":"`+secret+`"}`)
	require.Equal(d.t, 200, status, body)
	var self door.Self
	require.NoError(d.t, json.Unmarshal([]byte(body), &self))
	return c, self.Person
}

type described struct{ id, method, path string }

// operations are those of the description of the API, and the routes beside it.
func operations(t *testing.T) []described {
	t.Helper()
	raw, err := api.OpenAPI("test")
	require.NoError(t, err)
	var d struct {
		Paths map[string]map[string]struct {
			OperationID string `json:"operationId"`
		} `json:"paths"`
	}
	require.NoError(t, json.Unmarshal(raw, &d))
	out := []described{
		{"playClip", "GET", "/api/corpora/{corpus}/documents/{document}/media"},
		{"goToOpenID", "GET", "/api/openid/go"},
		{"backFromOpenID", "GET", "/api/openid/back"},
		{"getOpenAPI", "GET", "/api/openapi.json"},
	}
	for path, methods := range d.Paths {
		for method, o := range methods {
			out = append(out, described{o.OperationID, strings.ToUpper(method), path})
		}
	}
	slices.SortFunc(out, func(a, b described) int { return strings.Compare(a.id, b.id) })
	return out
}

// TestEveryOperationSaysWhoMayCallIt holds the table of needs against the description of the API.
func TestEveryOperationSaysWhoMayCallIt(t *testing.T) {
	all := operations(t)
	ids := map[string]bool{}
	for _, o := range all {
		ids[o.id] = true
		n, ok := door.Needs[o.id]
		require.True(t, ok, "%s has no line in Needs", o.id)
		if strings.HasPrefix(o.path, "/api/corpora/{corpus}") {
			assert.Contains(t, []door.Who{door.See, door.Judge, door.Write, door.Release, door.Own}, n.Who, "%s is on a corpus: it needs a role in it", o.id)
		} else {
			assert.Contains(t, []door.Who{door.Anyone, door.Signed, door.Owner}, n.Who, o.id)
		}
		if o.method == http.MethodDelete {
			assert.Equal(t, door.Change, n.Kept, "%s deletes, and is not kept in the audit trail", o.id)
		}
	}
	for id := range door.Needs {
		assert.True(t, ids[id], "Needs has a line for %s, which is no operation", id)
	}
}

// TestTheMatrixOfRoles has everybody call everything: nobody, somebody from elsewhere, each role, the owner.
func TestTheMatrixOfRoles(t *testing.T) {
	d := newDesk(t, door.Door{SignIn: true}, nil)
	boss := d.owner()
	for _, name := range []string{"harbour", "elsewhere"} {
		status, body := d.call(boss, "POST", "/api/corpora", `{"name":"`+name+`"}`)
		require.Equal(t, 200, status, body)
	}
	ladder := []string{"see", "judge", "write", "release", "own"}
	callers := map[string]*http.Client{"nobody": d.browser(), "owner": boss}
	callers["elsewhere"], _ = d.member(boss, "elsewhere", "own")
	for _, role := range ladder {
		callers[role], _ = d.member(boss, "harbour", role)
	}
	allowed := func(caller string, n door.Who) bool {
		switch {
		case n == door.Anyone || caller == "owner":
			return true
		case caller == "nobody" || n == door.Owner:
			return false
		case n == door.Signed:
			return true
		}
		return caller != "elsewhere" && slices.Index(ladder, caller) >= slices.Index(ladder, string(n))
	}
	last := map[string]bool{"deleteCorpus": true, "signOut": true, "connectSpeech": true}
	tried := 0
	ask := func(o described, caller string) {
		path := strings.NewReplacer("{corpus}", "harbour", "{document}", "none", "{token}", "none").Replace(o.path)
		for strings.Contains(path, "{") {
			i, j := strings.Index(path, "{"), strings.Index(path, "}")
			path = path[:i] + "none" + path[j+1:]
		}
		client := *callers[caller]
		client.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
		body := ""
		if o.method != http.MethodGet && o.method != http.MethodDelete {
			body = "{}"
		}
		status, said := d.call(&client, o.method, path, body)
		kept := status == 401 && strings.Contains(said, "sign in first") || status == 403 || status == 404 && strings.Contains(said, `corpus \"harbour\": not found`)
		assert.Equal(t, !allowed(caller, door.Needs[o.id].Who), kept, "%s %s by %s: %d %s", o.method, path, caller, status, said)
		tried++
	}
	for _, o := range operations(t) {
		if last[o.id] {
			continue
		}
		for caller := range callers {
			ask(o, caller)
		}
	}
	for _, o := range operations(t) { // what ends the others' corpus or session is tried by those who may not
		for caller := range callers {
			if last[o.id] && !allowed(caller, door.Needs[o.id].Who) {
				ask(o, caller)
			}
		}
	}
	status, _ := d.call(callers["own"], "DELETE", "/api/corpora/harbour", "")
	assert.Equal(t, 204, status)
	t.Logf("%d calls of %d operations by %d callers", tried, len(door.Needs), len(callers))
}

// TestNobodySeesAnotherCorpus looks at what lists and the stream of events show.
func TestNobodySeesAnotherCorpus(t *testing.T) {
	d := newDesk(t, door.Door{SignIn: true}, nil)
	boss := d.owner()
	for _, name := range []string{"harbour", "elsewhere"} {
		d.call(boss, "POST", "/api/corpora", `{"name":"`+name+`"}`)
	}
	c, id := d.member(boss, "harbour", "see")
	_, body := d.call(c, "GET", "/api/corpora", "")
	assert.Contains(t, body, "harbour")
	assert.NotContains(t, body, "elsewhere")

	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	q, err := http.NewRequestWithContext(ctx, "GET", d.at.URL+"/api/events?since=0", nil)
	require.NoError(t, err)
	r, err := c.Do(q)
	require.NoError(t, err)
	defer r.Body.Close()
	d.call(boss, "PUT", "/api/corpora/elsewhere/texts", `{"title":"a","text":"a text of the other corpus"}`)
	d.call(boss, "PUT", "/api/corpora/harbour/texts", `{"title":"b","text":"a text of this corpus"}`)
	seen := ""
	for buf := make([]byte, 4096); !strings.Contains(seen, `"kind":"document"`); {
		n, err := r.Body.Read(buf)
		require.NoError(t, err, seen)
		seen += string(buf[:n])
	}
	_, elsewhere := d.call(boss, "GET", "/api/corpora/elsewhere", "")
	var corpus struct{ ID string }
	require.NoError(t, json.Unmarshal([]byte(elsewhere), &corpus))
	assert.NotContains(t, seen, corpus.ID)

	status, _ := d.call(boss, "PUT", "/api/corpora/harbour/people/"+id, `{"role":""}`)
	require.Equal(t, 204, status)
	status, _ = d.call(c, "GET", "/api/corpora/harbour", "")
	assert.Equal(t, 404, status, "a role that was taken away is gone at once")
}

// TestALinkWorksOnce has two take up one invitation at the same moment.
func TestALinkWorksOnce(t *testing.T) {
	d := newDesk(t, door.Door{SignIn: true}, nil)
	link, err := d.app.People.OwnerLink(t.Context())
	require.NoError(t, err)
	status := make([]int, 4)
	var all sync.WaitGroup
	for n := range status {
		all.Go(func() {
			status[n], _ = d.call(d.browser(), "POST", "/api/welcome/"+link.Token, fmt.Sprintf(`{"name":"N","mail":"n%d@tolmouth.example","password":"%s"}`, n, secret))
		})
	}
	all.Wait()
	slices.Sort(status)
	assert.Equal(t, []int{200, 404, 404, 404}, status)
	ps, err := d.app.People.List(t.Context(), "")
	require.NoError(t, err)
	assert.Len(t, ps, 1)
}

// TestFailuresSlowDown guesses passwords, and finds that a right one is not taken either until the wait is over.
func TestFailuresSlowDown(t *testing.T) {
	var mu sync.Mutex
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	now := func() time.Time { mu.Lock(); defer mu.Unlock(); return at }
	d := newDesk(t, door.Door{SignIn: true}, now)
	d.owner()
	signIn := func(password string) int {
		status, _ := d.call(d.browser(), "POST", "/api/sign-in", `{"mail":"OLIVE@tolmouth.example","password":"`+password+`"}`)
		return status
	}
	for range 5 {
		assert.Equal(t, 401, signIn("a wrong password, all of it"))
	}
	assert.Equal(t, 429, signIn(secret))
	mu.Lock()
	at = at.Add(3 * time.Second)
	mu.Unlock()
	assert.Equal(t, 200, signIn(secret), "after the wait")
	unknown, _ := d.call(d.browser(), "POST", "/api/sign-in", `{"mail":"nobody@tolmouth.example","password":"`+secret+`"}`)
	assert.Equal(t, 401, unknown, "an address that nobody has is refused like a wrong password")
	mu.Lock()
	at = at.Add(15 * 24 * time.Hour)
	mu.Unlock()
	status, _ := d.call(d.browser(), "GET", "/api/corpora", "")
	assert.Equal(t, 401, status)
}

// TestSessionsEnd ends sessions one by one, all at once, by a new password, and with the person.
func TestSessionsEnd(t *testing.T) {
	d := newDesk(t, door.Door{SignIn: true}, nil)
	boss := d.owner()
	d.call(boss, "POST", "/api/corpora", `{"name":"harbour"}`)
	c, id := d.member(boss, "harbour", "write")
	in := func() *http.Client {
		b := d.browser()
		status, body := d.call(b, "POST", "/api/sign-in", `{"mail":"write@harbour.example","password":"`+secret+`"}`)
		require.Equal(t, 200, status, body)
		return b
	}
	works := func(c *http.Client) bool {
		status, _ := d.call(c, "GET", "/api/corpora", "")
		return status == 200
	}
	second := in()
	_, body := d.call(c, "GET", "/api/self/sessions", "")
	var list []people.Session
	require.NoError(t, json.Unmarshal([]byte(body), &list))
	require.Len(t, list, 2)
	for _, s := range list {
		if !s.Here {
			status, _ := d.call(c, "DELETE", "/api/self/sessions/"+s.ID, "")
			assert.Equal(t, 204, status)
		}
	}
	assert.True(t, works(c))
	assert.False(t, works(second))

	second = in()
	status, body := d.call(c, "PUT", "/api/self/password", `{"old":"`+secret+`","password":"another long password"}`)
	assert.Equal(t, 204, status, body)
	assert.True(t, works(c), "the one in which the password was changed stays")
	assert.False(t, works(second))

	status, body = d.call(boss, "PATCH", "/api/people/"+id, `{"ended":true}`)
	assert.Equal(t, 204, status, body)
	assert.False(t, works(c))
	status, _ = d.call(d.browser(), "POST", "/api/sign-in", `{"mail":"write@harbour.example","password":"another long password"}`)
	assert.Equal(t, 401, status)

	_, body = d.call(boss, "GET", "/api/self", "")
	var self door.Self
	require.NoError(t, json.Unmarshal([]byte(body), &self))
	for _, ch := range []string{`{"ended":true}`, `{"owner":false}`} {
		status, body = d.call(boss, "PATCH", "/api/people/"+self.Person, ch)
		assert.Equal(t, 422, status, "the last owner stays: %s", body)
	}
}

// TestAtThisMachineNobodySignsIn is the single user, until there is an owner.
func TestAtThisMachineNobodySignsIn(t *testing.T) {
	d := newDesk(t, door.Door{}, nil)
	status, _ := d.call(d.browser(), "GET", "/api/corpora", "")
	assert.Equal(t, 200, status)
	boss := d.owner()
	status, _ = d.call(d.browser(), "GET", "/api/corpora", "")
	assert.Equal(t, 401, status, "once there is an owner, everybody signs in")
	status, _ = d.call(boss, "GET", "/api/corpora", "")
	assert.Equal(t, 200, status)
}

// TestTheAuditTrail does things and finds them again, with what was before and after, without the secrets; then it tampers with the trail.
func TestTheAuditTrail(t *testing.T) {
	d := newDesk(t, door.Door{SignIn: true}, nil)
	boss := d.owner()
	d.call(boss, "POST", "/api/corpora", `{"name":"harbour"}`)
	c, _ := d.member(boss, "harbour", "see")
	_, raw := d.call(boss, "GET", "/api/corpora/harbour/method", "")
	var saved api.Saved
	require.NoError(t, json.Unmarshal([]byte(raw), &saved.Method))
	before := saved.Method.Answer.Refusal
	saved.Method.Answer.Refusal = "We do not know that."
	next, err := json.Marshal(saved.Method)
	require.NoError(t, err)
	status, body := d.call(boss, "PUT", "/api/corpora/harbour/method", string(next))
	require.Equal(t, 200, status, body)
	status, _ = d.call(c, "PUT", "/api/corpora/harbour/method", string(next))
	require.Equal(t, 403, status)
	d.call(boss, "PUT", "/api/connections/chat", `{"base":"http://127.0.0.1:9/v1","model":"m","key":"very secret"}`)
	d.call(d.browser(), "POST", "/api/sign-in", `{"mail":"olive@tolmouth.example","password":"guessed password"}`)
	for range 3 {
		d.call(boss, "GET", "/api/corpora/harbour/log", "")
	}

	d.call(boss, "POST", "/api/corpora/harbour/found-by-details", `{"details":["Ada Quayle","ada@quayle.example"]}`)
	_, raw = d.call(boss, "GET", "/api/audit", "")
	var trail []audit.Deed
	require.NoError(t, json.Unmarshal([]byte(raw), &trail))
	by := map[string][]audit.Deed{}
	for _, e := range trail {
		by[e.Operation] = append(by[e.Operation], e)
	}
	require.Len(t, by["saveMethod"], 2)
	refused, done := by["saveMethod"][0], by["saveMethod"][1]
	assert.Equal(t, []string{"see", audit.Refused, "harbour"}, []string{refused.Who, refused.Outcome, refused.Corpus})
	assert.Equal(t, []string{"Olive Owner", audit.Done}, []string{done.Who, done.Outcome})
	assert.Contains(t, done.Changes, audit.Altered{Path: "/answer/refusal", Before: before, After: "We do not know that."})
	assert.Len(t, done.Changes, 1, "what was not changed is not told: %v", done.Changes)
	assert.Equal(t, "olive@tolmouth.example", by["signIn"][0].Who)
	assert.Equal(t, audit.Refused, by["signIn"][0].Outcome)
	assert.Equal(t, audit.Done, by["findByDetails"][0].Outcome, "that somebody was looked up is kept")
	assert.NotContains(t, string(raw), "Quayle", "and who it was is not")
	assert.Len(t, by["listLog"], 1, "reading what users said is kept once an hour")
	assert.NotContains(t, raw, "very secret")
	assert.NotContains(t, raw, "guessed password")
	assert.NotContains(t, raw, secret)

	ctx := t.Context()
	got, err := d.app.Audit.Check(ctx)
	require.NoError(t, err)
	assert.Empty(t, got.Problem)
	assert.Equal(t, got.Head, trail[0].Hash)
	for _, search := range []string{"?operation=saveMethod", "?search=refusal", "?person=Olive+Owner&operation=saveMethod&operation=createCorpus"} {
		_, raw := d.call(boss, "GET", "/api/audit"+search, "")
		var some []audit.Deed
		require.NoError(t, json.Unmarshal([]byte(raw), &some))
		assert.NotEmpty(t, some, search)
		assert.Less(t, len(some), len(trail), search)
	}
}

// TestOpenID signs people in by an issuer: known by subject, by a verified address, by an invitation; and refuses the others.
func TestOpenID(t *testing.T) {
	issuer, err := sim.NewIssuer("jolvex", "shared", time.Now)
	require.NoError(t, err)
	at := httptest.NewServer(issuer)
	t.Cleanup(at.Close)
	d := newDesk(t, door.Door{SignIn: true}, nil)
	boss := d.owner()
	status, body := d.call(boss, "PUT", "/api/connections/signin", `{"base":"`+at.URL+`","model":"jolvex","key":"shared"}`)
	require.Equal(t, 200, status, body)
	d.call(boss, "POST", "/api/corpora", `{"name":"harbour"}`)
	status, body = d.call(boss, "POST", "/api/corpora/harbour/invitations", `{"mail":"ian@tolmouth.example","role":"judge"}`)
	require.Equal(t, 200, status, body)

	come := func(p sim.Identity) door.Self {
		issuer.Be(p)
		c := d.browser()
		r, err := c.Get(d.at.URL + "/api/openid/go")
		require.NoError(t, err)
		r.Body.Close()
		_, body := d.call(c, "GET", "/api/self", "")
		var s door.Self
		require.NoError(t, json.Unmarshal([]byte(body), &s))
		return s
	}
	assert.False(t, come(sim.Identity{Subject: "9", Mail: "olive@tolmouth.example", Name: "Not Olive"}).In, "an address that is not verified is nobody's")
	assert.False(t, come(sim.Identity{Subject: "8", Mail: "x@tolmouth.example", Verified: true}).In, "nobody invited them")
	olive := come(sim.Identity{Subject: "1", Mail: "Olive@Tolmouth.example", Verified: true})
	assert.True(t, olive.Owner)
	assert.True(t, come(sim.Identity{Subject: "1", Mail: "moved@tolmouth.example"}).Owner, "known by the subject from now on")
	assert.False(t, come(sim.Identity{Subject: "2", Mail: "olive@tolmouth.example", Verified: true}).In, "another subject with the same address")
	ian := come(sim.Identity{Subject: "3", Mail: "ian@tolmouth.example", Verified: true, Name: "Ian"})
	assert.Equal(t, map[string]string{"harbour": "judge"}, ian.Roles)

	c := d.browser() // who comes back without having gone
	d.call(c, "GET", "/api/openid/back?code=x&state=y", "")
	_, body = d.call(c, "GET", "/api/self", "")
	assert.Contains(t, body, `"in":false`)
}
