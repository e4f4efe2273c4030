// Command berthboard is a small example application: the berth board of the
// port. It protects its screens and its buttons with Able Roster: it asks each
// time, draws its menu from one question, and shows a denial with
// its reason. It stays signed in as whichever demo user was chosen; a real
// application would sign its users in itself.
package main

import (
	"context"
	"embed"
	"errors"
	"flag"
	"fmt"
	"html/template"
	"log"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/signal"
	"strings"
	"sync"
	"syscall"
	"time"

	"ableroster/client"
	"ableroster/wire"
)

//go:embed page.html
var files embed.FS

var page = template.Must(template.ParseFS(files, "page.html"))

// board is the application: its state and whom it asks.
type board struct {
	roster *client.Client
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
	b := newBoard(&client.Client{Base: *service, Token: strings.TrimSpace(string(token)), Agent: "berthboard/1"}, strings.Split(*users, ","))
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

func newBoard(c *client.Client, users []string) *board {
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
	Told    string
	Trouble string
}

type row struct {
	berth
	MayAssign bool
}

// menu is what a user, or nobody signed in, may do in an application.
func (b *board) menu(ctx context.Context, user, application string) (wire.Menu, error) {
	if user == "" {
		return b.roster.MenuOfNobody(ctx, application)
	}
	return b.roster.Menu(ctx, user, application)
}

// show asks for this one screen, and draws the menu from one question about
// the whole application.
func (b *board) show(w http.ResponseWriter, r *http.Request, s screen) {
	v := view{User: user(r), Users: b.users, Screen: s, Told: r.URL.Query().Get("told"), Denied: r.URL.Query().Get("denied")}
	status := http.StatusOK
	menus := map[string]wire.Menu{}
	for _, a := range []string{application, mooringLog} {
		menu, err := b.menu(r.Context(), v.User, a)
		var p *wire.Problem
		if err != nil && !(a == mooringLog && errors.As(err, &p) && p.Status == http.StatusNotFound) { // not described yet
			b.trouble(w, &v, err)
			return
		}
		menus[a] = menu
	}
	for _, x := range screens {
		if client.May(menus[x.Application], "read", x.Path) {
			v.Menu = append(v.Menu, x)
		}
	}
	answer, err := b.ask(r, s.Application, "read", s.Path)
	switch {
	case err != nil:
		b.trouble(w, &v, err)
		return
	case !answer.Allowed:
		v.Denied = fmt.Sprintf("%s is not for you: %s (%s)", s.Name, answer.Message, answer.Reason)
		status = http.StatusForbidden
	case s.Application == mooringLog:
		v.Log = true
		v.MayLog = client.May(menus[mooringLog], "update", s.Path)
	default:
		b.mu.Lock()
		for _, x := range b.berths {
			v.Berths = append(v.Berths, row{x, client.May(menus[application], "update", x.Path)})
		}
		b.mu.Unlock()
	}
	b.draw(w, status, &v)
}

// assign is the one call that changes something. It asks again: the button may
// have been drawn before the role was taken back.
func (b *board) assign(w http.ResponseWriter, r *http.Request) {
	path, vessel := r.FormValue("berth"), strings.TrimSpace(r.FormValue("vessel"))
	answer, err := b.ask(r, application, "update", path)
	to := "/moorings?told=" + url.QueryEscape("Assigned "+vessel+" to "+path+".")
	switch {
	case err != nil:
		v := view{User: user(r), Users: b.users, Screen: screens[2]}
		b.trouble(w, &v, err)
		return
	case !answer.Allowed:
		to = "/moorings?denied=" + url.QueryEscape(fmt.Sprintf("You may not assign a vessel to %s: %s (%s)", path, answer.Message, answer.Reason))
	default:
		b.mu.Lock()
		for i := range b.berths {
			if b.berths[i].Path == path {
				b.berths[i].Vessel = vessel
			}
		}
		b.mu.Unlock()
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// log enters a line into the mooring log, if whoever is signed in may.
func (b *board) log(w http.ResponseWriter, r *http.Request) {
	path := r.FormValue("path")
	answer, err := b.ask(r, mooringLog, "update", path)
	told := "told=" + url.QueryEscape("Logged in "+path+".")
	switch {
	case err != nil:
		v := view{User: user(r), Users: b.users, Screen: screens[4]}
		b.trouble(w, &v, err)
		return
	case !answer.Allowed:
		told = "denied=" + url.QueryEscape(fmt.Sprintf("You may not log in %s: %s (%s)", path, answer.Message, answer.Reason))
	}
	http.Redirect(w, r, "/mooring-log?"+told, http.StatusSeeOther)
}

func (b *board) ask(r *http.Request, application, action, path string) (wire.CheckAnswer, error) {
	return b.roster.Check(r.Context(), wire.CheckRequest{User: user(r), Nobody: user(r) == "", Application: application, Action: action, Path: path})
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
