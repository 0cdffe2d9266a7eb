package text

import (
	"fmt"
	"regexp"
	"sort"
	"strconv"
	"strings"
	"time"
)

// QuantityKind is the sort of a quantity.
type QuantityKind string

// The kinds of quantity that Quantities tells apart.
const (
	Number   QuantityKind = "number"
	Money    QuantityKind = "price"
	Percent  QuantityKind = "percent"
	Clock    QuantityKind = "time" // a time of day
	Date     QuantityKind = "date"
	Duration QuantityKind = "duration"
	Measure  QuantityKind = "measure" // a number with a unit of length, weight, volume, storage or temperature
	Weight   QuantityKind = "weight"  // a measure by its unit: see Quantity.Is
	Length   QuantityKind = "length"  // a measure by its unit: see Quantity.Is
	Phone    QuantityKind = "phone"
	Mail     QuantityKind = "mail"
	Web      QuantityKind = "web"
)

// Quantity is one figure found in a text. Value is a normal form by which two ways of writing the same are equal:
// "£4.50" and "4.50 pounds" are "GBP 4.5"; "7.40 am" and "07:40" are "07:40"; "3rd May 2026" is "2026-05-03", without a
// year "--05-03"; "1,200" is "1200"; "twelve" is "12"; a telephone number is its digits.
type Quantity struct {
	Kind       QuantityKind
	Value      string
	Start, End int
}

const monthNames = `jan(?:uary)?|feb(?:ruary)?|mar(?:ch)?|apr(?:il)?|may|june?|july?|aug(?:ust)?|sept?(?:ember)?|oct(?:ober)?|nov(?:ember)?|dec(?:ember)?`

const (
	numberRe   = `\d{1,3}(?:,\d{3})+(?:\.\d+)?|\d+(?:\.\d+)?`
	smallWords = `zero|one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve|thirteen|fourteen|fifteen|sixteen|seventeen|eighteen|nineteen|twenty|thirty|forty|fifty|sixty|seventy|eighty|ninety`
)

// unitWords follow a ten ("twenty-one"); scales multiply what stands before them.
const (
	unitWords = `one|two|three|four|five|six|seven|eight|nine`
	scales    = `hundred|thousand|million`
	// wordsRe is a number in words: "twelve", "twenty-one", "two hundred and fifty", "ten thousand".
	wordsRe = `(?:` + smallWords + `)(?:[ -](?:` + unitWords + `)\b)?(?: (?:` + scales + `)\b(?: (?:and )?(?:` + smallWords + `)(?:[ -](?:` + unitWords + `)\b)?\b)?)*`
	// amountRe is a number in digits or in words.
	amountRe = `(?:` + numberRe + `)(?: (?:` + scales + `)\b)?|` + wordsRe
)

const hourWords = `one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve`

// form is a pattern of a figure, looked for all over a text or, anchored, where a number begins.
type form struct {
	*regexp.Regexp
	anchored bool
}

func anywhere(pattern string) form { return form{regexp.MustCompile(pattern), false} }

// begins is a form that begins with a number, in digits or in words, at the edge of a word.
func begins(pattern string) form {
	return form{regexp.MustCompile(strings.Replace(pattern, `\b`, `^`, 1)), true}
}

// matches are the places of a form in a text, of groups too; starts are where numbers begin.
func (f form) matches(s string, starts []int) [][]int {
	if !f.anchored {
		return f.FindAllStringSubmatchIndex(s, -1)
	}
	var out [][]int
	end := 0
	for _, at := range starts {
		if at < end {
			continue
		}
		m := f.FindStringSubmatchIndex(s[at:])
		if m == nil {
			continue
		}
		for i := range m {
			if m[i] >= 0 {
				m[i] += at
			}
		}
		out, end = append(out, m), m[1]
	}
	return out
}

type recogniser struct {
	kind  QuantityKind
	needs signs // without which it cannot match
	re    form
	read  func(m []string) string // "" declines the match
}

