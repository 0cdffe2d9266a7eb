// Package model talks to connections: endpoints that others run, for what is not built in.
package model

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"path"
	"strings"
	"time"
)

// ErrConnection says that a connection could not do what it was asked. It arrives wrapped, with what it said.
var ErrConnection = errors.New("the connection failed")

// Speech is a connection that turns speech into text by the widely used transcription protocol: a multipart POST to
// /audio/transcriptions that answers with captions.
type Speech struct {
	Base  string // address before /audio/transcriptions, such as http://127.0.0.1:9000/v1
	Model string // may be empty
	Key   string // bearer token, may be empty
}

// Limits of one transcription.
const (
	MaxMedia       = 200 << 20 // bytes of a clip
	maxCaptions    = 8 << 20   // bytes of the answer
	speechPatience = 30 * time.Minute
)

// CheckBase reports what is wrong with the address of a connection.
func CheckBase(base string) error {
	u, err := url.Parse(base)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil {
		return fmt.Errorf("the address of a connection begins with http:// or https:// and names a host, unlike %q", base)
	}
	return nil
}

// Transcribe gives what is said in a clip as WebVTT.
func (s Speech) Transcribe(ctx context.Context, name string, media []byte) ([]byte, error) {
	ctx, cancel := context.WithTimeout(ctx, speechPatience)
	defer cancel()
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	for k, v := range map[string]string{"model": s.Model, "response_format": "vtt"} {
		if v == "" {
			continue
		}
		if err := form.WriteField(k, v); err != nil {
			return nil, err
		}
	}
	part, err := form.CreateFormFile("file", path.Base(name))
	if err != nil {
		return nil, err
	}
	if _, err := part.Write(media); err != nil {
		return nil, err
	}
	if err := form.Close(); err != nil {
		return nil, err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, strings.TrimSuffix(s.Base, "/")+"/audio/transcriptions", &body)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrConnection, err)
	}
	req.Header.Set("Content-Type", form.FormDataContentType())
	if s.Key != "" {
		req.Header.Set("Authorization", "Bearer "+s.Key)
	}
	resp, err := client().Do(req)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrConnection, err)
	}
	defer resp.Body.Close()
	out, err := io.ReadAll(io.LimitReader(resp.Body, maxCaptions+1))
	switch {
	case err != nil:
		return nil, fmt.Errorf("%w: %w", ErrConnection, err)
	case resp.StatusCode != http.StatusOK:
		return nil, fmt.Errorf("%w: speech to text answered %d: %s", ErrConnection, resp.StatusCode, said(out))
	case len(out) > maxCaptions:
		return nil, fmt.Errorf("%w: speech to text answered with more than %d bytes", ErrConnection, maxCaptions)
	}
	if !bytes.HasPrefix(bytes.TrimSpace(bytes.TrimPrefix(out, []byte("\ufeff"))), []byte("WEBVTT")) {
		return nil, fmt.Errorf("%w: speech to text answered with something other than WebVTT", ErrConnection)
	}
	return out, nil
}

// said is the message in an error's body.
func said(b []byte) string {
	var e struct {
		Error struct {
			Message string `json:"message"`
		} `json:"error"`
	}
	if json.Unmarshal(b, &e) == nil && e.Error.Message != "" {
		return e.Error.Message
	}
	return strings.ToValidUTF8(string(b[:min(len(b), 200)]), "")
}
