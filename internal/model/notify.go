package model

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/tls"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net/http"
	netmail "net/mail"
	"net/url"
	"strconv"
	"strings"
	"time"

	webhook "github.com/standard-webhooks/standard-webhooks/libraries/go"
	"github.com/wneessen/go-mail"
)

// Webhook tells another program something by a JSON POST to an address of its own, signed as the Standard Webhooks specification says when there
// is a secret.
type Webhook struct {
	Address string
	ID      string // of the message, the same at every try; for signed ones
	Secret  string // "whsec_" and base64; "" for no signature
	Wait    func(ctx context.Context, d time.Duration) error
	Tries   int // 0 for three
}

// Limits of notices.
const (
	hookPatience = 20 * time.Second
	hookTries    = 3
	hookBytes    = 1 << 16
	mailPatience = 30 * time.Second
)

// Post sends a message. Any answer of 200 to 299 will do. ErrConnection, wrapped, when there is none.
func (w Webhook) Post(ctx context.Context, body any) error {
	c := caller{what: "the webhook", base: w.Address, patience: hookPatience, tries: cmp.Or(w.Tries, hookTries), most: hookBytes, wait: w.Wait, accept: 299}
	if w.Secret != "" {
		signer, err := webhook.NewWebhook(w.Secret)
		if err != nil {
			return fmt.Errorf("read the secret of a webhook: %w", err)
		}
		c.sign = func(h http.Header, raw []byte) error {
			now := time.Now()
			signature, err := signer.Sign(w.ID, now, raw)
			if err != nil {
				return fmt.Errorf("sign a webhook: %w", err)
			}
			h.Set(webhook.HeaderWebhookID, w.ID)
			h.Set(webhook.HeaderWebhookTimestamp, strconv.FormatInt(now.Unix(), 10))
			h.Set(webhook.HeaderWebhookSignature, signature)
			return nil
		}
	}
	return c.send(ctx, body, func(r io.Reader) error {
		_, err := io.Copy(io.Discard, io.LimitReader(r, hookBytes))
		return err
	})
}

// WebhookSecret makes a secret for the signatures of a webhook.
func WebhookSecret() string {
	raw := make([]byte, 24)
	_, _ = rand.Read(raw) // never fails
	return "whsec_" + base64.StdEncoding.EncodeToString(raw)
}

// Mailer hands mail to a server by SMTP (RFC 5321).
type Mailer struct {
	Server string // smtp://host:port, or smtps:// for TLS from the start
	From   string // address; also the user's name when there is a password
	Key    string // password, may be empty
}

// Check reports what is wrong with a mailer's settings.
func (m Mailer) Check() error {
	u, err := url.Parse(m.Server)
	if err != nil || u.Scheme != "smtp" && u.Scheme != "smtps" || u.Hostname() == "" {
		return fmt.Errorf("the address of a mail server begins with smtp:// or smtps:// and names a host, unlike %q", m.Server)
	}
	if _, err := netmail.ParseAddress(m.From); err != nil {
		return fmt.Errorf("mail is sent from a mail address, not from %q", m.From)
	}
	return nil
}

// Letter is a mail that goes out.
type Letter struct {
	From    string // empty for the mailer's own address
	To      string
	Subject string
	Text    string
	Headers map[string]string // further ones, by name
}

// Send hands over one message. ErrConnection, wrapped, when the server does not take it. The connection is encrypted where the
// server offers it; a password is never sent over one that is not.
func (m Mailer) Send(ctx context.Context, l Letter) error {
	if err := m.send(ctx, l); err != nil {
		return fmt.Errorf("%w: mail: %w", ErrConnection, err)
	}
	return nil
}

func (m Mailer) send(ctx context.Context, l Letter) error {
	u, err := url.Parse(m.Server)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, mailPatience)
	defer cancel()
	options := []mail.Option{mail.WithTimeout(mailPatience), mail.WithTLSPolicy(mail.TLSOpportunistic), mail.WithPort(587), mail.WithTLSConfig(&tls.Config{ServerName: u.Hostname(), MinVersion: tls.VersionTLS12})}
	if u.Scheme == "smtps" {
		options = append(options, mail.WithSSL(), mail.WithPort(465))
	}
	if p, err := strconv.Atoi(u.Port()); err == nil {
		options = append(options, mail.WithPort(p))
	}
	if m.Key != "" {
		from, err := netmail.ParseAddress(m.From)
		if err != nil {
			return err
		}
		options = append(options, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(from.Address), mail.WithPassword(m.Key))
		if u.Scheme == "smtp" {
			options = append(options, mail.WithTLSPolicy(mail.TLSMandatory)) // a password is never sent in the clear
		}
	}
	c, err := mail.NewClient(u.Hostname(), options...)
	if err != nil {
		return err
	}
	msg, err := m.letter(l)
	if err != nil {
		return err
	}
	return c.DialAndSendWithContext(ctx, msg)
}

// letter is a message as it goes over the wire (RFC 5322).
func (m Mailer) letter(l Letter) (*mail.Msg, error) {
	msg := mail.NewMsg()
	if err := errors.Join(msg.From(cmp.Or(l.From, m.From)), msg.To(l.To)); err != nil {
		return nil, err
	}
	msg.Subject(oneLine(l.Subject))
	msg.SetDate()
	msg.SetMessageID()
	for name, value := range l.Headers {
		msg.SetGenHeaderPreformatted(mail.Header(name), oneLine(value)) // ids and lists of ids are not encoded
	}
	msg.SetBodyString(mail.TypeTextPlain, l.Text)
	return msg, nil
}

// oneLine is a header's value: line breaks cannot leave it.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }
