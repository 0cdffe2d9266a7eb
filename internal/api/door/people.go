package door

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/internal/api/wire"
	"jolvex/internal/app"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/keeping/audit"
	"jolvex/internal/keeping/people"
	"jolvex/internal/store/register"
)

// Self is who asks, and what they may do.
type Self struct {
	SignsIn bool              `json:"signsIn" doc:"People sign in here; otherwise whoever is at this machine may do everything"`
	Begun   bool              `json:"begun" doc:"There is an owner: otherwise the first one comes in by the link that the program printed"`
	OpenID  bool              `json:"openId" doc:"One can sign in through another service"`
	In      bool              `json:"in" doc:"Somebody is signed in, or nobody has to be"`
	Person  string            `json:"person,omitempty"`
	Name    string            `json:"name,omitempty"`
	Mail    string            `json:"mail,omitempty"`
	Owner   bool              `json:"owner" doc:"Owns the installation"`
	Roles   map[string]string `json:"roles" doc:"What they may do, by the name of the corpus; an owner may do everything"`
	Damage  string            `json:"damage,omitempty" doc:"What is wrong with the database; told to owners"`
}

type handlers struct{ app *app.App }

// Describe registers the operations of signing in, of people and of the audit trail.
func Describe(api huma.API, a *app.App) {
	h := &handlers{a}
	h.people(api)
	h.members(api)
	h.audit(api)
}

// self says who asks.
func (h *handlers) self(ctx context.Context) (Self, error) {
	v := visitOf(ctx)
	c := v.caller
	out := Self{In: c.Via != "", Person: c.Person, Name: c.Name, Mail: c.Mail, Owner: c.Owner, Roles: map[string]string{}}
	var err error
	if out.Begun, err = h.app.People.Begun(ctx); err != nil {
		return out, err
	}
	if out.SignsIn, err = v.guard.signsIn(ctx); err != nil {
		return out, err
	}
	if out.OpenID, err = h.app.People.OpenID(ctx); err != nil {
		return out, err
	}
	if c.Owner {
		out.Damage = h.app.Keeping.Damage()
	}
	if len(c.Roles) == 0 {
		return out, nil
	}
	names, err := h.app.Register.CorpusNames(ctx)
	for id, role := range c.Roles {
		out.Roles[names[id]] = string(role)
	}
	return out, err
}

// begin signs a person in, in this browser.
func begin(ctx context.Context, a *app.App, person, agent string) error {
	v := visitOf(ctx)
	m := v.guard.sessions
	if err := m.RenewToken(ctx); err != nil { // nobody goes on with a token that was known before
		return err
	}
	values := a.People.Values(person, agent, v.caller.Address)
	for k, s := range values {
		m.Put(ctx, k, s)
	}
	c, ok, err := a.People.Resume(ctx, person, values[register.SessionSeen])
	if err != nil || !ok {
		return errors.Join(err, people.ErrRefused)
	}
	c.Address, c.Session = v.caller.Address, values[register.SessionID]
	v.caller = c
	return a.People.Seen(ctx, person)
}

