// Package walk drives the real program: its commands, its interface in Chromium, and its end by kill -9.
package walk

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/demo"
	"jolvex/internal/sim"
)

// binary is the finished program, as `make build` leaves it.
func binary(t *testing.T) string {
	t.Helper()
	path := os.Getenv("JOLVEX")
	if path == "" {
		path = filepath.Join("..", "..", "bin", "jolvex")
	}
	path, err := filepath.Abs(path)
	require.NoError(t, err)
	_, err = os.Stat(path)
	require.NoError(t, err, "make build makes it")
	return path
}

// program is a running `jolvex serve` or `jolvex demo`.
type program struct {
	cmd     *exec.Cmd
	address string
	ended   chan error
	stderr  *bytes.Buffer
}

// start runs the program until it says where it is.
func start(t *testing.T, args ...string) *program {
	t.Helper()
	p := &program{cmd: exec.Command(binary(t), args...), ended: make(chan error, 1), stderr: &bytes.Buffer{}}
	p.cmd.Stderr = p.stderr
	out, err := p.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, p.cmd.Start())
	t.Cleanup(func() { _ = p.cmd.Process.Kill() })
	said := make(chan string, 1)
	go func() {
		sc := bufio.NewScanner(out)
		for sc.Scan() {
			if _, at, ok := strings.Cut(sc.Text(), "Jolvex is at "); ok {
				said <- strings.Fields(at)[0]
			}
		}
		_, _ = io.Copy(io.Discard, out)
		p.ended <- p.cmd.Wait()
	}()
	select {
	case p.address = <-said:
	case err := <-p.ended:
		require.Fail(t, "the program ended", "%v: %s", err, p.stderr)
	case <-time.After(2 * time.Minute):
		require.Fail(t, "the program did not say where it is", p.stderr.String())
	}
	return p
}

// stop ends the program as a service manager would, and expects it to end well.
func (p *program) stop(t *testing.T) {
	t.Helper()
	require.NoError(t, p.cmd.Process.Signal(syscall.SIGTERM))
	select {
	case err := <-p.ended:
		assert.NoError(t, err, p.stderr.String())
	case <-time.After(30 * time.Second):
		require.Fail(t, "the program did not end")
	}
}

type result struct {
	code           int
	stdout, stderr string
}

// run runs one command to its end.
func run(t *testing.T, stdin string, args ...string) result {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	cmd := exec.CommandContext(ctx, binary(t), args...)
	var out, errs bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(stdin), &out, &errs
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(t, err)
	}
	return result{cmd.ProcessState.ExitCode(), out.String(), errs.String()}
}

// ferries serves the demo site; delay makes each page slower.
func ferries(t *testing.T, delay time.Duration) string {
	t.Helper()
	var h http.Handler
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		if delay > 0 {
			select {
			case <-time.After(delay):
			case <-q.Context().Done():
				return
			}
		}
		h.ServeHTTP(w, q)
	}))
	t.Cleanup(srv.Close)
	h = sim.Site(demo.Pages(), srv.URL+"/", time.Now)
	return srv.URL + "/"
}

func get(t *testing.T, address string, into any) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, address, nil)
	require.NoError(t, err)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	require.Equal(t, http.StatusOK, resp.StatusCode, address)
	require.NoError(t, json.NewDecoder(resp.Body).Decode(into))
}

// until waits for a condition.
func until(t *testing.T, what string, met func() bool) {
	t.Helper()
	for end := time.Now().Add(time.Minute); !met(); {
		require.True(t, time.Now().Before(end), "waited a minute for %s", what)
		time.Sleep(20 * time.Millisecond)
	}
}

func questionsFile(t *testing.T) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "first.jsonl")
	require.NoError(t, os.WriteFile(path, demo.Questions(), 0o600))
	return path
}

