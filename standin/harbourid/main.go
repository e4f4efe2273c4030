// Command harbourid is a small identity provider for the demo and the tests: people press who
// they are, with a second factor or without one, and it says so by OpenID Connect (Core 1.0, with
// PKCE, RFC 7636). It signs people out from its side too (Back-Channel Logout 1.0), changes its
// key, and misbehaves when it is told to. It keeps everything in memory and proves nothing: it is
// no provider for anything real.
package main

import (
	"context"
	"embed"
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
)

//go:embed pages.html
var files embed.FS

var pages = template.Must(template.ParseFS(files, "pages.html"))

// person is somebody with an account here.
type person struct {
	Name, Label, Email string
	Groups             []string
}

// provider is the identity provider.
type provider struct {
	issuer, clientID, secret string
	service                  string // where the client is
	people                   []person

	mu     sync.Mutex
	keys   []signer // the newest first
	codes  map[string]grant
	open   []session
	behave string // what it does wrong, blank for nothing
}

// session is somebody who is signed in at the client by way of here.
type session struct {
	ID     string
	Person person
	Since  time.Time
	Client string // where they came from
}

func main() {
	listen := flag.String("listen", "127.0.0.1:7434", "address to serve on")
	service := flag.String("service", "http://127.0.0.1:7420", "address of Able Roster, under which people come back")
	clientID := flag.String("client-id", "able-roster", "the client's id")
	secretFile := flag.String("client-secret-file", "", "file of the client's secret; none: it is a public client")
	people := flag.String("people", "marta.quill=Marta Quill=office,tomas.brandt=Tomas Brandt=office+pilotage,ines.halloran=Inês Halloran=pilotage", "who has an account: names, what people call them, and the groups they are in")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	listener, err := net.Listen("tcp", *listen)
	if err != nil {
		log.Fatal("harbourid: ", err)
	}
	p := &provider{issuer: "http://" + listener.Addr().String(), clientID: *clientID, service: *service, codes: map[string]grant{}}
	if *secretFile != "" {
		raw, err := os.ReadFile(*secretFile)
		if err != nil {
			log.Fatal("harbourid: ", err)
		}
		p.secret = strings.TrimSpace(string(raw))
	}
	for _, x := range strings.Split(*people, ",") {
		name, label, _ := strings.Cut(x, "=")
		label, groups, _ := strings.Cut(label, "=")
		p.people = append(p.people, person{name, label, name + "@larkhaven.example", strings.FieldsFunc(groups, plus)})
	}
	p.newKey()
	server := &http.Server{Handler: p.routes(), ReadHeaderTimeout: 5 * time.Second}
	go func() {
		<-ctx.Done()
		end, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		_ = server.Shutdown(end)
	}()
	log.Printf("the identity provider serves on %s", p.issuer)
	if err := server.Serve(listener); err != http.ErrServerClosed {
		log.Fatal("harbourid: ", err)
	}
}

func plus(r rune) bool { return r == '+' || r == ' ' || r == ',' }

// everybody is who has an account, as things are.
func (p *provider) everybody() []person {
	p.mu.Lock()
	defer p.mu.Unlock()
	return slices.Clone(p.people)
}

// group puts somebody into other groups: their next token says so.
func (p *provider) group(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	for i := range p.people {
		if p.people[i].Name == r.FormValue("person") {
			p.people[i].Groups = strings.FieldsFunc(r.FormValue("groups"), plus)
		}
	}
	p.mu.Unlock()
	http.Redirect(w, r, "/", http.StatusSeeOther)
}

func (p *provider) routes() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", p.home)
	mux.HandleFunc("GET /.well-known/openid-configuration", p.discovery)
	mux.HandleFunc("GET /keys", p.published)
	mux.HandleFunc("GET /authorize", p.ask)
	mux.HandleFunc("POST /authorize", p.answer)
	mux.HandleFunc("POST /token", p.token)
	mux.HandleFunc("GET /sign-out", p.signOut)
	mux.HandleFunc("POST /sessions/{id}/end", p.end)
	mux.HandleFunc("POST /key", func(w http.ResponseWriter, r *http.Request) {
		p.newKey()
		http.Redirect(w, r, "/", http.StatusSeeOther)
	})
	mux.HandleFunc("POST /groups", p.group)
	mux.HandleFunc("POST /behave", func(w http.ResponseWriter, r *http.Request) {
		p.mu.Lock()
		p.behave = r.FormValue("as")
		p.mu.Unlock()
		http.Redirect(w, r, "/", http.StatusSeeOther)
	})
	guarded := http.NewCrossOriginProtection().Handler(mux)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if p.does("away") && r.URL.Path != "/behave" && r.URL.Path != "/" {
			http.Error(w, "away", http.StatusServiceUnavailable)
			return
		}
		guarded.ServeHTTP(w, r)
	})
}

func (p *provider) does(wrong string) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.behave == wrong
}

// wrongs are what it can do wrong.
var wrongs = []string{"", "wrong key", "expired", "another audience", "another issuer", "another nonce", "changed issuer", "elsewhere", "endless", "away"}

func (p *provider) home(w http.ResponseWriter, _ *http.Request) {
	p.mu.Lock()
	v := struct {
		Service string
		Open    []session
		Behave  string
		Wrongs  []string
		Keys    int
		People  []person
	}{p.service, slices.Clone(p.open), p.behave, wrongs, len(p.keys), slices.Clone(p.people)}
	p.mu.Unlock()
	show(w, "home", &v, "'self'")
}

// show draws a page; forms is where its forms may lead.
func show(w http.ResponseWriter, name string, v any, forms string) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; form-action "+forms)
	if err := pages.ExecuteTemplate(w, name, v); err != nil {
		log.Print("harbourid: ", err)
	}
}
