// Command mailbox stands in for a mail server: it takes every mail (RFC 5321) and shows on a
// page, and as JSON, what was sent. It delivers nothing and keeps nothing after it ends.
package main

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"flag"
	"html/template"
	"log"
	"net"
	"net/http"
	"os"
	"os/signal"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/emersion/go-smtp"
)

//go:embed page.html
var pageText string

var page = template.Must(template.New("page").Parse(pageText))

// letter is a mail that was taken.
type letter struct {
	Number    int       `json:"number"`
	At        time.Time `json:"at"`
	MessageID string    `json:"message_id"`
	From      string    `json:"from"`
	To        []string  `json:"to"`
	Subject   string    `json:"subject"`
	Text      string    `json:"text"`
	HTML      string    `json:"html,omitempty"`
}

// mailbox is what was taken. It may be used by several goroutines.
type mailbox struct {
	refuse []string
	slow   time.Duration

	mu      sync.Mutex
	letters []letter
}

// kept bounds how many are shown: the last ones.
const kept = 20_000

func (b *mailbox) take(l letter) {
	b.mu.Lock()
	defer b.mu.Unlock()
	l.Number = 1
	if n := len(b.letters); n > 0 {
		l.Number = b.letters[n-1].Number + 1
	}
	b.letters = append(b.letters, l)
	if len(b.letters) > kept {
		b.letters = b.letters[1:]
	}
}

func (b *mailbox) newest() []letter {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := slices.Clone(b.letters)
	slices.Reverse(out)
	return out
}

// routes are the page, with one mail open at /?mail=NUMBER, and all of them as JSON.
func (b *mailbox) routes() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /mails", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(b.newest())
	})
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-src 'self' data:")
		if err := page.Execute(w, b.newest()); err != nil {
			log.Print("mailbox: ", err)
		}
	})
	return mux
}

func main() {
	take := flag.String("smtp", "127.0.0.1:2525", "address to take mails at")
	listen := flag.String("listen", "127.0.0.1:7431", "address to show them at")
	refuse := flag.String("refuse", "", "addresses that are refused for good, with commas between them")
	slow := flag.Duration("slow", 0, "how long each mail takes")
	flag.Parse()
	b := &mailbox{refuse: strings.Split(*refuse, ","), slow: *slow}
	server := smtp.NewServer(b)
	server.Domain, server.MaxMessageBytes, server.ReadTimeout, server.WriteTimeout = "localhost", 1<<20, time.Minute, time.Minute
	taking, err := net.Listen("tcp", *take)
	if err != nil {
		log.Fatal("mailbox: ", err)
	}
	showing, err := net.Listen("tcp", *listen)
	if err != nil {
		log.Fatal("mailbox: ", err)
	}
	shown := &http.Server{Handler: b.routes(), ReadHeaderTimeout: 5 * time.Second}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	go func() {
		<-ctx.Done()
		_ = server.Close()
		_ = shown.Close()
	}()
	go func() {
		if err := server.Serve(taking); err != nil && ctx.Err() == nil {
			log.Fatal("mailbox: ", err)
		}
	}()
	log.Printf("the mailbox takes mails at smtp://%s?tls=none and serves on http://%s", taking.Addr(), showing.Addr())
	if err := shown.Serve(showing); !errors.Is(err, http.ErrServerClosed) {
		log.Fatal("mailbox: ", err)
	}
}
