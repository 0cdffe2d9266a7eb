// Package drawn makes up organisations whose pages are tables, lists of labels and values, CSV and JSON, together with questions whose
// answers are worked out from the same figures. All is drawn by a seed: no page, name or figure is written for the product, and another
// seed gives other ones.
package drawn

import (
	"fmt"
	"math/rand/v2"
	"strings"

	"jolvex/core/questions"
)

// Page is one file of an organisation.
type Page struct {
	Name, MediaType, Body string
}

// Organisation is a body of pages with its questions; those tagged "held" are not looked at while the product is worked on.
type Organisation struct {
	Name      string
	Pages     []Page
	Questions []questions.Question
}

// draw is one organisation in the making.
type draw struct {
	r   *rand.Rand
	org Organisation
}

func begin(name string, seed uint64) *draw {
	return &draw{rand.New(rand.NewPCG(seed, 20261129)), Organisation{Name: name}}
}

func (d *draw) page(name, mediaType, body string) {
	d.org.Pages = append(d.org.Pages, Page{name, mediaType, body})
}

// ask puts a question of a kind; each expectation is a list of wordings.
func (d *draw) ask(kind, question string, facts ...[]string) {
	q := questions.Question{ID: fmt.Sprintf("%s%03d", d.org.Name[:1], len(d.org.Questions)+1), Text: question, Tags: []string{kind}}
	for _, f := range facts {
		q.Expect = append(q.Expect, questions.Expectation{Kind: questions.Mentions, Values: f})
	}
	if len(facts) == 0 {
		q.Expect = []questions.Expectation{{Kind: questions.Refuses}}
	}
	d.org.Questions = append(d.org.Questions, q)
}

// but adds what the reply to the last question is not to say.
func (d *draw) but(wordings ...string) {
	q := &d.org.Questions[len(d.org.Questions)-1]
	q.Expect = append(q.Expect, questions.Expectation{Kind: questions.NotMentions, Values: wordings})
}

// done draws by lot which half of the questions is held back: the same ones whatever the seed.
func (d *draw) done() Organisation {
	lot := rand.New(rand.NewPCG(1, 2))
	for n, i := range lot.Perm(len(d.org.Questions)) {
		tag := "open"
		if n < len(d.org.Questions)/2 {
			tag = "held"
		}
		d.org.Questions[i].Tags = append(d.org.Questions[i].Tags, tag)
	}
	return d.org
}

var (
	onsets = strings.Fields("b br c d dr f g gr h k l m n p pr qu r s st t tr v w z")
	vowels = strings.Fields("a e i o u ai ea or ar el")
	codas  = strings.Fields("ck d k l m n nd r ss t rn th")
)

// name makes up a word that is no name of anything.
func (d *draw) name(ending string) string {
	pick := func(from []string) string { return from[d.r.IntN(len(from))] }
	w := pick(onsets) + pick(vowels) + pick(codas) + ending
	return strings.ToUpper(w[:1]) + w[1:]
}

// names makes up different words.
func (d *draw) names(n int, ending string) []string {
	seen := map[string]bool{}
	var out []string
	for len(out) < n {
		if w := d.name(ending); !seen[w] {
			seen[w] = true
			out = append(out, w)
		}
	}
	return out
}

// different draws n different numbers of steps within a range.
func (d *draw) different(n, low, high, step int) []int {
	var out []int
	for _, i := range d.r.Perm((high-low)/step + 1)[:n] {
		out = append(out, low+i*step)
	}
	return out
}

func one(s string) []string { return []string{s} }

func pounds(n int) string { return fmt.Sprintf("£%d", n) }

// ends gives the positions of the smallest and the largest of some numbers.
func ends(vs []int) (small, large int) {
	for i, v := range vs {
		if v < vs[small] {
			small = i
		}
		if v > vs[large] {
			large = i
		}
	}
	return small, large
}

// slip misspells a word by swapping two of its inner letters.
func slip(w string) string {
	b := []byte(w)
	for i := len(b) / 2; i+1 < len(b); i++ {
		if b[i] != b[i+1] {
			b[i], b[i+1] = b[i+1], b[i]
			return string(b)
		}
	}
	return w
}

// htmlTable writes a table with a caption.
func htmlTable(caption string, header []string, rows [][]string) string {
	var b strings.Builder
	b.WriteString("<table>")
	if caption != "" {
		b.WriteString("<caption>" + caption + "</caption>")
	}
	b.WriteString("<thead><tr>")
	for _, h := range header {
		b.WriteString("<th>" + h + "</th>")
	}
	b.WriteString("</tr></thead><tbody>")
	for _, r := range rows {
		b.WriteString("<tr><td>" + strings.Join(r, "</td><td>") + "</td></tr>")
	}
	b.WriteString("</tbody></table>\n")
	return b.String()
}

// markdownTable writes a table as Markdown.
func markdownTable(header []string, rows [][]string) string {
	var b strings.Builder
	b.WriteString("| " + strings.Join(header, " | ") + " |\n|" + strings.Repeat("---|", len(header)) + "\n")
	for _, r := range rows {
		b.WriteString("| " + strings.Join(r, " | ") + " |\n")
	}
	return b.String()
}
