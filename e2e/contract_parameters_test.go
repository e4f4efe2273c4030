package e2e

import (
	"encoding/json"
	"net/url"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// named are what a path names, and what a call cannot be asked without.
var named = map[string]string{
	"{application}": "berth-planning", "{attribute}": "unit", "{view}": "none", "{mapping}": "none", "{assignment}": "assignment-1", "{group}": "pilots", "{name}": "none", "{list}": "users",
	"{role}": "berth-planning%2Fscheduler", "{request}": "request-38", "{round}": "marine-winter", "{revision}": "900", "{user}": "ines.halloran",
	"application": "berth-planning", "action": "read", "path": "board", "pattern": "board", "with": "berth-planning/reader", "q": "hal", "from": "2026-10-01T00:00:00Z",
}

// Every read of the API tells a parameter it cannot take by its name, and is not
// read as if it had not been given: neither one that is misspelt, which would
// leave a list as wide as it is, nor one given twice, nor one of no meaning.
// What is odd, but could be meant, is answered somehow, and breaks nothing.
func TestNoReadTakesAParameterItCannotMean(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	document := contractOf(t, marta)
	asked, refused := 0, 0
	for _, route := range routesOf(t, marta) {
		method, path, _ := strings.Cut(route, " ")
		op := document.doc.Paths.Value("/api/v1" + path).GetOperation(method)
		if method != "GET" {
			continue
		}
		base, known := url.Values{}, map[string]bool{}
		for _, p := range op.Parameters {
			if p.Value.In == "query" {
				known[p.Value.Name] = true
				if p.Value.Required {
					base.Set(p.Value.Name, named[p.Value.Name])
				}
			}
		}
		if strings.HasPrefix(path, "/users/{user}/comparison") {
			base.Set("with", demo.Pilot)
		}
		if path == "/menu" {
			base.Set("application", "berth-planning")
		}
		if path == "/menu" || path == "/view-as" {
			base.Set("nobody", "true")
		}
		for name, value := range named {
			if strings.HasPrefix(name, "{") {
				path = strings.ReplaceAll(path, name, value)
			}
		}
		ask := func(q url.Values) (int, *wire.Problem) {
			t.Helper()
			asked++
			status, kind, raw := ask(t, marta, method, path+"?"+q.Encode(), "")
			document.fits(t, route, status, kind, raw)
			p := &wire.Problem{}
			if status < 300 {
				return status, nil
			}
			if err := json.Unmarshal(raw, p); err != nil {
				t.Errorf("%s?%.80s: %d %.80s", path, q.Encode(), status, raw)
			}
			return status, p
		}
		with := func(name string, values ...string) url.Values {
			q := url.Values{}
			for k, v := range base {
				q[k] = v
			}
			q[name] = values
			return q
		}
		must := func(q url.Values, name string) {
			t.Helper()
			status, p := ask(q)
			if status != 422 || len(p.Faults) == 0 || p.Faults[0].Place != name {
				t.Errorf("%s?%.100s: %d, %+v", path, q.Encode(), status, p)
				return
			}
			refused++
		}
		if status, p := ask(base); status != 200 && !strings.HasPrefix(path, "/imports/") && !strings.HasSuffix(path, "/none") && path != "/ledger/verification" {
			t.Errorf("%s?%s: %d %+v", path, base.Encode(), status, p)
			continue
		}
		must(with("fliter", "x"), "fliter")
		for name := range known {
			if name == "limit" && strings.HasPrefix(path, "/files") {
				continue
			}
			schema := op.Parameters.GetByInAndName("query", name).Schema.Value
			good := base.Get(name)
			if good == "" {
				good = map[string]string{"as_of": "2026-10-01T00:00:00Z", "limit": "5", "format": "csv"}[name]
			}
			if !schema.Type.Is("array") {
				must(with(name, good, good), name)
			}
			for _, blank := range []string{"", " "} { // which never means all
				must(with(name, blank), name)
			}
			switch {
			case schema.Type.Is("integer"):
				for _, bad := range []string{"x", "1.5", "-1", "99999999999999999999"} {
					must(with(name, bad), name)
				}
			case schema.Type.Is("boolean"):
				must(with(name, "maybe"), name)
			case len(schema.Enum) > 0:
				must(with(name, "nothing-of-it"), name)
				must(with(name, "\x00"), name)
			case name == "as_of", name == "from", name == "to":
				for _, bad := range []string{"yesterday", "2026-02-30T00:00:00Z", "2026-10-01", "\x00", "-1"} {
					if status, p := ask(with(name, bad)); status == 200 && bad == "2026-10-01" {
						continue // a day is an instant to some
					} else if status != 422 {
						t.Errorf("%s with %s %q: %d %+v", path, name, bad, status, p)
					}
				}
			default:
				if schema.MaxLength != nil {
					must(with(name, strings.Repeat("x", int(*schema.MaxLength)+1)), name)
				}
				for _, odd := range []string{"a\x00b", "\u202e", "%", "' OR 1=1 --", "nobody-and-nothing", "../../etc", "*", "{}", `"`} {
					if status, p := ask(with(name, odd)); status >= 500 {
						t.Errorf("%s with %s %q: %d %+v", path, name, odd, status, p)
					}
				}
			}
		}
	}
	if asked < 1000 || refused < 250 {
		t.Errorf("%d asked, %d refused", asked, refused)
	}
}
