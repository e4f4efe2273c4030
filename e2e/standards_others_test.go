package e2e

import (
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// script is a program of e2e/others, which uses packages that others wrote.
func script(t *testing.T, name string, args ...string) *exec.Cmd {
	t.Helper()
	dir := t.TempDir()
	text, err := os.ReadFile(filepath.Join(testkit.Root(), "e2e", "others", name))
	if err != nil {
		t.Fatal(err)
	}
	write(t, filepath.Join(dir, name), string(text))
	if err := os.Symlink(filepath.Join(testkit.Root(), "console", "node_modules"), filepath.Join(dir, "node_modules")); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("node", append([]string{name}, args...)...)
	cmd.Dir = dir
	return cmd
}

// A library that others wrote holds what we answer by SCIM to its schemas, and agrees on what a
// PATCH makes of a resource.
func TestSCIMFitsALibraryOfOthers(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	p := provision(t, s, s.SignIn(t, demo.Administrator), "personnel.system", `"role":"access-administrator"`)
	out, err := script(t, "scim.mjs", p.base, p.token).CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	var said struct {
		Looked int
		Faults []string
	}
	if err := json.Unmarshal(out, &said); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	if said.Looked < 200 || len(said.Faults) > 0 {
		t.Errorf("%d looked at:\n%s", said.Looked, strings.Join(said.Faults, "\n"))
	}
}

// A client that others wrote signs in at the identity provider of the demo: what our own tests
// are held to is the standard's.
func TestOurProviderServesAClientOfOthers(t *testing.T) {
	h := newHarbour(t, testkit.DemoDatabase(t), nil)
	cmd := script(t, "client.mjs", h.provider.Base, "ines.halloran")
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	var claims m
	if err := json.Unmarshal(out[strings.LastIndex(strings.TrimSpace(string(out)), "\n")+1:], &claims); err != nil || claims["sub"] != "account-ines.halloran" || fmt.Sprint(claims["amr"]) != "[pwd mfa]" {
		t.Errorf("%v %v\n%s", claims, err, out)
	}
}

// People sign in by an identity provider that others wrote.
func TestPeopleSignInByAProviderOfOthers(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	_, port, _ := net.SplitHostPort(l.Addr().String())
	l.Close()
	dir := t.TempDir()
	write(t, filepath.Join(dir, "secret"), "a rope of tides, by heart\n")
	write(t, filepath.Join(dir, "providers.json"), asText([]m{{"key": "pier-id", "label": "Pier ID", "issuer": "http://127.0.0.1:" + port, "client_id": "able-roster", "client_secret_file": "secret", "scopes": []string{"profile"}, "private": true}}))
	h := &harbour{t: t, service: testkit.Serve(t, testkit.DemoDatabase(t), "-identity-providers", filepath.Join(dir, "providers.json"))}
	h.provider = testkit.Serving(t, script(t, "provider.mjs", port, h.service.Base+"/sign-in-by", demo.Pilot, "a rope of tides, by heart"), regexp.MustCompile(`serves on (http://\S+)`))
	b := h.browser()
	status, begun := b.call("POST", "/session/provider-flow", m{"provider": "pier-id"})
	if status != 201 {
		t.Fatalf("%d %v", status, begun)
	}
	at, err := url.Parse(begun["address"].(string))
	if err != nil {
		t.Fatal(err)
	}
	for range 10 { // from page to page, until it leads back
		r, err := b.Get(at.String())
		if err != nil {
			t.Fatal(err)
		}
		r.Body.Close()
		to, err := r.Location()
		if err != nil {
			t.Fatalf("%s answers %s: %v", at, r.Status, err)
		}
		if at = to; at.Path == "/sign-in-by" {
			break
		}
	}
	came := m{}
	for k := range at.Query() {
		came[k] = at.Query().Get(k)
	}
	status, me := b.call("POST", "/session/provider", came)
	if status != 200 || me["user"].(m)["key"] != demo.Pilot {
		t.Fatalf("%d %v\n%s", status, me, h.service.Output())
	}
	status, out := b.call("DELETE", "/session", nil)
	if status != 204 {
		t.Fatal(status, out)
	}
	r, err := b.Get(out["at"].(string))
	if err != nil || r.StatusCode != http.StatusOK {
		t.Errorf("signing out there: %v %v", r, err)
	}
}
