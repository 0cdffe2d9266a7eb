package connections

import (
	"context"
	"errors"
	"fmt"
	"time"

	"jolvex/core/answer"
	"jolvex/internal/fault"
	"jolvex/internal/model"
	"jolvex/internal/store"
)

const ConnectionChat = "chat" // words replies and questions

// Bounds of a language model's connection.
const (
	leastWindow   = 1000
	mostWindow    = 2_000_000
	defaultWindow = 8000
	mostWait      = 600 // seconds
	defaultWait   = 20  // a reply that takes longer is thought of as slow (common practice, no published source)
)

// ChatConnection tells which language model is connected, and what it has cost this month.
func (cn *Connections) ChatConnection(ctx context.Context) (Connection, error) {
	v, err := cn.Connection(ctx, ConnectionChat)
	if err != nil {
		return v, err
	}
	spent, err := cn.store.Spent(ctx, ConnectionChat, cn.month())
	v.Calls, v.Spent = spent.Calls, spent.Price
	return v, err
}

func (cn *Connections) month() string { return cn.now().UTC().Format("2006-01") }

// ConnectChat sets the language model. It is tried at once; one that does not answer is refused.
func (cn *Connections) ConnectChat(ctx context.Context, ch ConnectionChange) (Connection, error) {
	c, err := cn.Changed(ctx, ConnectionChat, ch)
	if err != nil {
		return Connection{}, err
	}
	c.Window, c.PriceIn, c.PriceOut, c.Cap, c.Wait = ch.Window, ch.PriceIn, ch.PriceOut, ch.Cap, ch.Wait
	if c.Window == 0 {
		c.Window = defaultWindow
	}
	if c.Window < leastWindow || c.Window > mostWindow {
		return Connection{}, fault.Input("the window of a model lies between %d and %d tokens, not %d", leastWindow, mostWindow, c.Window)
	}
	if c.Wait < 0 || c.Wait > mostWait {
		return Connection{}, fault.Input("a model is waited for between 1 and %d seconds, not %d", mostWait, c.Wait)
	}
	if c.PriceIn < 0 || c.PriceOut < 0 || c.Cap < 0 {
		return Connection{}, fault.Input("prices and caps are not below 0")
	}
	if c.Base != "" {
		link, err := cn.chatLink(c)
		if err != nil {
			return Connection{}, err
		}
		if _, err := link.Complete(ctx, []model.Message{{Role: "user", Content: "Say yes."}}, 10, nil, nil); err != nil {
			return Connection{}, fault.Input("the model was tried: %v", err)
		}
	}
	if err := cn.store.SaveConnection(ctx, c); err != nil {
		return Connection{}, err
	}
	return cn.ChatConnection(ctx)
}

func (cn *Connections) chatLink(c store.Connection) (model.Chat, error) {
	link := model.Chat{Base: c.Base, Model: c.Model, Patience: cn.patient(c)}
	if len(c.Sealed) > 0 {
		key, err := cn.Unseal(c.Sealed)
		if err != nil {
			return link, err
		}
		link.Key = string(key)
	}
	return link, nil
}

// patient is how long a language model is waited for with one call, however often it is tried meanwhile.
func (cn *Connections) patient(c store.Connection) time.Duration {
	switch {
	case c.Wait > 0:
		return time.Duration(c.Wait) * time.Second
	case cn.patience > 0:
		return cn.patience
	}
	return defaultWait * time.Second
}

// Chat is the connected language model; nil when none is connected.
func (cn *Connections) Chat(ctx context.Context) (*chat, error) {
	c, err := cn.store.Connection(ctx, ConnectionChat)
	if errors.Is(err, store.ErrMissing) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	link, err := cn.chatLink(c)
	if err != nil {
		return nil, err
	}
	return &chat{cn, c, link}, nil
}

// chat implements answer.Model.
type chat struct {
	cn   *Connections
	set  store.Connection
	link model.Chat
}

// ID implements answer.Model.
func (c *chat) ID() string { return Connection{Base: c.set.Base, Model: c.set.Model}.ID() }

// Window implements answer.Model.
func (c *chat) Window() int { return c.set.Window }

// Price implements answer.Model.
func (c *chat) Price(in, out int) float64 {
	return (float64(in)*c.set.PriceIn + float64(out)*c.set.PriceOut) / 1e6
}

// Complete implements answer.Model. What it costs is counted, and a month's cap is kept.
func (c *chat) Complete(ctx context.Context, messages []answer.Message, tokens int) (answer.Completion, error) {
	if c.set.Cap > 0 {
		spent, err := c.cn.store.Spent(ctx, ConnectionChat, c.cn.month())
		if err != nil {
			return answer.Completion{}, err
		}
		if spent.Price >= c.set.Cap {
			return answer.Completion{}, fmt.Errorf("%w: this month's cap of %g is reached", answer.ErrUnable, c.set.Cap)
		}
	}
	ms := make([]model.Message, len(messages))
	for i, m := range messages {
		ms[i] = model.Message{Role: m.Role, Content: m.Text}
	}
	wait := c.cn.patient(c.set)
	within, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	got, err := c.link.Complete(within, ms, tokens, func(string) {}, nil)
	out := answer.Completion{Text: got.Text, In: got.In, Out: got.Out, Cut: got.Cut}
	if err != nil {
		if ctx.Err() == nil && errors.Is(err, context.DeadlineExceeded) {
			return out, fmt.Errorf("%w: the model did not answer within %s", model.ErrConnection, wait)
		}
		return out, err
	}
	return out, c.cn.store.Spend(ctx, store.Spending{Kind: ConnectionChat, Month: c.cn.month(), Calls: 1, TokensIn: got.In, TokensOut: got.Out, Price: c.Price(got.In, got.Out)})
}
