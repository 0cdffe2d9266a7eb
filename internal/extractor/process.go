package extractor

import (
	"bufio"
	"bytes"
	"context"
	"encoding/binary"
	"encoding/gob"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"jolvex/core/doc"
	"jolvex/core/extract"
)

// Program names, in the environment, another program to start as the reading process: one that calls RunWorker. Tests that are built with
// the race detector, which needs many times the memory, name one that is not.
const Program = "JOLVEX_READER"

// sign tells a reading process that it is one.
const sign = "JOLVEX_READING"

// idle is how long a process rests before it is ended.
const idle = time.Minute

// watched is how often the memory of a process is looked at while it reads.
const watched = 20 * time.Millisecond

// process is one that reads documents, one after another.
type process struct {
	cmd       *exec.Cmd
	limits    Limits
	peak      *atomic.Int64
	in        *bufio.Writer
	out       *bufio.Reader
	said      bytes.Buffer // a reply, for dec
	dec       *gob.Decoder
	pipe      io.Closer
	stderr    *tail
	documents int
	readPDF   bool

	mu    sync.Mutex
	ended bool
	rest  *time.Timer
}

// tail keeps the last of what a process writes.
type tail struct {
	mu    sync.Mutex
	b     []byte
	fatal string // line
}

func (t *tail) Write(p []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.b = append(t.b, p...)
	for line := range strings.Lines(string(p)) {
		if t.fatal == "" && (strings.HasPrefix(line, "fatal error:") || strings.HasPrefix(line, "runtime: ") && strings.Contains(line, "exceeds")) {
			t.fatal = strings.TrimSpace(line)
		}
	}
	t.b = t.b[max(0, len(t.b)-2000):]
	return len(p), nil
}

// reason is why a process broke off: what the runtime calls fatal, else the last thing that was said.
func (t *tail) reason() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.fatal != "" {
		return t.fatal
	}
	s := strings.TrimSpace(string(t.b))
	return s[strings.LastIndexByte(s, '\n')+1:]
}

func start(cacheDir string, l Limits, peak *atomic.Int64) (*process, error) {
	if os.Getenv(sign) != "" {
		return nil, errors.New("a reading process starts no other")
	}
	program := os.Getenv(Program)
	if program == "" {
		if !ready.Load() {
			return nil, errors.New("this program does not call RunWorker")
		}
		var err error
		if program, err = os.Executable(); err != nil {
			return nil, fmt.Errorf("find the program: %w", err)
		}
	}
	if err := os.MkdirAll(cacheDir, 0o700); err != nil {
		return nil, fmt.Errorf("make the folder for compiled code: %w", err)
	}
	cmd := exec.Command(program, Worker, cacheDir, strconv.FormatInt(l.Memory, 10), strconv.Itoa(int(l.Time.Seconds())))
	cmd.Env = []string{"PATH=/nonexistent", "HOME=/nonexistent", sign + "=1"}
	p := &process{cmd: cmd, limits: l, peak: peak, stderr: &tail{}}
	cmd.Stderr = p.stderr
	in, err := cmd.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	p.in, p.pipe, p.out = bufio.NewWriterSize(in, 64<<10), in, bufio.NewReaderSize(out, 64<<10)
	p.dec = gob.NewDecoder(&p.said)
	return p, nil
}

// awake takes a process out of its rest; false when it has ended meanwhile.
func (p *process) awake() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.rest != nil {
		p.rest.Stop()
	}
	return !p.ended
}

func (p *process) sleep() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.rest = time.AfterFunc(idle, p.end)
}

// end ends a process and waits until it is gone.
func (p *process) end() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.ended {
		return
	}
	p.ended = true
	_ = p.cmd.Process.Kill() // it may have ended by itself
	_ = p.cmd.Wait()
}

// read has one document read. problem is one of the document, err one of the process, which is then of no more use.
func (p *process) read(ctx context.Context, in extract.Input, isPDF bool) (d *doc.Document, problem, err error) {
	p.documents++
	w := p.watch(ctx, isPDF && !p.readPDF)
	d, problem, err = p.exchange(in, isPDF, w)
	p.readPDF = p.readPDF || isPDF
	if over := w.stop(); err != nil && over != "" {
		err = limitError{over}
	}
	return d, problem, err
}

