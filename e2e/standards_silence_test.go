package e2e

import (
	"fmt"
	"net/url"
	"strings"
	"testing"

	"ableroster/demo"
)

// Two organisations that differ only outside a client's part give the same bytes by the open
// standards too: by SCIM, whatever is listed, filtered, sorted, changed or refused, and by AuthZEN,
// whatever is decided or searched for.
func TestWhatIsOutsideChangesNoAnswerByTheStandards(t *testing.T) {
	who, _ := twoThatDifferOutside(t)
	type call struct{ method, path, kind, body string }
	var calls []call
	get := func(path string) { calls = append(calls, call{"GET", path, "application/scim+json", ""}) }
	put := func(method, path string, body m) {
		calls = append(calls, call{method, path, "application/scim+json", asText(body)})
	}
	ask := func(path string, body m) {
		calls = append(calls, call{"POST", "/access/v1/" + path, "application/json", asText(body)})
	}
	for _, q := range []string{"", "count=500", "count=0", "startIndex=50&count=20", "sortBy=title", "sortBy=userName&sortOrder=descending&count=30", "attributes=userName,title", "excludedAttributes=groups,roles"} {
		get("/scim/v2/Users?" + q)
		get("/scim/v2/Groups?" + q)
	}
	for _, f := range []string{`title eq "Tug master"`, `title pr`, `userName sw "hid"`, `userName sw "vei"`, `displayName co "a"`, `active eq false`, `emails.value co "bb@"`, `groups.display eq "Few"`, `urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:department sw "finance"`, `not (title pr)`, `id eq "user-3"`} {
		get("/scim/v2/Users?filter=" + url.QueryEscape(f))
		put("POST", "/scim/v2/Users/.search", m{"schemas": []string{"urn:ietf:params:scim:api:messages:2.0:SearchRequest"}, "filter": f, "count": 3})
	}
	for _, f := range []string{`displayName eq "Few"`, `displayName pr`, `members.value eq "user-3"`, `displayName sw "Pilot"`} {
		get("/scim/v2/Groups?filter=" + url.QueryEscape(f))
	}
	patch := func(ops ...m) m {
		return m{"schemas": []string{"urn:ietf:params:scim:api:messages:2.0:PatchOp"}, "Operations": ops}
	}
	for _, id := range []string{"user-1", "user-3", "user-257", "user-999999", "group-1", "group-999", "hidden.alpha"} {
		for _, kind := range []string{"Users", "Groups"} {
			at := "/scim/v2/" + kind + "/" + id
			get(at)
			put("PATCH", at, patch(m{"op": "replace", "path": "urn:nowhere:title", "value": "x"}))
			put("PUT", at, m{"schemas": []string{"urn:ietf:params:scim:schemas:core:2.0:User"}})
		}
		put("PATCH", "/scim/v2/Groups/group-1", patch(m{"op": "add", "path": "members", "value": []m{{"value": id, "$ref": "x", "type": "Robot"}}}))
	}
	for _, user := range []string{demo.Pilot, "b.osei", "hidden.alpha", "not.there"} {
		for _, on := range [][2]string{{"berth-planning", "berths/north-1"}, {"tariff-ledger", "tariffs"}, {"not-there", "/"}} {
			q := m{"subject": m{"type": "user", "id": user}, "action": m{"name": "read"}, "resource": m{"type": on[0], "id": on[1]}, "context": m{"explain": true}}
			ask("evaluation", q)
			ask("evaluations", m{"evaluations": []m{q, q}})
			ask("search/resource", m{"subject": q["subject"], "action": q["action"], "resource": m{"type": on[0]}})
			ask("search/action", m{"subject": q["subject"], "resource": q["resource"]})
			ask("search/subject", m{"subject": m{"type": "user"}, "action": q["action"], "resource": q["resource"]})
		}
	}
	asked := 0
	for name := range who[0] {
		for _, x := range calls {
			var status [2]int
			var answer [2]string
			for n := range who {
				c := who[n][name]
				code, raw, h := send(t, x.method, c.Base+x.path, c.Token, x.kind, x.body)
				status[n] = code
				answer[n] = lasting(strings.ReplaceAll(string(raw)+" "+h.Get("Location"), c.Base, "…"))
			}
			asked++
			if status[0] != status[1] || answer[0] != answer[1] {
				t.Errorf("%s calls %s %s %s: %d and %d\n%s", name, x.method, x.path, x.body, status[0], status[1], firstDifference(answer[0], answer[1]))
			}
			if status[0] == 200 && !strings.Contains(x.path+x.body, "hidden") && told.MatchString(answer[0]) {
				t.Errorf("%s calls %s %s, and is told %s", name, x.method, x.path, told.FindString(answer[0]))
			}
			if status[0] >= 500 {
				t.Errorf("%s %s: %d %s", x.method, x.path, status[0], answer[0])
			}
		}
	}
	t.Log(fmt.Sprint(asked, " calls made to both"))
}
