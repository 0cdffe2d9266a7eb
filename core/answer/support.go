package answer

import (
	"math"

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
	weight float64
	vector embed.Vector
}

// The likeness of two words counts from nearSame on and is full at 1. Below it, words of one field that mean different
// things ("monday", "friday") are the rule.
const (
	nearSame = 0.55
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

// features of a question and the passage that would answer it.
type features struct {
	soft   float64 // coverage with like words, 0 to 1
	exact  float64 // coverage by shared words
	cosine float64 // likeness of meaning of question and passage
	near   float64 // the best single unit's likeness of meaning
	unit   float64 // the best single unit's coverage, its context included
	figure float64 // 1 when a kind of figure is asked for and stands there, -1 when it does not, 0 when none is asked for
}

// calibration turns features into support. The constants come from logistic regression (tools/evaluate -calibrate) over
// answerable and unanswerable questions about the Debian FAQ and the demo; 0.5 is where answering and refusing weigh the
// same.
var calibration = struct{ bias, soft, exact, cosine, near, unit, figure float64 }{-4.2, 3.0, 1.6, 2.6, 2.2, 1.0, 0.3}

func (f features) support() float64 {
	c := calibration
	z := c.bias + c.soft*f.soft + c.exact*f.exact + c.cosine*f.cosine + c.near*f.near + c.unit*f.unit + c.figure*f.figure
	return 1 / (1 + math.Exp(-z))
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
