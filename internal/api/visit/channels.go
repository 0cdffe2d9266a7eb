package visit

import (
	"errors"
	"fmt"
	"io"
	"net/http"

	"github.com/go-chi/chi/v5"

	"jolvex/internal/api/wire"
	"jolvex/internal/serving/channels"
)

// channel takes what a messaging service or a mail server hands in. It is answered later, by a call out: 202 says that it will be, also when the server
// is stopped before, and 200 that it was taken before.
func (h *handlers) channel(w http.ResponseWriter, q *http.Request) {
	id := chi.URLParam(q, "channel")
	most, err := h.app.Channels.Most(q.Context(), id, q.Header)
	if err != nil {
		h.fail(w, err)
		return
	}
	body, err := io.ReadAll(http.MaxBytesReader(w, q.Body, most))
	var big *http.MaxBytesError
	if errors.As(err, &big) {
		wire.Problem(w, http.StatusRequestEntityTooLarge, fmt.Sprintf("a message has at most %d bytes", most))
		return
	}
	if err != nil {
		wire.Problem(w, http.StatusBadRequest, "the message did not come through")
		return
	}
	taken, err := h.app.Channels.Take(q.Context(), id, q.Header, body)
	if errors.Is(err, channels.ErrTooMany) {
		w.Header().Set("Retry-After", "60")
	}
	if err != nil {
		h.fail(w, err)
		return
	}
	status := http.StatusAccepted
	if !taken {
		status = http.StatusOK
	}
	write(w, status, map[string]bool{"taken": taken})
}
