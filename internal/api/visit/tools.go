package visit

import (
	"context"
	"net/http"
	"slices"
	"strings"

	"github.com/modelcontextprotocol/go-sdk/mcp"

	"jolvex/internal/serving"
)

// The server of the Model Context Protocol (streamable HTTP) has two tools, to ask the assistant and to find passages. A key says of which corpus,
// and which of the two it may use.

type askedTool struct {
	Question     string `json:"question" jsonschema:"the question, in the words of whoever asks"`
	Conversation string `json:"conversation,omitempty" jsonschema:"to go on with a conversation: what an earlier reply named"`
}

type saidTool struct {
	Reply        string   `json:"reply" jsonschema:"the reply; it says so when the sources have no answer"`
	Refused      bool     `json:"refused" jsonschema:"the sources have no answer"`
	Sources      []string `json:"sources" jsonschema:"titles and addresses of the pages that say so"`
	Conversation string   `json:"conversation"`
}

type findTool struct {
	Question string `json:"question" jsonschema:"what the passages are to be about"`
	Limit    int    `json:"limit,omitempty" jsonschema:"how many at most, 1 to 50; 8 when it is not given"`
}

type foundTool struct {
	Passages []serving.Found `json:"passages"`
}

// contextProtocol lets a program in by its key and gives it the tools that the key allows. Nothing is kept between its requests.
func (h *handlers) contextProtocol() http.Handler {
	type keyed struct{}
	tools := mcp.NewStreamableHTTPHandler(func(q *http.Request) *mcp.Server {
		a, _ := q.Context().Value(keyed{}).(serving.Admitted)
		return h.toolsFor(a)
	}, &mcp.StreamableHTTPOptions{Stateless: true, JSONResponse: true, Logger: h.o.Log, MaxRequestBodyBytes: mostTalk})
	return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		a, ok := h.program(w, q, serving.ScopeAsk)
		if !ok {
			return
		}
		tools.ServeHTTP(w, q.WithContext(context.WithValue(q.Context(), keyed{}, a)))
	})
}

// toolsFor is a server with the tools of one key.
func (h *handlers) toolsFor(a serving.Admitted) *mcp.Server {
	s := mcp.NewServer(&mcp.Implementation{Name: "jolvex", Title: a.Corpus.Name, Version: "1"}, &mcp.ServerOptions{
		Instructions: "Answers from the material of " + a.Corpus.Name + " alone, with its sources, and says so when that has no answer.",
	})
	mcp.AddTool(s, &mcp.Tool{Name: "ask", Description: "Ask the assistant of " + a.Corpus.Name + ". The reply is made from its released material alone, and cites it."},
		func(ctx context.Context, _ *mcp.CallToolRequest, in askedTool) (*mcp.CallToolResult, saidTool, error) {
			said, err := h.app.Serving.Ask(ctx, a, serving.Message{Text: in.Question, Conversation: in.Conversation})
			if err != nil {
				return nil, saidTool{}, h.plain(err)
			}
			text, _ := said.Text()
			out := saidTool{Reply: text, Refused: said.Refused, Conversation: said.Conversation, Sources: []string{}}
			for _, x := range said.Sources {
				out.Sources = append(out.Sources, strings.TrimSpace(x.Title+" "+x.Link))
			}
			return nil, out, nil
		})
	if !slices.Contains(a.Scopes, serving.ScopeFind) {
		return s
	}
	mcp.AddTool(s, &mcp.Tool{Name: "find", Description: "Find passages of the released material of " + a.Corpus.Name + ", the best first."},
		func(ctx context.Context, _ *mcp.CallToolRequest, in findTool) (*mcp.CallToolResult, foundTool, error) {
			got, err := h.app.Serving.Find(ctx, a, in.Question, limited(in.Limit))
			if err != nil {
				return nil, foundTool{}, h.plain(err)
			}
			return nil, foundTool{got}, nil
		})
	return s
}

// plain is a failure in the words that programs are told it in.
func (h *handlers) plain(err error) error {
	_, said := h.told(err)
	return errorText(said)
}

type errorText string

func (e errorText) Error() string { return string(e) }

// limited is how many passages are given.
func limited(n int) int {
	if n <= 0 || n > 50 {
		return 8
	}
	return n
}