var recognisers = []recogniser{
	{Web, hasWeb, anywhere(`(?i)\bhttps?://[^\s<>"')\]]+[^\s<>"')\].,;:!?]`), func(m []string) string { return strings.ToLower(strings.TrimSuffix(m[0], "/")) }},
	{Mail, hasAt, anywhere(`(?i)\b[a-z0-9._%+-]+@[a-z0-9-]+(?:\.[a-z0-9-]+)*\.[a-z]{2,}\b`), func(m []string) string { return strings.ToLower(m[0]) }},
	{Date, hasDigit | hasDash, begins(`\b(\d{4})-(\d{2})-(\d{2})\b`), func(m []string) string { return dateValue(m[1], atoi(m[2]), m[3]) }},
	{Date, hasDigit | hasMonth, begins(`(?i)\b(\d{1,2})(?:st|nd|rd|th)?(?: of)? (` + monthNames + `)\b\.?,?(?: (\d{4})\b)?`), func(m []string) string { return dateValue(m[3], monthOf(m[2]), m[1]) }},
	{Date, hasDigit | hasMonth, anywhere(`(?i)\b(` + monthNames + `)\.? (\d{1,2})(?:st|nd|rd|th)?\b(?:,? (\d{4})\b)?`), func(m []string) string { return dateValue(m[3], monthOf(m[1]), m[2]) }},
	{Date, hasDigit | hasSlash, begins(`\b(\d{1,2})/(\d{1,2})/(\d{4})\b`), func(m []string) string { return dateValue(m[3], atoi(m[2]), m[1]) }},
	{Phone, hasDigits, anywhere(`\+?\(?\d[\d ()\-\x{2011}]{6,17}\d\b`), phoneValue},
	{Clock, hasPast, anywhere(`(?i)\b(half|quarter|(?:five|ten|twenty|twenty-five) minutes|five|ten|twenty|twenty-five) (past|to) (\d{1,2}|` + hourWords + `)\b`), spokenClock},
	{Clock, hasOclock, begins(`(?i)\b(\d{1,2}|` + hourWords + `) ?o['’]clock\b`), func(m []string) string { return clockValue(plain(m[1]), "00", "") }},
	{Clock, hasDigit | hasHalf, begins(`(?i)\b(\d{1,2})[:.](\d{2}) ?([ap])\.?m\b\.?`), func(m []string) string { return clockValue(m[1], m[2], m[3]) }},
	{Clock, hasDigit | hasHalf, begins(`(?i)\b(\d{1,2}) ?([ap])\.?m\b\.?`), func(m []string) string { return clockValue(m[1], "00", m[2]) }},
	{Clock, hasDigit | hasColon, begins(`\b([01]?\d|2[0-3]):([0-5]\d)(?::[0-5]\d)?\b`), func(m []string) string { return clockValue(m[1], m[2], "") }},
	{Clock, hasNoon, anywhere(`(?i)\b(noon|midday|midnight)\b`), func(m []string) string {
		if strings.EqualFold(m[1], "midnight") {
			return "00:00"
		}
		return "12:00"
	}},
	{Money, hasDigit | hasSymbol, anywhere(`(?i)([£$€])\s?(` + numberRe + `)(?:\s?(million|bn|billion|k)\b)?`), func(m []string) string {
		return map[string]string{"£": "GBP", "$": "USD", "€": "EUR"}[m[1]] + " " + scaled(m[2], m[3])
	}},
	{Money, hasAmount | hasMoney, begins(`(?i)\b(` + amountRe + `) (pounds?|euros?|dollars?) (` + amountRe + `)\b`), func(m []string) string {
		whole := moneyValue(m)
		part, err := strconv.Atoi(plain(m[3]))
		if err != nil || part < 1 || part > 99 || strings.Contains(whole, ".") {
			return ""
		}
		return fmt.Sprintf("%s.%s", whole, strings.TrimSuffix(fmt.Sprintf("%02d", part), "0"))
	}},
	{Money, hasAmount | hasMoney, begins(`(?i)\b(` + amountRe + `)\s?(pounds?|gbp|dollars?|usd|euros?|eur|pence|p|cents?)\b`), moneyValue},
	{Percent, hasAmount | hasPercent, begins(`(?i)\b(` + amountRe + `)\s?(?:%|per ?cent\b)`), func(m []string) string { return plain(m[1]) + "%" }},
	{Duration, hasAmount | hasDuration | hasPart, begins(`(?i)\b(` + amountRe + `) and a half (hours?|days?|weeks?|months?|years?)\b`), func(m []string) string { return andHalf(m[1], m[2]) }},
	{Duration, hasDuration | hasPart, anywhere(`(?i)\b(an?|` + amountRe + `) (hours?|days?|weeks?|months?|years?) and a half\b`), func(m []string) string { return andHalf(m[1], m[2]) }},
	{Duration, hasDuration | hasPart, anywhere(`(?i)\bhalf an? (hour|day|week|month|year)\b`), func(m []string) string { return "0.5 " + strings.ToLower(m[1]) }},
	{Duration, hasPart, anywhere(`(?i)\b(an?|` + amountRe + `) (fortnights?)\b`), func(m []string) string {
		n, err := strconv.ParseFloat(plain(m[1]), 64)
		if err != nil {
			n = 1
		}
		return strconv.FormatFloat(14*n, 'f', -1, 64) + " day"
	}},
	{Duration, hasAmount | hasDuration, begins(`(?i)\b(` + amountRe + `)[ -]?(seconds?|secs?|minutes?|mins?|hours?|hrs?|days?|nights?|weeks?|months?|years?)\b`), func(m []string) string {
		u := strings.TrimSuffix(strings.ToLower(m[2]), "s")
		if long, ok := map[string]string{"sec": "second", "min": "minute", "hr": "hour"}[u]; ok {
			u = long
		}
		return plain(m[1]) + " " + u
	}},
	{Measure, hasAmount | hasMeasure, begins(`(?i)\b(` + amountRe + `)[ -]?(kg|kilograms?|kilos?|g|grams?|tonnes?|mm|cm|centimetres?|m|metres?|meters?|km|kilometres?|miles?|inch(?:es)?|feet|ft|litres?|l|ml|mb|gb|tb|kb|°c|°f)\b`), func(m []string) string {
		return plain(m[1]) + " " + unitOf(m[2])
	}},
	{Number, hasDigit, begins(`(?i)\b(?:` + numberRe + `)(?: (?:` + scales + `))?\b`), func(m []string) string { return plain(m[0]) }},
	{Number, hasSmall, begins(`(?i)\b(?:` + wordsRe + `)\b`), func(m []string) string { return plain(m[0]) }},
}