// exchange sends a document and takes what is said of it. Messages are a byte for their kind and, but for signs of life, a length and the
// next part of a gob stream.
func (p *process) exchange(in extract.Input, isPDF bool, w *watcher) (*doc.Document, error, error) {
	head, err := json.Marshal(request{in.Address, in.MediaType, isPDF, in.Closed, len(in.Body)})
	if err != nil {
		return nil, nil, err
	}
	if err := errors.Join(writeFrame(p.in, head), writeAll(p.in, in.Body), p.in.Flush()); err != nil {
		return nil, nil, p.broken(err)
	}
	for {
		kind, err := p.out.ReadByte()
		if err != nil {
			return nil, nil, p.broken(err)
		}
		w.heard(kind == saidPage)
		if kind == saidPage {
			continue
		}
		raw, err := readFrame(p.out, maxReply)
		if err != nil {
			return nil, nil, p.broken(err)
		}
		var r reply
		p.said.Write(raw)
		if err := p.dec.Decode(&r); err != nil {
			return nil, nil, fmt.Errorf("it answered what cannot be read: %w", err)
		}
		return r.Document, r.problem(), nil
	}
}

func writeAll(w io.Writer, b []byte) error {
	_, err := w.Write(b)
	return err
}

// broken tells what a process said last.
func (p *process) broken(err error) error {
	if errors.Is(err, io.EOF) {
		err = io.ErrUnexpectedEOF
	}
	if said := p.stderr.reason(); said != "" {
		return fmt.Errorf("%w (%s)", err, said)
	}
	return err
}

// watcher holds a process to its limits while it reads one document.
type watcher struct {
	p        *process
	began    time.Time
	deadline atomic.Int64 // nanoseconds since began
	pages    atomic.Int64
	done     chan struct{}
	gone     sync.WaitGroup
	over     atomic.Pointer[string]
}

// pageTime is what each page of a PDF adds to the time that its document may take.
const pageTime = 100 * time.Millisecond

func (p *process) watch(ctx context.Context, first bool) *watcher {
	w := &watcher{p: p, began: time.Now(), done: make(chan struct{})}
	limit := p.limits.Time
	if first {
		limit = max(limit, firstTime)
	}
	w.deadline.Store(int64(limit))
	w.gone.Go(func() {
		tick := time.NewTicker(watched)
		defer tick.Stop()
		for {
			select {
			case <-w.done:
				return
			case <-ctx.Done():
				w.kill("")
				return
			case <-tick.C:
			}
			now := resident(p.cmd.Process.Pid)
			for most := p.peak.Load(); now > most && !p.peak.CompareAndSwap(most, now); most = p.peak.Load() {
			}
			switch {
			case now > p.limits.Memory:
				w.kill(fmt.Sprintf("reading it takes more than %d MB of memory", p.limits.Memory>>20))
				return
			case time.Since(w.began) > time.Duration(w.deadline.Load()):
				w.kill(fmt.Sprintf("reading it takes more than %.0f seconds", time.Since(w.began).Seconds()))
				return
			}
		}
	})
	return w
}

func (w *watcher) kill(why string) {
	if why != "" {
		w.over.Store(&why)
	}
	_ = w.p.cmd.Process.Kill() // then reading from it ends
}

// heard takes note that the process is at work: each page of a PDF gives it a little more time.
func (w *watcher) heard(page bool) {
	if page {
		n := w.pages.Add(1)
		w.deadline.Store(int64(min(wholePDF, max(w.p.limits.Time+time.Duration(n)*pageTime, time.Duration(w.deadline.Load())))))
	}
}

// stop ends the watch and tells the limit that was gone over; "" when none was.
func (w *watcher) stop() string {
	close(w.done)
	w.gone.Wait()
	if over := w.over.Load(); over != nil {
		return *over
	}
	return ""
}

// resident is how many bytes of memory a process has at the moment; 0 when that cannot be told.
func resident(pid int) int64 {
	b, err := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/statm")
	if err != nil {
		return 0
	}
	fields := strings.Fields(string(b))
	if len(fields) < 2 {
		return 0
	}
	pages, err := strconv.ParseInt(fields[1], 10, 64)
	if err != nil {
		return 0
	}
	return pages * int64(os.Getpagesize())
}

// writeFrame writes bytes with their length before them.
func writeFrame(w io.Writer, b []byte) error {
	var n [4]byte
	binary.LittleEndian.PutUint32(n[:], uint32(len(b)))
	if _, err := w.Write(n[:]); err != nil {
		return err
	}
	_, err := w.Write(b)
	return err
}

// readFrame reads what writeFrame wrote, most bytes at most.
func readFrame(r io.Reader, most int) ([]byte, error) {
	var n [4]byte
	if _, err := io.ReadFull(r, n[:]); err != nil {
		return nil, err
	}
	size := int(binary.LittleEndian.Uint32(n[:]))
	if size > most {
		return nil, fmt.Errorf("%d bytes, the limit is %d", size, most)
	}
	b := make([]byte, size)
	_, err := io.ReadFull(r, b)
	return b, err
}
