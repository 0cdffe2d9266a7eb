// Package bridge passes the Model Context Protocol on between standard input and output and a server that is reached over HTTP.
package bridge

import (
	"context"
	"errors"
	"io"
	"net/http"

	"github.com/modelcontextprotocol/go-sdk/mcp"
	"golang.org/x/sync/errgroup"
)

// Serve passes on what comes in to the server at an endpoint (streamable HTTP), with a key, and what it answers out, until one end closes.
func Serve(ctx context.Context, in io.Reader, out io.Writer, endpoint, key string) error {
	here := &mcp.IOTransport{Reader: io.NopCloser(in), Writer: nopWriter{out}}
	there := &mcp.StreamableClientTransport{Endpoint: endpoint, HTTPClient: &http.Client{Transport: withKey(key)}, MaxRetries: -1, DisableStandaloneSSE: true}
	return passOn(ctx, here, there)
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
