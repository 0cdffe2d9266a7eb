package chunk

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
)

// Token counts of the cl100k vocabulary as its publisher's cookbook gives them ("How to count tokens", the comparison
// table): "antidisestablishmentarianism" 6, "2 + 2 = 4" 7, "お誕生日おめでとう" 9.
func TestTokeniseAgainstPublishedCounts(t *testing.T) {
	for s, want := range map[string]int{"antidisestablishmentarianism": 6, "2 + 2 = 4": 7, "お誕生日おめでとう": 9, "": 0} {
		got, err := Tokenise(s)
		require.NoError(t, err)
		assert.Len(t, got, want, s)
	}
}

// randomDocument makes a document of headings, paragraphs, lists and tables.
func randomDocument(r *rand.Rand) *doc.Document {
	words := strings.Fields("ferry pier boat Sandrel ticket fare dog bicycle über naïve 12 £4.50 lift ramp crew berth weather tide morning return single")
	say := func(n int) string {
		var out []string
		for range n {
			out = append(out, words[r.IntN(len(words))])
		}
		return strings.Join(out, " ")
	}
	var b doc.Builder
	b.Doc().Title = "Random"
	for range 3 + r.IntN(25) {
		switch r.IntN(6) {
		case 0, 1:
			b.Add(doc.Block{Kind: doc.Heading, Level: 1 + r.IntN(4)}, say(1+r.IntN(5)))
		case 2:
			for range 1 + r.IntN(6) {
				b.Add(doc.Block{Kind: doc.Item, Level: 1}, say(1+r.IntN(12)))
			}
		case 3:
			var rows [][]string
			for range 1 + r.IntN(30) {
				rows = append(rows, []string{say(2), say(1), say(1)})
			}
			b.AddTable(doc.Place{}, say(2), []string{"Kind", "Single", "Return"}, rows)
		default:
			for range 1 + r.IntN(3) {
				b.Add(doc.Block{Kind: doc.Paragraph}, strings.Repeat(say(3+r.IntN(25))+". ", 1+r.IntN(6)))
			}
		}
	}
	b.Add(doc.Block{Kind: doc.Paragraph}, say(5)+".")
	return b.Document()
}

var everyStrategy = []string{Structure, Questions, Subject, Sentences, Small, Captions, Fixed}

// someVectors stand in for an embedder: a text's direction is the count of its letters.
func someVectors(texts []string) ([][]int8, error) {
	out := make([][]int8, len(texts))
	for i, s := range texts {
		v := make([]int8, 26)
		for _, r := range strings.ToLower(s) {
			if r >= 'a' && r <= 'z' && v[r-'a'] < 127 {
				v[r-'a']++
			}
		}
		out[i] = v
	}
	return out, nil
}

func prepared(t *testing.T, d *doc.Document) *Prepared {
	t.Helper()
	require.NoError(t, d.Check())
	p, err := Prepare(d, someVectors)
	require.NoError(t, err)
	return p
}

// sound requires what holds of any cut: chunks in order of place, each of whole characters and within its size, every
// character that is not white space in one, and in one alone when no overlap is asked for.
func sound(t *testing.T, p *Prepared, s Settings, name string) []Chunk {
	t.Helper()
	d := p.Doc
	chunks, err := p.Cut(s)
	require.NoError(t, err, name)
	most := s.Size + s.Overlap + 8
	if s.Strategy == Questions {
		most = 2*s.Size + s.Overlap + 8
	}
	covered := make([]uint8, len(d.Text))
	for i, c := range chunks {
		require.Equal(t, i, c.Ordinal, name)
		require.True(t, c.Span.Start < c.Span.End && c.Span.End <= len(d.Text), name)
		require.True(t, utf8.ValidString(d.Of(c.Span)), name)
		require.LessOrEqual(t, c.Tokens, most, "%s: %q", name, d.Of(c.Span))
		if i > 0 {
			require.Greater(t, c.Span.End, chunks[i-1].Span.End, name)
			require.GreaterOrEqual(t, c.Span.Start, chunks[i-1].Span.Start, name)
		}
		if c.Parent.Len() > 0 {
			require.True(t, c.Parent.Contains(c.Span), name)
			require.LessOrEqual(t, p.Tokens.Count(c.Parent), s.Size+8, name)
		}
		for k := c.Span.Start; k < c.Span.End; k++ {
			covered[k] = min(covered[k]+1, 2)
		}
	}
	for k, r := range d.Text {
		if unicode.IsSpace(r) {
			continue
		}
		if covered[k] == 0 || s.Overlap == 0 && covered[k] > 1 {
			require.Failf(t, "a character is in no chunk, or in two", "%s: %d times at %d: %q", name, covered[k], k, d.Of(d.Blocks[d.BlockAt(k)].Span))
		}
	}
	return chunks
}

