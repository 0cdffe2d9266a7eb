package people

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/store/register"
)

// openIDPatience is how long an issuer is waited for with one call.
const openIDPatience = 15 * time.Second

// ErrNoOpenID says that no OpenID issuer is connected.
var ErrNoOpenID = errors.New("sign-in through another service is not set up here")

// OpenIDTrip is what has to be known again when somebody comes back from the issuer.
type OpenIDTrip struct{ State, Nonce, Verifier, Back string }

// OpenID says whether an issuer is connected.
func (r *Room) OpenID(ctx context.Context) (bool, error) {
	c, err := r.connections.Connection(ctx, connections.ConnectionSignIn)
	return c.Base != "", err
}

// openID is the connected issuer, asked for its addresses and keys (OpenID Connect Discovery 1.0).
func (r *Room) openID(ctx context.Context, back string) (context.Context, *oidc.Provider, oauth2.Config, error) {
	c, err := r.connections.Connection(ctx, connections.ConnectionSignIn)
	if err != nil || c.Base == "" {
		return ctx, nil, oauth2.Config{}, errors.Join(err, ErrNoOpenID)
	}
	key, err := r.connections.Key(ctx, connections.ConnectionSignIn)
	if err != nil {
		return ctx, nil, oauth2.Config{}, err
	}
	ctx = oidc.ClientContext(ctx, &http.Client{Timeout: openIDPatience})
	p, err := oidc.NewProvider(ctx, c.Base)
	if err != nil {
		return ctx, nil, oauth2.Config{}, fmt.Errorf("the service %s that people sign in by does not answer as it should: %w", c.Base, err)
	}
	return ctx, p, oauth2.Config{
		ClientID: c.Model, ClientSecret: key, Endpoint: p.Endpoint(), RedirectURL: back, Scopes: []string{oidc.ScopeOpenID, "email", "profile"},
	}, nil
}

// GoToOpenID gives the address of the issuer to which a browser is sent, which then comes back to back. The trip is kept in its session.
func (r *Room) GoToOpenID(ctx context.Context, back string) (string, OpenIDTrip, error) {
	_, _, conf, err := r.openID(ctx, back)
	if err != nil {
		return "", OpenIDTrip{}, err
	}
	t := OpenIDTrip{State: random(), Nonce: random(), Verifier: oauth2.GenerateVerifier(), Back: back}
	return conf.AuthCodeURL(t.State, oidc.Nonce(t.Nonce), oauth2.S256ChallengeOption(t.Verifier)), t, nil
}

// BackFromOpenID gives the id of the person whom the issuer has signed in: known by its subject, or by a mail address that the issuer has
// verified, or invited by that address. ErrRefused, wrapped, for others.
func (r *Room) BackFromOpenID(ctx context.Context, t OpenIDTrip, code string) (string, error) {
	ctx, p, conf, err := r.openID(ctx, t.Back)
	if err != nil {
		return "", err
	}
	got, err := conf.Exchange(ctx, code, oauth2.VerifierOption(t.Verifier))
	if err != nil {
		return "", fmt.Errorf("the sign-in could not be completed: %w", err)
	}
	raw, ok := got.Extra("id_token").(string)
	if !ok {
		return "", errors.New("the service that people sign in by gave no identity")
	}
	id, err := p.Verifier(&oidc.Config{ClientID: conf.ClientID, Now: r.now}).Verify(ctx, raw)
	if err != nil {
		return "", fmt.Errorf("the identity cannot be trusted: %w", err)
	}
	if id.Nonce != t.Nonce {
		return "", errors.New("the identity belongs to another sign-in: begin again")
	}
	var claims struct {
		Mail     string `json:"email"`
		Verified bool   `json:"email_verified"`
		Name     string `json:"name"`
	}
	if err := id.Claims(&claims); err != nil {
		return "", fmt.Errorf("read the identity: %w", err)
	}
	mail := ""
	if claims.Verified {
		mail = claims.Mail
	}
	return r.identified(ctx, id.Issuer, id.Subject, mail, claims.Name)
}

func (r *Room) identified(ctx context.Context, issuer, subject, mail, name string) (string, error) {
	p, err := r.register.PersonBySubject(ctx, issuer, subject)
	if err != nil && !errors.Is(err, fault.ErrMissing) {
		return "", err
	}
	if err == nil {
		return allowed(p)
	}
	if mail == "" {
		return "", fmt.Errorf("%w: the service has not verified a mail address of yours", ErrUninvited)
	}
	p, err = r.register.PersonByMail(ctx, mail)
	if err != nil && !errors.Is(err, fault.ErrMissing) {
		return "", err
	}
	if err == nil {
		if p.Subject != "" {
			return "", fmt.Errorf("%w: %s signs in by another identity", ErrUninvited, mail)
		}
		if _, err := allowed(p); err != nil {
			return "", err
		}
		return p.ID, r.register.Change(ctx, p.ID, func(p *register.Person, _ int) (bool, error) {
			p.Issuer, p.Subject = issuer, subject
			return false, nil
		})
	}
	list, err := r.register.Invitations(ctx)
	if err != nil {
		return "", err
	}
	for _, i := range list {
		if i.Person != "" || !strings.EqualFold(i.Mail, mail) {
			continue
		}
		name = strings.TrimSpace(name)
		if goodName(name) != nil {
			name = mail
		}
		p, err := r.register.Accept(ctx, i, register.Person{Name: name, Mail: mail, Owner: i.Owner, Issuer: issuer, Subject: subject})
		return p.ID, err
	}
	return "", fmt.Errorf("%w: nobody has invited %s", ErrUninvited, mail)
}

// ErrUninvited says that somebody proved who they are, but has no place here.
var ErrUninvited = errors.New("there is no place here for this account: ask an owner for an invitation")

func allowed(p register.Person) (string, error) {
	if p.EndedAt != "" {
		return "", ErrUninvited
	}
	return p.ID, nil
}

func random() string {
	raw := make([]byte, 24)
	_, _ = rand.Read(raw) // never fails
	return base64.RawURLEncoding.EncodeToString(raw)
}
