package pdf_test

import (
	"cmp"
	"compress/gzip"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
	"jolvex/core/extract"
	"jolvex/core/text"
	"jolvex/internal/pdf"
)

func reader(t *testing.T) *pdf.Reader {
	t.Helper()
	r, err := pdf.Open(filepath.Join(os.TempDir(), "jolvex-test-pdf"), 800<<20)
	require.NoError(t, err)
	return r
}

// on is what is called after each page.
func on() error { return nil }

const faq = "/usr/share/doc/debian/FAQ"

func gunzip(t *testing.T, path string) []byte {
	t.Helper()
	f, err := os.Open(path)
	require.NoError(t, err)
	defer f.Close()
	z, err := gzip.NewReader(f)
	require.NoError(t, err)
	b, err := io.ReadAll(z)
	require.NoError(t, err)
	return b
}

// section is a question of the FAQ with the words of its answer.
type section struct{ question, body []string }

// plain are the words of a text as they are compared: a hyphen or an apostrophe that one form of the FAQ has and another has
// not makes no difference.
func plain(s string) []string {
	var out []string
	for _, w := range text.Words(strings.NewReplacer("’", "", "'", "", "‘", "", "-", " ", "_", " ", "/", " ", ".", " ", ":", " ").Replace(s)) {
		out = append(out, w.Norm)
	}
	return out
}

// printed are the addresses that the forms for print spell out behind a link's text.
var printed = regexp.MustCompile(`\(\s*(?:https?|ftp)://[^)]*\)`)

var number = regexp.MustCompile(`^[\d.]+\s+`)

