package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"time"

	"github.com/spf13/cobra"

	"jolvex/internal/api"
)

func serveCommand(s *settings) *cobra.Command {
	var addr string
	var hosts []string
	c := &cobra.Command{
		Use:     "serve",
		Short:   "Serve the interface and the API",
		Example: "  jolvex serve --data ./data\n  jolvex serve --addr 127.0.0.1:9000",
		Args:    args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			o, err := own(cmd.Context(), s, hosts)
			if err != nil {
				return err
			}
			return errors.Join(serve(cmd.Context(), o, addr, func(at string) error {
				fmt.Printf("Jolvex is at %s (data in %s)\n", at, s.data)
				return nil
			}), o.close())
		},
	}
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8642", "address to listen on; loopback unless you say otherwise")
	c.Flags().StringSliceVar(&hosts, "host", nil, "further host names it may be reached under")
	return c
}

// serve listens until ctx ends; ready is called once it does.
func serve(ctx context.Context, o *owner, addr string, ready func(at string) error) error {
	l, err := net.Listen("tcp", addr)
	if err != nil {
		return fmt.Errorf("listen on %s: %w", addr, err)
	}
	o.app.Gathering.ListensAt(l.Addr())
	srv := &http.Server{Handler: o.server.Handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(l) }()
	if err := ready("http://" + l.Addr().String() + "/"); err != nil {
		return errors.Join(err, srv.Close())
	}
	select {
	case err := <-failed:
		return fmt.Errorf("serve: %w", err)
	case <-ctx.Done():
	}
	end, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	if err := srv.Shutdown(end); err != nil {
		return srv.Close() // event streams stay open as long as their readers
	}
	return nil
}

func openAPICommand() *cobra.Command {
	return printed("openapi", "Print the description of the API (OpenAPI 3.1)", func() ([]byte, error) { return api.OpenAPI(version) })
}

func vocabularyCommand() *cobra.Command {
	return printed("vocabulary", "Print what expectations, causes, signals, passes and outcomes are called (JSON)", api.VocabularyJSON)
}

// printed is a command that prints a text made without a data folder.
func printed(use, short string, text func() ([]byte, error)) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short, Args: args(cobra.NoArgs),
		RunE: func(*cobra.Command, []string) error {
			raw, err := text()
			if err != nil {
				return err
			}
			_, err = os.Stdout.Write(append(raw, '\n'))
			return err
		},
	}
}
