package drawn

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/questions"
)

// What a question expects stands on the pages, and what is to be refused asks for something that does not.
func TestQuestionsFollowFromThePages(t *testing.T) {
	for _, seed := range []uint64{7, 11, 23} {
		for _, o := range []Organisation{Hire(seed), Courses(seed)} {
			assert.Equal(t, o, map[string]func(uint64) Organisation{"hire": Hire, "courses": Courses}[o.Name](seed), "a seed draws the same again")
			all := ""
			for _, p := range o.Pages {
				all += strings.ToLower(p.Body)
			}
			held := 0
			for _, q := range o.Questions {
				assert.NoError(t, q.Check())
				if q.Tags[1] == "held" {
					held++
				}
				for _, e := range q.Expect {
					if e.Kind != questions.Mentions || q.Tags[0] == "count" {
						continue
					}
					there := false
					for _, v := range e.Values {
						there = there || strings.Contains(all, strings.ToLower(v))
					}
					assert.True(t, there, "%s: %v is on no page", q.Text, e.Values)
				}
			}
			assert.InDelta(t, len(o.Questions)/2, held, 1, "half is held back")
		}
	}
}
