package embed

import (
	"crypto/sha256"
	"encoding/hex"
	"html"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func loadedMany(t *testing.T) (*Encoder, *unigram) {
	t.Helper()
	e, err := NewManyEncoder()
	require.NoError(t, err)
	return e, e.cut.(*unigram)
}

func TestPiecesOfManyLanguagesEqualTheReferences(t *testing.T) {
	_, u := loadedMany(t)
	for _, x := range readReference(t, "many").Texts {
		var ids []int32
		for _, row := range u.pieces(x.Text, 1<<20) {
			ids = append(ids, u.ids[row])
		}
		assert.Equal(t, x.Pieces, ids, "%.60q", x.Text)
	}
}

// Lines of debian-reference in four languages, cut as SentencePiece 0.2.3 cuts them (tools/reference/pieces.py). A line that another version of the
// packages words otherwise is passed over.
func TestPiecesEqualSentencePieceOnTenThousandLines(t *testing.T) {
	_, u := loadedMany(t)
	raw, err := os.ReadFile("testdata/pieces.txt")
	require.NoError(t, err)
	want := map[string]string{}
	for line := range strings.Lines(string(raw)) {
		of, ids, _ := strings.Cut(strings.TrimSpace(line), " ")
		want[of] = ids
	}
	fingerprint := func(s string) string {
		sum := sha256.Sum256([]byte(s))
		return hex.EncodeToString(sum[:4])
	}
	tag := regexp.MustCompile(`<[^>]*>`)
	held, differ := 0, 0
	for _, l := range []string{"de", "en", "es", "fr"} {
		files, err := filepath.Glob("/usr/share/debian-reference/ch*." + l + ".html")
		require.NoError(t, err)
		for _, f := range files {
			page, err := os.ReadFile(f)
			require.NoError(t, err)
			for _, run := range tag.Split(string(page), -1) {
				line := strings.Join(strings.Fields(html.UnescapeString(run)), " ")
				ids, ok := want[fingerprint(line)]
				if !ok {
					continue
				}
				delete(want, fingerprint(line))
				held++
				var have []string
				for _, row := range u.pieces(line, 1<<20) {
					have = append(have, strconv.Itoa(int(u.ids[row])))
				}
				if fingerprint(strings.Join(have, " ")) != ids {
					differ++
					t.Logf("differs: %.80q", line)
				}
			}
		}
	}
	assert.Greater(t, held, 9_000, "are debian-reference-en, -de, -fr and -es installed?")
	assert.Zero(t, differ, "of %d lines", held)
}

func TestVectorsOfManyLanguagesEqualTheReferences(t *testing.T) {
	e, u := loadedMany(t)
	worst := 1.0
	for _, x := range readReference(t, "many").Texts {
		if len(x.Vector) == 0 {
			continue
		}
		got := unit(e.run([][]int32{u.pieces(x.Text, e.longest)})[0])
		cos := 0.0
		for j := range got {
			cos += got[j] * x.Vector[j]
		}
		worst = min(worst, cos)
		assert.Greater(t, cos, 0.99, "%.60q", x.Text)
	}
	t.Logf("least cosine with the reference: %.5f", worst)
}

func TestManyLanguagesMeet(t *testing.T) {
	e, _ := loadedMany(t)
	pages := []string{
		"Fahrräder kosten 4 Pfund je Fahrt und werden auf dem Autodeck abgestellt.", "Die Fähre hält bei Nebel im Hafen.",
		"Gefundene Gegenstände gibt das Büro am Kai zurück.", "Hunde reisen an der Leine mit.",
	}
	ps, err := e.Embed(t.Context(), pages)
	require.NoError(t, err)
	for want, qs := range [][]string{
		{"What does it cost to bring my bike?", "Combien coûte le transport d’un vélo ?"},
		{"Does the boat sail in fog?", "¿Sale el barco con niebla?"},
		{"Where can I collect lost property?", "Où récupérer un objet trouvé ?"},
		{"Can I take my dog?", "¿Puedo llevar a mi perro?"},
	} {
		vs, err := e.Questions().Embed(t.Context(), qs)
		require.NoError(t, err)
		for i, v := range vs {
			best := 0
			for k := range ps {
				if Dot(v, ps[k]) > Dot(v, ps[best]) {
					best = k
				}
			}
			assert.Equal(t, want, best, qs[i])
		}
	}
}

func TestLongTextsAreCutInLinearTime(t *testing.T) {
	_, u := loadedMany(t)
	for _, s := range []string{strings.Repeat("x", 1<<18), strings.Repeat("die Fähre fährt ", 1<<14), strings.Repeat("\u0301", 1<<12), strings.Repeat("語", 1<<12)} {
		got := u.pieces(s, 1<<20)
		assert.Greater(t, len(got), 2)
		assert.LessOrEqual(t, len(u.pieces(s, 256)), 256)
	}
}

func BenchmarkManyLoad(b *testing.B) {
	for b.Loop() {
		if _, err := loadMany(); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkManyEncodeChunk(b *testing.B) {
	e, err := NewManyEncoder()
	if err != nil {
		b.Fatal(err)
	}
	text := strings.Repeat("Fahrräder kosten 4 Pfund je Fahrt und werden im Ständer auf dem Autodeck abgestellt. ", 6)
	b.Logf("%d pieces", len(e.cut.pieces(text, 999)))
	texts := make([]string, 16)
	for i := range texts {
		texts[i] = text
	}
	for b.Loop() {
		if _, err := e.Embed(b.Context(), texts); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(len(texts)*b.N)/b.Elapsed().Seconds(), "chunks/s")
}

func BenchmarkManyEncodeQuestion(b *testing.B) {
	e, err := NewManyEncoder()
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if _, err := e.Questions().Embed(b.Context(), []string{"Was kostet die Überfahrt mit dem Fahrrad zur Insel?"}); err != nil {
			b.Fatal(err)
		}
	}
}
