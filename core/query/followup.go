package query

import (
	"context"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/text"
)

var (
	leanings = en.Pattern("leanings")
	pronouns = en.Pattern("pronouns")
)

// leans reports whether a question needs the conversation to be understood: it points back, or names next to nothing.
func leans(s string, terms []Term) bool {
	strong := 0.0
	for _, t := range terms {
		strong += t.Weight
	}
	return strong <= 1.6 || (leanings.MatchString(s) || pointsBack(s)) && strong <= 5
}

// pointsBack reports whether a pronoun stands for something outside the question: not much stands before it that it could
// mean.
func pointsBack(s string) bool {
	m := pronouns.FindStringIndex(s)
	if m == nil {
		return false
	}
	strong := 0
	for _, t := range termsOf(s[:m[0]]) {
		if t.Weight >= 1 {
			strong++
		}
	}
	return strong < 2
}

func lastUser(turns []Turn) string {
	for i := len(turns) - 1; i >= 0; i-- {
		if turns[i].Role == "user" {
			return turns[i].Text
		}
	}
	return ""
}

// completeFollowUp has a question that leans on the conversation take over its subject.
func (w *work) completeFollowUp(ctx context.Context) string {
	turns := w.question.Turns
	if len(turns) == 0 {
		return "nothing was said before"
	}
	if named := w.picked(turns); named != "" {
		w.reword(named)
		w.replaced = true
		return "what it picks out of the reply before: “" + named + "”"
	}
	if !leans(w.now, termsOf(w.now)) {
		return "it stands alone"
	}
	before, ok := w.before(ctx, turns)
	if !ok {
		return "nothing was asked before"
	}
	if whole := w.inserted(before.Alone); whole != "" {
		w.reword(whole)
		w.replaced = true
		return "put into the question before: “" + whole + "”"
	}
	have := len(termsOf(w.now))
	all := addTerms(termsOf(w.now), carriedFrom(before))
	w.carried = all[have:]
	if len(w.carried) == 0 {
		return "it names all that the question before does"
	}
	asked := w.reading.Wordings[0].Text
	w.reading.Guessed = !elliptic.MatchString(asked) && !leanings.MatchString(w.now) && !pointsBack(w.now)
	said := wordsOf(w.carried)
	w.context, w.replaced = strings.TrimSpace(w.context+" "+said), true
	return "taken over from the conversation: " + said
}

// before reads the question before, as it stood in its own conversation. Courtesies are passed over.
func (w *work) before(ctx context.Context, turns []Turn) (Reading, bool) {
	for i := len(turns) - 1; i >= 0; i-- {
		if turns[i].Role != "user" || courtesy(turns[i].Text) != Ask || !hasWord(turns[i].Text) {
			continue
		}
		tools, set := w.tools, w.set
		tools.Write, tools.Look, tools.Clock = nil, nil, nil
		set.Related, set.Feedback, set.Model = false, false, false
		return Read(ctx, Question{Text: turns[i].Text, Turns: turns[:i]}, tools, set), true
	}
	return Reading{}, false
}

// carriedFrom gives the terms that a follow-up takes over: those of the question before, at half weight, and what that one
// itself leant on, at half of that.
func carriedFrom(before Reading) []Term {
	out := make([]Term, 0, len(before.Terms))
	for _, t := range before.Terms {
		if t.Weight *= 0.5; t.Weight >= 0.1 {
			t.Pass = PassFollowUp
			out = append(out, t)
		}
	}
	return out
}

// ellipsis is a question that names one thing and leaves out all else: "and for a kayak?", "what about Sundays?".
var (
	elliptic = en.Pattern("elliptic")
	ellipsis = en.Pattern("ellipsis")
)

// clause is what makes words more than the name of a thing.
var clause = en.Pattern("clause")

// inserted puts what an elliptic follow-up names into the place of the word of the question before that it is most like
// ("How much is an adult return?", "and a child?"); "" when it is no ellipsis or likes no word.
func (w *work) inserted(before string) string {
	m := ellipsis.FindStringSubmatch(w.now)
	if m == nil || clause.MatchString(m[3]) || !elliptic.MatchString(w.reading.Wordings[0].Text) && !elliptic.MatchString(w.now) {
		return ""
	}
	thing := strings.TrimSpace(m[3])
	named := text.Content(thing)
	if len(named) == 0 || len(named) > 4 {
		return ""
	}
	words := text.Words(before)
	from, to, best := 0, 0, leastLike
	for _, slot := range slots(before, words) {
		if slices.ContainsFunc(named, func(n text.Word) bool { return n.Stem == slot.head.Stem }) {
			return "" // it is there already
		}
		like := w.alike(thing, named[len(named)-1].Norm, before[slot.from:slot.to], slot.head.Norm)
		if like > 0 && like < 1 && led(before[:slot.from], m[1]+" "+m[2]) {
			like += sameLead
		}
		if like > best {
			from, to, best = slot.from, slot.to, like
		}
	}
	if best <= leastLike {
		return ""
	}
	return article(before[:from], thing) + thing + before[to:]
}

