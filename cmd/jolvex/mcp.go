package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"

	"github.com/modelcontextprotocol/go-sdk/mcp"
	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"
)

// keyVariable is the environment variable in which a program finds its key: on a command line others could read it.
const keyVariable = "JOLVEX_KEY"

// mcpCommand serves the Model Context Protocol over standard input and output, for programs that start their servers themselves: it passes on to the
// address at which visitors reach a program that runs.
func mcpCommand() *cobra.Command {
	var at string
	c := &cobra.Command{
		Use: "mcp", Short: "Serve the tools of an assistant over standard input and output",
		Long: "Serve the tools of an assistant over standard input and output (Model Context Protocol). The key stands in " + keyVariable + ".",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			key := os.Getenv(keyVariable)
			if key == "" {
				return fmt.Errorf("put the key of a program into %s", keyVariable)
			}
			here := &mcp.IOTransport{Reader: io.NopCloser(cmd.InOrStdin()), Writer: nopWriter{cmd.OutOrStdout()}}
			there := &mcp.StreamableClientTransport{Endpoint: at + "/mcp", HTTPClient: &http.Client{Transport: withKey(key)}, MaxRetries: -1, DisableStandaloneSSE: true}
			return passOn(cmd.Context(), here, there)
		},
	}
	c.Flags().StringVar(&at, "at", "http://127.0.0.1:8650", "address at which visitors reach the program")
	return c
}

// passOn passes messages between two ends until one of them closes.
func passOn(ctx context.Context, here, there mcp.Transport) error {
	a, err := here.Connect(ctx)
	if err != nil {
		return err
	}
	b, err := there.Connect(ctx)
	if err != nil {
		return errors.Join(err, a.Close())
	}
	g, ctx := errgroup.WithContext(ctx)
	for _, ends := range [][2]mcp.Connection{{a, b}, {b, a}} {
		g.Go(func() error {
			defer ends[1].Close()
			for {
				m, err := ends[0].Read(ctx)
				if errors.Is(err, io.EOF) || errors.Is(err, mcp.ErrConnectionClosed) {
					return nil
				}
				if err != nil {
					return err
				}
				if err := ends[1].Write(ctx, m); err != nil {
					return err
				}
			}
		})
	}
	return g.Wait()
}

type nopWriter struct{ io.Writer }

func (nopWriter) Close() error { return nil }

// withKey sends a key with every request.
type withKey string

func (k withKey) RoundTrip(q *http.Request) (*http.Response, error) {
	q = q.Clone(q.Context())
	q.Header.Set("Authorization", "Bearer "+string(k))
	return http.DefaultTransport.RoundTrip(q)
}
