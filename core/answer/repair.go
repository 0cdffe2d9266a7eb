package answer

import (
	"strings"

	"jolvex/core/doc"
)

var (
	// backward finds sentences that begin by pointing at what was said before them. (Common practice, no published source.)
	backward = en.Pattern("backward")
	// pointless finds "it" that stands for nothing: "It is possible to ...".
	pointless = en.Pattern("pointless")
)

// named puts the heading that a sentence stands under before it, when the sentence begins by pointing back at one that the
// reply does not hold: "They travel free." under "Pushchairs" is told of pushchairs.
func (p *passage) named(i int, said string) string {
	if !backward.MatchString(said) || pointless.MatchString(said) {
		return said
	}
	u := &p.units[i]
	heading := p.doc.Title
	if u.section >= 0 {
		heading = p.doc.Of(p.doc.Blocks[u.section].Span)
	}
	heading = strings.TrimRight(doc.Fold(heading), " .:")
	if heading == "" || strings.HasSuffix(heading, "?") { // under a question, the question says of what
		return said
	}
	return heading + ": " + said
}