func randomSettings(r *rand.Rand, n int) Settings {
	s := Settings{Strategy: everyStrategy[n%len(everyStrategy)], Size: 32 + r.IntN(300), Least: r.IntN(40), Told: ByWords, Window: 5 + r.IntN(60)}
	if n%2 == 0 {
		s.Told = ByMeaning
	}
	if n%3 > 0 && s.Strategy != Small {
		s.Overlap = r.IntN(s.Size / 2)
	}
	s.Inner = r.IntN(31)
	return s
}

func TestCutProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	for n := range 700 {
		p := prepared(t, randomDocument(r))
		s := randomSettings(r, n)
		require.NotEmpty(t, sound(t, p, s, fmt.Sprintf("document %d, %+v", n, s)))
	}
}

// Texts that no rule was made for: without spaces, from right to left, without words, of one endless sentence; blocks of
// white space alone; sizes smaller than any sentence; nothing at all.
func TestHardTexts(t *testing.T) {
	texts := map[string]string{
		"no spaces":  strings.Repeat("abcdefghij", 900),
		"one letter": strings.Repeat("a", 5000),
		"chinese":    strings.Repeat("渡轮每天九点离开码头。请提前十分钟到达", 120),
		"japanese":   strings.Repeat("フェリーは九時に出ます、桟橋でお待ちください", 120),
		"arabic":     strings.Repeat("تغادر العبارة الرصيف في الساعة التاسعة صباحا. ", 150),
		"hebrew":     strings.Repeat("המעבורת יוצאת מהרציף בתשע ", 200),
		"thai":       strings.Repeat("เรือข้ามฟากออกจากท่าเรือเวลาเก้าโมง", 100),
		"emoji":      strings.Repeat("👩‍👩‍👧‍👦🛳️", 300),
		"combining":  strings.Repeat("e\u0301\u0323", 900),
		"no ends":    strings.Repeat("the boat leaves the pier ", 800),
		"all ends":   strings.Repeat("? ! . ", 700),
		"brackets":   strings.Repeat("(A b. ", 700),
		"one":        "x",
	}
	r := rand.New(rand.NewPCG(3, 5))
	for name, s := range texts {
		for n := range 2 * len(everyStrategy) {
			var b doc.Builder
			b.Add(doc.Block{Kind: []doc.Kind{doc.Paragraph, doc.Heading, doc.Code, doc.Cue, doc.Item}[n%5], Level: 2}, s)
			set := randomSettings(r, n)
			require.NotEmpty(t, sound(t, prepared(t, b.Document()), set, fmt.Sprintf("%s, %+v", name, set)))
		}
	}
	for _, strategy := range everyStrategy {
		assert.Empty(t, sound(t, prepared(t, &doc.Document{}), Settings{Strategy: strategy, Size: 100, Told: ByMeaning}, "empty"), strategy)
	}
}

// A document of a million tokens is cut by every strategy, and as soundly as a small one.
func TestAMillionTokens(t *testing.T) {
	if testing.Short() {
		t.Skip("takes seconds")
	}
	var b doc.Builder
	r := rand.New(rand.NewPCG(1, 2))
	words := strings.Fields("ferry pier boat ticket fare dog bicycle lift ramp crew berth weather tide morning return single island harbour")
	for b.Len() < 5_600_000 {
		if r.IntN(6) == 0 {
			b.Add(doc.Block{Kind: doc.Heading, Level: 2 + r.IntN(2)}, words[r.IntN(len(words))])
		}
		var s strings.Builder
		for range 400 {
			s.WriteString(words[r.IntN(len(words))])
			s.WriteString([]string{" ", " ", " ", " ", " ", ". The "}[r.IntN(6)])
		}
		b.Add(doc.Block{Kind: doc.Paragraph}, s.String())
	}
	p := prepared(t, b.Document())
	require.Greater(t, len(p.Tokens), 1_000_000)
	for _, strategy := range everyStrategy {
		s := Settings{Strategy: strategy, Size: 320, Overlap: 40, Least: 24, Inner: 64, Told: ByWords, Window: 45}
		if strategy == Small {
			s.Overlap = 0
		}
		chunks := sound(t, p, s, strategy)
		assert.Equal(t, len(chunks), Judge(p, chunks, nil).Chunks)
	}
}