// article gives what stands before a thing with "a" or "an" as the thing wants it.
func article(before, thing string) string {
	for _, a := range []string{" a ", " an "} {
		if rest, ok := strings.CutSuffix(before, a); ok {
			if strings.ContainsRune("aeiouAEIOU", rune(thing[0])) {
				return rest + " an "
			}
			return rest + " a "
		}
	}
	return before
}

// leastLike is how alike in kind a thing must be to what it takes the place of. By the word vectors "senior" is 0.41 like
// "adult", "child" 0.34, "kayak" 0.18 like "bicycle" (and 0.33 with the article before both), "dog" 0.03 like "fare".
const leastLike = 0.25

// sameLead is what the same preposition or article before both adds to how alike they are.
const sameLead = 0.15

// led reports whether what stands before a slot ends with a word that leads the thing, too.
func led(before, lead string) bool {
	ws := strings.Fields(strings.ToLower(before))
	return len(ws) > 0 && slices.Contains(strings.Fields(strings.ToLower(lead)), ws[len(ws)-1])
}

// slot is a name within a question: a run of words with capitals, or one word.
type slot struct {
	from, to int
	head     text.Word
}

// slots lists the names of a question that another could take the place of.
func slots(s string, words []text.Word) []slot {
	var out []slot
	for i := 0; i < len(words); i++ {
		x := words[i]
		if text.Stop(x.Norm) || weakWords[x.Norm] {
			continue
		}
		j := i
		for capital(s[x.Start:]) && j+1 < len(words) && capital(s[words[j+1].Start:]) && words[j+1].Start == words[j].End+1 {
			j++
		}
		out = append(out, slot{x.Start, words[j].End, words[j]})
		i = j
	}
	return out
}

func capital(s string) bool {
	r, _ := utf8.DecodeRuneInString(s)
	return unicode.IsUpper(r)
}

var kinds = []*regexp.Regexp{
	en.Pattern("alone-day"),
	en.Pattern("alone-month"),
	regexp.MustCompile(`^[\d.,:£$€]+$`),
}

// alike is how alike in kind two names are: days are days, numbers numbers, names with capitals rather names; else by the
// meaning of their last words.
func (w *work) alike(a, headA, b, headB string) float64 {
	for _, k := range kinds {
		switch x, y := k.MatchString(headA), k.MatchString(headB); {
		case x && y:
			return 1
		case x != y:
			return 0
		}
	}
	like := w.tools.Lexicon.Likeness(headA, headB)
	if capital(a) && capital(b) {
		like = max(like, leastLike) + 0.2
	}
	return like
}

// ordinal is a question that points at one of several things of the reply before.
var ordinal = en.Pattern("ordinal")

var ordinals = map[string]int{"first": 0, "1st": 0, "former": 0, "second": 1, "2nd": 1, "latter": 1, "third": 2, "3rd": 2, "fourth": 3, "4th": 3, "fifth": 4, "5th": 4, "last": -1}

// picked puts what "the second one" is in its place; "" when nothing is picked or the reply before has no such thing.
func (w *work) picked(turns []Turn) string {
	m := ordinal.FindStringSubmatchIndex(w.now)
	if m == nil || turns[len(turns)-1].Role != "assistant" {
		return ""
	}
	items := itemsOf(turns[len(turns)-1].Text)
	n := -2
	for k := 2; k < len(m); k += 2 {
		if m[k] < 0 {
			continue
		}
		said := strings.ToLower(w.now[m[k]:m[k+1]])
		if i, ok := ordinals[said]; ok {
			n = i
		} else if i, err := strconv.Atoi(said); err == nil {
			n = i - 1
		}
	}
	if n == -1 {
		n = len(items) - 1
	}
	if n < 0 || n >= len(items) || len(items) < 2 {
		return ""
	}
	return w.now[:m[0]] + items[n] + w.now[m[1]:]
}

var bullet = regexp.MustCompile(`^\s*(?:[-*•]|\d+[.)])\s+`)

// itemsOf lists the things of a reply: its lines, else its sentences, each by what stands before its figures.
func itemsOf(reply string) []string {
	var out []string
	parts := strings.Split(strings.TrimSpace(reply), "\n")
	if len(parts) == 1 {
		parts = parts[:0]
		for _, p := range text.Sentences(reply) {
			parts = append(parts, reply[p.Start:p.End])
		}
	}
	for _, p := range parts {
		p = bullet.ReplaceAllString(p, "")
		if strings.HasSuffix(strings.TrimSpace(p), ":") {
			continue
		}
		name, _, _ := strings.Cut(p, " – ")
		name, _, _ = strings.Cut(name, ": ")
		if name = strings.Trim(strings.TrimSpace(name), ".!;,"); hasWord(name) {
			ws := text.Words(name)
			if len(ws) > 8 {
				name = name[:ws[7].End]
			}
			out = append(out, name)
		}
	}
	return out
}
