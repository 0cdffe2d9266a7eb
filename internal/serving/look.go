package serving

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"net"
	"net/url"
	"strings"
	"time"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"jolvex/internal/fault"
	"jolvex/internal/gather"
	"jolvex/internal/serving/policy"
	"jolvex/internal/store"
)

// Pages fetch one page of a site, as a visit to it would: public addresses, and private hosts that a source of the corpus may reach.
type Pages interface {
	Page(ctx context.Context, c store.Corpus, address string) (*gather.Page, error)
}

// Point is one thing that has to be right for the assistant to show on a page.
type Point struct {
	Name string `json:"name" enum:"page,line,place,address,domain,policy,release,open"`
	Good bool   `json:"good"`
	Says string `json:"says" doc:"What was found"`
	Cure string `json:"cure,omitempty" doc:"What to do about it"`
}

// Looked is what a look at a page found, point by point. What hangs on a point that is not good is not there.
type Looked struct {
	Address string  `json:"address" doc:"After redirects"`
	Shows   bool    `json:"shows" doc:"Every point is good"`
	Points  []Point `json:"points" nullable:"false"`
}

// line is the element by which a page carries the assistant.
type line struct{ src, place, nonce string }

// Look fetches a page and says whether the assistant shows on it, and, where it does not, what to do about that.
func (sv *Server) Look(ctx context.Context, corpus, address string) (Looked, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return Looked{}, err
	}
	place, err := sv.Place(ctx, c.ID)
	if err != nil {
		return Looked{}, err
	}
	if address, err = gather.Normalise(strings.TrimSpace(address)); err != nil {
		return Looked{}, fault.Input("%v", err)
	}
	l := look{Looked: Looked{Address: address, Points: []Point{}}, place: place, other: func(name string) string { return sv.corpusAt(ctx, name) }}
	p, err := sv.pages.Page(ctx, c, address)
	switch {
	case err != nil:
		l.bad("page", fmt.Sprintf("The page cannot be fetched: %v", err), "Open the address in a browser. A host of a private network has to be allowed for a source of this corpus first.")
	case p.Status >= 400:
		l.bad("page", fmt.Sprintf("The page answers with status %d", p.Status), "Give the address of a page that everybody can open.")
	case !strings.Contains(p.MediaType, "html"):
		l.bad("page", "That is no page but "+p.MediaType, "Give the address of a page.")
	default:
		if l.Address = p.Address; len(p.Redirects) > 0 {
			l.good("page", "The page is there, after a redirect to "+p.Address)
		} else {
			l.good("page", "The page is there")
		}
		l.carries(p)
	}
	l.place.Settings = l.place.Settings.at(time.Now())
	l.release()
	l.Shows = true
	for _, x := range l.Points {
		l.Shows = l.Shows && x.Good
	}
	return l.Looked, nil
}

// corpusAt names the corpus of a public name; "" when there is none.
func (sv *Server) corpusAt(ctx context.Context, place string) string {
	p, err := sv.served.Place(ctx, place)
	if err != nil {
		return ""
	}
	c, err := sv.store.Corpus(ctx, p.Corpus)
	if err != nil {
		return ""
	}
	return c.Name
}

type look struct {
	Looked
	place Place
	other func(place string) string // name of the corpus that has it
}

func (l *look) good(name, says string) { l.Points = append(l.Points, Point{name, true, says, ""}) }
func (l *look) bad(name, says, cure string) {
	l.Points = append(l.Points, Point{name, false, says, cure})
}

// Line is what a site carries so that the assistant shows.
func (p Place) Line() string {
	return fmt.Sprintf(`<script async src="%s/w.js" data-place="%s"></script>`, p.Visitors, p.Place)
}

