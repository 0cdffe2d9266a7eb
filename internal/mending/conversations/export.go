package conversations

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"strconv"

	"jolvex/core/cells"
	"jolvex/core/check"
	coretalk "jolvex/core/talk"
	"jolvex/internal/fault"
	"jolvex/internal/store/talk"
)

// mostExported is how many exchanges one file holds.
const mostExported = 200_000

// Export gives the exchanges of a filter, oldest first: as JSON Lines, which Import reads, or as CSV for people. hide masks what may belong to
// a person.
func (rm *Room) Export(ctx context.Context, corpus, form string, f talk.Filter, hide bool) ([]byte, error) {
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	w := cells.NewWriter(&out)
	write := func(e talk.Exchange) error {
		line, err := json.Marshal(exportedLine(e))
		out.Write(append(line, '\n'))
		return err
	}
	if form == "csv" {
		if err := w.Write([]string{"at", "conversation", "surface", "page", "language", "question", "reply", "outcome", "support", "rules", "mark", "note", "thumb", "word"}); err != nil {
			return nil, err
		}
		write = func(e talk.Exchange) error {
			row := []string{e.At, e.Conversation, e.Surface, e.Page, e.Language, e.Question, e.Said, e.Outcome, strconv.FormatFloat(e.Support, 'f', 3, 64), e.Rules, e.Mark, e.Note, e.Thumb, e.Word}
			return w.Write(row)
		}
	}
	n := 0
	if err := rm.talk.Each(ctx, id, f, func(es []talk.Exchange) error {
		if n += len(es); n > mostExported {
			return fault.Input("a file holds at most %d exchanges: choose a shorter time", mostExported)
		}
		for _, e := range es {
			if hide {
				e.Question, e.Said, e.Word = check.Hide(e.Question), check.Hide(e.Said), check.Hide(e.Word)
			}
			if err := write(e); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		return nil, fmt.Errorf("export the log: %w", err)
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

// exported is an exchange as a line of a log.
type exported struct {
	Conversation string `json:"conversation"`
	At           string `json:"at"`
	Surface      string `json:"surface,omitempty"`
	Page         string `json:"page,omitempty"`
	Language     string `json:"language,omitempty"`
	coretalk.Exchange
	Mark string `json:"mark,omitempty"`
	Note string `json:"note,omitempty"`
}

func exportedLine(e talk.Exchange) exported {
	return exported{
		Conversation: e.Conversation, At: e.At, Surface: e.Surface, Page: e.Page, Language: e.Language, Mark: e.Mark, Note: e.Note,
		Exchange: coretalk.Exchange{Question: e.Question, Reply: e.Said, Outcome: e.Outcome, Thumb: e.Thumb, Word: e.Word},
	}
}
