package answer

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/index"
)

// What is asked for must be there, by the way it is asked for. (Common practice, no published source.)
func TestWhatAQuestionDemandsMustBeThere(t *testing.T) {
	b := bench(t, index.Public, map[string]string{
		"pool.md":  "# The pool\n\nThe pool is 25 metres long and has six lanes. It is open all year, and the water is kept at 27 degrees.\n",
		"hall.md":  "# The hall\n\nThe hall seats 200 people and can be hired for a day. There is a stage, and a grand piano may be used.\n",
		"annex.md": "# The annex\n\nThe annex seats 40 people and can be hired for an evening. A screen hangs on the wall.\n",
		"piers.md": "# Piers\n\nPier A is 140 metres long and pier C is 90 metres long. Boats to Sandrel leave from pier B.\n",
		"club.md":  "# The club\n\nThe club was founded by teachers. Its chair is elected every two years and calls the meetings. The secretary is Ada Venn, who answers letters.\n",
	})
	b.Answer.Demands = true
	for q, want := range map[string]Outcome{
		"How long is the pool?": Answered, "How deep is the pool?": Refused, "How warm is the water of the pool?": Answered,
		"Is there a piano in the hall?": Answered, "Is there a piano in the annex?": Refused,
		"How many people does the hall seat?": Answered, "How many lanes does the pool have?": Answered,
		"How long is pier A?": Answered, "How long is pier D?": Refused,
		"Who is the secretary of the club?": Answered,
	} {
		assert.Equal(t, want, ask(t, b, q).Outcome, q)
	}
	b.Answer.Demands = false
	assert.Equal(t, Answered, ask(t, b, "How deep is the pool?").Outcome, "without it the figure of another dimension would do")
}