func cutOf(t *testing.T, d *doc.Document, s Settings) []Chunk {
	t.Helper()
	chunks, err := prepared(t, d).Cut(s)
	require.NoError(t, err)
	return chunks
}

func TestStructureCarriesTheHeadingPath(t *testing.T) {
	var b doc.Builder
	b.Doc().Title = "Fares"
	long := strings.Repeat("A sentence about the fares of the line. ", 8)
	b.Add(doc.Block{Kind: doc.Heading, Level: 1}, "Fares")
	b.Add(doc.Block{Kind: doc.Paragraph}, long)
	b.Add(doc.Block{Kind: doc.Heading, Level: 2}, "Vehicles")
	b.Add(doc.Block{Kind: doc.Heading, Level: 3}, "Cars")
	b.Add(doc.Block{Kind: doc.Paragraph}, long)
	b.Add(doc.Block{Kind: doc.Heading, Level: 3}, "Trailers")
	b.Add(doc.Block{Kind: doc.Paragraph}, long)
	chunks := cutOf(t, b.Document(), Settings{Strategy: Structure, Size: 200, Least: 10})
	require.Len(t, chunks, 3)
	assert.Empty(t, chunks[0].Path)
	assert.Equal(t, []string{"Vehicles", "Cars"}, chunks[1].Path)
	assert.Equal(t, []string{"Vehicles", "Trailers"}, chunks[2].Path)
}

func TestLongTableKeepsItsHeader(t *testing.T) {
	var b doc.Builder
	var rows [][]string
	for i := range 60 {
		rows = append(rows, []string{fmt.Sprintf("Berth %d", i), "£4.50"})
	}
	b.AddTable(doc.Place{}, "Berths", []string{"Berth", "Price"}, rows)
	d := b.Document()
	chunks := cutOf(t, d, Settings{Strategy: Structure, Size: 80})
	require.Greater(t, len(chunks), 3)
	assert.Empty(t, chunks[0].Carried, "the first part holds its header itself")
	for _, c := range chunks[1:] {
		assert.Equal(t, "Berths\nBerth | Price", c.Carried)
		assert.True(t, strings.HasPrefix(d.Of(c.Span), "Berth "), "cut between rows")
	}
}

func TestOverlapRepeatsWholeSentences(t *testing.T) {
	var b doc.Builder
	b.Add(doc.Block{Kind: doc.Paragraph}, strings.Repeat("The boat leaves the pier at nine. ", 30))
	d := b.Document()
	chunks := cutOf(t, d, Settings{Strategy: Structure, Size: 60, Overlap: 20})
	require.Greater(t, len(chunks), 2)
	for _, c := range chunks[1:] {
		require.NotZero(t, c.Overlap.Len())
		assert.True(t, strings.HasPrefix(d.Of(c.Overlap), "The boat"), "%q", d.Of(c.Overlap))
	}
	fixed := cutOf(t, d, Settings{Strategy: Fixed, Size: 60, Overlap: 20})
	assert.Equal(t, 60, fixed[0].Tokens)
}

func TestSmallSectionsJoin(t *testing.T) {
	var b doc.Builder
	b.Add(doc.Block{Kind: doc.Heading, Level: 1}, "Top")
	for i := range 4 {
		b.Add(doc.Block{Kind: doc.Heading, Level: 2}, fmt.Sprintf("Part %d", i))
		b.Add(doc.Block{Kind: doc.Paragraph}, "Short.")
	}
	d := b.Document()
	assert.Len(t, cutOf(t, d, Settings{Strategy: Structure, Size: 200, Least: 100}), 1)
	apart := cutOf(t, d, Settings{Strategy: Structure, Size: 200, Least: 1})
	assert.Len(t, apart, 4, "the lone heading goes with what it introduces")
	assert.Zero(t, Judge(prepared(t, d), apart, nil).LoneHeadings)
}

