// Command berthboard is a small example application: the berth board of the
// port. It protects its pages, its menu and its calls by the OpenID AuthZEN Authorization API
// alone: it asks each time, with one call for a page, its menu and its buttons, and shows a
// denial with its reason, where to ask for access, and the way back. To share a berth its account
// acts for whoever is signed in. It stays signed in as whichever demo user was chosen; a real
// application would sign its users in itself.
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
	"net/url"
	"os"
	"os/signal"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"
)

//go:embed page.html
var files embed.FS

var page = template.Must(template.ParseFS(files, "page.html"))

// board is the application: its state and whom it asks.
type board struct {
	roster *decisions
	users  []string

	mu     sync.Mutex
	berths []berth
}

type berth struct{ Path, Name, Vessel string }

// screen is one of the three sister screens, or of the mooring log, which is an
// application of its own.
type screen struct{ Application, Path, Address, Name string }

var screens = []screen{
	{application, "board/arrivals", "/arrivals", "Arrivals"},
	{application, "board/departures", "/departures", "Departures"},
	{application, "board/moorings", "/moorings", "Moorings"},
	{mooringLog, "sign-in", "/mooring-log/sign-in", "Mooring log: sign in"},
	{mooringLog, "log", "/mooring-log", "Mooring log"},
	{mooringLog, "log/north", "/mooring-log/north", "North quay"},
	{mooringLog, "log/lines", "/mooring-log/lines", "Lines in use"},
}

const (
	application = "berth-planning"
	mooringLog  = "mooring-log"
)

func main() {
	listen := flag.String("listen", "127.0.0.1:7430", "address to serve on")
	service := flag.String("service", "http://127.0.0.1:7420", "address of Able Roster")
	tokenFile := flag.String("token-file", "", "file with the API token of the berth board's account")
	users := flag.String("users", "ines.halloran,tomas.brandt,marta.quill,b.osei", "who may be chosen as signed in")
	flag.Parse()
	token, err := os.ReadFile(*tokenFile)
	if err != nil {
		log.Fatalf("berthboard: -token-file: %v", err)
	}
	b := newBoard(&decisions{Base: *service, Token: strings.TrimSpace(string(token))}, strings.Split(*users, ","))
	listener, err := net.Listen("tcp", *listen)
	if err != nil {
		log.Fatal("berthboard: ", err)
	}
	server := &http.Server{Handler: b.routes(), ReadHeaderTimeout: 5 * time.Second}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	go func() {
		<-ctx.Done()
		end, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		_ = server.Shutdown(end)
	}()
	log.Printf("the berth board serves on http://%s", listener.Addr())
	if err := server.Serve(listener); err != http.ErrServerClosed {
		log.Fatal("berthboard: ", err)
	}
}

func newBoard(c *decisions, users []string) *board {
	return &board{roster: c, users: users, berths: []berth{
		{"berths/north-1", "North 1", "Grey Petrel"}, {"berths/north-2", "North 2", ""}, {"berths/north-3", "North 3", "Anna Margrethe"},
		{"berths/south-1", "South 1", "Ilha do Sal"}, {"berths/south-2", "South 2", ""}, {"berths/fuel-jetty", "Fuel jetty", ""},
	}}
}

func (b *board) routes() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, "/moorings", http.StatusSeeOther) })
	for _, s := range screens {
		mux.HandleFunc("GET "+s.Address, func(w http.ResponseWriter, r *http.Request) { b.show(w, r, s) })
	}
	mux.HandleFunc("POST /assign", b.assign)
	mux.HandleFunc("POST /share", b.share)
	mux.HandleFunc("POST /log", b.log)
	mux.HandleFunc("POST /sign-in", b.signIn)
	return http.NewCrossOriginProtection().Handler(mux)
}

const cookie = "berth_board_user"

func user(r *http.Request) string {
	if c, err := r.Cookie(cookie); err == nil {
		return c.Value
	}
	return ""
}

// signIn chooses who is signed in, among the people of the demo.
func (b *board) signIn(w http.ResponseWriter, r *http.Request) {
	who := r.FormValue("user")
	for _, u := range b.users {
		if u == who {
			http.SetCookie(w, &http.Cookie{Name: cookie, Value: who, Path: "/", HttpOnly: true, SameSite: http.SameSiteStrictMode})
		}
	}
	http.Redirect(w, r, "/moorings", http.StatusSeeOther)
}

// view is what the page draws.
type view struct {
	User    string
	Users   []string
	Screen  screen
	Menu    []screen
	Berths  []row
	Log     bool // a screen of the mooring log
	MayLog  bool
	Denied  string
	Offers  []offer
	Told    string
	Trouble string
}

type row struct {
	berth
	MayAssign bool
	MayShare  bool    // the role it is shared by reaches it
	Shares    []share // with whom it is shared, to whoever may assign there
}

// offer is a role that would allow what was denied.
type offer struct{ Label, Request string }

// may is a question about whoever is signed in.
func may(r *http.Request, application, act, path string) question {
	q := question{entity{"user", user(r)}, action{act}, entity{application, path}, nil}
	if q.Subject.ID == "" {
		q.Subject = entity{"nobody", "nobody"}
	}
	return q
}

