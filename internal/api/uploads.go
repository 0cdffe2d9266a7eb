package api

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"time"

	"golang.org/x/sync/semaphore"

	"jolvex/internal/api/wire"
	"jolvex/internal/model"
)

// Bounds on what is handed over.
const (
	uploadPatience = 30 * time.Second // without a byte
	uploadsAtOnce  = 16               // being sent; more are refused until one has arrived
	uploadMemory   = 256 << 20        // bytes of all that have arrived and are being read
	spoolFrom      = 1 << 20          // bytes from which a body waits on the disk until all of it is there
)

// uploads takes the bodies of requests in: each has to keep coming, a large one waits on the disk until all of it is there, and of those
// that have arrived only so many are in memory at a time.
type uploads struct {
	patience time.Duration
	sending  *semaphore.Weighted
	memory   *semaphore.Weighted
}

func newUploads() *uploads {
	return &uploads{uploadPatience, semaphore.NewWeighted(uploadsAtOnce), semaphore.NewWeighted(uploadMemory)}
}

func (u *uploads) handler(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		if q.Body == nil || q.Body == http.NoBody || q.ContentLength == 0 {
			next.ServeHTTP(w, q)
			return
		}
		q.Body = &coming{q.Body, http.NewResponseController(w), u.patience}
		if q.ContentLength >= 0 && q.ContentLength < spoolFrom || !strings.HasPrefix(q.URL.Path, "/api/") {
			next.ServeHTTP(w, q)
			return
		}
		if !u.sending.TryAcquire(1) {
			w.Header().Set("Retry-After", "5")
			wire.Problem(w, http.StatusServiceUnavailable, fmt.Sprintf("%d files are being sent already: try again in a few seconds", uploadsAtOnce))
			return
		}
		file, size, err := spool(q.Body)
		u.sending.Release(1)
		if file != nil {
			defer os.Remove(file.Name())
			defer file.Close()
		}
		if err != nil {
			status := http.StatusBadRequest
			switch {
			case errors.Is(err, os.ErrDeadlineExceeded):
				status, err = http.StatusRequestTimeout, fmt.Errorf("nothing more of the file came for %.0f seconds", u.patience.Seconds())
			case errors.Is(err, errTooLong):
				status = http.StatusRequestEntityTooLarge
			}
			wire.Problem(w, status, err.Error())
			return
		}
		if err := u.memory.Acquire(q.Context(), min(size, uploadMemory)); err != nil {
			return // whoever sent it has gone
		}
		defer u.memory.Release(min(size, uploadMemory))
		q.Body, q.ContentLength = file, size
		next.ServeHTTP(w, q)
	})
}

var errTooLong = fmt.Errorf("more than %d MB", mostBody>>20)

// mostBody is more than any operation takes: a body is not kept beyond it.
const mostBody = max(model.MaxMedia, 256<<20) + 1<<20

// spool writes a body to the disk, unreachable for others, and gives it from its start.
func spool(body io.Reader) (*os.File, int64, error) {
	f, err := os.CreateTemp("", "jolvex-upload-")
	if err != nil {
		return nil, 0, fmt.Errorf("keep the file for a moment: %w", err)
	}
	n, err := io.Copy(f, io.LimitReader(body, mostBody+1))
	if err == nil && n > mostBody {
		err = errTooLong
	}
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	return f, n, err
}

// coming is a body that has to keep coming.
type coming struct {
	io.ReadCloser
	control  *http.ResponseController
	patience time.Duration
}

func (c *coming) Read(p []byte) (int, error) {
	if err := c.control.SetReadDeadline(time.Now().Add(c.patience)); err != nil && !errors.Is(err, http.ErrNotSupported) {
		return 0, err
	}
	n, err := c.ReadCloser.Read(p)
	if err == io.EOF {
		_ = c.control.SetReadDeadline(time.Time{}) // the next request on the connection has its own time
	}
	return n, err
}
