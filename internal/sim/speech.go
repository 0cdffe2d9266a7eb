package sim

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
)

// Speech stands in for an endpoint that turns speech into text. It cannot listen: it gives what a WAV file says of itself in
// its comment (RIFF, chunk LIST/INFO/ICMT), one caption for each line, spread over the length of the sound. With a key, it
// wants that key.
func Speech(key string) http.Handler {
	mux := http.NewServeMux()
	fail := func(w http.ResponseWriter, status int, message string) {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		_ = json.NewEncoder(w).Encode(map[string]any{"error": map[string]string{"message": message}}) // the client has gone
	}
	mux.HandleFunc("POST /v1/audio/transcriptions", func(w http.ResponseWriter, q *http.Request) {
		if key != "" && q.Header.Get("Authorization") != "Bearer "+key {
			fail(w, http.StatusUnauthorized, "the key is not right")
			return
		}
		f, _, err := q.FormFile("file")
		if err != nil {
			fail(w, http.StatusBadRequest, "there is no file")
			return
		}
		defer f.Close()
		body, err := io.ReadAll(f)
		if err != nil {
			fail(w, http.StatusBadRequest, err.Error())
			return
		}
		words, seconds, err := comment(body)
		if err != nil {
			fail(w, http.StatusUnprocessableEntity, err.Error())
			return
		}
		w.Header().Set("Content-Type", "text/vtt")
		fmt.Fprint(w, "WEBVTT\n")
		lines := strings.Split(words, "\n")
		for i, l := range lines {
			from, to := seconds*float64(i)/float64(len(lines)), seconds*float64(i+1)/float64(len(lines))
			fmt.Fprintf(w, "\n%s --> %s\n%s\n", stamp(from), stamp(to), l)
		}
	})
	return mux
}

func stamp(s float64) string {
	ms := int(s * 1000)
	return fmt.Sprintf("%02d:%02d:%02d.%03d", ms/3_600_000, ms/60_000%60, ms/1000%60, ms%1000)
}

// comment reads the comment and the length of a WAV file.
func comment(b []byte) (words string, seconds float64, err error) {
	if len(b) < 12 || string(b[:4]) != "RIFF" || string(b[8:12]) != "WAVE" {
		return "", 0, fmt.Errorf("it is no WAV file")
	}
	rate := 0
	for at := 12; at+8 <= len(b); {
		id, n := string(b[at:at+4]), int(binary.LittleEndian.Uint32(b[at+4:]))
		if n < 0 || at+8+n > len(b) {
			break
		}
		chunk := b[at+8 : at+8+n]
		switch {
		case id == "fmt " && n >= 12:
			rate = int(binary.LittleEndian.Uint32(chunk[8:]))
		case id == "data" && rate > 0:
			seconds = float64(n) / float64(rate)
		case id == "LIST" && n > 12 && string(chunk[:8]) == "INFOICMT":
			k := int(binary.LittleEndian.Uint32(chunk[8:]))
			words = strings.TrimRight(string(chunk[12:min(len(chunk), 12+k)]), "\x00\n")
		}
		at += 8 + n + n%2
	}
	if words == "" {
		return "", 0, fmt.Errorf("nothing can be heard in it")
	}
	return words, max(seconds, 1), nil
}

// Spoken makes a WAV file of silence that says words, for Speech to find.
func Spoken(words string, seconds int) []byte {
	const rate = 800 // bytes a second: one channel of eight bits
	var b []byte
	chunk := func(id string, body []byte) {
		b = append(b, id...)
		b = binary.LittleEndian.AppendUint32(b, uint32(len(body)))
		b = append(b, body...)
		if len(body)%2 == 1 {
			b = append(b, 0)
		}
	}
	var format []byte
	format = binary.LittleEndian.AppendUint16(format, 1)
	format = binary.LittleEndian.AppendUint16(format, 1)
	format = binary.LittleEndian.AppendUint32(format, rate)
	format = binary.LittleEndian.AppendUint32(format, rate)
	format = binary.LittleEndian.AppendUint16(format, 1)
	format = binary.LittleEndian.AppendUint16(format, 8)
	chunk("fmt ", format)
	sound := make([]byte, rate*seconds)
	for i := range sound {
		sound[i] = 128
	}
	chunk("data", sound)
	info := append([]byte("INFOICMT"), binary.LittleEndian.AppendUint32(nil, uint32(len(words)))...)
	chunk("LIST", append(info, words...))
	head := append([]byte("RIFF"), binary.LittleEndian.AppendUint32(nil, uint32(4+len(b)))...)
	return append(append(head, "WAVE"...), b...)
}
