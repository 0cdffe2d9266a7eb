package query

import (
	"regexp"
	"strings"

	"jolvex/core/text"
)

var courtesies = []struct {
	kind Kind
	re   *regexp.Regexp
}{
	{Greeting, regexp.MustCompile(`(?i)^(?:(?:hi+|hello+|hey+|hiya|howdy|greetings|good (?:morning|afternoon|evening|day))(?: there| all| everyone| team| again)?[ ,.!]*(?:how are you(?: doing)?(?: today)?)?|how are you(?: doing)?(?: today)?|what'?s up)[ ?.!]*$`)},
	{Thanks, regexp.MustCompile(`(?i)^(?:(?:ok(?:ay)?|great|perfect|super|lovely|brilliant|wonderful|cool|awesome|alright|right)[ ,.!]*)*(?:(?:many )?thanks?(?: you)?(?: very much| so much| a lot| again| for (?:your|the) (?:help|answer|information))?|thx|ty|cheers|much appreciated|that(?:'s| is) (?:great|helpful|all|perfect)(?:[ ,]*thanks?(?: you)?)?)[ .!]*$`)},
	{Goodbye, regexp.MustCompile(`(?i)^(?:(?:thanks?(?: you)?[ ,.!]*)?(?:good ?bye|bye+(?: bye)?|see you(?: later| soon)?|have a (?:nice|good|great) (?:day|evening|weekend|one)|take care))[ .!]*$`)},
	{Assent, regexp.MustCompile(`(?i)^(?:yes|no|yep|yeah|nope|nah|ok|okay|sure|right|great|fine|perfect|yes please|no thanks?(?: you)?)[ .!]*$`)},
}

func courtesy(s string) Kind {
	if len(s) > 80 {
		return Ask
	}
	for _, c := range courtesies {
		if c.re.MatchString(s) {
			return c.kind
		}
	}
	return Ask
}

var (
	leadFiller = regexp.MustCompile(`(?i)^(?:(?:hi|hello|hey|good (?:morning|afternoon|evening)|please|sorry|excuse me|ok|okay|so|well|um+|also|and|thanks)\b[ ,.!-]*|(?:quick |just a |a )?(?:quick )?question[:,]? *|(?:can|could|would|will) (?:you|someone|anyone|somebody) (?:please |kindly |possibly )?(?:tell me|explain(?: to me)?|let me know|help me (?:to )?(?:find out|understand|with)|say|advise|clarify|confirm)\b[ ,]*|(?:i(?:'m| am| was)|we(?:'re| are| were)) (?:just )?(?:wondering|curious|trying to (?:find out|understand|figure out)|looking to find out)\b[ ,]*(?:about )?|i(?:'d| would) (?:like|love) to (?:know|ask|understand|find out)\b[ ,]*(?:about )?|i (?:want|need|wish) to (?:know|ask|find out|understand)\b[ ,]*(?:about )?|(?:do|does) (?:you|anyone|anybody|someone) (?:happen to )?know\b[ ,]*|(?:please )?(?:tell me|explain|let me know)\b[ ,]*(?:about )?|(?:any|have you (?:any|got any)) (?:idea|clue)s?\b[ ,]*(?:about |of )?|is there any chance (?:that )?)`)
	tailFiller = regexp.MustCompile(`(?i)[ ,.!-]*(?:,? ?(?:please|pls|thanks|thank you|thx|cheers|many thanks|thanks in advance|if (?:that's|that is) (?:ok|okay|possible)|by any chance))([?.! ]*)$`)
)

func dropFiller(s string) (short, dropped string) {
	short = s
	for range 4 {
		next := leadFiller.ReplaceAllString(short, "")
		next = tailFiller.ReplaceAllString(next, "$1")
		if next == short || len(text.Content(next)) == 0 {
			break
		}
		short = next
	}
	var gone []string
	if at := strings.Index(s, short); at > 0 {
		gone = append(gone, "“"+strings.TrimSpace(s[:at])+"”")
	} else if short != s {
		gone = append(gone, "courtesies")
	}
	return short, strings.Join(gone, ", ")
}

func (w *work) tellCourtesy() string {
	w.reading.Kind = courtesy(w.now)
	if w.reading.Kind == Ask {
		return "it is a question"
	}
	return "it is no question: " + string(w.reading.Kind)
}

func (w *work) dropFiller() string {
	short, dropped := dropFiller(w.now)
	if w.reword(short) {
		return "dropped: " + dropped
	}
	return "there is none"
}
