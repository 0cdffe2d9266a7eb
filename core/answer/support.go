package answer

import (
	"jolvex/core/answer/support"
	"jolvex/core/embed"
	"jolvex/core/query"
	"jolvex/core/text"
)

// WordVectors gives single words vectors, for telling "dog" from "kayak" when the passage says "pets".
type WordVectors interface{ Word(w string) embed.Vector }

// wordCache keeps the vectors of the words met while one question is answered.
type wordCache struct {
	from WordVectors
	seen map[string]embed.Vector
}

func (c *wordCache) get(w string) embed.Vector {
	v, ok := c.seen[w]
	if !ok {
		v = c.from.Word(w)
		c.seen[w] = v
	}
	return v
}

// asked is one term of the question with its weight: how rare it is times how much it counts in the question.
type asked struct {
	query.Term
	name   float64 // how much it is a name, a code or a figure, 0 to 1: nothing stands in for one
	weight float64
	vector embed.Vector
}

// The likeness of two words counts from nearSame on and is full at 1. Below it, words of one field that mean different
// things ("monday", "friday") are the rule.
const (
	nearSame = 0.4
	nearPart = 0.8 // the most that a like but different word counts
)

// coverage is the share of the question's weight that a passage carries: words in full, like words in part.
// exact counts shared stems alone.
func coverage(terms []asked, has map[string]bool, words []string, cache *wordCache) (soft, exact float64) {
	var sum, got, same float64
	for i := range terms {
		t := &terms[i]
		sum += t.weight
		if has[t.Stem] {
			got += t.weight
			same += t.weight
			continue
		}
		best := 0.0
		for _, w := range words {
			if c := embed.Cosine(t.vector, cache.get(w)); c > best {
				best = c
			}
		}
		if best > nearSame {
			got += t.weight * nearPart * (best - nearSame) / (1 - nearSame)
		}
	}
	if sum == 0 {
		return 0, 0
	}
	return got / sum, same / sum
}

// Features of a question and the passage that would answer it. Support is made of them.
type Features = support.Features

// headingMatch is the share of a heading's words that the question names, for the innermost heading.
func headingMatch(terms []asked, path []string) float64 {
	if len(path) == 0 {
		return 0
	}
	words := text.Stems(path[len(path)-1])
	if len(words) == 0 {
		return 0
	}
	n := 0
	for i := range terms {
		if words[terms[i].Stem] {
			n++
		}
	}
	return float64(n) / float64(len(words))
}

// wordsOf lists the different folded words of some units, stop words left out.
func wordsOf(us []unit, more ...string) []string {
	seen := map[string]bool{}
	var out []string
	take := func(ws []text.Word) {
		for _, w := range ws {
			if !seen[w.Norm] && !text.Stop(w.Norm) {
				seen[w.Norm] = true
				out = append(out, w.Norm)
			}
		}
	}
	for i := range us {
		take(us[i].words)
	}
	for _, m := range more {
		take(text.Words(m))
	}
	return out
}
