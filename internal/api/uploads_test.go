package api

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// An upload that stops coming is ended; a large one is whole when it is read, and nothing of it stays on the disk; too many at once are told so.
func TestUploadsKeepComing(t *testing.T) {
	t.Setenv("TMPDIR", t.TempDir())
	u := newUploads()
	u.patience = 2 * time.Second
	srv := httptest.NewServer(u.handler(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		n, err := io.Copy(io.Discard, q.Body)
		fmt.Fprint(w, n, err)
	})))
	defer srv.Close()
	put := func(body io.Reader) (int, string) {
		q, err := http.NewRequestWithContext(t.Context(), http.MethodPut, srv.URL+"/api/files", body)
		require.NoError(t, err)
		resp, err := http.DefaultClient.Do(q)
		require.NoError(t, err)
		defer resp.Body.Close()
		said, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return resp.StatusCode, string(said)
	}
	status, said := put(bytes.NewReader(make([]byte, 5<<20)))
	assert.Equal(t, 200, status)
	assert.Equal(t, fmt.Sprint(5<<20, " <nil>"), said)

	c, err := net.Dial("tcp", srv.Listener.Addr().String())
	require.NoError(t, err)
	defer c.Close()
	_, err = fmt.Fprintf(c, "PUT /api/files HTTP/1.1\r\nHost: x\r\nContent-Length: 9000000\r\n\r\nabc")
	require.NoError(t, err)
	require.NoError(t, c.SetReadDeadline(time.Now().Add(10*time.Second)))
	head := make([]byte, 200)
	n, err := c.Read(head)
	require.NoError(t, err)
	assert.Contains(t, string(head[:n]), "408 Request Timeout")

	require.True(t, u.sending.TryAcquire(uploadsAtOnce))
	status, said = put(bytes.NewReader(make([]byte, 2<<20)))
	assert.Equal(t, http.StatusServiceUnavailable, status)
	assert.Contains(t, said, "try again")
	u.sending.Release(uploadsAtOnce)

	left, err := filepath.Glob(filepath.Join(os.Getenv("TMPDIR"), "jolvex-upload-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}
