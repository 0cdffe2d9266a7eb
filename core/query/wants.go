package query

import (
	"regexp"
	"strings"

	"jolvex/core/text"
)

// wanted are the kinds of figure, how they are asked for, and words of which one stands wherever a form matches: a look for
// them is a hundred times as fast as the form.
var wanted = []struct {
	kind  text.QuantityKind
	hints string // parted by commas, small letters
	re    *regexp.Regexp
}{
	{text.Money, "how much,cost,price,fare,fee,charge,rate,deposit,salar,wage,cheap,expensive,dearest", en.Pattern("wants-money")},
	{text.Clock, "what time,when,hour,times,time,how early,how late,first,last,next", en.Pattern("wants-clock")},
	{text.Date, "when,date,which day,which month,which year,deadline", en.Pattern("wants-date")},
	{text.Duration, "how long,how soon,how early,how far,how quickly,deadline,duration", en.Pattern("wants-duration")},
	{text.Weight, "how heavy,how much,weigh", en.Pattern("wants-weight")},
	{text.Length, "how ,height,length,width", en.Pattern("wants-length")},
	{text.Measure, "how ,size,dimension,limit", en.Pattern("wants-measure")},
	{text.Number, "how many,number,maximum,minimum,how old,age", en.Pattern("wants-number")},
	{text.Phone, "phone,ring,call,contact,mobile", en.Pattern("wants-phone")},
	{text.Mail, "mail,contact,write", en.Pattern("wants-mail")},
	{text.Percent, "percent,share,discount", en.Pattern("wants-percent")},
}

// borne are verbs by which "how much" asks for a weight rather than for a price.
const borne = `carry|carries|weighs?|lifts?|bears?`

var bears = en.Pattern("bears")

// What is sought besides figures, by how a question begins. (Common practice, no published source.)
var sought = []struct {
	kind string
	re   *regexp.Regexp
}{
	{"place", en.Pattern("seeks-place")},
	{"person", en.Pattern("seeks-person")},
	{"yes-no", en.Pattern("seeks-yes-no")},
}

// priced are words that ask for a price whatever else is asked.
var priced = en.Pattern("priced")

func seeks(s string) []string {
	var out []string
	for _, k := range sought {
		if k.re.MatchString(strings.TrimSpace(s)) {
			out = append(out, k.kind)
		}
	}
	return out
}

func wants(s string) []text.QuantityKind {
	var out []text.QuantityKind
	small := strings.ToLower(s)
	for _, w := range wanted {
		if w.kind == text.Money && bears.MatchString(s) && !priced.MatchString(s) {
			continue
		}
		if hinted(small, w.hints) && w.re.MatchString(s) {
			out = append(out, w.kind)
		}
	}
	return out
}

// hinted reports whether one of some words, parted by commas, stands in a text.
func hinted(small, hints string) bool {
	for h := range strings.SplitSeq(hints, ",") {
		if strings.Contains(small, h) {
			return true
		}
	}
	return false
}