// Quantities finds the figures in s, in order of place. Where two readings overlap, the more special one wins
// ("7.40 am" is a time and not two numbers).
func Quantities(s string) []Quantity {
	have, starts := signsOf(s)
	if have == 0 {
		return nil
	}
	var out []Quantity
	taken := make([]Piece, 0, 8)
	for _, r := range recognisers {
		if have&r.needs != r.needs {
			continue
		}
	next:
		for _, loc := range r.re.matches(s, starts) {
			for _, t := range taken {
				if loc[0] < t.End && t.Start < loc[1] {
					continue next
				}
			}
			m := make([]string, len(loc)/2)
			for i := range m {
				if loc[2*i] >= 0 {
					m[i] = s[loc[2*i]:loc[2*i+1]]
				}
			}
			if v := r.read(m); v != "" {
				out = append(out, Quantity{r.kind, v, loc[0], loc[1]})
				taken = append(taken, Piece{loc[0], loc[1]})
			}
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Start < out[j].Start })
	return out
}

// FiguresDiffer reports whether a gives a figure of a kind that b gives, too, and none of b's is the same: they answer one
// question differently.
func FiguresDiffer(a, b string) bool {
	theirs := map[QuantityKind]map[string]bool{}
	for _, q := range Quantities(b) {
		if theirs[q.Kind] == nil {
			theirs[q.Kind] = map[string]bool{}
		}
		theirs[q.Kind][q.Value] = true
	}
	for _, q := range Quantities(a) {
		if have := theirs[q.Kind]; have != nil && !have[q.Value] {
			return true
		}
	}
	return false
}

func atoi(s string) int { n, _ := strconv.Atoi(s); return n }

func monthOf(s string) int {
	const first = "janfebmaraprmayjunjulaugsepoctnovdec"
	return strings.Index(first, strings.ToLower(s)[:3])/3 + 1
}

func dateValue(year string, month int, day string) string {
	d := atoi(day)
	if month < 1 || month > 12 || d < 1 {
		return ""
	}
	in := 2000 // a leap year: without one, 29 February may be meant
	if year != "" {
		in = atoi(year)
	}
	if d > time.Date(in, time.Month(month)+1, 0, 0, 0, 0, 0, time.UTC).Day() {
		return "" // no such day
	}
	if year == "" {
		return fmt.Sprintf("--%02d-%02d", month, d)
	}
	return fmt.Sprintf("%s-%02d-%02d", year, month, d)
}

func clockValue(h, m, half string) string {
	hh, mm := atoi(h), atoi(m)
	if hh > 23 || mm > 59 {
		return ""
	}
	switch strings.ToLower(half) {
	case "p":
		if hh < 12 {
			hh += 12
		}
	case "a":
		if hh == 12 {
			hh = 0
		}
	}
	return fmt.Sprintf("%02d:%02d", hh, mm)
}

// spokenClock reads "half past nine" and "quarter to ten".
func spokenClock(m []string) string {
	minutes := map[string]int{"half": 30, "quarter": 15, "five": 5, "ten": 10, "twenty": 20, "twenty-five": 25}[strings.TrimSuffix(strings.ToLower(m[1]), " minutes")]
	hour := atoi(plain(m[3]))
	if strings.EqualFold(m[2], "to") {
		if minutes == 30 {
			return "" // "half to" is no time
		}
		hour, minutes = hour-1, 60-minutes
		if hour < 0 {
			hour += 24
		}
	}
	return clockValue(strconv.Itoa(hour), strconv.Itoa(minutes), "")
}