// sections are the questions of the HTML form.
func sections(t *testing.T) []section {
	t.Helper()
	pages, err := filepath.Glob(faq + "/*.en.html")
	require.NoError(t, err)
	require.NotEmpty(t, pages, "the package debian-faq is needed")
	var out []section
	for _, p := range pages {
		body, err := os.ReadFile(p)
		require.NoError(t, err)
		d, err := extract.Extract(extract.Input{Address: p, MediaType: "text/html", Body: body})
		require.NoError(t, err, p)
		if strings.HasSuffix(p, "index.en.html") {
			continue
		}
		for i, b := range d.Blocks {
			if b.Kind == doc.Heading && b.Level > 1 && number.MatchString(d.Of(b.Span)) {
				end := len(d.Text)
				for _, c := range d.Blocks[i+1:] {
					if c.Kind == doc.Heading && number.MatchString(d.Of(c.Span)) {
						end = c.Span.Start
						break
					}
				}
				out = append(out, section{plain(d.Of(b.Span)), plain(d.Text[b.Span.End:end])})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b section) int {
		return slices.CompareFunc(numbers(a.question), numbers(b.question), cmp.Compare[int])
	})
	return out
}

// numbers are the figures that a heading begins with.
func numbers(ws []string) []int {
	var out []int
	for _, w := range ws {
		n, err := strconv.Atoi(w)
		if err != nil {
			break
		}
		out = append(out, n)
	}
	return out
}

// places gives where each section begins and ends in the words of a whole text: in order, behind the list of contents. -1
// when it is not there.
func places(all []string, ss []section) (from, to []int) {
	at := 0
	if first := ss[0].question; len(all) > 0 {
		for i := len(all) - len(first); i >= 0; i-- {
			if slices.Equal(all[i:i+len(first)], first) {
				at = i
				break
			}
		}
	}
	for _, s := range ss {
		found := -1
		for i := at; i+len(s.question) <= len(all); i++ {
			if slices.Equal(all[i:i+len(s.question)], s.question) {
				found = i
				break
			}
		}
		from, to = append(from, found), append(to, len(all))
		if found < 0 {
			continue
		}
		for k := len(to) - 2; k >= 0; k-- {
			if from[k] >= 0 {
				to[k] = found
				break
			}
		}
		from[len(from)-1], at = found+len(s.question), found+len(s.question)
	}
	return from, to
}

func f1(a, b []string) float64 {
	count := map[string]int{}
	for _, w := range a {
		count[w]++
	}
	both := 0
	for _, w := range b {
		if count[w] > 0 {
			count[w]--
			both++
		}
	}
	if len(a)+len(b) == 0 {
		return 1
	}
	return 2 * float64(both) / float64(len(a)+len(b))
}

// The Debian FAQ ships as HTML, PDF and text made from one source (package debian-faq): the three must yield the same
// content. An entry agrees when the token F1 of its answer is 0.9 or more.
func TestTheThreeFormsOfTheDebianFAQAgree(t *testing.T) {
	p, err := reader(t).Read(gunzip(t, faq+"/debian-faq.en.pdf.gz"), on)
	require.NoError(t, err)
	fromPDF, err := extract.FromPDF("debian-faq.pdf", p)
	require.NoError(t, err)
	require.NoError(t, fromPDF.Check())
	fromText, err := extract.Extract(extract.Input{Address: "debian-faq.txt", Body: gunzip(t, faq+"/debian-faq.en.txt.gz")})
	require.NoError(t, err)
	all := sections(t)
	require.Greater(t, len(all), 90)
	headings := map[string]bool{}
	for _, b := range fromPDF.Blocks {
		if b.Kind == doc.Heading {
			headings[strings.Join(plain(fromPDF.Of(b.Span)), " ")] = true
		}
	}
	for form, d := range map[string]*doc.Document{"PDF": fromPDF, "text": fromText} {
		words := plain(printed.ReplaceAllString(d.Text, ""))
		from, to := places(words, all)
		agree, asHeading := 0, 0
		for i, s := range all {
			if headings[strings.Join(s.question, " ")] {
				asHeading++
			}
			if from[i] < 0 {
				t.Logf("%s: no %q", form, s.question)
				continue
			}
			if x := f1(s.body, words[from[i]:min(to[i], from[i]+len(s.body))]); x >= 0.9 {
				agree++
			} else {
				t.Logf("%s: %.2f %q", form, x, s.question)
			}
		}
		t.Logf("%s: %d of %d entries agree, %d questions are headings of the PDF", form, agree, len(all), asHeading)
		assert.GreaterOrEqual(t, float64(agree)/float64(len(all)), 0.95, form)
		assert.GreaterOrEqual(t, float64(asHeading)/float64(len(all)), 0.95)
	}
}

// What Chromium printed of a page is read as the page was written: columns in order, tables with the names of their columns,
// no running heads.
func TestPrintedPagesAreReadAsTheyWereWritten(t *testing.T) {
	r := reader(t)
	for name, want := range map[string][]string{
		"conditions-of-carriage": {"1. The contract", "2. Tickets", "3. Luggage", "4. Vehicles", "5. Delay and cancellation", "6. Conduct", "7. Liability", "8. Complaints"},
		"access-guide":           {"Place | Slope at high water | Slope at low water | Steps", "Little Hobb landing | 1 in 16 | 1 in 6 | none", "On the Pellworth", "The two wheelchair places have belts"},
		"fares-leaflet":          {"Ticket | Sandrel | Little Hobb | Bracken Holm", "Month, adult | £118.00 | £162.00 | £196.00", "A lost season ticket"},
	} {
		b, err := os.ReadFile("../../demo/pages/documents/" + name + ".pdf")
		require.NoError(t, err)
		p, err := r.Read(b, on)
		require.NoError(t, err)
		d, err := extract.FromPDF(name+".pdf", p)
		require.NoError(t, err)
		at := 0
		for _, w := range want {
			i := strings.Index(d.Text[at:], w)
			require.GreaterOrEqual(t, i, 0, "%s: %q is not there, or not in order", name, w)
			at += i
		}
		assert.NotContains(t, d.Text, "Page 1", name)
	}
}
