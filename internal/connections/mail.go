package connections

import (
	"context"
	"errors"
	"strings"

	"jolvex/internal/fault"
	"jolvex/internal/model"
)

// More kinds of connection.
const (
	ConnectionMail   = "mail"   // hands over mail
	ConnectionSignIn = "signin" // an OpenID issuer that people sign in by; its model is the client id, its key the client secret
)

// Key is the key of a connection, unsealed; empty when there is none.
func (cn *Connections) Key(ctx context.Context, kind string) (string, error) {
	c, err := cn.store.Connection(ctx, kind)
	if err != nil || len(c.Sealed) == 0 {
		return "", err
	}
	key, err := cn.Unseal(c.Sealed)
	return string(key), err
}

// ConnectSignIn sets the OpenID issuer that people sign in by; an empty address takes it away.
func (cn *Connections) ConnectSignIn(ctx context.Context, ch ConnectionChange) (Connection, error) {
	c, err := cn.Changed(ctx, ConnectionSignIn, ch)
	if err != nil {
		return Connection{}, err
	}
	if c.Base != "" && c.Model == "" {
		return Connection{}, fault.Input("the service that people sign in by knows this program by a client id: give it")
	}
	if err := cn.store.SaveConnection(ctx, c); err != nil {
		return Connection{}, err
	}
	return cn.Connection(ctx, ConnectionSignIn)
}

// MailConnection tells which mail server takes mail.
func (cn *Connections) MailConnection(ctx context.Context) (Connection, error) {
	return cn.Connection(ctx, ConnectionMail)
}

// ConnectMail sets the mail server; its model is the address that mail is sent from.
func (cn *Connections) ConnectMail(ctx context.Context, ch ConnectionChange) (Connection, error) {
	base := strings.TrimSpace(ch.Base)
	if base != "" {
		if err := (model.Mailer{Server: base, From: strings.TrimSpace(ch.Model)}).Check(); err != nil {
			return Connection{}, fault.Input("%v", err)
		}
	}
	ch.Base = ""
	c, err := cn.Changed(ctx, ConnectionMail, ch)
	if err != nil {
		return Connection{}, err
	}
	c.Base = base
	if err := cn.store.SaveConnection(ctx, c); err != nil {
		return Connection{}, err
	}
	return cn.MailConnection(ctx)
}

// ErrNoMail says that no mail server is connected.
var ErrNoMail = errors.New("no mail server is connected")

// Mailer hands over mail by the server that is connected; ErrNoMail when there is none.
func (cn *Connections) Mailer(ctx context.Context) (model.Mailer, error) {
	c, err := cn.store.Connection(ctx, ConnectionMail)
	if errors.Is(err, fault.ErrMissing) || err == nil && c.Base == "" {
		return model.Mailer{}, ErrNoMail
	}
	if err != nil {
		return model.Mailer{}, err
	}
	m := model.Mailer{Server: c.Base, From: c.Model}
	if len(c.Sealed) > 0 {
		key, err := cn.Unseal(c.Sealed)
		if err != nil {
			return m, err
		}
		m.Key = string(key)
	}
	return m, nil
}
