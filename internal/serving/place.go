package serving

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	"jolvex/core/rule"
	"jolvex/core/text"
	"jolvex/internal/fault"
	"jolvex/internal/store/served"
)

// Settings are how the assistant looks and behaves on a site.
type Settings struct {
	Title      string   `json:"title" maxLength:"80" doc:"Stands above the conversation; empty for the name of the corpus"`
	Accent     string   `json:"accent" maxLength:"7" doc:"Colour of its button and links, as #rrggbb"`
	Corner     string   `json:"corner" enum:"right,left"`
	Button     string   `json:"button" enum:"words,both,sign" doc:"What stands on its button: words, a sign before them, the sign alone"`
	Speech     bool     `json:"speech" doc:"Visitors may speak their question and have replies read aloud, by what their browser brings along"`
	Note       string   `json:"note" maxLength:"300" doc:"That a machine replies"`
	Message    string   `json:"message" maxLength:"500" doc:"Of the day; stands above the conversation"`
	Domains    []string `json:"domains" maxItems:"100" nullable:"false" doc:"Hosts that may show it: www.example.org, *.example.org for all below it, with a port where it is another than usual"`
	MemoryDays int      `json:"memoryDays" minimum:"0" maximum:"400" doc:"For how long a browser remembers the conversation; 0 for as long as the page is open"`
	Paused     bool     `json:"paused" doc:"Nobody is answered"`
	PausedText string   `json:"pausedText" maxLength:"500" doc:"What is said meanwhile"`
	Hours      string   `json:"hours" maxLength:"200" doc:"When visitors are answered, as 'Mon-Fri 09:00-17:00, Sat 10:00-12:00'; empty for always"`
	Zone       string   `json:"zone" maxLength:"60" doc:"Time zone of the hours, by its IANA name; empty for UTC"`
	HoursText  string   `json:"hoursText" maxLength:"500" doc:"What is said outside the hours"`
}

// VisitorsAt says at which address visitors reach the program.
func (sv *Server) VisitorsAt(base string) { sv.visitors.Store(&base) }

// Visitors is the address at which visitors reach the program; empty when it does not listen for any.
func (sv *Server) Visitors() string {
	if at := sv.visitors.Load(); at != nil {
		return *at
	}
	return ""
}

// usual settings of a place.
func usual() Settings {
	return Settings{
		Accent: "#0b5a6f", Corner: "right", Button: "words", Note: "Replies are written by a machine from our pages. Check what matters to you.", Domains: []string{},
		PausedText: "We are not answering here at the moment.", HoursText: "We answer here from Monday to Friday, in office hours.",
	}
}

// Place is how a corpus is served to visitors.
type Place struct {
	Place    string   `json:"place" doc:"Its public name, which the line on a site carries"`
	Settings Settings `json:"settings"`
	Live     int      `json:"live" doc:"Number of the release that visitors get; 0 when there is none yet"`
	Visitors string   `json:"visitors" doc:"Address at which visitors reach the program; empty when it does not listen for any"`
	Identity string   `json:"identity" enum:",HS256,EdDSA" doc:"How sites sign who asks; empty when they do not"`
	Contrast float64  `json:"contrast" doc:"Of white letters on the accent colour (WCAG 2.2, 1.4.3: at least 4.5)"`
}

// Place is how a corpus is served.
func (sv *Server) Place(ctx context.Context, corpus string) (Place, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return Place{}, err
	}
	p, err := sv.served.Of(ctx, c.ID)
	if err != nil {
		return Place{}, err
	}
	set, err := settings(p)
	if err != nil {
		return Place{}, err
	}
	out := Place{Place: p.Place, Settings: set, Visitors: sv.Visitors(), Contrast: contrastToWhite(set.Accent)}
	id, err := sv.Doors.identityOf(p)
	if err != nil {
		return out, err
	}
	out.Identity = id.Algorithm
	r, err := sv.live(ctx, c.ID)
	if errors.Is(err, fault.ErrMissing) {
		return out, nil
	}
	out.Live = r.Number
	return out, err
}

func settings(p served.Place) (Settings, error) {
	set := usual()
	if err := json.Unmarshal([]byte(p.Settings), &set); err != nil {
		return set, fmt.Errorf("read how the corpus is served: %w", err)
	}
	return set, nil
}

// at are the settings as they are at a moment: outside the hours nobody is answered.
func (s Settings) at(now time.Time) Settings {
	if open, err := rule.Open(s.Hours, s.Zone, now); err == nil && !open && !s.Paused { // hours that cannot be read are not kept
		s.Paused, s.PausedText = true, s.HoursText
	}
	return s
}

var colour = regexp.MustCompile(`^#[0-9a-f]{6}$`)

// Shown is how the assistant of a public name looks and behaves.
func (sv *Server) Shown(ctx context.Context, place string) (Settings, error) {
	p, err := sv.served.Place(ctx, place)
	if err != nil {
		return Settings{}, err
	}
	return settings(p)
}

