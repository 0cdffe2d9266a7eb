package sim

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// Issuer stands in for a service that people sign in by (OpenID Connect Core 1.0, the code flow, with PKCE of RFC 7636). Whoever comes is the
// person that it was told.
type Issuer struct {
	Client, Secret string
	Now            func() time.Time

	mu     sync.Mutex
	key    *rsa.PrivateKey
	person Identity
	codes  map[string]trip
}

// Identity is who an issuer says somebody is.
type Identity struct {
	Subject  string `json:"sub"`
	Mail     string `json:"email"`
	Verified bool   `json:"email_verified"`
	Name     string `json:"name"`
}

type trip struct {
	nonce, challenge, back string
	person                 Identity
}

// NewIssuer makes an issuer with a client that it knows.
func NewIssuer(client, secret string, now func() time.Time) (*Issuer, error) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	return &Issuer{Client: client, Secret: secret, Now: now, key: key, codes: map[string]trip{}}, err
}

// Be says who comes from now on.
func (i *Issuer) Be(p Identity) {
	i.mu.Lock()
	defer i.mu.Unlock()
	i.person = p
}

// ServeHTTP answers under whatever address it is reached by.
func (i *Issuer) ServeHTTP(w http.ResponseWriter, q *http.Request) {
	home := "http://" + q.Host
	switch q.URL.Path {
	case "/.well-known/openid-configuration":
		answer(w, map[string]any{
			"issuer": home, "authorization_endpoint": home + "/authorize", "token_endpoint": home + "/token", "jwks_uri": home + "/keys",
			"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{"RS256"},
		})
	case "/keys":
		answer(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: i.key.Public(), KeyID: "1", Algorithm: "RS256", Use: "sig"}}})
	case "/authorize":
		i.authorize(w, q)
	case "/token":
		i.token(w, q, home)
	default:
		http.NotFound(w, q)
	}
}

func (i *Issuer) authorize(w http.ResponseWriter, q *http.Request) {
	v := q.URL.Query()
	back, err := url.Parse(v.Get("redirect_uri"))
	if err != nil || v.Get("client_id") != i.Client || v.Get("response_type") != "code" || v.Get("code_challenge_method") != "S256" {
		http.Error(w, "unknown client, or not what it may ask", http.StatusBadRequest)
		return
	}
	code := rand.Text()
	i.mu.Lock()
	i.codes[code] = trip{v.Get("nonce"), v.Get("code_challenge"), v.Get("redirect_uri"), i.person}
	i.mu.Unlock()
	back.RawQuery = url.Values{"code": {code}, "state": {v.Get("state")}}.Encode()
	http.Redirect(w, q, back.String(), http.StatusSeeOther)
}

func (i *Issuer) token(w http.ResponseWriter, q *http.Request, home string) {
	client, secret, ok := q.BasicAuth()
	if !ok {
		client, secret = q.PostFormValue("client_id"), q.PostFormValue("client_secret")
	}
	i.mu.Lock()
	t, known := i.codes[q.PostFormValue("code")]
	delete(i.codes, q.PostFormValue("code")) // once
	i.mu.Unlock()
	sum := sha256.Sum256([]byte(q.PostFormValue("code_verifier")))
	good := client == i.Client && subtle.ConstantTimeCompare([]byte(secret), []byte(i.Secret)) == 1 && known &&
		base64.RawURLEncoding.EncodeToString(sum[:]) == t.challenge && q.PostFormValue("redirect_uri") == t.back
	if !good {
		w.WriteHeader(http.StatusBadRequest)
		answer(w, map[string]string{"error": "invalid_grant"})
		return
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: i.key, KeyID: "1"}}, nil)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	now := i.Now()
	id, err := jwt.Signed(signer).Claims(jwt.Claims{
		Issuer: home, Subject: t.person.Subject, Audience: jwt.Audience{i.Client}, IssuedAt: jwt.NewNumericDate(now), Expiry: jwt.NewNumericDate(now.Add(5 * time.Minute)),
	}).Claims(t.person).Claims(map[string]any{"nonce": t.nonce}).Serialize()
	if err != nil {
		http.Error(w, fmt.Sprintf("sign: %v", err), http.StatusInternalServerError)
		return
	}
	answer(w, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 300, "id_token": id})
}

func answer(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v) // the client has gone
}
