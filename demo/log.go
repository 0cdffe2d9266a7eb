package demo

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"time"
)

// Wording is one way in which visitors of the demo ask for a matter.
type Wording struct {
	Matter   string // wordings that one answer would settle share it
	Language string
	Text     string
}

// Wordings are what visitors of the demo ask.
func Wordings() []Wording {
	raw, err := files.ReadFile("talk.tsv")
	if err != nil {
		panic("demo: " + err.Error()) // the name is fixed
	}
	var out []Wording
	for line := range strings.Lines(string(raw)) {
		f := strings.Split(strings.TrimSpace(line), "\t")
		if len(f) == 3 && !strings.HasPrefix(line, "#") {
			out = append(out, Wording{f[0], f[1], f[2]})
		}
	}
	return out
}

// followUps are messages that go on with a conversation.
var followUps = []string{"And for children?", "and on sundays?", "ok, and how much is that?", "Do I have to book that?", "thanks", "what about Bracken Holm?", "and in winter?", "Thank you, that helps.", "And the way back?"}

// words are what visitors write with a thumb.
var words = map[string][]string{"down": {"that is not what I asked", "does not help", "", "wrong price?", "too long"}, "up": {"", "quick, thanks", "great"}}

// pages are where the widget was opened.
var pages = []string{"/", "/fares", "/timetables", "/travel/animals", "/bookings", "/routes/sandrel", "/faq"}

// Log is a log of conversations that never were, as JSON Lines without replies: n of them over so many days up to now, more by day than by night
// and more on weekends, the same for the same seed.
func Log(n, days int, now time.Time, site string, seed uint64) []byte {
	r := rand.New(rand.NewPCG(seed, 16))
	all := Wordings()
	by := map[string][]Wording{}
	var matters []string
	for _, w := range all {
		if by[w.Matter] == nil {
			matters = append(matters, w.Matter)
		}
		by[w.Matter] = append(by[w.Matter], w)
	}
	var out bytes.Buffer
	for i := range n {
		at := moment(r, days, now)
		// Some matters are asked far more often than others (Zipf, 1949).
		m := matters[min(len(matters)-1, int(float64(len(matters))*r.Float64()*r.Float64()*1.2))]
		w := by[m][r.IntN(len(by[m]))]
		type turn struct {
			Role  string `json:"role"`
			Text  string `json:"text"`
			At    string `json:"at,omitempty"`
			Thumb string `json:"thumb,omitempty"`
			Word  string `json:"word,omitempty"`
		}
		turns := []turn{{Role: "user", Text: w.Text, At: at.Format(time.RFC3339)}}
		switch x := r.Float64(); {
		case x < .05:
			turns = append(turns, turn{Role: "assistant", Thumb: "down", Word: words["down"][r.IntN(5)]})
		case x < .12:
			turns = append(turns, turn{Role: "assistant", Thumb: "up", Word: words["up"][r.IntN(3)]})
		}
		for r.Float64() < .3 && len(turns) < 8 && w.Language == "en" {
			text := followUps[r.IntN(len(followUps))]
			if r.Float64() < .4 {
				text = all[r.IntN(len(all))].Text
			}
			at = at.Add(time.Duration(20+r.IntN(90)) * time.Second)
			turns = append(turns, turn{Role: "user", Text: text, At: at.Format(time.RFC3339)})
		}
		line, err := json.Marshal(map[string]any{
			"id": fmt.Sprintf("demo-%d-%d", seed, i), "visitor": fmt.Sprintf("visitor-%03d", r.IntN(n/2+1)), "surface": []string{"widget", "widget", "widget", "page"}[r.IntN(4)],
			"page": site + pages[r.IntN(len(pages))], "language": map[string]string{"en": "", "de": "de"}[w.Language], "turns": turns,
		})
		if err != nil {
			panic("demo: " + err.Error()) // strings alone
		}
		out.Write(append(line, '\n'))
	}
	return out.Bytes()
}

// moment draws a time of the last days, by day more likely than by night; never after now.
func moment(r *rand.Rand, days int, now time.Time) time.Time {
	for {
		at := now.Add(-time.Duration(r.Float64() * float64(days) * 24 * float64(time.Hour))).Truncate(time.Second)
		like := .15
		if h := at.Hour(); h >= 7 && h < 22 {
			like = .6
		}
		if d := at.Weekday(); d == time.Saturday || d == time.Sunday {
			like *= 1.5
		}
		if r.Float64() < like {
			return at
		}
	}
}
