// Package talk reads logs of conversations: what visitors asked an assistant, here or elsewhere, and what it replied.
package talk

import (
	"time"
)

// Exchange is one message of a visitor with the reply that it got.
type Exchange struct {
	At       time.Time `json:"at,omitzero"` // in UTC; zero when the log does not say
	Question string    `json:"question"`
	Reply    string    `json:"reply,omitempty"`
	Outcome  string    `json:"outcome,omitempty"` // how it ended, by the names of answer.Outcome; "" when the log does not say
	Thumb    string    `json:"thumb,omitempty"`   // up, down, or "" for none
	Word     string    `json:"word,omitempty"`    // what the visitor wrote with the thumb
}

// Conversation is what one visitor asked in one go.
type Conversation struct {
	ID        string     `json:"id,omitempty"` // as the log names it; "" for none
	Visitor   string     `json:"visitor,omitempty"`
	Surface   string     `json:"surface,omitempty"` // where it was held, as the log names it
	Page      string     `json:"page,omitempty"`    // address of the page on which it was begun
	Language  string     `json:"language,omitempty"`
	Exchanges []Exchange `json:"exchanges"`
	Line      int        `json:"-"` // of the log, from 1, on which it begins
}

// Bounds of what is read. A visitor's message may be longer than what is asked anew.
const (
	MostConversations = 100_000
	MostExchanges     = 4_000  // of one conversation
	MostQuestion      = 32_000 // bytes: 8,000 letters of any script
	MostReply         = 64_000 // bytes
)

// Problem is what keeps a line of a log from being taken in.
type Problem struct {
	Line int    `json:"line"`
	Text string `json:"text"`
}

// Log is a log as it was read.
type Log struct {
	Conversations []Conversation `json:"conversations"`
	Problems      []Problem      `json:"problems"`
}

// Exchanges counts the messages of a log that were asked.
func (l Log) Exchanges() int {
	n := 0
	for _, c := range l.Conversations {
		n += len(c.Exchanges)
	}
	return n
}

// The thumbs.
const (
	Up   = "up"
	Down = "down"
)
