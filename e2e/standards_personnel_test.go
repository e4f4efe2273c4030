package e2e

import (
	"html"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// The personnel system of the demo, step by step: who came, moved, left and came back is so in Able
// Roster, and what was refused, or stopped, is said there and here.
func TestThePersonnelSystemKeepsPeople(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	token := filepath.Join(t.TempDir(), "token")
	cmd := exec.Command(testkit.Program(t, "personnel"), "-listen", "127.0.0.1:0", "-service", s.Base, "-token-file", token, "-administrator", demo.Administrator)
	cmd.Env = append(os.Environ(), "PERSONNEL_PASSWORD="+demo.Password)
	p := testkit.Serving(t, cmd, regexp.MustCompile(`serves on (http://\S+)`))
	next := func(wants ...string) {
		t.Helper()
		r, err := http.Post(p.Base+"/next", "application/x-www-form-urlencoded", nil)
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		raw, err := io.ReadAll(r.Body)
		if err != nil {
			t.Fatal(err)
		}
		for _, want := range wants {
			if text := html.UnescapeString(string(raw)); !strings.Contains(text, want) {
				t.Fatalf("the page does not say %q:\n%s", want, text)
			}
		}
	}
	person := func(name string) (u wire.UserDetail) {
		t.Helper()
		if err := marta.Do(ctx, "GET", "/users/"+name, nil, nil, &u); err != nil {
			t.Fatal(err)
		}
		return u
	}
	active := func() int {
		t.Helper()
		all, err := marta.Users(ctx, client.Query{"filter": `within eq "engineering" and status eq "active"`, "limit": "500"})
		if err != nil {
			t.Fatal(err)
		}
		return all.Total
	}
	next("201 Liv Aasgaard", "201 Dinis Vasco-Roe", "201 Petra Ilves")
	next("200 Petra Brisk")
	if u := person("petra.ilves"); u.DisplayName != "Petra Brisk" {
		t.Error(u.DisplayName)
	}
	next("200 Dinis Vasco-Roe")
	if u := person("dinis.vasco-roe"); u.Unit != "marine/tugs" || u.Title != "Tug hand" {
		t.Errorf("%+v", u.User)
	}
	next("201 Tugs at night")
	next("400", "terminal/moon-base")
	next("204")
	if u := person("liv.aasgaard"); u.Status != "departed" {
		t.Error(u.Status)
	}
	next("201 Liv Aasgaard")
	if u := person("liv.aasgaard"); u.Status != "active" {
		t.Error(u.Status)
	}
	before := active()
	next("guard rail many_departures")
	if now := active(); now >= before || now == 0 {
		t.Errorf("of %d in engineering %d are left", before, now)
	}
	var all wire.ConnectionList
	testkit.Until(t, "the connection says so", func() bool {
		return marta.Do(ctx, "GET", "/connections", nil, nil, &all) == nil && len(all.Connections) == 1 && all.Connections[0].Refused != nil && strings.Contains(all.Connections[0].Refused.Why, "many_departures")
	})
	if c := all.Connections[0]; c.Account.Key != "personnel.system" || c.Standard != "SCIM" || !strings.HasPrefix(c.Refused.Call, "PATCH /Users/user-") {
		t.Errorf("%+v", c)
	}
	next()
	if now := active(); now != before {
		t.Errorf("of %d in engineering %d are back", before, now)
	}
	next("DELETE /Groups/")
	if u := person("petra.ilves"); u.Status != "departed" {
		t.Error(u.Status)
	}
	next("201 Liv Aasgaard", "201 Petra Ilves") // again from the beginning
}
