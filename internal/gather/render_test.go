package gather

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const scripted = `<!doctype html><title>Board</title><div id=a></div><script>
setTimeout(() => { document.getElementById("a").innerHTML = "<p>The 9 o'clock boat is on time.</p>"; fetch("/more").then(r => r.text()).then(t => { document.getElementById("a").append(t) }) ; location.hash = "read" }, 200)
const host = document.body.appendChild(document.createElement("div")); host.attachShadow({mode: "open"}).innerHTML = "<p>Spoken in the shadow.</p>"</script>`

func TestAPageIsReadOnceItsScriptsHaveRun(t *testing.T) {
	_, err := exec.LookPath("chromium")
	require.NoError(t, err, "the package chromium is needed")
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		if q.URL.Path == "/more" {
			fmt.Fprint(w, "Berth 2.")
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, scripted)
	}))
	defer srv.Close()
	r, err := NewRenderer(t.Context(), Reach{Private: []string{HostPort(srv.URL)}})
	require.NoError(t, err)
	defer r.Close()
	for range 2 {
		page, err := r.Render(t.Context(), srv.URL+"/board", 0)
		require.NoError(t, err)
		html := page.HTML
		assert.Contains(t, string(html), "Spoken in the shadow.")
		assert.Equal(t, srv.URL+"/board#read", page.Address)
		assert.Contains(t, string(html), "o'clock boat is on time")
		assert.Contains(t, string(html), "Berth 2.")
	}
	procs, err := filepath.Glob("/proc/[0-9]*")
	require.NoError(t, err)
	seen := 0
	for _, p := range procs {
		args, err := os.ReadFile(p + "/cmdline")
		status, err2 := os.ReadFile(p + "/status")
		if err != nil || err2 != nil || !strings.Contains(string(args), r.dir) {
			continue // another process, or one that has ended
		}
		seen++
		assert.NotContains(t, string(status), "Uid:\t0\t", "the browser does not run as root: %s", args)
	}
	assert.Positive(t, seen)
}

func TestWithoutChromiumItSaysSo(t *testing.T) {
	t.Setenv("PATH", t.TempDir())
	_, err := NewRenderer(t.Context(), Reach{})
	assert.ErrorIs(t, err, ErrNoBrowser)
}

// The browser's proxy goes nowhere that the crawler would not go: not to a private address by number, by name or from a
// page's script.
func TestTheBrowserReachesNoPrivateAddress(t *testing.T) {
	reached := false
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		reached = true
		fmt.Fprint(w, "secret")
	}))
	defer srv.Close()
	r, err := NewRenderer(t.Context(), Reach{})
	require.NoError(t, err)
	defer r.Close()
	for _, at := range []string{srv.URL, strings.Replace(srv.URL, "127.0.0.1", "localhost", 1), "http://169.254.169.254/latest/meta-data"} {
		page, err := r.Render(t.Context(), at, 0)
		assert.False(t, err == nil && strings.Contains(string(page.HTML), "secret"), at)
	}
	assert.False(t, reached)
}
