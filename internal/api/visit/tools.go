package visit

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/modelcontextprotocol/go-sdk/mcp"

	"jolvex/internal/fault"
	"jolvex/internal/serving"
)

// The server of the Model Context Protocol (streamable HTTP) has tools to ask the assistant, and to find passages, list the documents and open one; the
// documents are its resources, too. A key says of which corpus, and whether it may do more than ask.

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
		live, err := h.app.Serving.LiveID(q.Context(), a.Corpus.ID)
		if err != nil { // each of its tools says why; nothing is kept meanwhile
			return h.toolsFor(a)
		}
		of := a.Key + " " + live
		s, ok := h.tools.Get(of)
		if !ok {
			s = h.toolsFor(a)
			h.tools.Add(of, s)
		}
		return s
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
	if slices.Contains(a.Scopes, serving.ScopeFind) {
		h.addReading(s, a)
	}
	return s
}

type sourcesTool struct {
	Holding string `json:"holding,omitempty" jsonschema:"words that stand in the title or address; all documents when it is not given"`
	From    int    `json:"from,omitempty" jsonschema:"how many to pass over"`
}

type listedTool struct {
	Documents []serving.Listed `json:"documents"`
	Of        int              `json:"of" jsonschema:"how many there are in all"`
}

type openTool struct {
	Document string `json:"document" jsonschema:"id of the document, as a passage or the list of sources has it"`
	From     int    `json:"from,omitempty" jsonschema:"byte at which to begin"`
	To       int    `json:"to,omitempty" jsonschema:"byte at which to end; the end of the document when it is not given"`
}

const (
	listedAtOnce = 100                  // documents that the tool lists
	resources    = 500                  // documents that are listed as resources; every one can be read
	scheme       = "jolvex://document/" // of the addresses of resources
)

// addReading adds what a key may do that reads the material itself.
func (h *handlers) addReading(s *mcp.Server, a serving.Admitted) {
	mcp.AddTool(s, &mcp.Tool{Name: "sources", Description: "List the documents that the assistant of " + a.Corpus.Name + " answers from, by title."},
		func(ctx context.Context, _ *mcp.CallToolRequest, in sourcesTool) (*mcp.CallToolResult, listedTool, error) {
			got, of, err := h.app.Serving.Library.Documents(ctx, a, in.Holding, in.From, listedAtOnce)
			if err != nil {
				return nil, listedTool{}, h.plain(err)
			}
			return nil, listedTool{got, of}, nil
		})
	mcp.AddTool(s, &mcp.Tool{Name: "open", Description: "Open a document of " + a.Corpus.Name + ", or the part of it in which a passage stands."},
		func(ctx context.Context, _ *mcp.CallToolRequest, in openTool) (*mcp.CallToolResult, serving.Opened, error) {
			got, err := h.app.Serving.Library.Open(ctx, a, in.Document, in.From, in.To)
			if err != nil {
				return nil, got, h.plain(err)
			}
			return nil, got, nil
		})
	read := func(ctx context.Context, q *mcp.ReadResourceRequest) (*mcp.ReadResourceResult, error) {
		got, err := h.app.Serving.Library.Open(ctx, a, strings.TrimPrefix(q.Params.URI, scheme), 0, 0)
		if errors.Is(err, fault.ErrMissing) {
			return nil, mcp.ResourceNotFoundError(q.Params.URI)
		}
		if err != nil {
			return nil, h.plain(err)
		}
		return &mcp.ReadResourceResult{Contents: []*mcp.ResourceContents{{URI: q.Params.URI, MIMEType: "text/plain", Text: got.Text}}}, nil
	}
	s.AddResourceTemplate(&mcp.ResourceTemplate{Name: "document", Description: "A document that the assistant answers from, as text", MIMEType: "text/plain", URITemplate: scheme + "{id}"}, read)
	docs, _, err := h.app.Serving.Library.Documents(context.Background(), a, "", 0, resources)
	if err != nil && !errors.Is(err, serving.ErrNoLive) { // they can be read still
		h.o.Log.Warn("documents are not listed as resources", "corpus", a.Corpus.Name, "error", err)
	}
	for _, d := range docs {
		s.AddResource(&mcp.Resource{Name: d.Title, Description: d.Link, MIMEType: "text/plain", URI: scheme + d.ID}, read)
	}
	mcp.AddTool(s, &mcp.Tool{Name: "find", Description: "Find passages of the released material of " + a.Corpus.Name + ", the best first."},
		func(ctx context.Context, _ *mcp.CallToolRequest, in findTool) (*mcp.CallToolResult, foundTool, error) {
			got, err := h.app.Serving.Library.Find(ctx, a, in.Question, limited(in.Limit))
			if err != nil {
				return nil, foundTool{}, h.plain(err)
			}
			return nil, foundTool{got}, nil
		})
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
