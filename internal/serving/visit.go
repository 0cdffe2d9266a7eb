package serving

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"jolvex/core/answer"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/store"
	"jolvex/internal/store/served"
)

// Refusals of visitors, besides ErrDomain.
var (
	ErrGone   = errors.New("this address does not work any more")
	ErrPass   = errors.New("the page has been open for too long, or the pass is not ours: load it again")
	ErrWord   = errors.New("the word is not right")
	ErrPaused = errors.New("nobody is answered here at the moment")
	ErrScope  = errors.New("the key does not allow this")
	ErrNoLive = errors.New("nothing has been released here yet")
)

// Admitted is a visitor who was let in: where, and as what.
type Admitted struct {
	Corpus   store.Corpus
	Settings Settings
	Surface  string
	Page     string   // origin of the site; the page itself is told with each message
	Key      string   // id of the key of a program
	Scopes   []string // what that allows
	Rate     int      // questions a minute that a key allows
	Person   Person   // who asks, as their site says; the zero value when it does not
	link     served.Link
}

// AdmitPass lets in who comes with a pass, from a page on a site, and with the site's word on who that is, where it gives one.
func (sv *Server) AdmitPass(ctx context.Context, given, word string, now time.Time) (Admitted, error) {
	sealed, err := base64.RawURLEncoding.DecodeString(given)
	if err != nil {
		return Admitted{}, ErrPass
	}
	raw, err := sv.connections.Unseal(sealed)
	if err != nil {
		return Admitted{}, ErrPass
	}
	var p pass
	if err := json.Unmarshal(raw, &p); err != nil || p.Place == "" || now.After(p.Until) {
		return Admitted{}, ErrPass
	}
	row, err := sv.served.Place(ctx, p.Place)
	if err != nil {
		return Admitted{}, errors.Join(ErrGone, err)
	}
	set, err := settings(row)
	if err != nil {
		return Admitted{}, err
	}
	if !set.embeds(p.Origin) { // it was allowed when the pass was given
		return Admitted{}, ErrDomain
	}
	a := Admitted{Settings: set.at(now), Surface: asking.SurfaceWidget, Page: p.Origin}
	if word != "" {
		if a.Person, err = sv.Doors.person(row, word, now); err != nil {
			return Admitted{}, err
		}
	}
	a.Corpus, err = sv.store.Corpus(ctx, row.Corpus)
	return a, err
}

// AdmitLink lets in who comes by a link, with the word that it asks for.
func (sv *Server) AdmitLink(ctx context.Context, token, word string, now time.Time) (Admitted, error) {
	l, err := sv.served.Link(ctx, hashed(token))
	if errors.Is(err, fault.ErrMissing) {
		return Admitted{}, ErrGone
	}
	if err != nil {
		return Admitted{}, err
	}
	if l.Word != "" && hashed(strings.ToLower(strings.TrimSpace(word))) != l.Word {
		return Admitted{}, ErrWord
	}
	p, err := sv.served.Of(ctx, l.Corpus)
	if err != nil {
		return Admitted{}, err
	}
	set, err := settings(p)
	if err != nil {
		return Admitted{}, err
	}
	c, err := sv.store.Corpus(ctx, l.Corpus)
	a := Admitted{Corpus: c, Settings: set.at(now), Surface: asking.SurfaceLink, link: l}
	if l.Draft {
		a.Surface, a.Settings.Paused = asking.SurfaceTester, false
	}
	return a, err
}

// AdmitKey lets a program in.
func (sv *Server) AdmitKey(ctx context.Context, key, scope string) (Admitted, error) {
	k, err := sv.served.Key(ctx, hashed(key))
	if errors.Is(err, fault.ErrMissing) {
		return Admitted{}, ErrGone
	}
	if err != nil {
		return Admitted{}, err
	}
	scopes := strings.Split(k.Scopes, "\n")
	if !slices.Contains(scopes, scope) {
		return Admitted{}, ErrScope
	}
	if at, err := time.Parse(time.RFC3339, k.UsedAt); err != nil || time.Since(at) > time.Minute {
		if err := sv.served.UsedKey(ctx, k.ID); err != nil {
			return Admitted{}, err
		}
	}
	c, err := sv.store.Corpus(ctx, k.Corpus)
	return Admitted{Corpus: c, Surface: asking.SurfaceProgram, Key: k.ID, Scopes: scopes, Rate: k.PerMinute}, err
}

