// Jolvex is a workbench for the person who makes an assistant answer from an organisation's own material.
package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"syscall"
	"time"
	_ "time/tzdata" // house rules name time zones; the machine may have no table of them

	"github.com/spf13/cobra"

	"jolvex/internal/extractor"
)

// version is set by the build.
var version = "dev"

// built is the version, with the commit that it was built from where the build knew it.
func built() string {
	if b, ok := debug.ReadBuildInfo(); ok {
		if at := slices.IndexFunc(b.Settings, func(s debug.BuildSetting) bool { return s.Key == "vcs.revision" }); at >= 0 {
			return version + " (commit " + b.Settings[at].Value + ")"
		}
	}
	return version
}

// exitError ends the program with a code of its own after everything has been said.
type exitError struct{ code int }

func (e exitError) Error() string { return fmt.Sprintf("exit code %d", e.code) }

// Exit codes besides 0.
const (
	codeFailed = 1 // it could not be done
	codeUsage  = 2 // the call was wrong
	codeBelow  = 3 // a run stayed below its floor
)

func main() {
	extractor.RunWorker()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	err := root().ExecuteContext(ctx)
	stop()
	var exit exitError
	switch {
	case err == nil:
	case errors.As(err, &exit):
		os.Exit(exit.code)
	case errors.As(err, &usageError{}), strings.HasPrefix(err.Error(), "unknown command"), strings.HasPrefix(err.Error(), "required flag"):
		fmt.Fprintln(os.Stderr, "jolvex:", err)
		os.Exit(codeUsage)
	default:
		fmt.Fprintln(os.Stderr, "jolvex:", err)
		os.Exit(codeFailed)
	}
}

type usageError struct{ error }

// settings are the flags that every command has.
type settings struct {
	data     string
	json     bool
	verbose  bool
	memory   int           // megabytes that reading one document may take
	patience time.Duration // that reading one document may take
}

func (s *settings) log() *slog.Logger {
	level := slog.LevelWarn
	if s.verbose {
		level = slog.LevelDebug
	}
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
}

func defaultData() string {
	if d := os.Getenv("JOLVEX_DATA"); d != "" {
		return d
	}
	if d := os.Getenv("XDG_DATA_HOME"); d != "" {
		return filepath.Join(d, "jolvex")
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "jolvex-data"
	}
	return filepath.Join(home, ".local", "share", "jolvex")
}

func root() *cobra.Command {
	var s settings
	c := &cobra.Command{
		Use:           "jolvex",
		Short:         "Make an assistant answer from your own material, and prove how often it is right",
		Long:          "Jolvex gathers websites and documents into a retrieval index, answers questions from them with\ncitations, and proves against sets of expected questions how often the answers are right.",
		SilenceUsage:  true,
		SilenceErrors: true,
		Version:       built(),
	}
	c.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	f := c.PersistentFlags()
	f.StringVar(&s.data, "data", defaultData(), "data folder, made when missing")
	f.BoolVar(&s.json, "json", false, "print JSON instead of text")
	f.BoolVar(&s.verbose, "verbose", false, "log what happens to the error output")
	f.IntVar(&s.memory, "document-memory", extractor.UsualMemory>>20, "megabytes of memory that reading one document may take")
	f.DurationVar(&s.patience, "document-time", extractor.UsualTime, "time that reading one document may take")
	c.AddCommand(serveCommand(&s), demoCommand(&s), gatherCommand(&s), askCommand(&s), findCommand(&s), logCommand(&s), peopleCommand(&s), auditCommand(&s), backupCommand(&s), restoreCommand(&s), mcpCommand(), proveCommand(&s), trialCommand(&s), openAPICommand(), vocabularyCommand(), &cobra.Command{
		Use: "version", Short: "Print the version", Args: cobra.NoArgs,
		Run: func(*cobra.Command, []string) { fmt.Println("jolvex", built()) },
	})
	return c
}

// args wraps a check of positional arguments, so that a wrong call exits with the code for that.
func args(check cobra.PositionalArgs) cobra.PositionalArgs {
	return func(c *cobra.Command, a []string) error {
		if err := check(c, a); err != nil {
			return usageError{fmt.Errorf("%w (see jolvex %s --help)", err, c.Name())}
		}
		return nil
	}
}
