package sim

import (
	"net/http"
	"time"
)

// StandIns serves, beside the demo site, what stands in for the endpoints of others: speech to text, embeddings, a language
// model, a webhook and a mailbox.
func StandIns(site http.Handler, box *Mailbox, sample *Sample, messenger *Messenger) (http.Handler, error) {
	embeddings, err := Embeddings("")
	if err != nil {
		return nil, err
	}
	mux := http.NewServeMux()
	mux.Handle("/", site)
	mux.Handle("GET /sample", sample)
	mux.Handle("POST /v1/audio/transcriptions", Speech(""))
	mux.Handle("POST /v1/embeddings", embeddings)
	mux.Handle("/messenger", messenger.Handler())
	mux.Handle("/messenger/", messenger.Handler())
	mux.Handle("POST /hook", box.Handler())
	mux.Handle("GET /mailbox", box.Handler())
	mux.Handle("POST /mailbox", box.Handler())
	mux.Handle("POST /v1/chat/completions", Chat("", 5*time.Minute))
	return mux, nil
}