// carries looks for the line in a page, and for what keeps it from working.
func (l *look) carries(p *gather.Page) {
	lines, policies := read(p)
	page, err := url.Parse(p.Address)
	if err != nil {
		l.bad("line", err.Error(), "")
		return
	}
	var ours *line
	seen := ""
	for n, x := range lines {
		if x.place == l.place.Place {
			ours = &lines[n]
			break
		}
		seen = x.place
	}
	switch {
	case ours == nil && seen == "":
		l.bad("line", "The page does not carry the line", "Paste into the page, before </body>: "+l.place.Line()+" If a script of the site adds it, this look cannot see it: look at the page in a browser.")
		return
	case ours == nil:
		of := l.other(seen)
		if of == "" {
			of = "no corpus that is here"
		}
		l.good("line", "The page carries a line")
		l.bad("place", "The line is that of another assistant: "+of, "Put this in its place: "+l.place.Line())
		return
	}
	l.good("line", "The page carries the line")
	l.good("place", "It is the line of this assistant")
	at, err := page.Parse(ours.src)
	home, homeErr := url.Parse(l.place.Visitors)
	if err != nil || homeErr != nil || l.place.Visitors == "" || at.Scheme+"://"+at.Host != home.Scheme+"://"+home.Host || at.Path != "/w.js" {
		l.bad("address", "The line loads from "+ours.src, "Visitors reach this program at "+cmp.Or(l.place.Visitors, "no address yet")+": put this in its place: "+l.place.Line())
		return
	}
	if host := net.ParseIP(at.Hostname()); page.Scheme == "https" && at.Scheme == "http" && at.Hostname() != "localhost" && (host == nil || !host.IsLoopback()) {
		l.bad("address", "The page is loaded safely (https), the line is not (http): browsers refuse that", "Have visitors reach this program over https, and start it with --visitors-url https://…")
		return
	}
	l.good("address", "It loads from the address of this program")
	origin := page.Scheme + "://" + page.Host
	if l.place.Settings.embeds(origin) {
		l.good("domain", page.Host+" is among the allowed hosts")
	} else {
		l.bad("domain", page.Host+" is not among the allowed hosts", "Add "+page.Host+" to the hosts that may show it.")
	}
	l.policy(policies, page, at, home, ours.nonce)
}

func (l *look) policy(policies []string, page, at, home *url.URL, nonce string) {
	list := policy.Parse(policies...)
	if len(list) == 0 {
		l.good("policy", "The page has no Content Security Policy")
		return
	}
	var cures []string
	for _, x := range []struct {
		name, path, nonce string
		kind              []string
	}{{"script-src", "", nonce, policy.Script}, {"connect-src", "/v/pass", "", policy.Connect}, {"frame-src", "/at/" + l.place.Place, "", policy.Frame}} {
		target := at
		if x.path != "" {
			target = home.JoinPath(x.path)
		}
		if list.Blocks(page, target, x.kind, x.nonce) != "" {
			cures = append(cures, x.name)
		}
	}
	if len(cures) == 0 {
		l.good("policy", "Its Content Security Policy lets the assistant load")
		return
	}
	l.bad("policy", "Its Content Security Policy keeps the assistant from loading: "+strings.Join(cures, ", "), "Add "+home.Scheme+"://"+home.Host+" to "+strings.Join(cures, ", ")+" in the policy of the site.")
}

func (l *look) release() {
	if l.place.Live == 0 {
		l.bad("release", "Nothing has been released yet", "Make a release: visitors get no draft.")
	} else {
		l.good("release", fmt.Sprintf("Release %d is live", l.place.Live))
	}
	if l.place.Settings.Paused {
		l.bad("open", "Nobody is answered at the moment: it is paused, or outside its hours", "End the pause, or change the hours, when it is to answer.")
	} else {
		l.good("open", "It answers")
	}
}

// read finds the lines and the policies of a page.
func read(p *gather.Page) (lines []line, policies []string) {
	policies = append(policies, p.Policies...)
	z := html.NewTokenizer(bytes.NewReader(p.Body))
	for {
		switch z.Next() {
		case html.ErrorToken: // the end, or as far as a browser would get
			return lines, policies
		case html.StartTagToken, html.SelfClosingTagToken:
			t := z.Token()
			at := map[string]string{}
			for _, a := range t.Attr {
				at[a.Key] = a.Val
			}
			switch {
			case t.DataAtom == atom.Script && at["data-place"] != "" && at["src"] != "":
				lines = append(lines, line{at["src"], at["data-place"], at["nonce"]})
			case t.DataAtom == atom.Meta && strings.EqualFold(at["http-equiv"], "Content-Security-Policy"):
				policies = append(policies, at["content"])
			}
		}
	}
}
