package visit_test

import (
	"crypto/ed25519"
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/fault"
	"jolvex/internal/serving"
)

// said signs what a site says of a visitor.
func said(t *testing.T, algorithm jose.SignatureAlgorithm, key any, claims map[string]any) string {
	t.Helper()
	s, err := jose.NewSigner(jose.SigningKey{Algorithm: algorithm, Key: key}, nil)
	require.NoError(t, err)
	out, err := jwt.Signed(s).Claims(claims).Serialize()
	require.NoError(t, err)
	return out
}

// TestASiteSaysWhoAsks has members see members' material by a JSON Web Token (RFC 7519) of their site, and nobody else.
func TestASiteSaysWhoAsks(t *testing.T) {
	h := open(t)
	h.put("lounge.md", "# Lounge\n\n## Opening\n\nThe members' lounge on the pier opens at 07:30.\n", "group:members")
	h.put("crew.md", "# Crew\n\n## Lounge\n\nThe crew lounge opens at 05:15.\n", "staff")
	h.release()
	pass := h.site()
	place, err := h.app.Serving.Place(t.Context(), corpus)
	require.NoError(t, err)
	const question = "When does the lounge open?"
	ask := func(token string) (int, string) {
		status, got := h.send("/v/ask", msg{"pass": pass, "token": token, "text": question})
		return status, text(got)
	}
	claims := func(change map[string]any) map[string]any {
		out := map[string]any{"sub": "u-17", "aud": place.Place, "exp": time.Now().Add(10 * time.Minute).Unix(), "name": "Ada Quayle", "group": "members"}
		for k, v := range change {
			if v == nil {
				delete(out, k)
			} else {
				out[k] = v
			}
		}
		return out
	}
	status, _ := ask("a.b.c")
	assert.Equal(t, 403, status, "this place takes no word of sites yet")
	secret, err := h.app.Serving.Doors.SetIdentity(t.Context(), corpus, serving.BySecret, "")
	require.NoError(t, err)
	key := []byte(secret)

	status, reply := ask("")
	require.Equal(t, 200, status)
	assert.NotContains(t, reply, "07:30", "who is not said to be a member is none")
	status, reply = ask(said(t, jose.HS256, key, claims(nil)))
	require.Equal(t, 200, status)
	assert.Contains(t, reply, "07:30")
	assert.NotContains(t, reply, "05:15")
	status, reply = ask(said(t, jose.HS256, key, claims(map[string]any{"group": "guests"})))
	require.Equal(t, 200, status)
	assert.NotContains(t, reply, "07:30", "another group")
	status, reply = ask(said(t, jose.HS256, key, claims(map[string]any{"group": nil})))
	require.Equal(t, 200, status)
	assert.NotContains(t, reply, "07:30")

	_, private, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	none := "eyJhbGciOiJub25lIn0.eyJzdWIiOiJ1LTE3In0."
	for why, token := range map[string]string{
		"another secret":          said(t, jose.HS256, []byte("0123456789abcdef0123456789abcdef"), claims(nil)),
		"too old":                 said(t, jose.HS256, key, claims(map[string]any{"exp": time.Now().Add(-2 * time.Minute).Unix()})),
		"without an end":          said(t, jose.HS256, key, claims(map[string]any{"exp": nil})),
		"for a day":               said(t, jose.HS256, key, claims(map[string]any{"exp": time.Now().Add(24 * time.Hour).Unix()})),
		"for another place":       said(t, jose.HS256, key, claims(map[string]any{"aud": "another"})),
		"for no place":            said(t, jose.HS256, key, claims(map[string]any{"aud": nil})),
		"of nobody":               said(t, jose.HS256, key, claims(map[string]any{"sub": ""})),
		"not before later":        said(t, jose.HS256, key, claims(map[string]any{"nbf": time.Now().Add(5 * time.Minute).Unix()})),
		"not signed":              none,
		"another algorithm":       said(t, jose.EdDSA, private, claims(nil)),
		"a longer HMAC":           said(t, jose.HS512, append(key, key...), claims(nil)),
		"a group that turns text": said(t, jose.HS256, key, claims(map[string]any{"group": " members"})) + "x",
	} {
		status, _ := ask(token)
		assert.Equal(t, 403, status, why)
	}

	member := said(t, jose.HS256, key, claims(nil))
	_, got := h.send("/v/ask", msg{"pass": pass, "token": member, "text": question})
	conversation := got["conversation"].(string)
	status, _ = h.send("/v/ask", msg{"pass": pass, "text": "And when does it close?", "conversation": conversation})
	assert.Equal(t, 422, status, "a member's conversation is not gone on with by somebody who is none")

	public, ok := private.Public().(ed25519.PublicKey)
	require.True(t, ok)
	der, err := x509.MarshalPKIXPublicKey(public)
	require.NoError(t, err)
	_, err = h.app.Serving.Doors.SetIdentity(t.Context(), corpus, serving.ByEd25519, string(pem.EncodeToMemory(&pem.Block{Type: "PUBLIC KEY", Bytes: der})))
	require.NoError(t, err)
	status, reply = ask(said(t, jose.EdDSA, private, claims(nil)))
	require.Equal(t, 200, status)
	assert.Contains(t, reply, "07:30")
	for why, token := range map[string]string{
		"the secret of before":              member,
		"the public key taken for a secret": said(t, jose.HS256, []byte(public), claims(nil)),
	} {
		status, _ := ask(token)
		assert.Equal(t, 403, status, why)
	}
	for _, bad := range []string{"", "no key", "-----BEGIN PUBLIC KEY-----\nAAAA\n-----END PUBLIC KEY-----\n"} {
		_, err := h.app.Serving.Doors.SetIdentity(t.Context(), corpus, serving.ByEd25519, bad)
		assert.ErrorIs(t, err, fault.ErrInput)
	}
	_, err = h.app.Serving.Doors.SetIdentity(t.Context(), corpus, serving.ByNobody, "")
	require.NoError(t, err)
	status, _ = ask(said(t, jose.EdDSA, private, claims(nil)))
	assert.Equal(t, 403, status)
}