func TestCommandLine(t *testing.T) {
	data := filepath.Join(t.TempDir(), "data")
	site := ferries(t, 0)
	page := filepath.Join(t.TempDir(), "gulls.md")
	require.NoError(t, os.WriteFile(page, []byte("# Gulls\n\nFeeding the gulls costs a fine of £80.\n"), 0o600))

	refused := run(t, "", "gather", "--data", data, "--corpus", "f", site)
	assert.Equal(t, 1, refused.code)
	assert.Contains(t, refused.stderr, "private address")

	r := run(t, "", "gather", "--data", data, "--corpus", "f", "--allow-private", site, page)
	require.Equal(t, 0, r.code, r.stderr)
	assert.Contains(t, r.stdout, "documents indexed in")
	assert.Regexp(t, regexp.QuoteMeta(site)+`\S*: \d+ documents, \d+ failed`, r.stdout)
	assert.Contains(t, r.stdout, "1 file handed over")
	assert.Equal(t, 1, strings.Count(r.stdout, "documents indexed in"), "the summary is told once")

	nobody := run(t, "", "gather", "--data", data, "--corpus", "f", "--allow-private", "http://127.0.0.1:9/")
	assert.Equal(t, 1, nobody.code, "where nothing listens nothing came in, whatever else the corpus holds")
	assert.Contains(t, nobody.stderr, "connection refused")
	assert.Regexp(t, `failed: \S+/old-brochure: 404: not found`, r.stdout)

	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "empty.md"), nil, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "terns.md"), []byte("# Terns\n\nTerns nest on the north beach.\n"), 0o600))
	huge, err := os.Create(filepath.Join(folder, "huge.txt"))
	require.NoError(t, err)
	require.NoError(t, errors.Join(huge.Truncate(40<<20), huge.Close()))
	r = run(t, "", "gather", "--data", data, "--corpus", "f", folder)
	require.Equal(t, 0, r.code, r.stderr)
	assert.Contains(t, r.stdout, "3 files handed over")
	assert.Regexp(t, `failed: \S+/huge.txt: too large`, r.stdout)
	assert.Regexp(t, `failed: \S+/empty.md: no text found`, r.stdout, "one bad file stops nothing")
	assert.Regexp(t, `terns.md: taken in`, r.stderr)

	commands := func(when string) {
		r := run(t, "", "ask", "--data", data, "--corpus", "f", "What is the fine for feeding gulls?")
		assert.Equal(t, 0, r.code, when)
		assert.Contains(t, r.stdout, "£80", when)
		assert.Contains(t, r.stdout, "[1]", when)

		r = run(t, "", "find", "--data", data, "--corpus", "f", "kayak refund")
		assert.Equal(t, 0, r.code, when)
		assert.Regexp(t, `body \d+ %`, r.stdout, when)

		lines := `{"id":"a","question":"How much is an adult return to Little Hobb?"}` + "\n" +
			`{"id":"b","question":"And for a child?","turns":[{"role":"user","text":"How much is an adult return to Little Hobb?"},{"role":"assistant","text":"£20.30"}]}` + "\n" +
			`{"id":"c","question":"Who won the football world cup?"}` + "\n"
		r = run(t, lines, "ask", "--data", data, "--corpus", "f", "--questions", "-")
		require.Equal(t, 0, r.code, r.stderr)
		type record struct {
			ID, Reply string
			Refused   bool
			Support   float64
			Cited     []struct {
				Address, Title, Passage string
				HeadingPath             []string
			}
			Candidates   []struct{ Rank int }
			Wordings     []struct{ Pass, Text string }
			Milliseconds float64
		}
		byID := map[string]record{}
		for line := range strings.SplitSeq(strings.TrimSpace(r.stdout), "\n") {
			var rec record
			require.NoError(t, json.Unmarshal([]byte(line), &rec), "one JSON object a line")
			byID[rec.ID] = rec
		}
		require.Len(t, byID, 3)
		assert.Contains(t, byID["a"].Reply, "£20.30")
		assert.Contains(t, byID["b"].Reply, "£10.15")
		assert.True(t, byID["c"].Refused)
		require.NotEmpty(t, byID["a"].Cited)
		assert.Contains(t, byID["a"].Cited[0].Address, "/fares")
		assert.NotEmpty(t, byID["a"].Cited[0].Passage)
		assert.NotEmpty(t, byID["a"].Candidates)
		assert.NotEmpty(t, byID["a"].Wordings)
	}
	commands("without a server")
	p := start(t, "serve", "--data", data, "--addr", "127.0.0.1:0")
	commands("with a server")
	assert.NotEqual(t, 0, run(t, "", "serve", "--data", data, "--addr", "127.0.0.1:0").code, "one folder has one server")
	p.stop(t)
}