func TestJudge(t *testing.T) {
	var b doc.Builder
	b.Add(doc.Block{Kind: doc.Paragraph}, strings.Repeat("One two three four five six seven eight nine ten. ", 12))
	p := prepared(t, b.Document())
	judge := func(s Settings, passages ...doc.Span) Stats {
		chunks, err := p.Cut(s)
		require.NoError(t, err)
		return Judge(p, chunks, passages)
	}
	first := doc.Span{Start: 0, End: strings.Index(p.Doc.Text, ".") + 1}
	bad, good := judge(Settings{Strategy: Fixed, Size: 40}, doc.Span{Start: 0, End: 400}, first), judge(Settings{Strategy: Structure, Size: 40}, first)
	assert.Positive(t, bad.CutSentences)
	assert.Zero(t, good.CutSentences)
	assert.Equal(t, 2, bad.Passages)
	assert.Equal(t, 1, bad.CutPassages, "the long passage, not the first sentence")
	assert.Zero(t, good.CutPassages)
	assert.LessOrEqual(t, good.Largest, 40)
	assert.Equal(t, good.Chunks-1, good.Duplicates, "the same sentences again and again")
	sum := 0
	for _, n := range good.Sizes {
		sum += n
	}
	assert.Equal(t, good.Chunks, sum)

	var y Tally
	chunks := cutOf(t, p.Doc, Settings{Strategy: Structure, Size: 40})
	y.Add(p, chunks, nil)
	y.Add(p, chunks, nil)
	assert.Equal(t, 2*good.Chunks, y.Chunks)
	assert.Equal(t, 2*good.Chunks-1, y.Duplicates)
	assert.InDelta(t, good.Mean, y.Mean, 1e-9)
}

// A table that is cut counts once; the section that a small chunk brings saves a passage from being cut.
func TestJudgeTablesAndParents(t *testing.T) {
	var b doc.Builder
	var rows [][]string
	for i := range 40 {
		rows = append(rows, []string{fmt.Sprintf("Berth %d", i), "£4.50"})
	}
	b.AddTable(doc.Place{}, "", []string{"Berth", "Price"}, rows)
	p := prepared(t, b.Document())
	chunks, err := p.Cut(Settings{Strategy: Structure, Size: 80})
	require.NoError(t, err)
	assert.Equal(t, 1, Judge(p, chunks, nil).CutTables)
	chunks, err = p.Cut(Settings{Strategy: Small, Size: 2000, Inner: 40})
	require.NoError(t, err)
	require.Greater(t, len(chunks), 3)
	for _, c := range chunks[1:] {
		assert.Equal(t, "Berth | Price", c.Carried)
	}
	st := Judge(p, chunks, []doc.Span{{Start: 0, End: len(p.Doc.Text)}})
	assert.Zero(t, st.CutTables)
	assert.Zero(t, st.CutPassages)
}

// Hearst 1997: the boundary falls where one subject ends and the next begins, told by words or by meaning, and runs
// through no paragraph.
func TestChangeOfSubject(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 9))
	subjects := [][]string{
		strings.Fields("ticket fare price refund booking payment voucher discount receipt counter"),
		strings.Fields("kayak lifejacket paddle river swim rope helmet instructor beginner lagoon"),
		strings.Fields("kitchen menu soup bread breakfast vegetarian coffee table waiter dessert"),
	}
	var b doc.Builder
	var starts []int
	for _, words := range subjects {
		starts = append(starts, b.Len())
		for range 8 {
			var s []string
			for range 40 {
				s = append(s, words[r.IntN(len(words))])
			}
			b.Add(doc.Block{Kind: doc.Paragraph}, strings.Join(s, " ")+".")
		}
	}
	d := b.Document()
	for _, told := range []string{ByWords, ByMeaning} {
		chunks := cutOf(t, d, Settings{Strategy: Subject, Size: 2000, Told: told})
		var got []int
		for _, c := range chunks {
			got = append(got, max(0, c.Span.Start-2))
			assert.Equal(t, c.Span.Start, d.Blocks[d.BlockAt(c.Span.Start)].Span.Start, told)
		}
		for _, want := range starts {
			assert.Contains(t, got, want, told)
		}
		if told == ByWords {
			assert.Len(t, got, 3, "no change is told where there is none")
		}
	}
	p, err := Prepare(d, nil)
	require.NoError(t, err)
	_, err = p.Cut(Settings{Strategy: Subject, Size: 200, Told: ByMeaning})
	assert.ErrorContains(t, err, "no vectors")
}

