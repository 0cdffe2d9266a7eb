package extractor

import (
	"bufio"
	"bytes"
	"encoding/gob"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"strconv"
	"sync/atomic"
	"time"

	"golang.org/x/sys/unix"

	"jolvex/core/doc"
	"jolvex/core/extract"
	"jolvex/internal/pdf"
)

// Worker is the first argument that makes a program run as a reading process.
const Worker = "read-documents"

// request is what comes before the bytes of a document.
type request struct {
	Address   string
	MediaType string
	PDF       bool
	Closed    bool
	Bytes     int
}

// reply is what came of a document.
type reply struct {
	Document *doc.Document
	Kind     string // of the problem; "" for none
	Problem  string
}

// tooMuch is what a process says last when a document became too much to hand back.
const tooMuch = "too much was read to be handed back"

// The kinds of message.
const (
	saidPage  = 'p' // a page of a PDF has been read
	saidReply = 'r'
)

// kinds are the errors that a caller tells apart, by name.
var kinds = []struct {
	name string
	err  error
}{{"no text", extract.ErrNoText}, {"large", extract.ErrTooLarge}, {"encrypted", extract.ErrEncrypted}, {"kind", extract.ErrKind}}

// problem is the error of a reply, as the process had it.
func (r reply) problem() error {
	if r.Kind == "" {
		return nil
	}
	for _, k := range kinds {
		if k.name == r.Kind {
			return told{r.Problem, k.err}
		}
	}
	return told{r.Problem, nil}
}

// told is an error that another process had.
type told struct {
	text string
	kind error
}

func (t told) Error() string { return t.text }

func (t told) Unwrap() error { return t.kind }

// ready says that this program can be started as a reading process. It is set once, as the program begins; without it each such process would
// do what the program does, and start others.
var ready atomic.Bool

// RunWorker runs as a reading process, and ends it, when the program was started as one. Call it first thing in main.
func RunWorker() {
	ready.Store(true)
	if len(os.Args) != 5 || os.Args[1] != Worker {
		return
	}
	memory, err := strconv.ParseInt(os.Args[3], 10, 64)
	seconds, err2 := strconv.Atoi(os.Args[4])
	if err := errors.Join(err, err2); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
	if err := confine(memory); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	w := worker{in: bufio.NewReaderSize(os.Stdin, 64<<10), out: bufio.NewWriterSize(os.Stdout, 64<<10), cache: os.Args[2], memory: memory, seconds: uint64(seconds)}
	w.enc = gob.NewEncoder(&w.buf)
	if err := w.serve(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(0)
}

// confine limits the memory of this process, beside the watch that is kept from outside: the collector works harder as the limit comes
// near, and what may be written to (RLIMIT_DATA) ends a little above it.
func confine(memory int64) error {
	debug.SetMemoryLimit(memory * 3 / 4)
	most := uint64(memory) * 2
	if err := unix.Setrlimit(unix.RLIMIT_DATA, &unix.Rlimit{Cur: most, Max: most}); err != nil {
		return fmt.Errorf("limit the memory: %w", err)
	}
	// Beyond the limit on processor time of a document this signal comes: see spend.
	over := make(chan os.Signal, 1)
	signal.Notify(over, unix.SIGXCPU)
	go func() {
		<-over
		fmt.Fprintln(os.Stderr, "it takes too much processor time")
		os.Exit(1)
	}()
	return nil
}

type worker struct {
	in      *bufio.Reader
	out     *bufio.Writer
	cache   string
	memory  int64
	seconds uint64
	pdf     *pdf.Reader
	buf     bytes.Buffer // what enc wrote
	enc     *gob.Encoder
}

// serve reads documents until its input ends.
func (w *worker) serve() error {
	for {
		head, err := readFrame(w.in, 1<<20)
		if errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		var q request
		if err := json.Unmarshal(head, &q); err != nil {
			return err
		}
		if q.Bytes > extract.MaxBytes {
			return fmt.Errorf("%d bytes of input", q.Bytes)
		}
		body := make([]byte, q.Bytes)
		if _, err := io.ReadFull(w.in, body); err != nil {
			return err
		}
		d, err := w.read(q, body)
		r := reply{Document: d}
		if err != nil {
			r.Kind, r.Problem = "other", err.Error()
			for _, k := range kinds {
				if errors.Is(err, k.err) {
					r.Kind = k.name
					break
				}
			}
		}
		if err := w.say(r); err != nil {
			return err
		}
	}
}

func (w *worker) say(r reply) error {
	defer w.buf.Reset()
	if r.Document != nil && len(r.Document.Text) > maxReply/4 { // its blocks may take as much again
		r = reply{Kind: "large", Problem: fmt.Sprintf("%v: what was read of it is more than %d MB", extract.ErrTooLarge, maxReply>>22)}
	}
	if err := w.enc.Encode(r); err != nil {
		return fmt.Errorf("write what was read: %w", err)
	}
	if w.buf.Len() > maxReply { // the other side would take no more of it: a new process begins anew
		return errors.New(tooMuch)
	}
	return errors.Join(w.out.WriteByte(saidReply), writeFrame(w.out, w.buf.Bytes()), w.out.Flush())
}

// read reads one document, within the limit on processor time. A reader that panics has met a file that it cannot read.
func (w *worker) read(q request, body []byte) (d *doc.Document, err error) {
	defer func() {
		if r := recover(); r != nil {
			d, err = nil, fmt.Errorf("%s: %w: damaged (%v)", q.Address, extract.ErrKind, r)
		}
	}()
	in := extract.Input{Address: q.Address, MediaType: q.MediaType, Body: body, Closed: q.Closed}
	if !q.PDF {
		if err := spend(w.seconds); err != nil {
			return nil, err
		}
		return extract.Extract(in)
	}
	if w.pdf == nil {
		if w.pdf, err = pdf.Open(w.cache, w.memory); err != nil {
			return nil, err
		}
	}
	last := time.Now()
	pages, err := w.pdf.Read(body, func() error {
		if err := w.out.WriteByte(saidPage); err != nil {
			return err
		}
		if time.Since(last) < 50*time.Millisecond {
			return nil
		}
		last = time.Now()
		return w.out.Flush()
	})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", q.Address, err)
	}
	return extract.FromPDF(q.Address, pages)
}

// spend lets this process use so many more seconds of processor time, on all cores together.
func spend(seconds uint64) error {
	var used unix.Rusage
	if err := unix.Getrusage(unix.RUSAGE_SELF, &used); err != nil {
		return fmt.Errorf("look at the processor time: %w", err)
	}
	var now unix.Rlimit
	if err := unix.Getrlimit(unix.RLIMIT_CPU, &now); err != nil {
		return fmt.Errorf("look at the limit on processor time: %w", err)
	}
	now.Cur = min(now.Max, uint64(used.Utime.Sec+used.Stime.Sec)+2*seconds)
	if err := unix.Setrlimit(unix.RLIMIT_CPU, &now); err != nil {
		return fmt.Errorf("limit the processor time: %w", err)
	}
	return nil
}