func TestProveInABuild(t *testing.T) {
	data, report := filepath.Join(t.TempDir(), "data"), filepath.Join(t.TempDir(), "report.xml")
	require.Equal(t, 0, run(t, "", "gather", "--data", data, "--corpus", "f", "--allow-private", ferries(t, 0)).code)
	r := run(t, "", "prove", "--data", data, "--corpus", "f", "--set", "first", "--questions", questionsFile(t), "--min-pass", "0.5", "--junit", report)
	require.Equal(t, 0, r.code, r.stderr)
	assert.Contains(t, r.stdout, "95 % interval")
	raw, err := os.ReadFile(report)
	require.NoError(t, err)
	assert.Contains(t, string(raw), `<testsuite name="first" tests="80"`)

	r = run(t, "", "prove", "--data", data, "--corpus", "f", "--set", "first", "--min-pass", "1", "--json")
	assert.Equal(t, 3, r.code, "below the floor")
	assert.Contains(t, r.stderr, "below the floor")
	var got struct {
		Run struct {
			Before string
			Broken []string
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.stdout), &got))
	assert.NotEmpty(t, got.Run.Before)
	assert.Empty(t, got.Run.Broken, "the same run again is the same")

	now, summary := filepath.Join(t.TempDir(), "now.json"), filepath.Join(t.TempDir(), "summary.md")
	r = run(t, "", "prove", "--data", data, "--corpus", "f", "--set", "first", "--floor", "hit5=0.5", "--floor", "tag:direct=0.5", "--report", now, "--markdown", summary)
	require.Equal(t, 0, r.code, r.stderr)
	raw, err = os.ReadFile(summary)
	require.NoError(t, err)
	assert.Contains(t, string(raw), "| hit@5 |")
	r = run(t, "", "prove", "--data", data, "--corpus", "f", "--set", "first", "--baseline", now, "--floor", "facts=1")
	assert.Equal(t, 3, r.code, "below the floor of facts")
	assert.Contains(t, r.stderr, "0 fixed, 0 broken over 80 questions")

	r = run(t, "", "trial", "--data", data, "--corpus", "f", "--set", "first", "--vary", "answer.bar=0,1", "--json")
	require.Equal(t, 0, r.code, r.stderr)
	var tried struct {
		Arms []struct{ Settings map[string]string }
		Sums struct{ Pick int }
	}
	require.NoError(t, json.Unmarshal([]byte(r.stdout), &tried))
	assert.Len(t, tried.Arms, 3)
	assert.Zero(t, tried.Sums.Pick, "answering everything or nothing is no better than the draft")
	assert.Equal(t, 2, run(t, "", "trial", "--data", data, "--corpus", "f", "--set", "first", "--vary", "answer.bar").code)
}

