package text

import (
	"regexp"
	"regexp/syntax"
	"slices"
	"strings"
)

// Prefilter tells quickly that an expression cannot match a text: a match would hold one of some literals of each of some sets, and the text holds none of
// one of them. (The literals that an expression needs, as Cox describes it in "Regular Expression Matching with a Trigram Index", 2012, without the
// trigrams.)
type Prefilter struct {
	re   *regexp.Regexp
	need [][]literal // all of the sets, one of each
}

// literal is a text in small letters that a match holds.
type literal struct {
	text string
	word bool // no letter, figure or underscore of ASCII stands before it
}

// Lengths and numbers of literals. Shorter ones stand nearly everywhere; more than so many take longer to look for than the expression.
const (
	leastNeeded     = 3 // bytes
	leastNeededWord = 2 // bytes, of one that begins a word
	mostNeeded      = 64
)

// NewPrefilter makes the prefilter of an expression.
func NewPrefilter(re *regexp.Regexp) Prefilter {
	p := Prefilter{re: re}
	if tree, err := syntax.Parse(re.String(), syntax.Perl); err == nil { // it was compiled
		p.need = needed(tree, false)
	}
	return p
}

// Regexp is the expression.
func (p Prefilter) Regexp() *regexp.Regexp { return p.re }

// May reports whether a text, folded by Sift, may match.
func (p Prefilter) May(f Sifted) bool {
	if f.odd {
		return true
	}
	for _, set := range p.need {
		if !slices.ContainsFunc(set, func(l literal) bool { return l.in(f.text) }) {
			return false
		}
	}
	return true
}

func (l literal) in(s string) bool {
	for from := 0; ; {
		at := strings.Index(s[from:], l.text)
		if at < 0 {
			return false
		}
		if at += from; !l.word || at == 0 || !asciiWord(s[at-1]) {
			return true
		}
		from = at + 1
	}
}

func asciiWord(b byte) bool {
	return b == '_' || '0' <= b && b <= '9' || 'a' <= b && b <= 'z' || 'A' <= b && b <= 'Z'
}

// Sifted is a text as prefilters look at it.
type Sifted struct {
	text string
	odd  bool
}

// Sift is a text in small letters, as expressions without regard to case see it. The long s and the sign for kelvin, which those take for
// letters of ASCII but not for the beginning of a word, are not folded: a text with one may match whatever stands in it.
func Sift(s string) Sifted {
	return Sifted{strings.ToLower(s), strings.ContainsAny(s, "ſ\u212a")}
}

// needed are sets of literals of which every match holds one each; none where nothing is known. word says that a match begins a word.
func needed(re *syntax.Regexp, word bool) [][]literal {
	if all := exact(re); all != nil {
		return asNeeded(all, word)
	}
	switch re.Op {
	case syntax.OpCapture, syntax.OpPlus:
		return needed(re.Sub[0], word && re.Op == syntax.OpCapture)
	case syntax.OpRepeat:
		if re.Min > 0 {
			return needed(re.Sub[0], false)
		}
	case syntax.OpAlternate:
		var all []literal
		for _, sub := range re.Sub {
			some := needed(sub, word)
			if len(some) == 0 {
				return nil
			}
			all = append(all, some[0]...)
		}
		if len(all) <= mostNeeded {
			return [][]literal{all}
		}
	case syntax.OpConcat:
		var out [][]literal
		for from := 0; from < len(re.Sub); {
			if re.Sub[from].Op == syntax.OpWordBoundary {
				word = true
				from++
				continue
			}
			to, run := from, []string{""}
			for to < len(re.Sub) {
				next := product(run, exact(re.Sub[to]))
				if next == nil {
					break
				}
				run, to = next, to+1
			}
			if to > from {
				out = append(out, asNeeded(run, word)...)
				from = to
			} else {
				out = append(out, needed(re.Sub[from], word)...)
				from++
			}
			word = false
		}
		return out
	}
	return nil
}

// asNeeded is a set of literals, where all are long enough.
func asNeeded(all []string, word bool) [][]literal {
	var out []literal
	for _, s := range all {
		if len(s) < leastNeeded && !(word && len(s) >= leastNeededWord && asciiWord(s[0])) {
			return nil
		}
		out = append(out, literal{s, word && asciiWord(s[0])})
	}
	return [][]literal{out}
}

// exact are all texts that an expression matches, folded; nil where they are too many, or are not known.
func exact(re *syntax.Regexp) []string {
	switch re.Op {
	case syntax.OpLiteral:
		return []string{strings.ToLower(string(re.Rune))}
	case syntax.OpCapture:
		return exact(re.Sub[0])
	case syntax.OpQuest:
		if some := exact(re.Sub[0]); some != nil {
			return append([]string{""}, some...)
		}
	case syntax.OpConcat:
		run := []string{""}
		for _, sub := range re.Sub {
			run = product(run, exact(sub))
		}
		return run
	case syntax.OpAlternate:
		var all []string
		for _, sub := range re.Sub {
			some := exact(sub)
			if some == nil || len(all)+len(some) > mostNeeded {
				return nil
			}
			all = append(all, some...)
		}
		return all
	case syntax.OpCharClass:
		var all []string
		for i := 0; i+1 < len(re.Rune); i += 2 {
			for r := re.Rune[i]; r <= re.Rune[i+1]; r++ {
				if all = append(all, strings.ToLower(string(r))); len(all) > 8 {
					return nil
				}
			}
		}
		return all
	}
	return nil
}

// product are all texts of the one followed by those of the other; nil where either is, or they are too many.
func product(before, after []string) []string {
	if before == nil || after == nil || len(before)*len(after) > mostNeeded {
		return nil
	}
	var out []string
	for _, x := range before {
		for _, y := range after {
			if s := x + y; !slices.Contains(out, s) {
				out = append(out, s)
			}
		}
	}
	return out
}
