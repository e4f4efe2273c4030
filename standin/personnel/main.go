// Command personnel is a small personnel system for the demo: it hires, moves and dismisses
// people by a script one steps through, and tells Able Roster of it by SCIM 2.0 (RFC 7644) alone.
// A press does the next step and shows what was sent and what was answered.
package main

import (
	"context"
	"embed"
	"flag"
	"fmt"
	"html/template"
	"log"
	"net"
	"net/http"
	"os"
	"os/signal"
	"strings"
	"sync"
	"syscall"
	"time"
)

//go:embed page.html
var files embed.FS

var page = template.Must(template.ParseFS(files, "page.html"))

// office is the personnel system: how far its script is, and what it remembers.
type office struct {
	scim *scim

	mu   sync.Mutex
	next int
	ids  map[string]string // by our own number: the id that the service gave
	log  []line
}

// line is one call and what became of it.
type line struct {
	Step    string
	Call    string
	Answer  string
	Refused bool
}

func main() {
	listen := flag.String("listen", "127.0.0.1:7433", "address to serve on")
	service := flag.String("service", "http://127.0.0.1:7420", "address of Able Roster")
	tokenFile := flag.String("token-file", "", "file with the API token of the personnel system's account; without one there, it is made as the administrator")
	administrator := flag.String("administrator", "", "who makes the account, where it is not there; the password is in PERSONNEL_PASSWORD")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	token, err := readToken(ctx, *service, *tokenFile, *administrator, os.Getenv("PERSONNEL_PASSWORD"))
	if err != nil {
		log.Fatal("personnel: ", err)
	}
	o := &office{scim: &scim{Base: *service + "/scim/v2", Token: token}, ids: map[string]string{}}
	listener, err := net.Listen("tcp", *listen)
	if err != nil {
		log.Fatal("personnel: ", err)
	}
	server := &http.Server{Handler: o.routes(), ReadHeaderTimeout: 5 * time.Second}
	go func() {
		<-ctx.Done()
		end, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		_ = server.Shutdown(end)
	}()
	log.Printf("the personnel system serves on http://%s", listener.Addr())
	if err := server.Serve(listener); err != http.ErrServerClosed {
		log.Fatal("personnel: ", err)
	}
}

func (o *office) routes() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", o.show)
	mux.HandleFunc("POST /next", func(w http.ResponseWriter, r *http.Request) {
		o.step(r.Context())
		http.Redirect(w, r, "/", http.StatusSeeOther)
	})
	return http.NewCrossOriginProtection().Handler(mux)
}

// step does the next step of the script; the first comes after the last.
func (o *office) step(ctx context.Context) {
	o.mu.Lock()
	defer o.mu.Unlock()
	s := script[o.next%len(script)]
	o.next++
	before := len(o.log)
	s.do(ctx, o)
	for i := before; i < len(o.log); i++ {
		o.log[i].Step = s.Says
	}
}

// call sends something and notes what became of it; it is the answer, nil where it was refused.
func (o *office) call(ctx context.Context, method, path string, body map[string]any) map[string]any {
	status, answer, err := o.scim.call(ctx, method, path, body)
	l := line{Call: method + " " + path, Answer: fmt.Sprint(status)}
	switch {
	case err != nil:
		l.Answer, l.Refused = err.Error(), true
	case status >= 300:
		l.Refused = true
		l.Answer += " " + fmt.Sprint(answer["detail"])
	case answer["displayName"] != nil:
		l.Answer += " " + fmt.Sprint(answer["displayName"])
	}
	o.log = append(o.log, l)
	if l.Refused {
		return nil
	}
	if answer == nil {
		answer = map[string]any{}
	}
	return answer
}

func (o *office) show(w http.ResponseWriter, _ *http.Request) {
	o.mu.Lock()
	v := struct {
		Steps []step
		Next  int
		Log   []line
	}{script, o.next % len(script), nil}
	for i := len(o.log) - 1; i >= 0 && len(v.Log) < 100; i-- {
		v.Log = append(v.Log, o.log[i])
	}
	o.mu.Unlock()
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'")
	if err := page.Execute(w, &v); err != nil {
		log.Print("personnel: ", err)
	}
}

// trimmed reads a file of one line.
func trimmed(path string) (string, error) {
	raw, err := os.ReadFile(path)
	return strings.TrimSpace(string(raw)), err
}
