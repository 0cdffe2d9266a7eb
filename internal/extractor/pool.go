// Package extractor reads pages and files in processes of their own, with limits on memory, processor time and time by the clock: a hostile
// file can bring down, slow down or bloat such a process, never the program. What is read, and how, is core/extract's; PDF pages are drawn
// by internal/pdf, in the process.
package extractor

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"strings"
	"sync/atomic"
	"time"

	"jolvex/core/doc"
	"jolvex/core/extract"
)

// Limits are what one document may take. The zero value stands for the usual ones.
type Limits struct {
	Memory int64         // bytes, resident, of the process that reads it
	Time   time.Duration // by the clock; a PDF may take longer while its pages keep coming
}

// The usual limits.
const (
	UsualMemory = 400 << 20
	UsualTime   = 20 * time.Second
)

// What one document may bring back, and how long a PDF may take whose pages keep coming.
const (
	maxReply  = 64 << 20 // bytes
	wholePDF  = 5 * time.Minute
	firstTime = 90 * time.Second // the first PDF: its reader compiles its code once
)

// How many processes read at once, and when one is replaced by a new one.
const (
	lightProcesses = 2
	mostDocuments  = 2000
)

// Pool reads documents in a few processes. The running program must call RunWorker at its start.
type Pool struct {
	limits     Limits
	cache      string
	light, pdf chan *process // processes at rest, nil for one that is to be started
	peak       atomic.Int64
}

// Peak is the most memory, in bytes, that a process was seen to have since Peak was last called.
func (p *Pool) Peak() int64 { return p.peak.Swap(0) }

// NewPool makes a pool whose processes keep compiled code in a folder. None is started before it is needed.
func NewPool(cacheDir string, l Limits) *Pool {
	if l.Memory <= 0 {
		l.Memory = UsualMemory
	}
	if l.Time <= 0 {
		l.Time = UsualTime
	}
	p := &Pool{limits: l, cache: filepath.Clean(cacheDir), light: make(chan *process, lightProcesses), pdf: make(chan *process, 1)}
	for range lightProcesses {
		p.light <- nil
	}
	p.pdf <- nil
	return p
}

// Read reads one input as extract.Extract does, PDF files too, and fails as that does. What exceeds the limits fails with
// extract.ErrTooLarge, what brings a process down with extract.ErrKind, both wrapped. It waits until a process is free, or ctx ends.
func (p *Pool) Read(ctx context.Context, in extract.Input) (*doc.Document, error) {
	if len(in.Body) > extract.MaxBytes { // no need to send it
		return extract.Extract(in)
	}
	rest := p.light
	isPDF := extract.Kind(in) == extract.PDFType
	if isPDF {
		rest = p.pdf
	}
	var pr *process
	select {
	case pr = <-rest:
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	if err := ctx.Err(); err != nil {
		rest <- pr
		return nil, err
	}
	if pr == nil || !pr.awake() {
		var err error
		if pr, err = start(p.cache, p.limits, &p.peak); err != nil {
			rest <- nil
			return nil, fmt.Errorf("start a process that reads %s: %w", in.Address, err)
		}
	}
	d, problem, err := pr.read(ctx, in, isPDF)
	if err != nil || pr.documents >= mostDocuments {
		pr.end()
		rest <- nil
	} else {
		pr.sleep()
		rest <- pr
	}
	if err != nil {
		return nil, p.explain(ctx, in, err)
	}
	return d, problem
}

// explain tells why a process broke off on a document.
func (p *Pool) explain(ctx context.Context, in extract.Input, err error) error {
	var over limitError
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case strings.Contains(err.Error(), "out of memory") || strings.Contains(err.Error(), "stack exceeds"):
		return fmt.Errorf("%s: %w: reading it takes more than %d MB of memory", in.Address, extract.ErrTooLarge, p.limits.Memory>>20)
	case strings.Contains(err.Error(), tooMuch):
		return fmt.Errorf("%s: %w: what was read of it is more than %d MB", in.Address, extract.ErrTooLarge, maxReply>>20)
	case errors.As(err, &over):
		return fmt.Errorf("%s: %w: %s", in.Address, extract.ErrTooLarge, over.Error())
	}
	return fmt.Errorf("%s: %w: what reads it broke off: %w", in.Address, extract.ErrKind, err)
}

// Close ends all processes. Documents that are being read are waited for.
func (p *Pool) Close() {
	for _, rest := range []chan *process{p.light, p.pdf} {
		for range cap(rest) {
			if pr := <-rest; pr != nil {
				pr.end()
			}
		}
	}
}

// limitError tells which limit a document went over.
type limitError struct{ what string }

func (e limitError) Error() string { return e.what }