func TestWrongCallsSaySo(t *testing.T) {
	data := filepath.Join(t.TempDir(), "data")
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"ask", "--data", data, "x"}, 2, "corpus"},
		{[]string{"ask", "--data", data, "--corpus", "c"}, 2, "give one question"},
		{[]string{"ask", "--data", data, "--corpus", "none", "x?"}, 1, "not found"},
		{[]string{"gather", "--data", data, "--corpus", "c"}, 2, "name an address"},
		{[]string{"gather", "--data", data, "--corpus", "c", "no/such/file.md"}, 2, "neither a file nor"},
		{[]string{"prove", "--data", data, "--corpus", "c", "--set", "s", "--min-pass", "7"}, 2, "min-pass"},
		{[]string{"sing"}, 2, "unknown command"},
		{[]string{"ask", "--wrong"}, 2, "unknown flag"},
		{[]string{"serve", "--data", data, "--addr", "nonsense"}, 1, "listen"},
	} {
		r := run(t, "", c.args...)
		assert.Equal(t, c.code, r.code, "%v: %s", c.args, r.stderr)
		assert.Contains(t, r.stderr, c.says, "%v", c.args)
		assert.Empty(t, r.stdout, "%v", c.args)
	}
	r := run(t, `{"question": broken`, "ask", "--data", data, "--corpus", "c", "--questions", "-")
	assert.Equal(t, 2, r.code)
	assert.Contains(t, r.stderr, "line 1")
	help := run(t, "", "gather", "--help")
	assert.Equal(t, 0, help.code)
	assert.Contains(t, help.stdout, "Examples:")
}

type documents struct {
	Documents []struct{ Address, State, Title string }
	Total     int
}

// Killed in the middle of a site, the program goes on at its next start; no page is lost and none is there twice.
func TestKilledInTheMiddle(t *testing.T) {
	data := filepath.Join(t.TempDir(), "data")
	site := ferries(t, 60*time.Millisecond)
	p := start(t, "serve", "--data", data, "--addr", "127.0.0.1:0")
	client := make(chan result, 1)
	go func() { client <- run(t, "", "gather", "--data", data, "--corpus", "f", "--allow-private", site) }()
	state := func(address string) (ds documents) {
		get(t, address+"api/corpora/f/documents?limit=1000", &ds)
		return ds
	}
	done := func(ds documents) (n int) {
		for _, d := range ds.Documents {
			if d.State != "waiting" {
				n++
			}
		}
		return n
	}
	until(t, "the corpus", func() bool {
		resp, err := http.Get(p.address + "api/corpora/f")
		if err != nil {
			return false
		}
		resp.Body.Close()
		return resp.StatusCode == 200
	})
	until(t, "some pages to come in", func() bool { return done(state(p.address)) >= 8 })
	require.NoError(t, p.cmd.Process.Kill())
	<-p.ended
	r := <-client
	assert.Equal(t, 1, r.code, "whoever waited is told")

	p = start(t, "serve", "--data", data, "--addr", "127.0.0.1:0")
	before := state(p.address)
	assert.Less(t, done(before), before.Total, "it was killed in the middle")
	until(t, "the rest", func() bool {
		var js []struct{ State string }
		get(t, p.address+"api/corpora/f/jobs", &js)
		return js[0].State == "done"
	})
	after := state(p.address)
	seen := map[string]bool{}
	for _, d := range after.Documents {
		assert.False(t, seen[d.Address], "%s is there twice", d.Address)
		seen[d.Address] = true
		assert.Contains(t, []string{"indexed", "left out", "failed"}, d.State, d.Address)
	}
	p.stop(t)

	// The same site gathered in one go has the same pages; which months of the endless calendar are met before it is told
	// hangs on what came first.
	other := filepath.Join(t.TempDir(), "data")
	require.Equal(t, 0, run(t, "", "gather", "--data", other, "--corpus", "f", "--allow-private", site).code)
	p = start(t, "serve", "--data", other, "--addr", "127.0.0.1:0")
	whole := state(p.address)
	p.stop(t)
	addresses := func(ds documents) (out []string) {
		for _, d := range ds.Documents {
			if !strings.Contains(d.Address, "/calendar?month=") {
				out = append(out, fmt.Sprint(d.Address, " ", d.State))
			}
		}
		return out
	}
	assert.ElementsMatch(t, addresses(whole), addresses(after))
}
