package sim

import (
	"fmt"
	"html"
	"net/http"
	"sync"
)

// Sample stands in for a page of a site that carries the assistant: with styles and a content security policy as strict sites have them.
type Sample struct {
	mu           sync.Mutex
	home, place  string
	Headers      http.Header // further ones; nil for none
	Style, Attrs string      // further styles, and attributes of the line; tests use both
}

// Carry says what the page carries: the address of the program, and the public name of a corpus.
func (s *Sample) Carry(home, place string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.home, s.place = home, place
}

// ServeHTTP gives the page.
func (s *Sample) ServeHTTP(w http.ResponseWriter, _ *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", fmt.Sprintf("default-src 'self'; style-src 'self' 'unsafe-inline'; script-src %[1]s; connect-src %[1]s; frame-src %[1]s", s.home))
	for k, v := range s.Headers {
		w.Header()[k] = v
	}
	_, _ = fmt.Fprintf(w, `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>Tolmouth Ferries</title>
<style>body { font: 17px/1.5 Georgia, serif; max-width: 720px; margin: 40px auto; padding: 0 16px; color: #222 } %s</style></head>
<body><h1>Crossing with us</h1><p>Boats leave the harbour of Tolmouth for Sandrel, Little Hobb and Bracken Holm, in summer and in winter.</p>
<p>Tickets are sold at the office on the quay and on board.</p><div id="help"></div>
<script async src="%s/w.js" data-place="%s" %s></script></body></html>`, s.Style, html.EscapeString(s.home), html.EscapeString(s.place), s.Attrs) // the client has gone
}