// show asks for this screen, for what the menu has and for what its buttons do, in one call.
func (b *board) show(w http.ResponseWriter, r *http.Request, s screen) {
	v := view{User: user(r), Users: b.users, Screen: s, Told: r.URL.Query().Get("told"), Denied: r.URL.Query().Get("denied")}
	status := http.StatusOK
	all := []question{may(r, s.Application, "read", s.Path), may(r, s.Application, "update", s.Path)}
	for _, x := range screens {
		all = append(all, may(r, x.Application, "read", x.Path))
	}
	b.mu.Lock()
	berths := slices.Clone(b.berths)
	b.mu.Unlock()
	for _, x := range berths {
		all = append(all, may(r, application, "update", x.Path))
	}
	for i := range all[1:] { // the page is used, the rest drawn
		all[1+i].Context = map[string]any{"probe": true}
	}
	answers, err := b.roster.ask(r.Context(), all)
	if err != nil {
		b.trouble(w, &v, err)
		return
	}
	for i, x := range screens {
		if answers[2+i].Decision {
			v.Menu = append(v.Menu, x)
		}
	}
	switch {
	case !answers[0].Decision:
		v.Denied, v.Offers = s.Name+" is not for you: "+why(answers[0]), b.offers(r, all[0])
		status = http.StatusForbidden
	case s.Application == mooringLog:
		v.Log, v.MayLog = true, answers[1].Decision
	default:
		shares, err := b.roster.shared(r.Context(), user(r))
		if err != nil {
			b.trouble(w, &v, err)
			return
		}
		for i, x := range berths {
			one := row{berth: x, MayAssign: answers[2+len(screens)+i].Decision}
			one.MayShare = one.MayAssign && strings.HasPrefix(x.Path, "berths/north-")
			for _, s := range shares {
				if s.Path == x.Path && one.MayAssign {
					one.Shares = append(one.Shares, s)
				}
			}
			v.Berths = append(v.Berths, one)
		}
	}
	b.draw(w, status, &v)
}

// offers are the roles that would allow what was denied and can be asked for.
func (b *board) offers(r *http.Request, q question) (out []offer) {
	q.Context = map[string]any{"explain": true}
	answers, err := b.roster.ask(r.Context(), []question{q})
	if err != nil {
		return nil
	}
	for _, x := range answers[0].Context.Requestable {
		out = append(out, offer{x.Label, x.Request})
	}
	return out
}

// why is why something is denied: what the person is told, and the code for whoever helps.
func why(d decision) string {
	return fmt.Sprintf("%s (%s)", d.Context.ReasonUser["en"], d.Context.Reason)
}

// allowed asks again about one call: the button may have been drawn before a role was taken
// back. What is said otherwise goes back to the page.
func (b *board) allowed(w http.ResponseWriter, r *http.Request, s screen, q question) (ok bool, said string) {
	answers, err := b.roster.ask(r.Context(), []question{q})
	if err != nil {
		b.trouble(w, &view{User: user(r), Users: b.users, Screen: s}, err)
		return false, ""
	}
	return answers[0].Decision, why(answers[0])
}

// assign is the one call that changes something.
func (b *board) assign(w http.ResponseWriter, r *http.Request) {
	path, vessel := r.FormValue("berth"), strings.TrimSpace(r.FormValue("vessel"))
	ok, said := b.allowed(w, r, screens[2], may(r, application, "update", path))
	switch {
	case !ok && said == "":
	case !ok:
		http.Redirect(w, r, "/moorings?denied="+url.QueryEscape("You may not assign a vessel to "+path+": "+said), http.StatusSeeOther)
	default:
		b.mu.Lock()
		for i := range b.berths {
			if b.berths[i].Path == path {
				b.berths[i].Vessel = vessel
			}
		}
		b.mu.Unlock()
		http.Redirect(w, r, "/moorings?told="+url.QueryEscape("Assigned "+vessel+" to "+path+"."), http.StatusSeeOther)
	}
}

// log enters a line into the mooring log, if whoever is signed in may.
func (b *board) log(w http.ResponseWriter, r *http.Request) {
	path := r.FormValue("path")
	ok, said := b.allowed(w, r, screens[4], may(r, mooringLog, "update", path))
	switch {
	case !ok && said == "":
	case !ok:
		http.Redirect(w, r, "/mooring-log?denied="+url.QueryEscape("You may not log in "+path+": "+said), http.StatusSeeOther)
	default:
		http.Redirect(w, r, "/mooring-log?told="+url.QueryEscape("Logged in "+path+"."), http.StatusSeeOther)
	}
}

// trouble is drawn when Able Roster cannot be asked: nothing is shown then.
func (b *board) trouble(w http.ResponseWriter, v *view, err error) {
	v.Trouble = "Nothing can be shown, since nobody can say whether you may see it: " + err.Error()
	b.draw(w, http.StatusServiceUnavailable, v)
}

func (b *board) draw(w http.ResponseWriter, status int, v *view) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'")
	w.WriteHeader(status)
	if err := page.Execute(w, v); err != nil {
		log.Print("berthboard: ", err)
	}
}