// people registers the operations of signing in, and of the people of the installation.
func (h *handlers) people(api huma.API) {
	huma.Register(api, wire.Operation("getSelf", http.MethodGet, "/self", "people", "Who asks, and what they may do"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[Self], error) { return wire.Reply(h.self(ctx)) })
	type agent struct {
		Agent string `header:"User-Agent"`
	}
	huma.Register(api, wire.Operation("signIn", http.MethodPost, "/sign-in", "people", "Sign in with a password"),
		func(ctx context.Context, in *struct {
			agent
			Body struct {
				Mail     string `json:"mail" maxLength:"254"`
				Password string `json:"password" maxLength:"256"`
			}
		},
		) (*wire.Out[Self], error) {
			v := visitOf(ctx)
			v.caller.Name = in.Body.Mail // who was tried, for the audit trail
			id, err := h.app.People.SignIn(ctx, in.Body.Mail, in.Body.Password, v.caller.Address)
			if err == nil {
				err = begin(ctx, h.app, id, in.Agent)
			}
			if err != nil {
				return nil, wire.Known(err)
			}
			return wire.Reply(h.self(ctx))
		})
	huma.Register(api, wire.Operation("signOut", http.MethodPost, "/sign-out", "people", "Sign out"),
		func(ctx context.Context, _ *struct{}) (*struct{}, error) {
			return nil, wire.Known(visitOf(ctx).guard.sessions.Destroy(ctx))
		})
	type InInvitation struct {
		Token string `path:"token" maxLength:"100"`
	}
	huma.Register(api, wire.Operation("getInvitation", http.MethodGet, "/welcome/{token}", "people", "What a link invites to"),
		func(ctx context.Context, in *InInvitation) (*wire.Out[people.Invitation], error) {
			got, err := h.app.People.Invitation(ctx, in.Token)
			if err != nil {
				return nil, gone(err)
			}
			return wire.Reply(got, nil)
		})
	huma.Register(api, wire.Operation("acceptInvitation", http.MethodPost, "/welcome/{token}", "people", "Take up an invitation, and sign in"),
		func(ctx context.Context, in *struct {
			InInvitation
			agent
			Body people.Accepting
		},
		) (*wire.Out[Self], error) {
			id, err := h.app.People.Accept(ctx, in.Token, in.Body)
			if err == nil {
				err = begin(ctx, h.app, id, in.Agent)
			}
			if err != nil {
				return nil, gone(err)
			}
			return wire.Reply(h.self(ctx))
		})
	huma.Register(api, wire.Operation("listSessions", http.MethodGet, "/self/sessions", "people", "Where one is signed in"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[[]people.Session], error) {
			return wire.Reply(h.app.People.Sessions(ctx, people.CallerOf(ctx)))
		})
	huma.Register(api, wire.Operation("endSession", http.MethodDelete, "/self/sessions/{session}", "people", "Sign out somewhere else"),
		func(ctx context.Context, in *struct {
			Session string `path:"session" maxLength:"100"`
		},
		) (*struct{}, error) {
			return nil, wire.Known(h.app.People.EndSession(ctx, people.CallerOf(ctx), in.Session))
		})
	huma.Register(api, wire.Operation("setPassword", http.MethodPut, "/self/password", "people", "Change one's password; one is signed out everywhere else"),
		func(ctx context.Context, in *struct {
			Body struct {
				Old      string `json:"old,omitempty" maxLength:"256"`
				Password string `json:"password" maxLength:"256"`
			}
		},
		) (*struct{}, error) {
			return nil, wire.Known(h.app.People.SetPassword(ctx, people.CallerOf(ctx), in.Body.Old, in.Body.Password))
		})
	huma.Register(api, wire.Operation("renameSelf", http.MethodPut, "/self/name", "people", "Change one's name"),
		func(ctx context.Context, in *struct {
			Body struct {
				Name string `json:"name" maxLength:"120"`
			}
		},
		) (*struct{}, error) {
			return nil, wire.Known(h.app.People.Change(ctx, people.CallerOf(ctx).Person, people.PersonChange{Name: &in.Body.Name}))
		})
	type InPerson struct {
		Person string `path:"person" maxLength:"80"`
	}
	huma.Register(api, wire.Operation("listPeople", http.MethodGet, "/people", "people", "Everybody who works here"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[[]people.Person], error) {
			return wire.Reply(h.app.People.List(ctx, ""))
		})
	huma.Register(api, wire.Operation("changePerson", http.MethodPatch, "/people/{person}", "people", "Change a person; make them an owner; let them in no more, or again"),
		func(ctx context.Context, in *struct {
			InPerson
			Body people.PersonChange
		},
		) (*struct{}, error) {
			return nil, wire.Known(h.app.People.Change(ctx, in.Person, in.Body))
		})
	huma.Register(api, wire.Operation("signOutPerson", http.MethodPost, "/people/{person}/sign-out", "people", "Sign a person out everywhere"),
		func(ctx context.Context, in *InPerson) (*struct{}, error) {
			return nil, wire.Known(h.app.People.SignOut(ctx, in.Person))
		})
	huma.Register(api, wire.Operation("linkPassword", http.MethodPost, "/people/{person}/password", "people", "Make a link by which a person sets a new password"),
		func(ctx context.Context, in *InPerson) (*wire.Out[people.Invited], error) {
			return wire.Reply(h.app.People.NewPassword(ctx, people.CallerOf(ctx), in.Person))
		})
	huma.Register(api, wire.Operation("listInvitations", http.MethodGet, "/invitations", "people", "Links that are still open"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[[]people.Invitation], error) {
			return wire.Reply(h.app.People.Invitations(ctx, ""))
		})
	huma.Register(api, wire.Operation("invite", http.MethodPost, "/invitations", "people", "Invite an owner, or somebody to a corpus. From the command line, with nothing said: a link for an owner, whoever it is"),
		func(ctx context.Context, in *struct{ Body people.Asked }) (*wire.Out[people.Invited], error) {
			v := visitOf(ctx)
			if v.caller.Via == people.ViaCommand && in.Body == (people.Asked{}) {
				return wire.Reply(h.app.People.OwnerLink(ctx))
			}
			return wire.Reply(h.app.People.Invite(ctx, v.caller, in.Body, v.base))
		})
	huma.Register(api, wire.Operation("withdrawInvitation", http.MethodDelete, "/invitations/{invitation}", "people", "Withdraw a link"),
		func(ctx context.Context, in *struct {
			Invitation string `path:"invitation" maxLength:"80"`
		},
		) (*struct{}, error) {
			return nil, wire.Known(h.app.People.Withdraw(ctx, in.Invitation, ""))
		})
	huma.Register(api, wire.Operation("getSignIn", http.MethodGet, "/connections/signin", "people", "The OpenID issuer that people sign in by"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[connections.Connection], error) {
			return wire.Reply(h.app.Connections.Connection(ctx, connections.ConnectionSignIn))
		})
	huma.Register(api, wire.Operation("connectSignIn", http.MethodPut, "/connections/signin", "people", "Set the OpenID issuer that people sign in by: its model is the client id, its key the client secret"),
		func(ctx context.Context, in *struct{ Body connections.ConnectionChange }) (*wire.Out[connections.Connection], error) {
			return wire.Reply(h.app.Connections.ConnectSignIn(ctx, in.Body))
		})
}

