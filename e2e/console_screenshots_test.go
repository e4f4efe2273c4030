package e2e

import (
	"fmt"
	"html"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// TestScreenshots takes the pictures of docs/screenshots anew; make
// screenshots calls it. Each picture is one page a reader of the README meets.
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("ROSTER_SCREENSHOTS")
	if dir == "" {
		t.Skip("make screenshots takes the pictures")
	}
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	shot := func(name string) { t.Helper(); b.Picture(filepath.Join(dir, name+".png")) }

	b.Go("/")
	b.Sees("Sign in")
	b.SignIn(demo.Administrator, demo.Password)
	marta := s.SignIn(t, demo.Administrator)
	view := wire.ViewRequest{Label: "Boat crews", Shared: true, Search: wire.ViewSearch{Filter: `within eq "marine" and boat_licence pr`}, Columns: []string{"name", "unit", "boat_licence", "cost_centre", "probation_end"}}
	if err := marta.PutView(ctx, "boat-crews", view); err != nil {
		t.Fatal(err)
	}
	b.Go("/users?columns=name,unit,boat_licence,cost_centre,probation_end&filter=" + url.QueryEscape(view.Search.Filter))
	b.Sees("pilot cutter")
	b.Press("Build a filter")
	b.Sees("Show them")
	shot("users")
	b.Go("/import")
	crews := filepath.Join(t.TempDir(), "crews.csv")
	if err := os.WriteFile(crews, []byte("user_name,display_name,unit,title,start_date,roles\nzoe.marrick,Zoë Marrick,terminal/cranes,Crane operator,2026-12-01,crane-control/operator\n"+
		"anselm.dray,Anselm Dray,terminal/cranes,Crane operator,2026-12-24,crane-control/operater\n,Nobody,terminal/cranes,Deckhand,1.12.2026,\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	b.Upload("File", crews)
	b.Press("Preview")
	b.Sees("Nothing was changed")
	shot("import")
	ines := testkit.NewTab(t, s.Base)
	ines.SignIn(demo.Pilot, demo.Password)
	ines.Go("/my-access")
	ines.Sees("Given to you directly")
	ines.Picture(filepath.Join(dir, "my-access.png"))

	b.Go("/users/ines.halloran")
	b.Sees("Berth planning")
	b.Press("group Night pilots")
	b.Sees("permits")
	b.Go("/users/ines.halloran?tab=given")
	b.Type("Role to grant", "Manifest clerk")
	b.Press("Manifest clerk")
	b.Press("Add to change sheet")
	b.Sees("nobody else is affected")
	b.Go("/users/ines.halloran")
	b.Press("group Night pilots")
	b.Sees("nobody else is affected")
	shot("user-and-change-sheet")
	b.Press("Discard")
	b.Press("Close")

	b.Go("/roles/berth-planning%2Fscheduler")
	b.Sees("through an included role")
	shot("role")

	b.Go("/grid?application=berth-planning&group=pilots")
	b.Sees("Nobody signed in")
	b.Press("Inês Halloran: update berths/south-1: direct, until " + time.Now().AddDate(0, 0, 5).Format("2 Jan 2006"))
	b.Sees("by the role Berth scheduler")
	shot("grid")

	b.Go("/applications/incident-log?tab=coverage")
	b.Sees("not covered by any role")
	shot("coverage")
	b.Go("/expectations")
	b.Sees("Broken by")
	shot("expectations")
	b.Go("/findings")
	b.Sees("Roles with one holder")
	shot("findings")
	b.Go("/users/ines.halloran?tab=check&application=berth-planning&action=read&path=board")
	b.Until("the ways are drawn", `document.querySelectorAll("main svg path").length > 4`)
	shot("check")

	b.Go("/ledger")
	b.Press("Verify it")
	b.Sees("verified: every hash")
	shot("ledger")

	b.Go("/today")
	b.Sees("left by the sign-off of")
	shot("today")
	b.Go("/users/ines.halloran?tab=timeline")
	b.Sees("held since")
	b.Until("it is drawn", `document.querySelectorAll("main svg rect").length > 3`)
	shot("timeline")
	b.Go("/defaults?unit=terminal%2Fcranes&title=Crane%20operator")
	b.Sees("Can do")
	shot("defaults")

	m := testkit.NewTab(t, s.Base)
	m.SignIn(demo.Manager, demo.Password)
	m.Go("/requests/request-35")
	m.Sees("Your decision")
	m.Picture(filepath.Join(dir, "request.png"))
	m.Go("/reviews/marine-winter")
	m.Sees("undecided items shown")
	m.Eval(`document.querySelector("[data-line]").focus()`, nil)
	m.Hotkey("k")
	m.Hotkey("r")
	m.Key(testkit.EnterKey)
	m.Sees("Save 2 decisions")
	m.Picture(filepath.Join(dir, "review.png"))

	past := time.Now().AddDate(0, -6, 0).Format(time.DateOnly)
	b.Go("/users/ines.halloran?day=" + past)
	b.Sees("read only")
	shot("past-day")

	b.Press("Marta Quill")
	b.Press("Light or dark")
	b.Go("/delegations")
	b.Sees("Add a delegation")
	shot("delegations")

	r := s.CommandLine(t)
	var page strings.Builder
	run := func(stdin string, args ...string) {
		out, errOut, _ := r.Run(t, stdin, args...)
		fmt.Fprintf(&page, "<b>$ roster %s</b>\n%s\n", html.EscapeString(strings.Join(quoted(args), " ")), html.EscapeString(out+errOut))
	}
	r.Must(t, demo.Password, "sign-in", "-user", demo.Administrator)
	run("", "grant", "ines.halloran", "cargo-manifests/clerk", "--until", time.Now().AddDate(0, 2, 0).Format(time.DateOnly), "--dry-run")
	run("", "grant", "ines.halloran", "cargo-manifests/clerk", "--reason", "Covers the manifest desk")
	run("", "check", "ines.halloran", "cargo-manifests", "create", "manifests")
	run("", "revoke", "ines.halloran", "cargo-manifests/clerk", "--reason", "The desk is back")
	run("", "history", "--user", "ines.halloran", "--limit", "3")
	file := filepath.Join(t.TempDir(), "commands.html")
	text := `<meta charset="utf-8"><body style="margin:0;background:#10171f;color:#e8e4da"><pre style="font:12.5px/1.42 'DejaVu Sans Mono',monospace;padding:14px 18px">` + page.String() + `</pre>`
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	w := testkit.NewTab(t, "file://"+file)
	w.Go("")
	w.Sees("roster grant")
	w.Picture(filepath.Join(dir, "commands.png"))
}

func quoted(args []string) []string {
	out := make([]string, len(args))
	for i, a := range args {
		if out[i] = a; strings.Contains(a, " ") {
			out[i] = `"` + a + `"`
		}
	}
	return out
}
