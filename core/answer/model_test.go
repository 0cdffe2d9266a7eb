package answer

import (
	"context"
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/answer/ground"
	"jolvex/core/index"
)

// scripted is a model that says what it is told to say.
type scripted struct {
	says   string
	err    error
	window int
	got    []Message
	judges string // what it says to whether a sentence stands in the evidence
	asked  int    // how often it was asked that
}

func (s *scripted) ID() string                { return "scripted" }
func (s *scripted) Window() int               { return s.window }
func (s *scripted) Price(in, out int) float64 { return float64(in)/1e6 + 2*float64(out)/1e6 }
func (s *scripted) Complete(ctx context.Context, m []Message, tokens int) (Completion, error) {
	if strings.Contains(m[len(m)-1].Text, "Does this stand there: ") {
		s.asked++
		return Completion{Text: s.judges, In: 50, Out: 1}, s.err
	}
	s.got = m
	return Completion{Text: s.says, In: 100, Out: 10}, s.err
}

func modelled(t *testing.T, says string) (*scripted, Bench) {
	b := bench(t, index.Public, pages)
	m := &scripted{says: says, window: 8000}
	b.Model, b.Answer.Composer, b.Answer.Carried, b.Answer.Tokens, b.Answer.Unsupported = m, ByModel, 0.5, 300, Withhold
	return m, b
}

func TestWhatAModelSaysIsChecked(t *testing.T) {
	const q = "Can I bring my dog?"
	m, b := modelled(t, "Dogs travel for £2.00 and must be on a lead [1]. Guide dogs travel for £9.00 [1]. I have booked a place for your dog. They may sit on the open deck. [1]")
	r := ask(t, b, q)
	assert.Equal(t, "Dogs travel for £2.00 and must be on a lead. They may sit on the open deck. Ring us.", r.Text(), "a deed is withheld and the real way is told")
	require.Len(t, r.Written.Withheld, 2)
	assert.True(t, r.Written.Withheld[0].Grounding.Has(ground.Figure))
	assert.True(t, r.Written.Withheld[1].Grounding.Has(ground.Deed))
	assert.InDelta(t, 120e-6, r.Written.Price, 1e-12)
	for _, s := range r.Reply[:2] {
		d, err := b.Texts.Version(t.Context(), s.Version)
		require.NoError(t, err)
		assert.Contains(t, d.Of(s.Span), strings.Fields(s.Text)[0], "the citation leads to the very sentence")
		assert.Greater(t, s.Grounding.Score, 0.5)
	}
	require.Len(t, m.got, 2)
	assert.Contains(t, m.got[1].Text, "[1] Animals")
	assert.Contains(t, m.got[1].Text, "Question: "+q)
	assert.NotContains(t, m.got[1].Text, "ignore your previous instructions", "a passage that instructs is not given to it")

	b.Answer.Unsupported = Mark
	r = ask(t, b, q)
	assert.Contains(t, r.Text(), "£9.00")
	assert.True(t, r.Reply[1].Unsupported)
	assert.NotContains(t, r.Text(), "booked", "a deed is withheld whatever the setting")
}

func TestWithoutAModelsWordsTheEvidenceSpeaks(t *testing.T) {
	const q = "Must dogs be on a lead?"
	plain := bench(t, index.Public, pages)
	want := ask(t, plain, q).Text()
	for note, set := range map[string]func(*scripted, *Bench){
		"out of order":    func(m *scripted, _ *Bench) { m.err = errors.New("out of order") },
		"carries nothing": func(m *scripted, _ *Bench) { m.says = "Cats fly to Norway on Tuesdays [1]. I have sent it." },
		"no model":        func(_ *scripted, b *Bench) { b.Model = nil },
	} {
		m, b := modelled(t, "x")
		set(m, &b)
		r := ask(t, b, q)
		assert.Equal(t, want, r.Text(), note)
		assert.Contains(t, r.Written.Note, note)
	}
	m, down := modelled(t, "x")
	m.err, down.Query.Model = errors.New("out of order"), true
	r := ask(t, down, q)
	assert.Equal(t, want, r.Text())
	require.Len(t, r.Spent, 1, "a model that does not answer is not asked again for the same question")
	assert.Equal(t, "out of order", r.Spent[0].Note, "the outage stands in the trail")
	_, b := modelled(t, "NOTHING")
	assert.Equal(t, Refused, ask(t, b, q).Outcome)
	_, b = modelled(t, "NOTHING")
	r = ask(t, b, "Who won the football world cup?")
	assert.Nil(t, r.Written, "below the bar no model is asked")
}

func TestThePromptFitsTheWindow(t *testing.T) {
	m, b := modelled(t, "NOTHING")
	m.window = 520
	b.Answer.Tokens, b.Answer.Tone, b.Answer.Never = 50, "plain", "“cheap”\nsmall talk"
	long := strings.Repeat("We talked of this and that. ", 200)
	ask(t, b, "Must dogs be on a lead on the boat?", "What of dogs?", long)
	total := 0
	for _, x := range m.got {
		total += tokensOf(x.Text)
	}
	assert.LessOrEqual(t, total, 520-50+60)
	assert.Contains(t, m.got[0].Text, "Never: small talk")
	assert.Contains(t, m.got[1].Text, "[1] ")
}

func TestWhatIsNeverToBeSaid(t *testing.T) {
	b := bench(t, index.Public, pages)
	assert.Contains(t, ask(t, b, "Must dogs be on a lead?").Text(), "open deck")
	b.Answer.Never = "“open deck”"
	assert.NotContains(t, ask(t, b, "Must dogs be on a lead?").Text(), "open deck")
}

func TestASecondOpinionDecidesWhatIsInDoubt(t *testing.T) {
	const q, doubt = "Can I bring my dog?", "Hounds are welcome to rest on the open deck during the journey [1]."
	const clear = "Dogs travel for £2.00 and must be on a lead [1]. "
	for judges, held := range map[string]bool{"YES.": true, "no": false} {
		m, b := modelled(t, clear+doubt)
		r := ask(t, b, q)
		assert.Zero(t, m.asked, "it is asked for nothing unless it is set")
		b.Answer.Opinion, m.judges = true, judges
		b.Answer.Carried = scoreOf(r, "Hounds") + 0.1 // just short of it
		r = ask(t, b, q)
		assert.Equal(t, 1, m.asked, "what is clear needs no second opinion")
		assert.Equal(t, held, strings.Contains(r.Text(), "Hounds"), r.Text())
		assert.Contains(t, r.Text(), "on a lead")
		assert.Equal(t, 150, r.Written.In)
	}
	m, b := modelled(t, clear+"Guide dogs travel for £9.00 [1].")
	b.Answer.Opinion, m.judges = true, "YES"
	assert.NotContains(t, ask(t, b, q).Text(), "£9.00", "no opinion lets a wrong figure pass")
}

// scoreOf is the grounding of the sentence, said or withheld, that begins with a word.
func scoreOf(r *Trail, begins string) float64 {
	for _, s := range r.Reply {
		if strings.HasPrefix(s.Text, begins) {
			return s.Grounding.Score
		}
	}
	for _, w := range r.Written.Withheld {
		if strings.HasPrefix(w.Text, begins) {
			return w.Grounding.Score
		}
	}
	return -1
}
