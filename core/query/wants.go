package query

import (
	"regexp"
	"strings"

	"jolvex/core/text"
)

var wanted = []struct {
	kind text.QuantityKind
	re   *regexp.Regexp
}{
	{text.Money, regexp.MustCompile(`(?i)\bhow much (?:is|are|does|do|will|would|for|to|money)\b|\bhow much\b.*\b(?:pay|cost)|\b(?:costs?|prices?|fares?|fees?|charges?|rates?|deposit|salary|salaries|wages?|cheap\w*|expensive|dearest)\b`)},
	{text.Clock, regexp.MustCompile(`(?i)\bwhat time\b|\bwhen (?:do|does|is|are|will|can)\b|\b(?:opening|closing|office|business) (?:hours|times?)\b|\bhours\b|\bhow (?:early|late)\b|\b(?:first|last|next) (?:ferry|boat|bus|train|sailing|crossing|departure)\b|\btimetable\b`)},
	{text.Date, regexp.MustCompile(`(?i)\bwhen\b|\bwhat date\b|\bwhich (?:day|month|year)\b|\bdeadline\b`)},
	{text.Duration, regexp.MustCompile(`(?i)\bhow (?:long|soon|early|far in advance|quickly)\b|\bdeadline\b|\bduration\b`)},
	{text.Measure, regexp.MustCompile(`(?i)\bhow (?:big|large|heavy|tall|high|wide|long|far|deep)\b|\b(?:weight|height|length|width|size|dimensions?|limit)\b`)},
	{text.Number, regexp.MustCompile(`(?i)\bhow many\b|\bnumber of\b|\bmaximum\b|\bminimum\b|\bhow old\b|\bage\b`)},
	{text.Phone, regexp.MustCompile(`(?i)\b(?:phone|telephone|ring|call (?:you|them|us)|contact|mobile)\b`)},
	{text.Mail, regexp.MustCompile(`(?i)\be-?mails?\b|\bcontact\b|\bwrite to\b`)},
	{text.Percent, regexp.MustCompile(`(?i)\bpercent(?:age)?\b|\bwhat share\b|\bdiscount\b`)},
}

// What is sought besides figures, by how a question begins. (Common practice, no published source.)
var sought = []struct {
	kind string
	re   *regexp.Regexp
}{
	{"place", regexp.MustCompile(`(?i)^where\b|\b(?:which|what) (?:place|address|street|pier|building|room|directory|folder)\b`)},
	{"person", regexp.MustCompile(`(?i)^(?:who|whom|whose)\b|\bwhich (?:person|team|department)\b`)},
	{"yes-no", regexp.MustCompile(`(?i)^(?:can|could|may|might|must|do|does|did|is|are|am|was|were|will|would|should|shall|has|have|need)\b`)},
}

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
	for _, w := range wanted {
		if w.re.MatchString(s) {
			out = append(out, w.kind)
		}
	}
	return out
}
