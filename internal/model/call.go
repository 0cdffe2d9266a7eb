package model

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"
)

// caller posts JSON to an endpoint. Requests that are refused for being too many, or because the endpoint is out of order for
// the moment, are tried again, waiting as long as it asks or ever longer.
type caller struct {
	what     string // what it is called in errors
	base     string
	path     string
	key      string
	patience time.Duration // with one request
	tries    int
	most     int // bytes of an answer
	wait     func(ctx context.Context, d time.Duration) error
	accept   int                                         // the highest status that is an answer; 0 for 200 alone
	sign     func(header http.Header, body []byte) error // adds what proves who sends; nil for nothing
}

// post gives the whole answer. ErrConnection, wrapped, when the endpoint does not do its part.
func (c caller) post(ctx context.Context, body any) ([]byte, error) {
	var out []byte
	err := c.send(ctx, body, func(r io.Reader) error {
		raw, err := io.ReadAll(io.LimitReader(r, int64(c.most)+1))
		if err != nil {
			return err
		}
		if len(raw) > c.most {
			return tooLong{fmt.Errorf("%w: %s answered with more than %d bytes", ErrConnection, c.what, c.most)}
		}
		out = raw
		return nil
	})
	return out, err
}

// tooLong is an answer that another try would not make shorter.
type tooLong struct{ error }

// Unwrap gives what was wrong.
func (t tooLong) Unwrap() error { return t.error }

// send posts and has read take the answer. What read returns ends the tries when it is final; a connection that breaks while
// it reads is tried again.
func (c caller) send(ctx context.Context, body any, read func(io.Reader) error) error {
	raw, err := json.Marshal(body)
	if err != nil {
		return fmt.Errorf("write a request to %s: %w", c.what, err)
	}
	wait := time.Second
	for try := 1; ; try++ {
		again, err := c.once(ctx, raw, read)
		if err == nil {
			return nil
		}
		if again < 0 || try >= c.tries {
			return err
		}
		if again == 0 {
			again, wait = wait, 2*wait
		}
		sleep := c.wait
		if sleep == nil {
			sleep = pause
		}
		if stop := sleep(ctx, min(again, time.Minute)); errors.Is(stop, context.DeadlineExceeded) {
			return err // there is no time for another try: what went wrong is told
		} else if stop != nil {
			return stop
		}
	}
}

func pause(ctx context.Context, d time.Duration) error {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-t.C:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

var errRedirects = errors.New("it redirects")

// client sends what it is given to the address that was connected and to no other: a redirect is told, not followed, as the content, and a key, would go
// along.
func client() *http.Client {
	return &http.Client{CheckRedirect: func(q *http.Request, _ []*http.Request) error {
		return fmt.Errorf("%w to %s: connect that address, if it is the right one", errRedirects, q.URL.Redacted())
	}}
}

// once asks once. again is how long to wait before another try, 0 for as long as usual, below 0 for no further try.
func (c caller) once(ctx context.Context, body []byte, read func(io.Reader) error) (again time.Duration, err error) {
	ctx, cancel := context.WithTimeout(ctx, c.patience)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, strings.TrimSuffix(c.base, "/")+c.path, bytes.NewReader(body))
	if err != nil {
		return -1, fmt.Errorf("%w: %w", ErrConnection, err)
	}
	req.Header.Set("Content-Type", "application/json")
	if c.key != "" {
		req.Header.Set("Authorization", "Bearer "+c.key)
	}
	if c.sign != nil {
		if err := c.sign(req.Header, body); err != nil {
			return -1, err
		}
	}
	resp, err := client().Do(req)
	if errors.Is(err, errRedirects) {
		return -1, fmt.Errorf("%w: %s: %w", ErrConnection, c.what, errors.Unwrap(err))
	}
	if err != nil {
		return c.broken(ctx, err)
	}
	defer resp.Body.Close()
	if resp.StatusCode >= http.StatusOK && resp.StatusCode <= max(http.StatusOK, c.accept) {
		err := read(resp.Body)
		var final tooLong
		switch {
		case err == nil:
			return 0, nil
		case errors.As(err, &final), errors.Is(err, ErrConnection):
			return -1, err
		}
		return c.broken(ctx, err)
	}
	raw, err := io.ReadAll(io.LimitReader(resp.Body, 1<<16))
	if err != nil {
		return c.broken(ctx, err)
	}
	err = fmt.Errorf("%w: %s answered %d: %s", ErrConnection, c.what, resp.StatusCode, said(raw))
	if resp.StatusCode != http.StatusTooManyRequests && resp.StatusCode < 500 {
		return -1, err
	}
	seconds, bad := strconv.Atoi(resp.Header.Get("Retry-After"))
	if bad != nil || seconds < 0 {
		seconds = 0
	}
	return time.Duration(seconds) * time.Second, err
}

// broken tells a connection that broke from work that is not wanted any more.
func (c caller) broken(ctx context.Context, err error) (time.Duration, error) {
	switch {
	case errors.Is(ctx.Err(), context.DeadlineExceeded):
		return 0, fmt.Errorf("%w: %s did not answer within %s", ErrConnection, c.what, c.patience)
	case ctx.Err() != nil:
		return -1, ctx.Err()
	}
	return 0, fmt.Errorf("%w: %w", ErrConnection, err)
}
