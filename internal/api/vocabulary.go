package api

import (
	"context"
	"encoding/json"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/core/answer"
	"jolvex/core/diagnose"
	"jolvex/core/find"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/rule"
	"jolvex/internal/api/wire"
	"jolvex/internal/keeping/people"
)

// Vocabulary is what things are called, wherever they are shown: the one place from which labels come.
type Vocabulary struct {
	Kinds    []questions.Kind      `json:"kinds" nullable:"false" doc:"Kinds of expectation"`
	Causes   []diagnose.Named      `json:"causes" nullable:"false"`
	Signals  []find.SignalKind     `json:"signals" nullable:"false" doc:"Ranking signals"`
	Passes   []query.Named         `json:"passes" nullable:"false" doc:"Passes of rewriting and ways to search"`
	Outcomes []answer.NamedOutcome `json:"outcomes" nullable:"false"`
	Roles    []people.NamedRole    `json:"roles" nullable:"false" doc:"What a person may do with a corpus, the least first; each holds those before it"`
	Nearness float64               `json:"nearness" doc:"How alike in meaning a message must be to the examples of a house rule that says nothing else"`
}

// Words is the vocabulary of this program.
func Words() Vocabulary {
	return Vocabulary{questions.Kinds(), diagnose.Causes(), find.Signals(), query.Passes(), answer.Outcomes(), people.Named(), rule.UsualNearness}
}

// VocabularyJSON is the vocabulary as the interface is built with it.
func VocabularyJSON() ([]byte, error) { return json.MarshalIndent(Words(), "", "  ") }

func (h *handlers) vocabulary(api huma.API) {
	huma.Register(api, wire.Operation("vocabulary", http.MethodGet, "/vocabulary", "corpora", "What things are called: expectations, causes, signals, passes, outcomes, roles"),
		func(context.Context, *struct{}) (*wire.Out[Vocabulary], error) { return wire.Reply(Words(), nil) })
}