// PutPlace changes how a corpus is served; it takes effect at once.
func (sv *Server) PutPlace(ctx context.Context, corpus string, set Settings) (Place, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return Place{}, err
	}
	set.Accent = strings.ToLower(set.Accent)
	if !colour.MatchString(set.Accent) {
		return Place{}, fault.Input("a colour is #rrggbb, not %q", set.Accent)
	}
	for _, s := range []string{set.Title, set.Note, set.Message, set.PausedText, set.HoursText} {
		if !text.Plain(strings.ReplaceAll(s, "\n", " ")) {
			return Place{}, fault.Input("%q has characters that control or turn the writing", s)
		}
	}
	if _, err := rule.Open(set.Hours, set.Zone, time.Now()); err != nil {
		return Place{}, fault.Input("%v", err)
	}
	for n, d := range set.Domains {
		if set.Domains[n], err = domain(d); err != nil {
			return Place{}, err
		}
	}
	slices.Sort(set.Domains)
	set.Domains = slices.Compact(set.Domains)
	p, err := sv.served.Of(ctx, c.ID)
	if err != nil {
		return Place{}, err
	}
	raw, err := json.Marshal(set)
	if err != nil {
		return Place{}, err
	}
	p.Settings = string(raw)
	if err := sv.served.Put(ctx, p); err != nil {
		return Place{}, err
	}
	return sv.Place(ctx, c.ID)
}

// domain is a pattern of hosts as it is kept: an address is taken for its host.
func domain(s string) (string, error) {
	given := s
	s = strings.ToLower(strings.TrimSpace(s))
	if strings.Contains(s, "://") {
		u, err := url.Parse(s)
		if err != nil {
			return "", fault.Input("%q is no host", given)
		}
		s = u.Host
	}
	bare := strings.TrimPrefix(s, "*.")
	host := bare
	if h, port, err := net.SplitHostPort(bare); err == nil {
		if port == "" {
			return "", fault.Input("%q is no host", given)
		}
		host = h
	}
	if host == "" || strings.ContainsAny(host, "*/ '\";,:[]") || len(host) > 253 || s != bare && !strings.Contains(host, ".") {
		return "", fault.Input("%q is no host such as www.example.org or *.example.org", given)
	}
	return s, nil
}

// embeds says whether a page of an origin may show the assistant.
func (s Settings) embeds(origin string) bool {
	u, err := url.Parse(origin)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil {
		return false
	}
	host := strings.ToLower(u.Host)
	return slices.ContainsFunc(s.Domains, func(d string) bool {
		if below, ok := strings.CutPrefix(d, "*."); ok {
			return strings.HasSuffix(host, "."+below)
		}
		return host == d
	})
}

// Ancestors are the sources of frame-ancestors (Content Security Policy Level 3) that may show the assistant.
func (s Settings) Ancestors() string {
	if len(s.Domains) == 0 {
		return "'none'"
	}
	var out []string
	for _, d := range s.Domains {
		out = append(out, "https://"+d, "http://"+d)
	}
	return strings.Join(out, " ")
}

// passFor is how long a pass lets a page ask.
const passFor = 30 * time.Minute

// pass is what a page on a site asks with.
type pass struct {
	Place, Origin string
	Until         time.Time
}

// ErrDomain says that a site may not show the assistant.
var ErrDomain = errors.New("this site may not show the assistant: its host is not among the allowed domains")

// Pass lets a page of an origin ask for a while. ErrDomain when its host is not allowed.
func (sv *Server) Pass(ctx context.Context, place, origin string, now time.Time) (string, error) {
	p, err := sv.served.Place(ctx, place)
	if err != nil {
		return "", err
	}
	set, err := settings(p)
	if err != nil {
		return "", err
	}
	if !set.embeds(origin) {
		return "", ErrDomain
	}
	raw, err := json.Marshal(pass{place, origin, now.Add(passFor)})
	if err != nil {
		return "", err
	}
	sealed, err := sv.connections.Seal(raw)
	return base64.RawURLEncoding.EncodeToString(sealed), err
}

// Link is an address at which somebody who is not signed in can ask.
type Link struct {
	ID        string `json:"id"`
	Name      string `json:"name"`
	Draft     bool   `json:"draft" doc:"For testers: reaches the draft, and its conversations are tests"`
	Worded    bool   `json:"worded" doc:"A word has to be entered"`
	EndsAt    string `json:"endsAt,omitempty"`
	Most      int    `json:"most,omitempty" doc:"Questions in all"`
	Used      int    `json:"used"`
	MadeBy    string `json:"madeBy,omitempty"`
	CreatedAt string `json:"createdAt"`
	Token     string `json:"token,omitempty" doc:"What the address carries after /s/; told once, when it is made"`
}

