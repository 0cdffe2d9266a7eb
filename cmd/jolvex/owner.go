package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"time"

	"jolvex/internal/api"
	"jolvex/internal/api/door"
	"jolvex/internal/app"
	"jolvex/internal/extractor"
	"jolvex/internal/job"
)

// socketPath is where the owner of a data folder listens for commands: in the folder, or, as such paths are limited to
// some 100 bytes, in the temporary folder under a name made from it.
func socketPath(dir string) (string, error) {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	if p := filepath.Join(abs, "jolvex.sock"); len(p) < 100 {
		return p, nil
	}
	sum := sha256.Sum256([]byte(abs))
	private := filepath.Join(os.TempDir(), fmt.Sprintf("jolvex-%d", os.Getuid()))
	if err := os.MkdirAll(private, 0o700); err != nil {
		return "", err
	}
	return filepath.Join(private, hex.EncodeToString(sum[:8])+".sock"), nil
}

// owner is a data folder that this process has open.
type owner struct {
	app    *app.App
	server *http.Server
	socket string
}

// own opens the folder and listens on its socket. app.ErrOwned, wrapped, when another process has it.
func own(ctx context.Context, s *settings) (*owner, error) {
	app, err := app.Open(ctx, s.data, s.log(), app.Options{Limits: extractor.Limits{Memory: int64(s.memory) << 20, Time: s.patience}})
	if err != nil {
		return nil, err
	}
	o := &owner{app: app}
	if o.socket, err = socketPath(s.data); err != nil {
		return nil, errors.Join(err, app.Close())
	}
	// Only the owner of the lock comes here: a socket that is left over belongs to nobody.
	if err := os.Remove(o.socket); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, errors.Join(err, app.Close())
	}
	l, err := net.Listen("unix", o.socket)
	if err != nil {
		return nil, errors.Join(fmt.Errorf("listen for commands: %w", err), app.Close())
	}
	if err := os.Chmod(o.socket, 0o600); err != nil {
		return nil, errors.Join(err, l.Close(), app.Close())
	}
	o.server = &http.Server{Handler: api.New(app, api.Options{Version: version, Log: s.log(), Door: door.Door{Command: true}}), ReadHeaderTimeout: 10 * time.Second}
	go func() {
		if err := o.server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
			s.log().Error("commands can no longer be taken", "error", err)
		}
	}()
	return o, nil
}

// close ends open requests within a few seconds, then gives the folder back.
func (o *owner) close() error {
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	err := o.server.Shutdown(ctx)
	if errors.Is(err, context.DeadlineExceeded) {
		err = o.server.Close() // event streams stay open as long as their readers
	}
	return errors.Join(err, o.app.Close())
}

// client speaks the API over the socket of whoever owns the folder.
type client struct {
	http  *http.Client
	close func() error
}

// connect reaches the folder's owner: the server that is running, or this process itself.
func connect(ctx context.Context, s *settings) (*client, error) {
	path, err := socketPath(s.data)
	if err != nil {
		return nil, err
	}
	c := &client{close: func() error { return nil }, http: &http.Client{Transport: &http.Transport{
		DialContext: func(ctx context.Context, _, _ string) (net.Conn, error) {
			return (&net.Dialer{}).DialContext(ctx, "unix", path)
		},
	}}}
	for began := time.Now(); ; {
		o, err := own(ctx, s)
		if err == nil {
			c.close = o.close
			return c, nil
		}
		if !errors.Is(err, app.ErrOwned) {
			return nil, err
		}
		conn, dialErr := net.Dial("unix", path)
		if dialErr == nil {
			return c, conn.Close()
		}
		if time.Since(began) > 15*time.Second {
			return nil, fmt.Errorf("%w, and it does not answer: %w", err, dialErr)
		}
		select { // the owner is starting or closing
		case <-time.After(50 * time.Millisecond):
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// apiError is a problem that the API told.
type apiError struct {
	Status int    `json:"status"`
	Detail string `json:"detail"`
	Errors []struct {
		Message  string `json:"message"`
		Location string `json:"location"`
	} `json:"errors"`
}

func (e *apiError) Error() string {
	s := e.Detail
	for _, x := range e.Errors {
		s += "; " + x.Location + ": " + x.Message
	}
	if s == "" {
		s = http.StatusText(e.Status)
	}
	return s
}

// call sends a request; in and into may be nil. A raw body goes as []byte, and comes as it is into a *[]byte.
func (c *client) call(ctx context.Context, method, path string, in, into any) error {
	var body io.Reader
	kind := "application/json"
	switch v := in.(type) {
	case nil:
	case []byte:
		body, kind = bytes.NewReader(v), "application/octet-stream"
	default:
		raw, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(raw)
	}
	req, err := http.NewRequestWithContext(ctx, method, "http://"+api.SocketHost+"/api"+path, body)
	if err != nil {
		return err
	}
	if body != nil {
		req.Header.Set("Content-Type", kind)
	}
	resp, err := c.http.Do(req)
	if err != nil {
		return fmt.Errorf("ask the owner of the data folder: %w", err)
	}
	defer resp.Body.Close()
	raw, err := io.ReadAll(resp.Body)
	if err != nil {
		return fmt.Errorf("read the answer: %w", err)
	}
	if resp.StatusCode >= 400 {
		e := &apiError{Status: resp.StatusCode}
		if err := json.Unmarshal(raw, e); err != nil {
			e.Detail = string(raw)
		}
		return e
	}
	if into == nil || len(raw) == 0 {
		return nil
	}
	if whole, ok := into.(*[]byte); ok {
		*whole = raw
		return nil
	}
	return json.Unmarshal(raw, into)
}

func corpusPath(name string, rest ...string) string {
	p := "/corpora/" + url.PathEscape(name)
	for _, r := range rest {
		p += "/" + url.PathEscape(r)
	}
	return p
}

// follow waits for a job to end, telling each step.
func (c *client) follow(ctx context.Context, corpus, id string, tell func(job.Job)) (job.Job, error) {
	for {
		var j job.Job
		if err := c.call(ctx, http.MethodGet, corpusPath(corpus, "jobs", id), nil, &j); err != nil {
			return j, err
		}
		tell(j)
		switch j.State {
		case "done":
			return j, nil
		case "failed":
			return j, fmt.Errorf("the job failed: %s", j.Error)
		case "cancelled":
			return j, errors.New("the job was cancelled")
		}
		select {
		case <-time.After(100 * time.Millisecond):
		case <-ctx.Done():
			return j, ctx.Err()
		}
	}
}
