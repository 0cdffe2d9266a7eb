package main

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/modelcontextprotocol/go-sdk/mcp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestToolsOverStandardInput has the official client reach a server through the command, with the key that stands in the environment.
func TestToolsOverStandardInput(t *testing.T) {
	served := mcp.NewServer(&mcp.Implementation{Name: "served", Version: "1"}, nil)
	mcp.AddTool(served, &mcp.Tool{Name: "ask"}, func(_ context.Context, _ *mcp.CallToolRequest, in struct{ Question string }) (*mcp.CallToolResult, struct{ Reply string }, error) {
		return nil, struct{ Reply string }{"Said: " + in.Question}, nil
	})
	tools := mcp.NewStreamableHTTPHandler(func(*http.Request) *mcp.Server { return served }, &mcp.StreamableHTTPOptions{Stateless: true, JSONResponse: true})
	keys := make(chan string, 100)
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		keys <- q.Header.Get("Authorization")
		tools.ServeHTTP(w, q)
	}))
	t.Cleanup(srv.Close)
	t.Setenv(keyVariable, "")
	c := mcpCommand()
	c.SetArgs([]string{"--at", srv.URL})
	c.SilenceErrors, c.SilenceUsage = true, true
	require.ErrorContains(t, c.ExecuteContext(t.Context()), keyVariable)

	t.Setenv(keyVariable, "jvx_secret")
	in, toServer := io.Pipe()
	fromServer, out := io.Pipe()
	c.SetIn(in)
	c.SetOut(out)
	ended := make(chan error, 1)
	go func() { ended <- c.ExecuteContext(t.Context()) }()
	client := mcp.NewClient(&mcp.Implementation{Name: "test", Version: "1"}, nil)
	s, err := client.Connect(t.Context(), &mcp.IOTransport{Reader: fromServer, Writer: toServer}, nil)
	require.NoError(t, err)
	got, err := s.CallTool(t.Context(), &mcp.CallToolParams{Name: "ask", Arguments: map[string]any{"Question": "How much?"}})
	require.NoError(t, err)
	assert.Equal(t, map[string]any{"Reply": "Said: How much?"}, got.StructuredContent)
	assert.Equal(t, "Bearer jvx_secret", <-keys)
	require.NoError(t, s.Close())
	require.NoError(t, <-ended)
}
