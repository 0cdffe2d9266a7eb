package answer

import (
	"regexp"
	"strings"

	"jolvex/core/doc"
)

var (
	// backward finds sentences that begin by pointing at what was said before them. (Common practice, no published source.)
	backward = regexp.MustCompile(`^(?:(?:It|They|He|She|Its|Their|His|Her)\b|(?:This|These|That|Those|Both|All of (?:them|these)|Each of (?:them|these)|Some of (?:them|these))\s+(?:is|are|was|were|can|could|may|must|will|would|should|do|does|did|has|have|had|apply|applies|mean|means|includes?|costs?|takes?|runs?|needs?|of them)\b)`)
	// pointless finds "it" that stands for nothing: "It is possible to ...".
	pointless = regexp.MustCompile(`^It(?:'s|’s| is| was| may be| can be| will be| would be| takes| took| seems| appears| depends| does not matter| helps)\s+(?:(?:also|not|always|usually|often|very|quite|now|then|best|a good idea|up to|about|around|only)\s+)*(?:possible|impossible|important|advisable|recommended|necessary|worth|best|better|likely|unlikely|easy|hard|difficult|wise|useful|usual|common|safe|enough|a good idea|advised|forbidden|permitted|allowed|said|hoped|planned|to|that|you|\d)`)
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
