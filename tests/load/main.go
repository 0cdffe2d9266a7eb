// Command load has many visitors ask a running program at once, and prints how long they waited.
//
//	go run ./tests/load -address http://127.0.0.1:8645 -link TOKEN -questions questions.txt [-conversations 500] [-every 10s] [-for 60s]
//
// The program has to be started with --behind-proxy: each visitor names a network address of its own, since many messages from one are held off.
package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"time"
)

func main() {
	address := flag.String("address", "http://127.0.0.1:8645", "where visitors are served")
	link := flag.String("link", "", "what a share link carries")
	file := flag.String("questions", "", "file of questions, one a line")
	conversations := flag.Int("conversations", 500, "that are open at once")
	every := flag.Duration("every", 10*time.Second, "between two questions of one conversation")
	long := flag.Duration("for", time.Minute, "how long it lasts")
	flag.Parse()
	if err := run(*address, *link, *file, *conversations, *every, *long); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(address, link, file string, conversations int, every, long time.Duration) error {
	raw, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	questions := strings.Split(strings.TrimSpace(string(raw)), "\n")
	client := &http.Client{Timeout: time.Minute, Transport: &http.Transport{MaxIdleConns: conversations, MaxIdleConnsPerHost: conversations}}
	var mu sync.Mutex
	var waits []time.Duration
	problems := map[string]int{}
	var all sync.WaitGroup
	end := time.Now().Add(long)
	for n := range conversations {
		all.Go(func() {
			time.Sleep(time.Duration(rand.Int64N(int64(every)))) // they do not begin together
			conversation := ""
			for i := 0; time.Now().Before(end); i++ {
				began := time.Now()
				next, err := ask(client, address, link, conversation, questions[(n*31+i*7)%len(questions)], n)
				took := time.Since(began)
				mu.Lock()
				if err != nil {
					problems[err.Error()]++
				} else {
					waits = append(waits, took)
					conversation = next
				}
				mu.Unlock()
				time.Sleep(max(0, every-took))
			}
		})
	}
	all.Wait()
	if len(waits) == 0 {
		return fmt.Errorf("nobody was answered: %v", problems)
	}
	slices.Sort(waits)
	at := func(p float64) time.Duration { return waits[int(p*float64(len(waits)-1))].Round(time.Millisecond) }
	fmt.Printf("%d answered in %v (%.1f a second), waited p50 %v, p95 %v, p99 %v, longest %v; not answered: %v\n",
		len(waits), long, float64(len(waits))/long.Seconds(), at(.5), at(.95), at(.99), at(1), problems)
	return nil
}

// ask sends one message as a visitor's page does, and gives the conversation that it belongs to.
func ask(c *http.Client, address, link, conversation, question string, visitor int) (string, error) {
	body, err := json.Marshal(map[string]string{"link": link, "text": question, "conversation": conversation})
	if err != nil {
		return "", err
	}
	q, err := http.NewRequest(http.MethodPost, address+"/v/ask", bytes.NewReader(body))
	if err != nil {
		return "", err
	}
	q.Header.Set("X-Forwarded-For", fmt.Sprintf("10.0.%d.%d", visitor/250, 1+visitor%250))
	r, err := c.Do(q)
	if err != nil {
		return "", errors.New("no connection")
	}
	defer r.Body.Close()
	raw, err := io.ReadAll(r.Body)
	if err != nil || r.StatusCode != http.StatusOK {
		return "", fmt.Errorf("status %d", r.StatusCode)
	}
	var said struct {
		Conversation string
		Sentences    []any
	}
	if err := json.Unmarshal(raw, &said); err != nil || len(said.Sentences) == 0 {
		return "", errors.New("an empty reply")
	}
	return said.Conversation, nil
}
