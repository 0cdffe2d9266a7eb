// Package sim holds stand-ins for the world outside: they let the product run, and be tested, with no network.
package sim

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"html"
	"io"
	"io/fs"
	"net/http"
	"path"
	"sort"
	"strings"
	"sync"
	"time"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"
)

// site serves pages from files, with the faults that real sites have.
type site struct {
	pages fs.FS
	home  string // absolute, with a slash at the end
	now   func() time.Time
	md    goldmark.Markdown
	mu    sync.Mutex
	tries map[string]int
}

// Redirects of the site: a chain of two, and an old name.
var moved = map[string]string{"/tickets": "/booking-tickets", "/booking-tickets": "/bookings", "/prices": "/fares"}

// Site serves a folder of Markdown and HTML pages as a website with navigation, robots.txt and a sitemap, and with
// faults on purpose: a redirect chain, a page that fails twice and then works, a slow one, one that only exists after
// its scripts have run, a forbidden folder, a calendar without end. Files of other kinds are served as they are.
func Site(pages fs.FS, home string, now func() time.Time) http.Handler {
	s := &site{pages: pages, home: home, now: now, md: goldmark.New(goldmark.WithExtensions(extension.Table)), tries: map[string]int{}}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /robots.txt", s.robots)
	mux.HandleFunc("GET /sitemap.xml", s.sitemap)
	mux.HandleFunc("GET /live-departures", s.scripted)
	mux.HandleFunc("GET /calendar", s.calendar)
	mux.HandleFunc("GET /", s.page)
	return mux
}

func (s *site) robots(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	fmt.Fprintf(w, "User-agent: *\nDisallow: /internal/\nDisallow: /basket\nAllow: /\n\nSitemap: %ssitemap.xml\n", s.home)
}

// sitemap names the pages that the site wants found. News are not in it: they are found by links alone.
func (s *site) sitemap(w http.ResponseWriter, _ *http.Request) {
	var at []string
	err := fs.WalkDir(s.pages, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || path.Ext(p) != ".md" && path.Ext(p) != ".html" || strings.HasPrefix(p, "news/") || strings.HasPrefix(p, "internal/") || strings.HasPrefix(p, "account/") || p == "basket.md" || p == "thank-you.md" {
			return err
		}
		at = append(at, strings.TrimSuffix(strings.TrimSuffix(p, path.Ext(p)), "index"))
		return nil
	})
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	sort.Strings(at)
	w.Header().Set("Content-Type", "application/xml")
	fmt.Fprint(w, `<?xml version="1.0" encoding="UTF-8"?>`+"\n"+`<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">`+"\n")
	for _, p := range at {
		fmt.Fprintf(w, "<url><loc>%s%s</loc></url>\n", s.home, html.EscapeString(p))
	}
	fmt.Fprint(w, "</urlset>\n")
}

func (s *site) scripted(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	fmt.Fprint(w, `<!doctype html><html lang="en"><head><title>Live departures</title></head><body><div id="board"></div>
<script>document.getElementById("board").innerHTML = "<h1>Live departures</h1><p>All boats are on time today. The board shows the next boat of each route; it is brought up to date every minute while the office is open.</p><table><tr><th>Route</th><th>Boat</th><th>Berth</th></tr><tr><td>Sandrel</td><td>Pellworth</td><td>1</td></tr><tr><td>Little Hobb</td><td>Skerrowe</td><td>3</td></tr></table>"</script></body></html>`)
}

// calendar has a page for every month there will ever be, and next to nothing on any of them.
func (s *site) calendar(w http.ResponseWriter, q *http.Request) {
	at, err := time.Parse("2006-01", q.URL.Query().Get("month"))
	if err != nil {
		at = s.now()
	}
	at = time.Date(at.Year(), at.Month(), 1, 0, 0, 0, 0, time.UTC)
	link := func(t time.Time, words string) string {
		return fmt.Sprintf(`<a href="/calendar?month=%s">%s</a>`, t.Format("2006-01"), words)
	}
	var out bytes.Buffer
	s.frame(&out, "Calendar: "+at.Format("January 2006"), false, []byte("<h1>Calendar: "+at.Format("January 2006")+"</h1><p>No events in this month.</p><p>"+link(at.AddDate(0, -1, 0), "Month before")+" "+link(at.AddDate(0, 1, 0), "Month after")+"</p>"))
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_, _ = w.Write(out.Bytes()) // the client has gone
}

// file serves what is neither a page nor a piece of one.
func (s *site) file(w http.ResponseWriter, q *http.Request) bool {
	name := strings.TrimPrefix(q.URL.Path, "/")
	kind, ok := map[string]string{
		".pdf": "application/pdf", ".docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document", ".xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
		".vtt": "text/vtt", ".webm": "video/webm", ".xml": "application/rss+xml",
	}[path.Ext(name)]
	if !ok {
		return false
	}
	body, err := fs.ReadFile(s.pages, name)
	if err != nil {
		return false
	}
	w.Header().Set("Content-Type", kind)
	w.Header().Set("ETag", fmt.Sprintf(`"%x"`, sha256.Sum256(body)))
	http.ServeContent(w, q, "", time.Time{}, bytes.NewReader(body))
	return true
}