// gone says of a link that is not there what a person can do.
func gone(err error) error {
	if errors.Is(err, fault.ErrMissing) {
		return huma.Error404NotFound("this link was used already, was withdrawn, or is older than seven days: ask for a new one")
	}
	return wire.Known(err)
}

// members registers the operations on the people of one corpus.
func (h *handlers) members(api huma.API) {
	id := func(ctx context.Context, corpus string) (string, error) {
		id, _, err := h.app.Register.Corpus(ctx, corpus)
		return id, err
	}
	huma.Register(api, wire.Operation("listMembers", http.MethodGet, "/corpora/{corpus}/people", "people", "Who may do what in a corpus, and who is invited"),
		func(ctx context.Context, in *wire.InCorpus) (*wire.Out[Members], error) {
			corpus, err := id(ctx, in.Corpus)
			if err != nil {
				return nil, wire.Known(err)
			}
			got := Members{Invitations: []people.Invitation{}}
			if got.People, err = h.app.People.List(ctx, corpus); err != nil {
				return nil, wire.Known(err)
			}
			if people.CallerOf(ctx).May(corpus, people.Own) {
				got.Invitations, err = h.app.People.Invitations(ctx, corpus)
			}
			return wire.Reply(got, err)
		})
	huma.Register(api, wire.Operation("inviteMember", http.MethodPost, "/corpora/{corpus}/invitations", "people", "Give somebody a role in a corpus: who works here has it at once, others get a link"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Body struct {
				Mail string `json:"mail,omitempty" maxLength:"254"`
				Role string `json:"role" enum:"see,judge,write,release,own"`
				Send bool   `json:"send,omitempty" doc:"Send the link by mail"`
			}
		},
		) (*wire.Out[people.Invited], error) {
			v := visitOf(ctx)
			return wire.Reply(h.app.People.Invite(ctx, v.caller, people.Asked{Mail: in.Body.Mail, Corpus: in.Corpus, Role: in.Body.Role, Send: in.Body.Send}, v.base))
		})
	huma.Register(api, wire.Operation("setMember", http.MethodPut, "/corpora/{corpus}/people/{person}", "people", "Change somebody's role in a corpus; none takes it away"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Person string `path:"person" maxLength:"80"`
			Body   struct {
				Role string `json:"role" enum:"see,judge,write,release,own,"`
			}
		},
		) (*struct{}, error) {
			corpus, err := id(ctx, in.Corpus)
			if err != nil {
				return nil, wire.Known(err)
			}
			return nil, wire.Known(h.app.People.SetRole(ctx, in.Person, corpus, people.Role(in.Body.Role)))
		})
	huma.Register(api, wire.Operation("withdrawMember", http.MethodDelete, "/corpora/{corpus}/invitations/{invitation}", "people", "Withdraw a link to a corpus"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			Invitation string `path:"invitation" maxLength:"80"`
		},
		) (*struct{}, error) {
			corpus, err := id(ctx, in.Corpus)
			if err != nil {
				return nil, wire.Known(err)
			}
			return nil, wire.Known(h.app.People.Withdraw(ctx, in.Invitation, corpus))
		})
}

