package lang_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/lang"
)

// Every list of a language says where it comes from, makes a pattern, and finds and leaves the sentences that stand with it.
func TestEveryListIsWhole(t *testing.T) {
	n := 0
	for _, l := range lang.All() {
		files, err := filepath.Glob(l.Code + "/*.txt")
		require.NoError(t, err)
		require.NotEmpty(t, files, l.Code)
		for _, file := range files {
			raw, err := os.ReadFile(file)
			require.NoError(t, err)
			n += wholeLists(t, l, file, string(raw))
		}
	}
	assert.Greater(t, n, 100)
}

// wholeLists looks through the lists of a file, and counts them.
func wholeLists(t *testing.T, l *lang.Language, file, text string) (n int) {
	t.Helper()
	section := regexp.MustCompile(`^\[([a-z0-9-]+)\]$`)
	name := ""
	for i, line := range strings.Split(text, "\n") {
		if m := section.FindStringSubmatch(line); m != nil {
			name = m[1]
			n++
			assert.True(t, l.Has(name), name)
			assert.NotEmpty(t, l.List(name), name)
		}
		assert.LessOrEqual(t, len(line), 220, "%s:%d is no entry any more", file, i+1)
		if s, ok := strings.CutPrefix(line, "# finds: "); ok {
			assert.True(t, l.Pattern(name).MatchString(s), "%s finds %q", name, s)
		}
		if s, ok := strings.CutPrefix(line, "# leaves: "); ok {
			assert.False(t, l.Pattern(name).MatchString(s), "%s leaves %q", name, s)
		}
	}
	return n
}

// What the code asks of a language is there in English: a name that is misspelt would switch something off in silence.
func TestEnglishHasWhatIsAskedOfIt(t *testing.T) {
	asked := regexp.MustCompile(`\ben\.(?:Pattern|List|Set)\("([^"]+)"\)`)
	var files []string
	for _, at := range []string{"../*/*.go", "../*/*/*.go"} {
		some, err := filepath.Glob(at)
		require.NoError(t, err)
		files = append(files, some...)
	}
	n := 0
	for _, f := range files {
		raw, err := os.ReadFile(f)
		require.NoError(t, err)
		for _, m := range asked.FindAllStringSubmatch(string(raw), -1) {
			assert.True(t, lang.English().Has(m[1]), "%s: English has no list %q", f, m[1])
			n++
		}
	}
	assert.Greater(t, n, 100)
}

func TestWhatALanguageLacksFindsNothing(t *testing.T) {
	l, err := lang.Load("xx", fstest.MapFS{"xx/a.txt": {Data: []byte("# of a made-up language\n\n[day]\n# about: days\n# origin: made up\n# before: (?i)\\b(?:\n# after: )\\b\n# finds: on Oneday\n{short}day\n\n[short]\none\ntwo\n")}})
	require.NoError(t, err)
	assert.True(t, l.Pattern("day").MatchString("on Oneday"))
	assert.False(t, l.Pattern("month").MatchString("on Oneday"))
	assert.Empty(t, l.List("month"))
	assert.False(t, l.Has("month"))
}

func TestListsThatCannotBeRead(t *testing.T) {
	for text, want := range map[string]string{
		"[a]\nx\n[a]\ny\n":     "already",
		"x\n":                  "stands in no list",
		"[a]\n# colour: red\n": "nobody knows",
	} {
		_, err := lang.Load("xx", fstest.MapFS{"xx/a.txt": {Data: []byte(text)}})
		assert.ErrorContains(t, err, want)
	}
}

func TestNamesAreListedAsALanguageDoes(t *testing.T) {
	for code, want := range map[string]string{"": "“a”, “b” and “c”", "de": "„a“, „b“ und „c“", "es": "«a», «b» y «c»", "it": "“a”, “b” and “c”"} {
		assert.Equal(t, want, lang.In(code).Quoted([]string{"a", "b", "c"}), code)
	}
	assert.Equal(t, "“a” and “b”", lang.English().Quoted([]string{"a", "b"}))
	assert.Equal(t, "“a”", lang.English().Quoted([]string{"a"}))
	assert.Equal(t, "Englisch", lang.In("de").NameOf("en-GB"))
	assert.Equal(t, "xx", lang.In("fr").NameOf("xx"))
	assert.Nil(t, lang.Other("en"))
}
