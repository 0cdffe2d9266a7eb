// Package wire is what all of the API says in the same way: operations, answers, files, errors.
package wire

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/internal/fault"
	"jolvex/internal/keeping/people"
	"jolvex/internal/store/talk"
)

// Out is an answer with a body.
type Out[T any] struct{ Body T }

// InCorpus is the part of a path that names the corpus.
type InCorpus struct {
	Corpus string `path:"corpus" doc:"Name or id of the corpus"`
}

func Operation(id, method, path, stage, summary string) huma.Operation {
	return huma.Operation{OperationID: id, Method: method, Path: "/api" + path, Tags: []string{stage}, Summary: summary, MaxBodyBytes: 4 << 20}
}

// Reply wraps a use case's result.
func Reply[T any](v T, err error) (*Out[T], error) {
	if err != nil {
		return nil, Known(err)
	}
	return &Out[T]{v}, nil
}

// Known turns the use cases' errors into HTTP ones.
func Known(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, fault.ErrMissing):
		return huma.Error404NotFound(err.Error())
	case errors.Is(err, fault.ErrTaken), errors.Is(err, fault.ErrChanged), errors.Is(err, talk.ErrVersion):
		return huma.Error409Conflict(err.Error())
	case errors.Is(err, fault.ErrInput):
		return huma.Error422UnprocessableEntity(strings.TrimPrefix(err.Error(), fault.ErrInput.Error()+": "))
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, "the request was given up")
	case errors.Is(err, people.ErrRefused):
		return huma.Error401Unauthorized(err.Error())
	}
	var slow people.SlowError
	if errors.As(err, &slow) {
		return huma.ErrorWithHeaders(huma.Error429TooManyRequests(err.Error()), http.Header{"Retry-After": {strconv.Itoa(int(slow.Wait.Seconds()) + 1)}})
	}
	slog.Default().Error("a request failed", "error", err)
	return huma.Error500InternalServerError(err.Error())
}

func Problem(w http.ResponseWriter, status int, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail}) // the client has gone
}

// File answers with a file to be kept.
func File(name, media string) func(b []byte, err error) (*huma.StreamResponse, error) {
	return func(b []byte, err error) (*huma.StreamResponse, error) {
		if err != nil {
			return nil, Known(err)
		}
		return &huma.StreamResponse{Body: func(c huma.Context) {
			c.SetHeader("Content-Type", media)
			c.SetHeader("Content-Disposition", `attachment; filename="`+name+`"`)
			_, _ = c.BodyWriter().Write(b) // the client has gone
		}}, nil
	}
}

// CSV answers with a file of comma-separated values.
func CSV(name string) func(b []byte, err error) (*huma.StreamResponse, error) {
	return File(name, "text/csv; charset=utf-8")
}
