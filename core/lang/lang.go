// Package lang holds what is true of one language: the words and turns of phrase by which questions, replies and sources are
// understood. Each language is a folder of lists, one entry a line, with where they come from and sentences that they are tested on. No
// language's words stand anywhere else.
package lang

import (
	"bufio"
	"embed"
	"fmt"
	"io/fs"
	"regexp"
	"slices"
	"strings"
	"sync"
)

// Language is one language: its lists and the patterns that are made of them. It is safe for use by several at once.
type Language struct {
	Code  string // ISO 639-1
	lists map[string]list
	mu    sync.Mutex
	made  map[string]*regexp.Regexp
}

// list is one list of a language.
type list struct {
	about, origin string
	before, after string // of a pattern: what stands around the alternatives
	finds, leaves []string
	entries       []string
	line          int
}

//go:embed en/*.txt de/*.txt fr/*.txt es/*.txt
var files embed.FS

// English is British English, with American spellings where the two differ.
var English = sync.OnceValue(func() *Language { return mustLoad("en", files) })

// All gives the languages that there are lists of, English first. Of the others there are few yet.
var All = sync.OnceValue(func() []*Language {
	out := []*Language{English()}
	for _, code := range []string{"de", "fr", "es"} {
		out = append(out, mustLoad(code, files))
	}
	return out
})

// Other is a language other than English by its code (ISO 639-1); nil for English and those of which there are no lists.
func Other(code string) *Language {
	for _, l := range All()[1:] {
		if l.Code == code {
			return l
		}
	}
	return nil
}

// In is a language by its code (ISO 639-1): English for those of which there are no lists.
func In(code string) *Language {
	if l := Other(code); l != nil {
		return l
	}
	return English()
}

// NameOf is how a language is called in this one, by its code (BCP 47); the code where no name is known.
func (l *Language) NameOf(code string) string {
	code, _, _ = strings.Cut(strings.ToLower(code), "-")
	for _, e := range l.lists["language-names"].entries {
		if c, name, _ := strings.Cut(e, " "); c == code {
			return name
		}
	}
	return code
}

// Quoted lists several names, each between quotation marks.
func (l *Language) Quoted(names []string) string {
	names = slices.Clone(names)
	if q := l.lists["quotes"].entries; len(q) == 2 {
		for i := range names {
			names[i] = q[0] + names[i] + q[1]
		}
	}
	and := " " + strings.Join(l.lists["and"].entries, "") + " "
	if n := len(names); n > 2 {
		return strings.Join(names[:n-1], ", ") + and + names[n-1]
	}
	return strings.Join(names, and)
}

func mustLoad(code string, files embed.FS) *Language {
	l, err := Load(code, files)
	if err != nil {
		panic("lang: " + err.Error()) // the files are part of the program, and tested
	}
	return l
}

// never matches nothing: what a language has no list for is switched off for it.
var never = regexp.MustCompile(`[^\s\S]`)

// Load reads the lists of a language: files of sections, each begun by its name in square brackets. In a section, lines that begin with #
// say what the list is about, its origin, what stands before and after the alternatives of its pattern, and sentences that the pattern
// finds and leaves; every other line is one entry. An entry of a pattern is an alternative in the syntax of package regexp; {name} stands
// for the entries of another section.
func Load(code string, files fs.FS) (*Language, error) {
	l := &Language{Code: code, lists: map[string]list{}, made: map[string]*regexp.Regexp{}}
	names, err := fs.Glob(files, code+"/*.txt")
	if err != nil {
		return nil, err
	}
	for _, name := range names {
		raw, err := fs.ReadFile(files, name)
		if err != nil {
			return nil, fmt.Errorf("read the lists of %s: %w", code, err)
		}
		if err := l.read(name, string(raw)); err != nil {
			return nil, err
		}
	}
	return l, nil
}

func (l *Language) read(file, text string) error {
	section := ""
	sc := bufio.NewScanner(strings.NewReader(text))
	for n := 1; sc.Scan(); n++ {
		line := sc.Text()
		switch {
		case strings.TrimSpace(line) == "":
			continue
		case strings.HasPrefix(line, "[") && strings.HasSuffix(line, "]") && !strings.ContainsAny(line[1:len(line)-1], `[]\^ `):
			section = line[1 : len(line)-1]
			if _, twice := l.lists[section]; twice {
				return fmt.Errorf("%s:%d: there is a list %q already", file, n, section)
			}
			l.lists[section] = list{line: n}
			continue
		case section == "":
			if strings.HasPrefix(line, "#") { // about the file
				continue
			}
			return fmt.Errorf("%s:%d: an entry stands in no list", file, n)
		}
		x := l.lists[section]
		if said, ok := strings.CutPrefix(line, "# "); ok {
			key, value, _ := strings.Cut(said, ": ")
			switch key {
			case "about":
				x.about = value
			case "origin":
				x.origin = value
			case "before":
				x.before = value
			case "after":
				x.after = value
			case "finds":
				x.finds = append(x.finds, value)
			case "leaves":
				x.leaves = append(x.leaves, value)
			default:
				return fmt.Errorf("%s:%d: nobody knows what %q is", file, n, key)
			}
		} else {
			x.entries = append(x.entries, line)
		}
		l.lists[section] = x
	}
	return sc.Err()
}

// List gives the entries of a list; none when the language lacks it.
func (l *Language) List(name string) []string { return slices.Clone(l.lists[name].entries) }

// Set gives the entries of a list as a set.
func (l *Language) Set(name string) map[string]bool {
	out := map[string]bool{}
	for _, e := range l.lists[name].entries {
		out[e] = true
	}
	return out
}

// Has reports whether the language has a list. What hangs on a list that it lacks is switched off.
func (l *Language) Has(name string) bool { _, ok := l.lists[name]; return ok }

// Pattern is the pattern of a list: its alternatives with what stands around them. One that the language lacks finds nothing.
func (l *Language) Pattern(name string) *regexp.Regexp {
	l.mu.Lock()
	defer l.mu.Unlock()
	if re, ok := l.made[name]; ok {
		return re
	}
	x, ok := l.lists[name]
	if !ok {
		return never
	}
	re := regexp.MustCompile(l.filled(x.before+strings.Join(x.entries, "|")+x.after, 0)) // tested for every list
	l.made[name] = re
	return re
}

var included = regexp.MustCompile(`\{([a-z][a-z0-9-]*)\}`)

// filled puts the entries of other lists in the place of their names.
func (l *Language) filled(s string, depth int) string {
	if depth > 5 {
		return s
	}
	return included.ReplaceAllStringFunc(s, func(m string) string {
		x, ok := l.lists[m[1:len(m)-1]]
		if !ok {
			return m
		}
		return "(?:" + l.filled(strings.Join(x.entries, "|"), depth+1) + ")"
	})
}