func (s *site) page(w http.ResponseWriter, q *http.Request) {
	at := q.URL.Path
	if to, ok := moved[at]; ok {
		http.Redirect(w, q, to, http.StatusMovedPermanently)
		return
	}
	switch at {
	case "/news/pier-works":
		s.mu.Lock()
		s.tries[at]++
		n := s.tries[at]
		s.mu.Unlock()
		if n <= 2 {
			http.Error(w, "The server is being repaired.", http.StatusServiceUnavailable)
			return
		}
	case "/privacy":
		select {
		case <-time.After(700 * time.Millisecond):
		case <-q.Context().Done():
			return
		}
	}
	if s.file(w, q) {
		return
	}
	body, title, noindex, ok := s.read(at)
	if !ok {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.WriteHeader(http.StatusNotFound)
		fmt.Fprint(w, "<!doctype html><title>Not found</title><h1>This page does not exist</h1>")
		return
	}
	var out bytes.Buffer
	s.frame(&out, title, noindex, body)
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("ETag", fmt.Sprintf(`"%x"`, sha256.Sum256(out.Bytes())))
	http.ServeContent(w, q, "", time.Time{}, bytes.NewReader(out.Bytes()))
}

func (s *site) read(at string) (body []byte, title string, noindex, ok bool) {
	name := strings.TrimPrefix(at, "/")
	if name == "" || strings.HasSuffix(name, "/") {
		name += "index"
	}
	if raw, err := fs.ReadFile(s.pages, name+".html"); err == nil {
		title := "Questions and answers"
		if _, rest, ok := strings.Cut(string(raw), "<h1>"); ok {
			title, _, _ = strings.Cut(rest, "</h1>")
		}
		return raw, title, false, true
	}
	raw, err := fs.ReadFile(s.pages, name+".md")
	if err != nil {
		return nil, "", false, false
	}
	text := string(raw)
	if head, rest, found := strings.Cut(strings.TrimPrefix(text, "---\n"), "\n---\n"); found {
		text = rest
		for line := range strings.SplitSeq(head, "\n") {
			k, v, _ := strings.Cut(line, ": ")
			switch k {
			case "title":
				title = v
			case "robots":
				noindex = v == "noindex"
			}
		}
	}
	var out bytes.Buffer
	if err := s.md.Convert([]byte(text), &out); err != nil {
		return nil, "", false, false
	}
	return out.Bytes(), title, noindex, true
}

var menu = [][2]string{
	{"/timetables/", "Timetables"}, {"/fares", "Fares"}, {"/bookings", "Bookings"}, {"/refunds", "Refunds"}, {"/faq", "Questions"}, {"/boats/", "Boats"}, {"/piers/", "Piers"}, {"/documents/", "Documents"}, {"/news/", "News"}, {"/contact", "Contact"},
}

var foot = [][2]string{
	{"/jobs", "Jobs"},
	{"/freight", "Freight"},
	{"/privacy", "Privacy"},
	{"/glossary", "Glossary"},
	{"/tickets", "Tickets"},
	{"/basket", "Basket"},
	{"/account/login", "Log in"},
	{"/internal/rota", "Rota"},
	{"/thank-you", "Thanks"},
	{"/fares?utm_source=footer", "Prices"},
	{"/old-brochure", "Brochure"},
	{"/timetables/winter-2025", "Last winter"},
	{"/about/people", "People"},
	{"/calendar", "Calendar"},
}

func (s *site) frame(w io.Writer, title string, noindex bool, body []byte) {
	var nav, end strings.Builder
	for _, m := range menu {
		fmt.Fprintf(&nav, `<a href="%s">%s</a> `, m[0], m[1])
	}
	for _, m := range foot {
		fmt.Fprintf(&end, `<a href="%s">%s</a> `, m[0], m[1])
	}
	robots := ""
	if noindex {
		robots = `<meta name="robots" content="noindex">`
	}
	name := html.EscapeString(title)
	if name != "Tolmouth Ferries" {
		name += " | Tolmouth Ferries"
	}
	fmt.Fprintf(w, `<!doctype html>
<html lang="en-GB"><head><meta charset="utf-8"><title>%s</title>%s<link rel="alternate" type="application/rss+xml" href="/news/feed.xml" title="News">
<style>body{font:17px/1.5 Georgia,serif;max-width:46rem;margin:0 auto;padding:1rem;color:#1d2b33}nav a,footer a{margin-right:.8rem}table{border-collapse:collapse}td,th{border:1px solid #b8c4cc;padding:.2rem .6rem;text-align:left}footer{border-top:1px solid #b8c4cc;margin-top:2rem;font-size:.85rem}</style></head>
<body><header><a href="/">Tolmouth Ferries</a><nav>%s</nav></header>
<main>
%s
</main>
<footer><p>Tolmouth Ferries, Harbour Road 1, Tolmouth. %s</p></footer></body></html>
`, name, robots, nav.String(), body, end.String())
}