// AdmitChannel lets in who writes by a channel: a messaging service, or mail.
func (sv *Server) AdmitChannel(ctx context.Context, corpus, surface string, now time.Time) (Admitted, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return Admitted{}, err
	}
	p, err := sv.served.Of(ctx, c.ID)
	if err != nil {
		return Admitted{}, err
	}
	set, err := settings(p)
	return Admitted{Corpus: c, Settings: set.at(now), Surface: surface}, err
}

// About is what a visitor's page is made of.
type About struct {
	Title      string   `json:"title"`
	Accent     string   `json:"accent"`
	Note       string   `json:"note"`
	Message    string   `json:"message"`
	Welcome    string   `json:"welcome"`
	First      []string `json:"first"`
	MemoryDays int      `json:"memoryDays"`
	Paused     string   `json:"paused"` // what is said while nobody is answered; empty when people are
	Speech     bool     `json:"speech"` // questions may be spoken, replies read aloud
	Test       bool     `json:"test"`   // it is the draft that answers
}

// About says what a visitor's page is made of.
func (sv *Server) About(ctx context.Context, a Admitted) (About, error) {
	out := About{
		Title: a.Settings.Title, Accent: a.Settings.Accent, Note: a.Settings.Note, Message: a.Settings.Message, First: []string{}, MemoryDays: a.Settings.MemoryDays, Speech: a.Settings.Speech, Test: a.link.Draft,
	}
	if out.Title == "" {
		out.Title = a.Corpus.Name
	}
	m := a.Corpus.Method
	if !a.link.Draft {
		f, err := sv.released(ctx, a.Corpus)
		if errors.Is(err, fault.ErrMissing) {
			return out, ErrNoLive
		}
		if err != nil {
			return out, err
		}
		m = f.method
	}
	out.Welcome = m.Answer.Welcome
	for line := range strings.Lines(m.Answer.First) {
		if q := strings.TrimSpace(line); q != "" {
			out.First = append(out.First, q)
		}
	}
	if a.Settings.Paused {
		out.Paused = a.Settings.PausedText
	}
	return out, nil
}

// Message is what a visitor says.
type Message struct {
	Text         string
	Conversation string // that it goes on with; empty to begin one
	Visitor      string
	Page         string
	Campaign     string
	Place        string
	Exchange     string       // id that the reply is kept under, and told again when it is there; empty for a new one
	Turns        []query.Turn // of a program, which remembers its conversation by itself
}

// Said is a reply as visitors get it.
type Said struct {
	Conversation string     `json:"conversation"`
	Exchange     string     `json:"exchange"`
	Sentences    []Sentence `json:"sentences"`
	Sources      []Source   `json:"sources"`
	Outcome      string     `json:"outcome"`
	Refused      bool       `json:"refused"`
	Options      []string   `json:"options"` // to choose from, where something was asked back
	Person       string     `json:"person"`  // waiting, when a person was called; taken, when it was passed on to one; else empty
	TokensIn     int        `json:"-"`       // that a model read for it
	TokensOut    int        `json:"-"`
}

// Sentence is one of a reply, with the numbers, from 0, of the sources that say so.
type Sentence struct {
	Text    string `json:"text"`
	Sources []int  `json:"sources"`
}

// Source is where a reply comes from.
type Source struct {
	Title string `json:"title"`
	Link  string `json:"link"` // empty where there is no address that a visitor could open
}

// mostExchanges is how long a visitor's conversation gets, and rememberedTurns how much of it a message is read with.
const (
	mostExchanges   = 300
	rememberedTurns = 12
)

