package connections

import (
	"context"
	"strings"

	"jolvex/internal/fault"
	"jolvex/internal/model"
)

const ConnectionMail = "mail" // hands over mail

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
