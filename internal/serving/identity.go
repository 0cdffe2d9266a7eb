package serving

import (
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"

	"jolvex/core/index"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/store/served"
)

// ErrPerson says that what a site said of a visitor does not hold.
var ErrPerson = errors.New("what this site says of you is not right, or too old: load the page again")

// How a site signs what it says of a visitor.
const (
	ByNobody  = ""
	BySecret  = "HS256" // with a secret that both sides know
	ByEd25519 = "EdDSA" // with a key of which this program knows the public half
)

// longestWord is how long at most a site's word on a visitor may hold, and slack how far two clocks may be apart.
const (
	longestWord = time.Hour
	slack       = time.Minute
)

// identity is by which key a site says who asks.
type identity struct {
	Algorithm string `json:"algorithm"`
	Key       []byte `json:"key"`
}

// Person is who asks, as their site says.
type Person struct {
	ID    string // by which the site knows them
	Name  string
	Group string // whose material they may be answered from; empty for everybody's alone
}

// word is what a site signs: a JSON Web Token (RFC 7519) of its visitor.
type word struct {
	jwt.Claims
	Name  string `json:"name"`
	Group string `json:"group"`
}

// SetIdentity says how sites sign who asks. For BySecret it makes a new secret and gives it, this once; for ByEd25519 it takes the public key (PEM, SubjectPublicKeyInfo).
func (sv Doors) SetIdentity(ctx context.Context, corpus, algorithm, key string) (secret string, err error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return "", err
	}
	p, err := sv.served.Of(ctx, c.ID)
	if err != nil {
		return "", err
	}
	id := identity{Algorithm: algorithm}
	switch algorithm {
	case ByNobody:
		p.Identity = nil
		return "", sv.served.Put(ctx, p)
	case BySecret:
		raw := make([]byte, 32)
		_, _ = rand.Read(raw) // never fails
		secret = base64.RawURLEncoding.EncodeToString(raw)
		id.Key = []byte(secret)
	case ByEd25519:
		block, _ := pem.Decode([]byte(key))
		if block == nil {
			return "", fault.Input("the key is no public key in PEM form")
		}
		got, err := x509.ParsePKIXPublicKey(block.Bytes)
		public, ok := got.(ed25519.PublicKey)
		if err != nil || !ok {
			return "", fault.Input("the key is no public key for Ed25519")
		}
		id.Key = public
	default:
		return "", fault.Input("what sites say is signed with HS256 or EdDSA, not %q", algorithm)
	}
	raw, err := json.Marshal(id)
	if err != nil {
		return "", err
	}
	if p.Identity, err = sv.connections.Seal(raw); err != nil {
		return "", err
	}
	return secret, sv.served.Put(ctx, p)
}

// identityOf is how sites sign who asks; one without an algorithm when they do not.
func (sv Doors) identityOf(p served.Place) (identity, error) {
	if len(p.Identity) == 0 {
		return identity{}, nil
	}
	raw, err := sv.connections.Unseal(p.Identity)
	if err != nil {
		return identity{}, fmt.Errorf("open the key of sites: %w", err)
	}
	var id identity
	return id, json.Unmarshal(raw, &id)
}

// person is who asks, by the word of their site. It must be signed as was agreed, be meant for this place, hold at the moment and for no longer than an hour.
func (sv Doors) person(p served.Place, token string, now time.Time) (Person, error) {
	id, err := sv.identityOf(p)
	if err != nil {
		return Person{}, err
	}
	if id.Algorithm == ByNobody {
		return Person{}, ErrPerson
	}
	t, err := jwt.ParseSigned(token, []jose.SignatureAlgorithm{jose.SignatureAlgorithm(id.Algorithm)})
	if err != nil {
		return Person{}, ErrPerson
	}
	key := any(id.Key)
	if id.Algorithm == ByEd25519 {
		key = ed25519.PublicKey(id.Key)
	}
	var w word
	if err := t.Claims(key, &w); err != nil {
		return Person{}, ErrPerson
	}
	if err := w.ValidateWithLeeway(jwt.Expected{AnyAudience: jwt.Audience{p.Place}, Time: now}, slack); err != nil || w.Expiry == nil || w.Expiry.Time().After(now.Add(longestWord+slack)) {
		return Person{}, ErrPerson
	}
	out := Person{ID: w.Subject, Name: strings.TrimSpace(w.Name), Group: strings.TrimSpace(w.Group)}
	if out.ID == "" || len(out.ID) > 200 || len(out.Name) > 200 || out.Group != "" && indexing.CheckAudience(index.Group+out.Group) != nil {
		return Person{}, ErrPerson
	}
	return out, nil
}

// audience is whose material a visitor is answered from.
func (a Admitted) audience() string {
	if a.Person.Group != "" {
		return index.Group + a.Person.Group
	}
	return index.Public
}

// visitor is by what name a visitor is remembered: what their site knows them by, hidden, or the random one that their browser made.
func (a Admitted) visitor(given string) string {
	if a.Person.ID != "" {
		return hashed(a.Corpus.ID + " " + a.Person.ID)[:32]
	}
	return given
}
