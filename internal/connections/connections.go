// Package connections keeps what the program is connected to - models, embeddings, speech to text, mail -, with their keys sealed and
// what they have cost.
package connections

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"jolvex/internal/fault"
	"jolvex/internal/model"
	"jolvex/internal/store"
)

// Connections are those of one data folder.
type Connections struct {
	dir      string
	store    *store.Store
	now      func() time.Time
	patience time.Duration // with a language model; 0 for the usual
}

// New opens the connections of a data folder. patience is how long a language model is waited for; 0 for the usual.
func New(dir string, s *store.Store, now func() time.Time, patience time.Duration) *Connections {
	return &Connections{dir: dir, store: s, now: now, patience: patience}
}

// The kinds of connection.
const (
	connectionSpeech     = "speech"     // turns speech into text
	ConnectionEmbeddings = "embeddings" // gives texts vectors
)

// Connection is a connection as callers see it. Its key is never given out.
type Connection struct {
	Base  string `json:"base" doc:"Address before the protocol's path; empty when nothing is connected"`
	Model string `json:"model"`
	Keyed bool   `json:"keyed" doc:"A key is stored"`
	// Dimensions and Tokens are of an embeddings endpoint.
	Dimensions int `json:"dimensions,omitempty" doc:"Of its vectors"`
	Tokens     int `json:"tokens,omitempty" doc:"What it has been given to read so far, as it counts"`
	// The others are of a language model.
	TokensOut int     `json:"tokensOut,omitempty" doc:"What it has written so far"`
	Window    int     `json:"window,omitempty" doc:"Tokens that it takes in, what it writes included"`
	PriceIn   float64 `json:"priceIn,omitempty" doc:"For a million tokens read, in whatever currency it is paid in"`
	PriceOut  float64 `json:"priceOut,omitempty" doc:"For a million tokens written"`
	Cap       float64 `json:"cap,omitempty" doc:"Most to be spent in a month; 0 for no cap"`
	Wait      int     `json:"wait,omitempty" doc:"Seconds that it is waited for with one call; 0 for the usual 20"`
	Calls     int     `json:"calls,omitempty" doc:"This month"`
	Spent     float64 `json:"spent,omitempty" doc:"This month"`
}

// ID names a model as trails do.
func (c Connection) ID() string { return c.Model + " at " + c.Base }

// ConnectionChange sets a connection. A key that is not given stays as it is; an empty address takes the connection away.
type ConnectionChange struct {
	Base  string  `json:"base" maxLength:"2000"`
	Model string  `json:"model,omitempty" maxLength:"200"`
	Key   *string `json:"key,omitempty" maxLength:"4000"`
	// The others are of a language model.
	Window   int     `json:"window,omitempty" doc:"0 for the usual 8,000 tokens"`
	PriceIn  float64 `json:"priceIn,omitempty"`
	PriceOut float64 `json:"priceOut,omitempty"`
	Cap      float64 `json:"cap,omitempty"`
	Wait     int     `json:"wait,omitempty" doc:"Seconds that it is waited for with one call; 0 for the usual 20"`
}

func (cn *Connections) Connection(ctx context.Context, kind string) (Connection, error) {
	c, err := cn.store.Connection(ctx, kind)
	if errors.Is(err, store.ErrMissing) {
		return Connection{}, nil
	}
	return Connection{
		Base: c.Base, Model: c.Model, Keyed: len(c.Sealed) > 0, Dimensions: c.Dimensions, Tokens: c.Tokens,
		TokensOut: c.TokensOut, Window: c.Window, PriceIn: c.PriceIn, PriceOut: c.PriceOut, Cap: c.Cap, Wait: c.Wait,
	}, err
}

// SpeechConnection tells what turns speech into text.
func (cn *Connections) SpeechConnection(ctx context.Context) (Connection, error) {
	return cn.Connection(ctx, connectionSpeech)
}

// ConnectSpeech sets what turns speech into text.
func (cn *Connections) ConnectSpeech(ctx context.Context, ch ConnectionChange) (Connection, error) {
	c, err := cn.Changed(ctx, connectionSpeech, ch)
	if err != nil {
		return Connection{}, err
	}
	if err := cn.store.SaveConnection(ctx, c); err != nil {
		return Connection{}, err
	}
	return cn.SpeechConnection(ctx)
}

// Changed is a connection as a change would leave it.
func (cn *Connections) Changed(ctx context.Context, kind string, ch ConnectionChange) (store.Connection, error) {
	ch.Base = strings.TrimSpace(ch.Base)
	if ch.Base != "" {
		if err := model.CheckBase(ch.Base); err != nil {
			return store.Connection{}, fault.Input("%v", err)
		}
	}
	c, err := cn.store.Connection(ctx, kind)
	if err != nil && !errors.Is(err, store.ErrMissing) {
		return c, err
	}
	if ch.Base != c.Base {
		c.Sealed, c.Tokens = nil, 0 // a key is for the endpoint that it was given for
	}
	c.Kind, c.Base, c.Model = kind, ch.Base, strings.TrimSpace(ch.Model)
	if ch.Key != nil {
		c.Sealed = nil
		if *ch.Key != "" {
			if c.Sealed, err = cn.Seal([]byte(*ch.Key)); err != nil {
				return c, err
			}
		}
	}
	return c, nil
}

// ErrUnconnected says that nothing turns speech into text.
var ErrUnconnected = errors.New("a clip without captions: nothing is connected that turns speech into text")

// Transcribe gives what is said in a clip as WebVTT.
func (cn *Connections) Transcribe(ctx context.Context, name string, media []byte) ([]byte, error) {
	c, err := cn.store.Connection(ctx, connectionSpeech)
	if errors.Is(err, store.ErrMissing) {
		return nil, ErrUnconnected
	}
	if err != nil {
		return nil, err
	}
	s := model.Speech{Base: c.Base, Model: c.Model}
	if len(c.Sealed) > 0 {
		key, err := cn.Unseal(c.Sealed)
		if err != nil {
			return nil, err
		}
		s.Key = string(key)
	}
	return s.Transcribe(ctx, name, media)
}

// sealer is the cipher by which secrets are kept: AES-256-GCM with a key in a file beside the data that only the user who
// runs the program may read.
func (cn *Connections) sealer() (cipher.AEAD, error) {
	path := filepath.Join(cn.dir, "secret.key")
	key, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		key = make([]byte, 32)
		if _, err := rand.Read(key); err != nil {
			return nil, fmt.Errorf("make a key: %w", err)
		}
		err = os.WriteFile(path, key, 0o600)
	}
	if err != nil {
		return nil, fmt.Errorf("open the key that secrets are sealed with: %w", err)
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, fmt.Errorf("%s is damaged: %w", path, err)
	}
	return cipher.NewGCM(block)
}

// Seal encrypts a secret for the store.
func (cn *Connections) Seal(secret []byte) ([]byte, error) {
	g, err := cn.sealer()
	if err != nil {
		return nil, err
	}
	nonce := make([]byte, g.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return nil, fmt.Errorf("seal a secret: %w", err)
	}
	return g.Seal(nonce, nonce, secret, nil), nil
}

func (cn *Connections) Unseal(sealed []byte) ([]byte, error) {
	g, err := cn.sealer()
	if err != nil {
		return nil, err
	}
	if len(sealed) < g.NonceSize() {
		return nil, errors.New("a sealed secret is damaged")
	}
	out, err := g.Open(nil, sealed[:g.NonceSize()], sealed[g.NonceSize():], nil)
	if err != nil {
		return nil, errors.New("a sealed secret cannot be opened with this data folder's key: give it anew")
	}
	return out, nil
}
