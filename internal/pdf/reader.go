package pdf

import (
	"bufio"
	"context"
	"encoding/binary"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"jolvex/core/extract"
)

// Deadlines of the reading process: until it says the next thing of a file, and for a whole file. Its first answer may take
// longer, for it compiles its code once.
const (
	patience      = 30 * time.Second
	firstPatience = 90 * time.Second
	wholeFile     = 5 * time.Minute
	idle          = time.Minute
)

// Reader reads PDF files in a process of its own, one after another. The zero value is not usable: see NewReader.
type Reader struct {
	cache string
	mu    sync.Mutex
	child *child
	rest  *time.Timer
}

// NewReader makes a reader that keeps compiled code in a folder, which is made when missing. The running program must call
// RunWorker at its start.
func NewReader(cacheDir string) *Reader { return &Reader{cache: cacheDir} }

// workerSign tells a reading process that it is one.
const workerSign = "JOLVEX_PDF_WORKER"

type child struct {
	cmd    *exec.Cmd
	in     io.WriteCloser
	out    *gob.Decoder
	read   bool // has read a file
	stderr *tail
}

// tail keeps the last of what a process writes.
type tail struct{ b []byte }

func (t *tail) Write(p []byte) (int, error) {
	t.b = append(t.b, p...)
	t.b = t.b[max(0, len(t.b)-2000):]
	return len(p), nil
}

func (r *Reader) start() (*child, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, fmt.Errorf("find the program: %w", err)
	}
	if err := os.MkdirAll(r.cache, 0o700); err != nil {
		return nil, fmt.Errorf("make the folder for compiled code: %w", err)
	}
	cmd := exec.Command(self, Worker, filepath.Clean(r.cache))
	if os.Getenv(workerSign) != "" {
		return nil, errors.New("the PDF reader does not start another one: this program does not call RunWorker")
	}
	cmd.Env = []string{"PATH=/nonexistent", "HOME=/nonexistent", workerSign + "=1"}
	c := &child{cmd: cmd, stderr: &tail{}}
	cmd.Stderr = c.stderr
	if c.in, err = cmd.StdinPipe(); err != nil {
		return nil, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	c.out = gob.NewDecoder(bufio.NewReaderSize(out, 1<<20))
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("start the PDF reader: %w", err)
	}
	return c, nil
}

func (c *child) kill() {
	_ = c.cmd.Process.Kill() // it may have ended by itself
	_ = c.cmd.Wait()
}

// Close ends the reading process.
func (r *Reader) Close() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.end()
}

func (r *Reader) end() {
	if r.child != nil {
		r.child.kill()
		r.child = nil
	}
}

// Read reads a file. It fails with extract.ErrEncrypted, extract.ErrTooLarge or, for a damaged or hostile file,
// extract.ErrKind, wrapped; ctx ends it too.
func (r *Reader) Read(ctx context.Context, body []byte) (extract.PDF, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if err := ctx.Err(); err != nil {
		return extract.PDF{}, err
	}
	if r.rest != nil {
		r.rest.Stop()
	}
	if r.child == nil {
		var err error
		if r.child, err = r.start(); err != nil {
			return extract.PDF{}, err
		}
	}
	c := r.child
	ctx, cancel := context.WithTimeout(ctx, wholeFile)
	defer cancel()
	wait := patience
	if !c.read {
		wait = firstPatience
	}
	overdue := time.AfterFunc(wait, cancel)
	defer overdue.Stop()
	stop := context.AfterFunc(ctx, func() { _ = c.cmd.Process.Kill() }) // then reading from it ends
	defer stop()
	out, problem, err := c.exchange(body, func() { overdue.Reset(patience) })
	c.read = true
	if err != nil {
		r.end()
		if ctx.Err() != nil && context.Cause(ctx) != nil {
			return out, fmt.Errorf("%w: it takes too long to read", extract.ErrTooLarge)
		}
		return out, fmt.Errorf("%w: the PDF reader broke off on it: %w%s", extract.ErrKind, err, lastLine(c.stderr.b))
	}
	r.rest = time.AfterFunc(idle, r.Close)
	return out, problem
}

func lastLine(b []byte) string {
	s := strings.TrimSpace(string(b))
	if i := strings.LastIndexByte(s, '\n'); i >= 0 {
		s = s[i+1:]
	}
	if s == "" {
		return ""
	}
	return " (" + s + ")"
}

// exchange sends a file and takes what is said of it. problem is one of the file, err one of the process.
func (c *child) exchange(body []byte, heard func()) (out extract.PDF, problem, err error) {
	if err := binary.Write(c.in, binary.LittleEndian, uint32(len(body))); err != nil {
		return out, nil, err
	}
	if _, err := c.in.Write(body); err != nil {
		return out, nil, err
	}
	for {
		var m message
		if err := c.out.Decode(&m); err != nil {
			if errors.Is(err, io.EOF) {
				err = io.ErrUnexpectedEOF
			}
			return out, nil, err
		}
		heard()
		switch {
		case m.Head != nil:
			out.Title, out.Outline = m.Head.Title, m.Head.Outline
		case m.Page != nil:
			out.Pages = append(out.Pages, *m.Page)
		}
		if !m.Done {
			continue
		}
		switch m.Kind {
		case "":
			return out, nil, nil
		case "encrypted":
			return out, extract.ErrEncrypted, nil
		case "large":
			return out, fmt.Errorf("%w (%s)", extract.ErrTooLarge, strings.TrimPrefix(m.Problem, extract.ErrTooLarge.Error()+": ")), nil
		}
		return out, fmt.Errorf("%w: damaged: %s", extract.ErrKind, m.Problem), nil
	}
}
