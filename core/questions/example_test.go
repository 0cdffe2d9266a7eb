package questions_test

import (
	"fmt"
	"strings"

	"jolvex/core/questions"
)

// A question set is one JSON object a line.
func ExampleReadQuestions() {
	qs, err := questions.ReadQuestions(strings.NewReader(`{"id": "q1", "question": "What does a child pay?", "expect": [{"kind": "gives", "values": ["£4.10"]}]}`))
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(qs[0].Text, qs[0].Expect[0].Kind, qs[0].Expect[0].Values)
	fmt.Println(questions.HoldsFigure("A child pays 4.10 pounds.", qs[0].Expect[0]))
	// Output:
	// What does a child pay? gives [£4.10]
	// true it gives 4.10 pounds
}