// A telephone number starts with + or 0 or a bracket, or is written in groups; seven to fifteen digits (ITU-T E.164).
func phoneValue(m []string) string {
	var digits strings.Builder
	groups := 1
	for _, r := range m[0] {
		switch {
		case r >= '0' && r <= '9':
			digits.WriteRune(r)
		case r == ' ' || r == '-' || r == '\u2011':
			groups++
		}
	}
	d := digits.String()
	if len(d) < 7 || len(d) > 15 {
		return ""
	}
	if strings.HasPrefix(m[0], "+") {
		return "+" + d
	}
	if d[0] != '0' && !strings.HasPrefix(m[0], "(") && (groups < 3 || len(d) < 10) {
		return ""
	}
	return d
}

func moneyValue(m []string) string {
	switch u := strings.ToLower(m[2]); {
	case strings.HasPrefix(u, "pound") || u == "gbp":
		return "GBP " + plain(m[1])
	case strings.HasPrefix(u, "dollar") || u == "usd":
		return "USD " + plain(m[1])
	case strings.HasPrefix(u, "eur"):
		return "EUR " + plain(m[1])
	default: // pence, cents
		f, err := strconv.ParseFloat(plain(m[1]), 64)
		if err != nil {
			return ""
		}
		cur := "GBP "
		if strings.HasPrefix(u, "c") {
			cur = "USD "
		}
		return cur + strconv.FormatFloat(f/100, 'f', -1, 64)
	}
}

func scaled(n, unit string) string {
	f, err := strconv.ParseFloat(plain(n), 64)
	if err != nil {
		return plain(n)
	}
	switch strings.ToLower(unit) {
	case "k":
		f *= 1e3
	case "million":
		f *= 1e6
	case "bn", "billion":
		f *= 1e9
	}
	return strconv.FormatFloat(f, 'f', -1, 64)
}

var smallNumbers = func() map[string]int {
	m := map[string]int{}
	for i, w := range strings.Fields("zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen") {
		m[w] = i
	}
	for i, w := range strings.Fields("twenty thirty forty fifty sixty seventy eighty ninety") {
		m[w] = 20 + 10*i
	}
	return m
}()

// andHalf is a number and a half of a unit: "a year and a half".
func andHalf(n, unit string) string {
	x, err := strconv.ParseFloat(plain(n), 64)
	if err != nil {
		x = 1
	}
	return strconv.FormatFloat(x+0.5, 'f', -1, 64) + " " + strings.TrimSuffix(strings.ToLower(unit), "s")
}

// plain is the normal form of a number in digits or in words: no grouping, no trailing zeros.
func plain(s string) string {
	s = strings.ToLower(s)
	if n, ok := inWords(s); ok {
		return n
	}
	s = strings.ReplaceAll(s, ",", "")
	if f, err := strconv.ParseFloat(s, 64); err == nil && len(s) < 16 {
		return strconv.FormatFloat(f, 'f', -1, 64)
	}
	return s
}

// inWords reads a number with words in it: "two hundred and fifty", "10 thousand".
func inWords(s string) (string, bool) {
	sum, part, words := 0.0, 0.0, false
	for w := range strings.FieldsSeq(strings.ReplaceAll(s, "-", " ")) {
		n, small := smallNumbers[w]
		switch {
		case w == "and":
		case small:
			part, words = part+float64(n), true
		case w == "hundred":
			part, words = part*100, true
		case w == "thousand":
			sum, part, words = sum+part*1e3, 0, true
		case w == "million":
			sum, part, words = sum+part*1e6, 0, true
		default:
			x, err := strconv.ParseFloat(strings.ReplaceAll(w, ",", ""), 64)
			if err != nil {
				return "", false
			}
			part += x
		}
	}
	return strconv.FormatFloat(sum+part, 'f', -1, 64), words
}

func unitOf(u string) string {
	u = strings.ToLower(u)
	for _, p := range [][2]string{
		{"kilog", "kg"},
		{"kilos", "kg"},
		{"kilo", "kg"},
		{"km", "km"},
		{"kg", "kg"},
		{"kb", "kb"},
		{"gram", "g"},
		{"tonne", "t"},
		{"centim", "cm"},
		{"met", "m"},
		{"mile", "mile"},
		{"inch", "in"},
		{"feet", "ft"},
		{"lit", "l"},
	} {
		if strings.HasPrefix(u, p[0]) {
			return p[1]
		}
	}
	return u
}