// Members are the people of a corpus.
type Members struct {
	People      []people.Person     `json:"people" nullable:"false"`
	Invitations []people.Invitation `json:"invitations" nullable:"false" doc:"For who owns the corpus"`
}

// TrailQuery says which entries of the audit trail are meant.
type TrailQuery struct {
	Person    string   `query:"person" maxLength:"200" doc:"Id of a person, or how an entry names who did it"`
	Operation []string `query:"operation" maxItems:"100"`
	Since     string   `query:"since" maxLength:"30" doc:"RFC 3339 in UTC with milliseconds"`
	Until     string   `query:"until" maxLength:"30"`
	Search    string   `query:"search" maxLength:"200"`
}

func (q TrailQuery) filter(corpus string) register.TrailFilter {
	return register.TrailFilter{Corpus: corpus, Person: q.Person, Operations: q.Operation, Since: q.Since, Until: q.Until, Search: q.Search}
}

// TrailPage is a part of the audit trail.
type TrailPage struct {
	Before int64 `query:"before" minimum:"0" doc:"Number of an entry: what is older"`
	Limit  int   `query:"limit" default:"200" minimum:"1" maximum:"1000"`
}

// TrailLine is an entry of the audit trail with what its operation does.
type TrailLine struct {
	audit.Deed
	What string `json:"what" doc:"What the operation does, in words"`
}

func (h *handlers) trail(ctx context.Context, f register.TrailFilter) (*wire.Out[[]TrailLine], error) {
	list, err := h.app.Audit.List(ctx, f)
	if err != nil {
		return nil, wire.Known(err)
	}
	said := visitOf(ctx).guard.said
	lines := make([]TrailLine, len(list))
	for n, d := range list {
		lines[n] = TrailLine{d, said[d.Operation]}
		if lines[n].What == "" { // of another version of the program
			lines[n].What = d.Operation
		}
	}
	return wire.Reply(lines, nil)
}

// audit registers the operations on the audit trail.
func (h *handlers) audit(api huma.API) {
	huma.Register(api, wire.Operation("listAudit", http.MethodGet, "/audit", "people", "Who did what, the newest first"),
		func(ctx context.Context, in *struct {
			TrailQuery
			TrailPage
			Corpus string `query:"corpus" maxLength:"120"`
		},
		) (*wire.Out[[]TrailLine], error) {
			corpus := in.Corpus
			if corpus != "" {
				if id, _, err := h.app.Register.Corpus(ctx, corpus); err == nil { // one that is gone is named by its id
					corpus = id
				}
			}
			f := in.filter(corpus)
			f.Before, f.Limit = in.Before, in.Limit
			return h.trail(ctx, f)
		})
	huma.Register(api, wire.Operation("listCorpusAudit", http.MethodGet, "/corpora/{corpus}/audit", "people", "Who did what in a corpus, the newest first"),
		func(ctx context.Context, in *struct {
			wire.InCorpus
			TrailQuery
			TrailPage
		},
		) (*wire.Out[[]TrailLine], error) {
			id, _, err := h.app.Register.Corpus(ctx, in.Corpus)
			if err != nil {
				return nil, wire.Known(err)
			}
			f := in.filter(id)
			f.Before, f.Limit = in.Before, in.Limit
			return h.trail(ctx, f)
		})
	huma.Register(api, wire.Operation("exportAudit", http.MethodGet, "/audit/export", "people", "The audit trail as JSON Lines, by which the chain can be checked elsewhere, or as CSV"),
		func(ctx context.Context, in *struct {
			TrailQuery
			Form string `query:"form" enum:"jsonl,csv" default:"jsonl"`
		},
		) (*huma.StreamResponse, error) {
			kind := map[string]string{"jsonl": "application/jsonl; charset=utf-8", "csv": "text/csv; charset=utf-8"}[in.Form]
			var b bytes.Buffer
			err := h.app.Audit.Export(ctx, &b, in.Form, in.filter(""))
			return wire.File("audit."+in.Form, kind)(b.Bytes(), err)
		})
	huma.Register(api, wire.Operation("checkAudit", http.MethodGet, "/audit/check", "people", "Walk the chain of the audit trail, and tell where it breaks"),
		func(ctx context.Context, _ *struct{}) (*wire.Out[audit.Checked], error) {
			return wire.Reply(h.app.Audit.Check(ctx))
		})
}

