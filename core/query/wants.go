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
	{text.Money, "how much,cost,price,fare,fee,charge,rate,deposit,salar,wage,cheap,expensive,dearest", regexp.MustCompile(`(?i)\bhow much (?:is|are|does|do|will|would|for|to|money)\b|\bhow much\b.*\b(?:pay|cost)|\b(?:costs?|prices?|fares?|fees?|charges?|rates?|deposit|salary|salaries|wages?|cheap\w*|expensive|dearest)\b`)},
	{text.Clock, "what time,when,hour,times,time,how early,how late,first,last,next", regexp.MustCompile(`(?i)\bwhat time\b|\bwhen (?:do|does|is|are|will|can)\b|\b(?:opening|closing|office|business) (?:hours|times?)\b|\bhours\b|\bhow (?:early|late)\b|\b(?:first|last|next) (?:ferry|boat|bus|train|sailing|crossing|departure)\b|\btimetable\b`)},
	{text.Date, "when,date,which day,which month,which year,deadline", regexp.MustCompile(`(?i)\bwhen\b|\bwhat date\b|\bwhich (?:day|month|year)\b|\bdeadline\b`)},
	{text.Duration, "how long,how soon,how early,how far,how quickly,deadline,duration", regexp.MustCompile(`(?i)\bhow (?:long|soon|early|far in advance|quickly)\b|\bdeadline\b|\bduration\b`)},
	{text.Weight, "how heavy,how much,weigh", regexp.MustCompile(`(?i)\bhow heavy\b|\bweights?\b|\bhow much\b.*\b(?:` + borne + `)\b`)},
	{text.Length, "how ,height,length,width", regexp.MustCompile(`(?i)\bhow (?:tall|high|wide|long|far|deep)\b|\b(?:height|length|width)\b`)},
	{text.Measure, "how ,size,dimension,limit", regexp.MustCompile(`(?i)\bhow (?:big|large)\b|\b(?:size|dimensions?|limit)\b`)},
	{text.Number, "how many,number,maximum,minimum,how old,age", regexp.MustCompile(`(?i)\bhow many\b|\bnumber of\b|\bmaximum\b|\bminimum\b|\bhow old\b|\bage\b`)},
	{text.Phone, "phone,ring,call,contact,mobile", regexp.MustCompile(`(?i)\b(?:phone|telephone|ring|call (?:you|them|us)|contact|mobile)\b`)},
	{text.Mail, "mail,contact,write", regexp.MustCompile(`(?i)\be-?mails?\b|\bcontact\b|\bwrite to\b`)},
	{text.Percent, "percent,share,discount", regexp.MustCompile(`(?i)\bpercent(?:age)?\b|\bwhat share\b|\bdiscount\b`)},
}

// borne are verbs by which "how much" asks for a weight rather than for a price.
const borne = `carry|carries|weighs?|lifts?|bears?`

var bears = regexp.MustCompile(`(?i)\bhow much (?:does|do|can|could|will|would|may|is|are)\b.*\b(?:` + borne + `)\b`)

// What is sought besides figures, by how a question begins. (Common practice, no published source.)
var sought = []struct {
	kind string
	re   *regexp.Regexp
}{
	{"place", regexp.MustCompile(`(?i)^where\b|\b(?:which|what) (?:place|address|street|pier|building|room|directory|folder)\b`)},
	{"person", regexp.MustCompile(`(?i)^(?:who|whom|whose)\b|\bwhich (?:person|team|department)\b`)},
	{"yes-no", regexp.MustCompile(`(?i)^(?:can|could|may|might|must|do|does|did|is|are|am|was|were|will|would|should|shall|has|have|need)\b`)},
}

// priced are words that ask for a price whatever else is asked.
var priced = regexp.MustCompile(`(?i)\b(?:costs?|prices?|fares?|fees?|charges?|pay)\b`)

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
