package check

import (
	"fmt"
	"hash/fnv"
	"math"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// MinHash signatures (Broder 1997, "On the resemblance and containment of documents"): the share of equal parts of two
// signatures estimates the resemblance of two sets of shingles, with a standard error of at most 1/(2*sqrt(hashes)).
const (
	hashes      = 128
	shingleSize = 5   // words
	bands       = 32  // of 4 parts each: pairs that share one band are compared
	alike       = 0.8 // resemblance from which two documents are near-duplicates
	mostPairs   = 500
)

// Signature is a MinHash signature.
type Signature [hashes]uint32

// Sign makes the signature of a text's shingles; ok is false for a text shorter than one shingle.
func Sign(s string) (sig Signature, ok bool) {
	words := text.Words(s)
	if len(words) < shingleSize {
		return sig, false
	}
	for i := range sig {
		sig[i] = math.MaxUint32
	}
	for i := 0; i+shingleSize <= len(words); i++ {
		h := fnv.New64a()
		for _, w := range words[i : i+shingleSize] {
			_, _ = h.Write([]byte(w.Norm)) // never fails
			_, _ = h.Write([]byte{0})
		}
		x := h.Sum64()
		for k := range sig {
			// One strong hash gives many by mixing in the number of each (splitmix64's finaliser).
			z := x + uint64(k+1)*0x9e3779b97f4a7c15
			z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
			z = (z ^ z>>27) * 0x94d049bb133111eb
			sig[k] = min(sig[k], uint32(z>>32))
		}
	}
	return sig, true
}

// Resemblance estimates the Jaccard resemblance of the shingles of two texts, 0 to 1.
func (s *Signature) Resemblance(t *Signature) float64 {
	same := 0
	for i := range s {
		if s[i] == t[i] {
			same++
		}
	}
	return float64(same) / hashes
}

type fingerprint struct {
	id    string
	title string
	words int
	sig   Signature
	ok    bool
}

func newFingerprint(id string, d *doc.Document, words int) fingerprint {
	f := fingerprint{id: id, title: d.Title, words: words}
	if words >= fewWords {
		f.sig, f.ok = Sign(d.Text)
	}
	return f
}

// nearDuplicates finds pairs of documents that say nearly the same: each document is told with the first that it is like.
func nearDuplicates(looks []*Look) []Finding {
	fs := make([]*fingerprint, len(looks))
	for i, l := range looks {
		fs[i] = &l.print
	}
	type band struct {
		n   int
		sum uint64
	}
	rooms := map[band][]int{}
	var out []Finding
	for i := range fs {
		if !fs[i].ok {
			continue
		}
		best, how := -1, alike
		seen := map[int]bool{}
		for b := range bands {
			sum := uint64(14695981039346656037)
			for k := range hashes / bands {
				sum = (sum ^ uint64(fs[i].sig[b*hashes/bands+k])) * 1099511628211
			}
			key := band{b, sum}
			for _, j := range rooms[key] {
				if seen[j] {
					continue
				}
				seen[j] = true
				if r := fs[i].sig.Resemblance(&fs[j].sig); r > how || r == how && best < 0 {
					best, how = j, r
				}
			}
			if len(rooms[key]) < 50 {
				rooms[key] = append(rooms[key], i)
			}
		}
		if best >= 0 && len(out) < mostPairs {
			out = append(out, Finding{
				Kind: NearDuplicate, Severity: Medium, At: Passage{Document: fs[i].id, Text: fs[i].title}, Other: &Passage{Document: fs[best].id, Text: fs[best].title},
				Detail: fmt.Sprintf("about %.0f %% of its wording is the same: replies may cite either, and one crowds out the other", 100*how),
			})
		}
	}
	return out
}

// blockList are the hashes and lengths of one document's blocks.
type blockList struct {
	hashes  []uint64
	lengths []int
}

func blocksOf(in Input) blockList {
	var l blockList
	for _, b := range in.Doc.Blocks {
		if b.Kind == doc.Heading {
			continue
		}
		h := fnv.New64a()
		_, _ = h.Write([]byte(in.Doc.Of(b.Span)))
		x := h.Sum64()
		l.hashes, l.lengths = append(l.hashes, x), append(l.lengths, b.Span.Len())
	}
	return l
}

// What stands on at least so many pages of a source, and so large a share of them, is boilerplate; a page is told when it is
// more than half of its text. (Common practice, no published source.)
const (
	repeatedOn    = 5
	repeatedShare = 0.2
	mostlyShare   = 0.5
)

// boilerplate finds documents that consist of what stands on many pages of their source.
func boilerplate(looks []*Look) []Finding {
	pages := map[string]int{}
	type block struct {
		source string
		hash   uint64
	}
	on := map[block]int{} // pages that hold a block
	for _, l := range looks {
		pages[l.source]++
		seen := map[uint64]bool{}
		for _, h := range l.blocks.hashes {
			if !seen[h] {
				seen[h] = true
				on[block{l.source, h}]++
			}
		}
	}
	var out []Finding
	for _, l := range looks {
		all, again := 0, 0
		for i, h := range l.blocks.hashes {
			all += l.blocks.lengths[i]
			if n := on[block{l.source, h}]; n >= repeatedOn && float64(n) >= repeatedShare*float64(pages[l.source]) {
				again += l.blocks.lengths[i]
			}
		}
		if all > 0 && float64(again) > mostlyShare*float64(all) {
			out = append(out, Finding{Kind: Boilerplate, Severity: Low, At: Passage{Document: l.id}, Detail: fmt.Sprintf("%.0f %% of its text stands on many pages of the same source", 100*float64(again)/float64(all))})
		}
	}
	return out
}
