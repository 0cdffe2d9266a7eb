package questions

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"strings"
)

// ReadQuestions reads expected questions, one JSON object a line (docs/question-sets.md). The first line that is wrong ends
// it with an error that names the line.
func ReadQuestions(r io.Reader) ([]Question, error) {
	sc := bufio.NewScanner(r)
	sc.Buffer(nil, 4<<20)
	var out []Question
	for n := 1; sc.Scan(); n++ {
		if t := strings.TrimSpace(sc.Text()); t == "" {
			continue
		}
		var q Question
		if err := json.Unmarshal(sc.Bytes(), &q); err != nil {
			return nil, fmt.Errorf("line %d: %w", n, err)
		}
		if err := q.Check(); err != nil {
			return nil, fmt.Errorf("line %d: %w", n, err)
		}
		out = append(out, q)
	}
	return out, sc.Err()
}
