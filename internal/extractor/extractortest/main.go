// Package extractortest runs the tests of packages that read documents: their test programs are started as reading processes.
package extractortest

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"jolvex/internal/extractor"
)

// Main is for TestMain. With the race detector, which slows the reading of PDF down a hundredfold and takes many times the memory, the
// reading process is built without it, once.
func Main(m *testing.M) {
	extractor.RunWorker()
	os.Exit(run(m))
}

func run(m *testing.M) int {
	if race {
		dir, err := os.MkdirTemp("", "jolvex-reader")
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(dir)
		program := filepath.Join(dir, "reader")
		build := exec.Command("go", "build", "-o", program, "jolvex/internal/extractor/reader")
		build.Env = append(os.Environ(), "CGO_ENABLED=0")
		if out, err := build.CombinedOutput(); err != nil {
			fmt.Fprintf(os.Stderr, "build the reading process: %v\n%s", err, out)
			return 1
		}
		if err := os.Setenv(extractor.Program, program); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
	}
	return m.Run()
}