func TestQuestionsStayWithTheirAnswers(t *testing.T) {
	var b doc.Builder
	b.Doc().Title = "Questions"
	b.Add(doc.Block{Kind: doc.Heading, Level: 1}, "Questions")
	for i := range 5 {
		b.Add(doc.Block{Kind: doc.Heading, Level: 2}, fmt.Sprintf("May I bring %d dogs?", i))
		b.Add(doc.Block{Kind: doc.Paragraph}, "Yes.")
	}
	b.Add(doc.Block{Kind: doc.Paragraph}, "Is there a lift?")
	b.Add(doc.Block{Kind: doc.Paragraph}, strings.Repeat("There is a lift at the pier. ", 6))
	b.Add(doc.Block{Kind: doc.Paragraph}, "Où est le quai ？")
	b.Add(doc.Block{Kind: doc.Paragraph}, strings.Repeat("The pier is at the end of the street. ", 40))
	d := b.Document()
	chunks := cutOf(t, d, Settings{Strategy: Questions, Size: 60, Least: 200})
	var opens []string
	for _, c := range chunks[:7] {
		opens = append(opens, strings.SplitN(d.Of(c.Span), "\n\n", 3)[0])
	}
	assert.Equal(t, []string{"Questions", "May I bring 1 dogs?", "May I bring 2 dogs?", "May I bring 3 dogs?", "May I bring 4 dogs?", "Is there a lift?", "Où est le quai ？"}, opens)
	for _, c := range chunks[7:] {
		assert.Equal(t, "Où est le quai ？", c.Carried, "what is cut off carries its question")
	}
	assert.Greater(t, len(chunks), 8)
	assert.Len(t, cutOf(t, d, Settings{Strategy: Structure, Size: 2000, Least: 200}), 1, "by structure they would have been joined")
}

func TestCaptionWindows(t *testing.T) {
	var b doc.Builder
	for i := range 30 {
		b.Add(doc.Block{Kind: doc.Cue, Place: doc.Place{From: float64(4 * i), To: float64(4*i + 4)}}, fmt.Sprintf("This is sentence number %d of the film.", i))
	}
	d := b.Document()
	chunks := cutOf(t, d, Settings{Strategy: Captions, Size: 2000, Window: 20})
	require.Len(t, chunks, 6, "120 seconds in windows of 20")
	for i, c := range chunks {
		assert.InDelta(t, 20*i, d.Blocks[d.BlockAt(c.Span.Start)].Place.From, 0.01)
	}
	last := cutOf(t, d, Settings{Strategy: Captions, Size: 2000, Window: 28, Least: 40})
	assert.Len(t, last, 4, "a short rest joins the window before")
}

func TestSmallChunksBringTheirSection(t *testing.T) {
	var b doc.Builder
	b.Doc().Title = "Parts"
	for i := range 3 {
		b.Add(doc.Block{Kind: doc.Heading, Level: 2}, fmt.Sprintf("Part %d", i))
		b.Add(doc.Block{Kind: doc.Paragraph}, "The first thing is this. The second thing is that. The third one is another.")
	}
	d := b.Document()
	chunks := cutOf(t, d, Settings{Strategy: Small, Size: 60, Inner: 0})
	require.Len(t, chunks, 9, "a sentence each")
	assert.Equal(t, "Part 0\n\nThe first thing is this.", d.Of(chunks[0].Span))
	assert.Equal(t, "The second thing is that.", d.Of(chunks[1].Span))
	for i, c := range chunks {
		assert.True(t, strings.HasPrefix(d.Of(c.Parent), fmt.Sprintf("Part %d", i/3)), d.Of(c.Parent))
		assert.Equal(t, []string{fmt.Sprintf("Part %d", i/3)}, c.Path)
	}
	assert.Len(t, cutOf(t, d, Settings{Strategy: Small, Size: 60, Inner: 20}), 6)
}

func TestSettingsThatDoNotGoTogether(t *testing.T) {
	assert.NotEmpty(t, Settings{Strategy: Fixed, Size: 100, Overlap: 100}.Check())
	assert.NotEmpty(t, Settings{Strategy: Small, Size: 100, Inner: 100}.Check())
	assert.Empty(t, Settings{Strategy: Small, Size: 100, Inner: 99, Overlap: 400}.Check(), "no overlap is used")
}