// NewLink says what a link is to be.
type NewLink struct {
	Name   string `json:"name" minLength:"1" maxLength:"120"`
	Draft  bool   `json:"draft,omitempty"`
	Word   string `json:"word,omitempty" maxLength:"100" doc:"To be entered first"`
	EndsAt string `json:"endsAt,omitempty" maxLength:"30" doc:"RFC 3339"`
	Most   int    `json:"most,omitempty" minimum:"0" maximum:"1000000"`
}

func random() string {
	raw := make([]byte, 24)
	_, _ = rand.Read(raw) // never fails
	return base64.RawURLEncoding.EncodeToString(raw)
}

func hashed(s string) string {
	sum := sha256.Sum256([]byte(s))
	return hex.EncodeToString(sum[:])
}

func linkView(l served.Link) Link {
	return Link{l.ID, l.Name, l.Draft, l.Word != "", l.EndsAt, l.Most, l.Used, l.MadeBy, l.CreatedAt, ""}
}

// Links lists the links of a corpus that work still, and those whose time is over.
func (sv Doors) Links(ctx context.Context, corpus string) ([]Link, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	rows, err := sv.served.Links(ctx, c.ID)
	out := make([]Link, len(rows))
	for n, l := range rows {
		out[n] = linkView(l)
	}
	return out, err
}

// AddLink makes a link.
func (sv Doors) AddLink(ctx context.Context, corpus, by string, n NewLink) (Link, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return Link{}, err
	}
	l := served.Link{Corpus: c.ID, Name: strings.TrimSpace(n.Name), Draft: n.Draft, Most: n.Most, MadeBy: by}
	if n.EndsAt != "" {
		at, err := time.Parse(time.RFC3339, n.EndsAt)
		if err != nil {
			return Link{}, fault.Input("%q is no moment as in 2030-01-31T17:00:00Z", n.EndsAt)
		}
		l.EndsAt = at.UTC().Format("2006-01-02T15:04:05.000Z")
	}
	if word := strings.TrimSpace(n.Word); word != "" {
		l.Word = hashed(strings.ToLower(word))
	}
	token := random()
	l.Token = hashed(token)
	if l, err = sv.served.AddLink(ctx, l); err != nil {
		return Link{}, err
	}
	out := linkView(l)
	out.Token = token
	return out, nil
}

// EndLink ends a link.
func (sv Doors) EndLink(ctx context.Context, corpus, id string) error {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	return sv.served.EndLink(ctx, c.ID, id)
}

// What a key allows.
const (
	ScopeAsk  = "ask"
	ScopeFind = "find"
)

// Key is one by which a program asks.
type Key struct {
	ID        string   `json:"id"`
	Name      string   `json:"name"`
	Start     string   `json:"start" doc:"Its first letters, to tell it by"`
	Scopes    []string `json:"scopes" nullable:"false"`
	PerMinute int      `json:"perMinute"`
	MadeBy    string   `json:"madeBy,omitempty"`
	CreatedAt string   `json:"createdAt"`
	UsedAt    string   `json:"usedAt,omitempty" doc:"To a minute"`
	Key       string   `json:"key,omitempty" doc:"Told once, when it is made"`
}

// NewKey says what a key is to be.
type NewKey struct {
	Name      string   `json:"name" minLength:"1" maxLength:"120"`
	Scopes    []string `json:"scopes" enum:"ask,find" minItems:"1" maxItems:"2" nullable:"false"`
	PerMinute int      `json:"perMinute" minimum:"1" maximum:"100000"`
}

func keyView(k served.Key) Key {
	return Key{k.ID, k.Name, k.Start, strings.Split(k.Scopes, "\n"), k.PerMinute, k.MadeBy, k.CreatedAt, k.UsedAt, ""}
}

// Keys lists the keys of a corpus.
func (sv Doors) Keys(ctx context.Context, corpus string) ([]Key, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	rows, err := sv.served.Keys(ctx, c.ID)
	out := make([]Key, len(rows))
	for n, k := range rows {
		out[n] = keyView(k)
	}
	return out, err
}

// AddKey makes a key. It is kept as a hash: nobody can read it again.
func (sv Doors) AddKey(ctx context.Context, corpus, by string, n NewKey) (Key, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return Key{}, err
	}
	key := "jvx_" + random()
	slices.Sort(n.Scopes)
	k, err := sv.served.AddKey(ctx, served.Key{
		Corpus: c.ID, Hash: hashed(key), Name: strings.TrimSpace(n.Name), Start: key[:8], Scopes: strings.Join(slices.Compact(n.Scopes), "\n"), PerMinute: n.PerMinute, MadeBy: by,
	})
	out := keyView(k)
	out.Key = key
	return out, err
}

// EndKey ends a key.
func (sv Doors) EndKey(ctx context.Context, corpus, id string) error {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	return sv.served.EndKey(ctx, c.ID, id)
}
