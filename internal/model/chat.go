package model

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"time"
)

// Chat is a connection to a language model by the widely used chat-completions protocol: a JSON POST to /chat/completions
// with the messages so far, answered with one more, whole or as a stream of pieces.
type Chat struct {
	Base     string // address before /chat/completions, such as http://127.0.0.1:9000/v1
	Model    string
	Key      string        // bearer token, may be empty
	Patience time.Duration // with one request; 0 for a minute
	Wait     func(ctx context.Context, d time.Duration) error
}

// Message is one message of a chat.
type Message struct {
	Role    string `json:"role"` // system, user, assistant
	Content string `json:"content"`
}

// Completed is what a model said.
type Completed struct {
	Text string
	In   int  // tokens read, as the endpoint counts them; 0 when it does not say
	Out  int  // tokens written
	Cut  bool // it was cut off at the most tokens it may write
}

// Limits of a chat.
const (
	chatPatience = time.Minute
	chatTries    = 3
	chatBytes    = 4 << 20
)

// Complete has the model go on from messages, writing at most a number of tokens. Pieces are given to say as they come, when
// it is not nil; a try that failed half-way begins anew with reset. ErrConnection, wrapped, when the endpoint does not do its
// part.
func (c Chat) Complete(ctx context.Context, messages []Message, tokens int, say func(piece string), reset func()) (Completed, error) {
	call := caller{what: "the model", base: c.Base, path: "/chat/completions", key: c.Key, patience: c.Patience, tries: chatTries, most: chatBytes, wait: c.Wait}
	if call.patience == 0 {
		call.patience = chatPatience
	}
	body := map[string]any{"model": c.Model, "messages": messages, "max_tokens": tokens, "temperature": 0}
	var out Completed
	read := func(r io.Reader) error { return whole(r, &out) }
	if say != nil {
		body["stream"], body["stream_options"] = true, map[string]bool{"include_usage": true}
		begun := false
		read = func(r io.Reader) error {
			if begun && reset != nil {
				reset()
			}
			begun = true
			return streamed(r, &out, say)
		}
	}
	err := call.send(ctx, body, read)
	return out, err
}

type usage struct {
	In  int `json:"prompt_tokens"`
	Out int `json:"completion_tokens"`
}

func whole(r io.Reader, out *Completed) error {
	raw, err := io.ReadAll(io.LimitReader(r, chatBytes+1))
	if err != nil {
		return err
	}
	if len(raw) > chatBytes {
		return tooLong{fmt.Errorf("%w: the model answered with more than %d bytes", ErrConnection, chatBytes)}
	}
	var got struct {
		Choices []struct {
			Message Message `json:"message"`
			Finish  string  `json:"finish_reason"`
		} `json:"choices"`
		Usage usage `json:"usage"`
	}
	if err := json.Unmarshal(raw, &got); err != nil {
		return fmt.Errorf("%w: the model answered with something that cannot be read: %w", ErrConnection, err)
	}
	if len(got.Choices) == 0 {
		return fmt.Errorf("%w: the model's answer holds no message", ErrConnection)
	}
	*out = Completed{strings.TrimSpace(got.Choices[0].Message.Content), got.Usage.In, got.Usage.Out, got.Choices[0].Finish == "length"}
	return nil
}

// streamed reads server-sent events, each a piece of the message, up to the one that says that it is done.
func streamed(r io.Reader, out *Completed, say func(string)) error {
	*out = Completed{}
	var b strings.Builder
	sc := bufio.NewScanner(r)
	sc.Buffer(make([]byte, 0, 1<<16), 1<<20)
	for sc.Scan() {
		data, ok := strings.CutPrefix(sc.Text(), "data:")
		if !ok {
			continue
		}
		if data = strings.TrimSpace(data); data == "[DONE]" {
			out.Text = strings.TrimSpace(b.String())
			return nil
		}
		var got struct {
			Choices []struct {
				Delta  Message `json:"delta"`
				Finish string  `json:"finish_reason"`
			} `json:"choices"`
			Usage *usage `json:"usage"`
			Error *struct {
				Message string `json:"message"`
			} `json:"error"`
		}
		if err := json.Unmarshal([]byte(data), &got); err != nil {
			return fmt.Errorf("%w: the model sent a piece that cannot be read: %w", ErrConnection, err)
		}
		if got.Error != nil {
			return fmt.Errorf("%w: the model broke off: %s", ErrConnection, got.Error.Message)
		}
		if got.Usage != nil {
			out.In, out.Out = got.Usage.In, got.Usage.Out
		}
		if len(got.Choices) == 0 {
			continue
		}
		if p := got.Choices[0].Delta.Content; p != "" {
			if b.Len()+len(p) > chatBytes {
				return tooLong{fmt.Errorf("%w: the model answered with more than %d bytes", ErrConnection, chatBytes)}
			}
			b.WriteString(p)
			say(p)
		}
		out.Cut = out.Cut || got.Choices[0].Finish == "length"
	}
	if err := sc.Err(); err != nil {
		return err
	}
	return io.ErrUnexpectedEOF
}
