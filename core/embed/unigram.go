package embed

import (
	"encoding/binary"
	"errors"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// unigram cuts texts into the pieces of a unigram language model (Kudo 2018), the likeliest of all ways to cut, as SentencePiece does: characters
// are brought to one form by a table (NFKC with some changes), a space becomes part of the word after it.
type unigram struct {
	row        map[string]int32 // of a piece: its place in the vocabulary that was kept
	score      []float32        // [rows]: logarithm of the probability
	ids        []int32          // [rows]: the id of a piece in the whole vocabulary
	becomes    map[rune]string
	start, end int32 // rows
	unknown    int32
	least      float32 // what an unknown character scores
	longest    int     // bytes of the longest piece
}

// gap stands for a space in a piece.
const gap = '\u2581'

func newUnigram(pieces []byte, score []float32, becomes []byte, start, end, unknown int32, least float32) (*unigram, error) {
	u := &unigram{row: make(map[string]int32, len(score)), score: score, ids: make([]int32, 0, len(score)), becomes: map[rune]string{}, least: least}
	id := int32(0)
	for n := int32(0); len(pieces) > 0; n++ {
		if len(pieces) < 3 || len(pieces) < 3+int(pieces[2]) {
			return nil, errors.New("the vocabulary of the encoder of many languages is cut off")
		}
		id += int32(binary.LittleEndian.Uint16(pieces))
		size := int(pieces[2])
		switch id {
		case start:
			u.start = n
		case end:
			u.end = n
		case unknown:
			u.unknown = n
		default:
			u.row[string(pieces[3:3+size])] = n
			u.longest = max(u.longest, size)
		}
		u.ids = append(u.ids, id)
		pieces = pieces[3+size:]
	}
	if len(u.ids) != len(score) {
		return nil, errors.New("the vocabulary of the encoder of many languages has not a score for every piece")
	}
	for len(becomes) > 0 {
		if len(becomes) < 5 || len(becomes) < 5+int(becomes[4]) {
			return nil, errors.New("the table of characters of the encoder of many languages is cut off")
		}
		size := int(becomes[4])
		u.becomes[rune(binary.LittleEndian.Uint32(becomes))] = string(becomes[5 : 5+size])
		becomes = becomes[5+size:]
	}
	return u, nil
}

// normal brings a text to the form in which pieces are looked for.
func (u *unigram) normal(s string) string {
	var b strings.Builder
	b.Grow(len(s) + 8)
	spaced := true // at the start
	put := func(r rune) {
		if r == ' ' || r == gap {
			spaced = true
			return
		}
		if spaced {
			b.WriteRune(gap)
			spaced = false
		}
		b.WriteRune(r)
	}
	for _, r := range norm.NFC.String(strings.ToValidUTF8(s, "\ufffd")) {
		to, ok := u.becomes[r]
		if !ok {
			put(r)
			continue
		}
		for _, r := range to {
			put(r)
		}
	}
	return b.String()
}

// stretch is about how many bytes are cut at once: a text is cut at a gap, so that its parts are cut alike wherever they stand.
const stretch = 4096

// pieces gives the rows of a text between the marks for start and end, cut off at most of them.
func (u *unigram) pieces(s string, most int) []int32 {
	out := append(make([]int32, 0, min(most, len(s)/3+4)), u.start)
	if longest := 32 * most; len(s) > longest { // no piece is longer
		s = s[:longest]
	}
	for rest := u.normal(s); rest != "" && len(out) < most-1; {
		to := len(rest)
		if to > stretch {
			to = stretch
			if at := strings.LastIndex(rest[1:stretch], string(gap)); at > 0 {
				to = at + 1
			}
			for !utf8.RuneStart(rest[to]) {
				to--
			}
		}
		out = u.cut(out, rest[:to])
		rest = rest[to:]
	}
	return append(out[:min(len(out), most-1)], u.end)
}

func (u *unigram) marks() (start, end int32) { return u.start, u.end }

// cut appends the likeliest pieces of a normal text (Viterbi 1967). Unknown characters side by side are one unknown piece. Cost: text times
// longest piece.
func (u *unigram) cut(out []int32, s string) []int32 {
	type step struct {
		score float32
		from  int32
		row   int32
	}
	const nowhere = -1e30
	best := make([]step, len(s)+1)
	for i := 1; i < len(best); i++ {
		best[i].score = nowhere
	}
	for at := 0; at < len(s); {
		_, size := utf8.DecodeRuneInString(s[at:])
		here := best[at].score
		for to := at + size; to-at <= u.longest; {
			if row, ok := u.row[s[at:to]]; ok {
				if v := here + u.score[row]; v > best[to].score {
					best[to] = step{v, int32(at), row}
				}
			}
			if to == len(s) {
				break
			}
			_, n := utf8.DecodeRuneInString(s[to:])
			to += n
		}
		if v := here + u.least; v > best[at+size].score {
			best[at+size] = step{v, int32(at), u.unknown}
		}
		at += size
	}
	from := len(out)
	for at := len(s); at > 0; at = int(best[at].from) {
		if n := len(out); best[at].row == u.unknown && n > from && out[n-1] == u.unknown {
			continue
		}
		out = append(out, best[at].row)
	}
	for i, j := from, len(out)-1; i < j; i, j = i+1, j-1 {
		out[i], out[j] = out[j], out[i]
	}
	return out
}
