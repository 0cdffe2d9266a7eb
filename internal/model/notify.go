package model

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/quotedprintable"
	"net"
	"net/mail"
	"net/smtp"
	"net/url"
	"strings"
	"time"
)

// Webhook tells another program something by a JSON POST to an address of its own.
type Webhook struct {
	Address string
	Wait    func(ctx context.Context, d time.Duration) error
}

// Limits of notices.
const (
	hookPatience = 20 * time.Second
	hookTries    = 3
	hookBytes    = 1 << 16
	mailPatience = 30 * time.Second
)

// Post sends a message. Any answer of 200 will do. ErrConnection, wrapped, when there is none.
func (w Webhook) Post(ctx context.Context, body any) error {
	c := caller{what: "the webhook", base: w.Address, patience: hookPatience, tries: hookTries, most: hookBytes, wait: w.Wait}
	return c.send(ctx, body, func(r io.Reader) error {
		_, err := io.Copy(io.Discard, io.LimitReader(r, hookBytes))
		return err
	})
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
	if _, err := mail.ParseAddress(m.From); err != nil {
		return fmt.Errorf("mail is sent from a mail address, not from %q", m.From)
	}
	return nil
}

// Send hands over one message. ErrConnection, wrapped, when the server does not take it. The connection is encrypted where the
// server offers it; a password is never sent over one that is not.
func (m Mailer) Send(ctx context.Context, to, subject, text string) error {
	if err := m.send(ctx, to, subject, text); err != nil {
		return fmt.Errorf("%w: mail: %w", ErrConnection, err)
	}
	return nil
}

func (m Mailer) send(ctx context.Context, to, subject, text string) error {
	u, err := url.Parse(m.Server)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, mailPatience)
	defer cancel()
	port := u.Port()
	if port == "" {
		port = map[string]string{"smtp": "587", "smtps": "465"}[u.Scheme]
	}
	at := net.JoinHostPort(u.Hostname(), port)
	var conn net.Conn
	if u.Scheme == "smtps" {
		conn, err = (&tls.Dialer{Config: &tls.Config{ServerName: u.Hostname()}}).DialContext(ctx, "tcp", at)
	} else {
		conn, err = (&net.Dialer{}).DialContext(ctx, "tcp", at)
	}
	if err != nil {
		return err
	}
	defer conn.Close()
	if d, ok := ctx.Deadline(); ok {
		if err := conn.SetDeadline(d); err != nil {
			return err
		}
	}
	c, err := smtp.NewClient(conn, u.Hostname())
	if err != nil {
		return err
	}
	if ok, _ := c.Extension("STARTTLS"); ok && u.Scheme == "smtp" {
		if err := c.StartTLS(&tls.Config{ServerName: u.Hostname()}); err != nil {
			return err
		}
	}
	if m.Key != "" {
		if err := c.Auth(smtp.PlainAuth("", m.From, m.Key, u.Hostname())); err != nil {
			return err
		}
	}
	if err := errors.Join(c.Mail(m.From), c.Rcpt(to)); err != nil {
		return err
	}
	w, err := c.Data()
	if err != nil {
		return err
	}
	if _, err := w.Write(letter(m.From, to, subject, text)); err != nil {
		return err
	}
	return errors.Join(w.Close(), c.Quit())
}

// letter is a message as it goes over the wire (RFC 5322). Line breaks cannot leave the subject.
func letter(from, to, subject, text string) []byte {
	var b strings.Builder
	subject = strings.Join(strings.Fields(subject), " ")
	for _, h := range [][2]string{
		{"From", from},
		{"To", to},
		{"Subject", mime.QEncoding.Encode("utf-8", subject)},
		{"Date", time.Now().Format(time.RFC1123Z)},
		{"MIME-Version", "1.0"},
		{"Content-Type", "text/plain; charset=utf-8"},
		{"Content-Transfer-Encoding", "quoted-printable"},
	} {
		b.WriteString(h[0] + ": " + h[1] + "\r\n")
	}
	b.WriteString("\r\n")
	q := quotedprintable.NewWriter(&b)
	_, _ = q.Write([]byte(strings.ReplaceAll(text, "\n", "\r\n"))) // a strings.Builder takes everything
	_ = q.Close()
	return []byte(b.String())
}