// Ask answers a visitor, and keeps what was said as a conversation. A conversation ends with the release that it began with.
func (sv *Server) Ask(ctx context.Context, a Admitted, m Message) (Said, error) {
	if strings.TrimSpace(m.Text) == "" {
		return Said{}, fault.Input("ask something")
	}
	if a.Settings.Paused {
		return Said{}, ErrPaused
	}
	who := asking.Caller{Audience: a.audience(), Surface: a.Surface, Page: a.Page, Conversation: m.Conversation, Visitor: a.visitor(m.Visitor), Campaign: m.Campaign, Place: m.Place}
	if u, err := url.Parse(m.Page); err == nil && u.Host != "" && (a.Page == "" || u.Scheme+"://"+u.Host == a.Page) {
		who.Page = m.Page // a site names pages of its own alone
	}
	if m.Conversation != "" {
		defer sv.turns.take(m.Conversation)()
	}
	if m.Exchange != "" {
		who.Exchange = m.Exchange
		switch e, err := sv.talk.Exchange(ctx, a.Corpus.ID, m.Exchange); {
		case err == nil: // it was asked, and nobody heard
			r, err := sv.asking.Reply(ctx, a.Corpus.ID, m.Exchange)
			if err != nil {
				return Said{}, err
			}
			r.Conversation = e.Conversation
			return said(r), nil
		case !errors.Is(err, fault.ErrMissing):
			return Said{}, err
		}
	}
	turns, begun, err := sv.so(ctx, a, m)
	if err != nil {
		return Said{}, err
	}
	if a.link.ID != "" {
		if ok, err := sv.served.UseLink(ctx, a.link.ID); err != nil || !ok {
			return Said{}, errors.Join(err, ErrGone)
		}
	}
	if m.Conversation != "" {
		if out, passed, err := sv.Persons.passOn(ctx, a, m); passed || err != nil {
			return out, err
		}
	}
	b, err := sv.bench(ctx, &who, a, begun)
	if err != nil {
		return Said{}, err
	}
	r, err := sv.asking.AskAndKeep(ctx, who, a.Corpus, b, query.Question{Text: m.Text, Turns: turns})
	if err != nil {
		return Said{}, err
	}
	out := said(r)
	out.Person, err = sv.Persons.callPerson(ctx, a, b.Rules, r)
	return out, err
}

// so is what was said in a conversation so far, and the release with which it began.
func (sv *Server) so(ctx context.Context, a Admitted, m Message) ([]query.Turn, string, error) {
	if m.Conversation == "" {
		return m.Turns, "", nil
	}
	c, es, err := sv.talk.Conversation(ctx, a.Corpus.ID, m.Conversation, 0, mostExchanges)
	if errors.Is(err, fault.ErrMissing) || err == nil && (c.Surface != a.Surface || c.Audience != a.audience()) {
		return nil, "", fault.Input("this conversation is not there any more: begin a new one")
	}
	if err != nil {
		return nil, "", err
	}
	if len(es) >= mostExchanges {
		return nil, "", fault.Input("this conversation has become too long: begin a new one")
	}
	turns := []query.Turn{}
	for _, e := range es[max(0, len(es)-rememberedTurns):] {
		turns = append(turns, query.Turn{Role: "user", Text: e.Question}, query.Turn{Role: "assistant", Text: e.Said})
	}
	return turns, c.Release, nil
}

// bench is what a visitor is answered with: the draft for testers; the release with which the conversation began; the one that is live.
func (sv *Server) bench(ctx context.Context, who *asking.Caller, a Admitted, begun string) (answer.Bench, error) {
	if a.link.Draft {
		return sv.asking.Bench(ctx, *who, a.Corpus, a.Corpus.Method)
	}
	f, err := sv.withBegun(ctx, a.Corpus, begun)
	if err != nil {
		return answer.Bench{}, err
	}
	who.Release = f.release
	snap, err := sv.withheld(ctx, a.Corpus.ID, f)
	if err != nil {
		return answer.Bench{}, err
	}
	return sv.asking.BenchOn(ctx, *who, snap, f.method)
}

func (sv *Server) withBegun(ctx context.Context, c store.Corpus, begun string) (*frozen, error) {
	if begun != "" {
		r, err := sv.served.Release(ctx, c.ID, begun)
		if err != nil {
			return nil, err
		}
		return sv.open(ctx, r)
	}
	f, err := sv.released(ctx, c)
	if errors.Is(err, fault.ErrMissing) {
		return nil, ErrNoLive
	}
	return f, err
}

// said is a reply without what is nobody's business outside.
func said(r *asking.Reply) Said {
	out := Said{Conversation: r.Conversation, Exchange: r.ID, Sentences: []Sentence{}, Sources: []Source{}, Outcome: string(r.Trail.Outcome), Refused: r.Refused, Options: []string{}}
	out.Options = append(out.Options, r.Trail.Options...)
	for n, s := range r.Trail.Reply {
		one := Sentence{Text: s.Text, Sources: []int{}}
		for _, c := range r.Cited {
			if c.Sentence != n {
				continue
			}
			src := Source{Title: c.Title, Link: c.Link}
			if u, err := url.Parse(c.Link); err != nil || u.Scheme != "http" && u.Scheme != "https" {
				src.Link = ""
			}
			at := slices.Index(out.Sources, src)
			if at < 0 {
				at = len(out.Sources)
				out.Sources = append(out.Sources, src)
			}
			if !slices.Contains(one.Sources, at) {
				one.Sources = append(one.Sources, at)
			}
		}
		out.Sentences = append(out.Sentences, one)
	}
	for _, x := range r.Trail.Spent {
		out.TokensIn, out.TokensOut = out.TokensIn+x.In, out.TokensOut+x.Out
	}
	return out
}

// Text is a reply as one text, and where each sentence begins and ends in it, in characters.
func (s Said) Text() (text string, spans [][2]int) {
	at := 0
	for n, x := range s.Sentences {
		if n > 0 {
			text += " "
			at++
		}
		long := len([]rune(x.Text))
		text += x.Text
		spans = append(spans, [2]int{at, at + long})
		at += long
	}
	return text, spans
}

// Found is a passage for a program.
type Found struct {
	Text     string   `json:"text"`
	Title    string   `json:"title"`
	Path     []string `json:"path"` // headings above it
	Link     string   `json:"link"`
	Score    float64  `json:"score"`
	Document string   `json:"document"` // to open it with
	From     int      `json:"from"`     // where it stands there, in bytes of UTF-8
	To       int      `json:"to"`
}

// Find gives the passages that a release has for a question, the best first.
func (sv Library) Find(ctx context.Context, a Admitted, question string, most int) ([]Found, error) {
	who := asking.Caller{Audience: index.Public, Surface: a.Surface}
	b, err := sv.bench(ctx, &who, a, "")
	if err != nil {
		return nil, err
	}
	r, err := sv.asking.SearchOn(ctx, b, query.Question{Text: question})
	if err != nil {
		return nil, err
	}
	out := []Found{}
	for _, e := range r.Evidence[:min(most, len(r.Evidence))] {
		out = append(out, Found{e.Text, e.Title, e.Path, e.Address, e.Score, e.Document, e.Span.Start, e.Span.End})
	}
	return out, nil
}

// Thumb keeps what a visitor thinks of a reply of their conversation.
func (sv *Server) Thumb(ctx context.Context, a Admitted, conversation, exchange, thumb, word string) error {
	e, err := sv.talk.Exchange(ctx, a.Corpus.ID, exchange)
	if err != nil {
		return err
	}
	if e.Conversation != conversation || e.Surface != a.Surface {
		return fmt.Errorf("reply: %w", fault.ErrMissing)
	}
	return sv.talk.Thumb(ctx, a.Corpus.ID, exchange, thumb, word)
}

// Forget erases what a visitor said, by the random name that only their browser knows. It gives how many conversations there were.
func (sv *Server) Forget(ctx context.Context, a Admitted, visitor string) (int, error) {
	if visitor = a.visitor(visitor); len(visitor) < 16 {
		return 0, fault.Input("who is to be forgotten?")
	}
	return sv.talk.Erase(ctx, a.Corpus.ID, visitor)
}

// oneByOne has the messages of one conversation come one after the other.
type oneByOne struct {
	mu   sync.Mutex
	held map[string]*turn
}

type turn struct {
	mu    sync.Mutex
	users int
}

// take waits for one's turn, and gives what ends it.
func (o *oneByOne) take(key string) func() {
	o.mu.Lock()
	t := o.held[key]
	if t == nil {
		t = &turn{}
		o.held[key] = t
	}
	t.users++
	o.mu.Unlock()
	t.mu.Lock()
	return func() {
		t.mu.Unlock()
		o.mu.Lock()
		defer o.mu.Unlock()
		if t.users--; t.users == 0 {
			delete(o.held, key)
		}
	}
}