// tripCookie keeps, sealed, what has to be known again when somebody comes back from the issuer.
const (
	tripCookie  = "jolvex-trip"
	tripLasts   = 10 * time.Minute
	openIDBack  = "/api/openid/back"
	signInPlace = "/sign-in"
)

// GoToOpenID sends a browser to the issuer.
func GoToOpenID(a *app.App) http.HandlerFunc {
	return func(w http.ResponseWriter, q *http.Request) {
		base := visitOf(q.Context()).base
		to, trip, err := a.People.GoToOpenID(q.Context(), base+openIDBack)
		if err != nil {
			sendBack(w, q, err)
			return
		}
		raw, err := json.Marshal(trip)
		if err == nil {
			raw, err = a.Connections.Seal(raw)
		}
		if err != nil {
			sendBack(w, q, err)
			return
		}
		http.SetCookie(w, &http.Cookie{
			Name: tripCookie, Value: base64.RawURLEncoding.EncodeToString(raw), Path: openIDBack, MaxAge: int(tripLasts.Seconds()), HttpOnly: true,
			Secure: strings.HasPrefix(base, "https://"), SameSite: http.SameSiteLaxMode,
		})
		http.Redirect(w, q, to, http.StatusSeeOther)
	}
}

// BackFromOpenID signs in who comes back from the issuer.
func BackFromOpenID(a *app.App) http.HandlerFunc {
	return func(w http.ResponseWriter, q *http.Request) {
		var trip people.OpenIDTrip
		c, err := q.Cookie(tripCookie)
		if err == nil {
			var raw []byte
			if raw, err = base64.RawURLEncoding.DecodeString(c.Value); err == nil {
				if raw, err = a.Connections.Unseal(raw); err == nil {
					err = json.Unmarshal(raw, &trip)
				}
			}
		}
		v := q.URL.Query()
		http.SetCookie(w, &http.Cookie{Name: tripCookie, Path: openIDBack, MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteLaxMode})
		switch {
		case err != nil || trip.State == "" || v.Get("state") != trip.State:
			err = errors.New("this sign-in was not begun in this browser, or was begun too long ago: begin again")
		case v.Get("code") == "":
			err = errors.New("the other service did not sign you in: " + v.Get("error") + " " + v.Get("error_description"))
		default:
			var id string
			if id, err = a.People.BackFromOpenID(q.Context(), trip, v.Get("code")); err == nil {
				err = begin(q.Context(), a, id, q.UserAgent())
			}
		}
		if err != nil {
			sendBack(w, q, err)
			return
		}
		http.Redirect(w, q, "/", http.StatusSeeOther)
	}
}

// sendBack shows on the page of signing in what went wrong.
func sendBack(w http.ResponseWriter, q *http.Request, err error) {
	visitOf(q.Context()).failed = true
	said := err.Error()
	if len(said) > 300 {
		said = said[:300]
	}
	http.Redirect(w, q, signInPlace+"?problem="+url.QueryEscape(said), http.StatusSeeOther)
}
