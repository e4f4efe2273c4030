package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// provisioner is a personnel system that speaks SCIM.
type provisioner struct {
	t     *testing.T
	base  string
	token string
}

// provision makes a machine account that keeps people of a part of the port, or all of it.
func provision(t *testing.T, s *testkit.Service, marta *client.Client, name string, rights ...string) *provisioner {
	t.Helper()
	ops := []string{fmt.Sprintf(`{"op":"add_user","user_name":%q,"display_name":"Personnel system","kind":"service"}`, name)}
	for _, r := range rights {
		ops = append(ops, fmt.Sprintf(`{"op":"grant","user":%q,%s}`, name, r))
	}
	req := changeOf("The personnel system keeps people", ops...)
	req.Acknowledge = []string{"administering_gain", "wide_gain", "direct_assignment"}
	if _, err := marta.Change(ctx, req, false); err != nil {
		t.Fatal(err, asFaults(err))
	}
	var token wire.Token
	if err := marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{Label: "SCIM", User: name}, &token); err != nil {
		t.Fatal(err)
	}
	return &provisioner{t, s.Base + "/scim/v2", token.Secret}
}

// call sends a body, if there is one, and is the status, the answer and its headers.
func (p *provisioner) call(method, path string, body any, headers ...string) (int, m, http.Header) {
	p.t.Helper()
	text, is := body.(string)
	if body != nil && !is {
		text = asText(body)
	}
	status, raw, h := send(p.t, method, p.base+path, p.token, "application/scim+json", text, headers...)
	out := m{}
	if len(raw) > 0 {
		if err := json.Unmarshal(raw, &out); err != nil {
			p.t.Fatalf("%s %s: %d %s", method, path, status, raw)
		}
		if kind := h.Get("Content-Type"); !strings.HasPrefix(kind, "application/scim+json") {
			p.t.Errorf("%s %s is answered as %s", method, path, kind)
		}
	}
	if status >= 400 && (out["status"] != fmt.Sprint(status) || out["detail"] == nil) {
		p.t.Errorf("%s %s: %d is no error of SCIM: %v", method, path, status, out)
	}
	return status, out, h
}

// must is call, answered with a status.
func (p *provisioner) must(status int, method, path string, body any, headers ...string) m {
	p.t.Helper()
	got, out, _ := p.call(method, path, body, headers...)
	if got != status {
		p.t.Fatalf("%s %s %v: %d, not %d: %v", method, path, body, got, status, out)
	}
	return out
}

func (p *provisioner) list(kind, filter string, more ...string) (ids []string) {
	p.t.Helper()
	q := url.Values{}
	if filter != "" {
		q.Set("filter", filter)
	}
	for i := 0; i < len(more); i += 2 {
		q.Set(more[i], more[i+1])
	}
	out := p.must(200, "GET", "/"+kind+"?"+q.Encode(), nil)
	for _, x := range out["Resources"].([]any) {
		id, _ := x.(m)["id"].(string)
		ids = append(ids, id)
	}
	return ids
}

const (
	scimUser       = "urn:ietf:params:scim:schemas:core:2.0:User"
	scimGroup      = "urn:ietf:params:scim:schemas:core:2.0:Group"
	scimEnterprise = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
	scimOwn        = "urn:able-roster:scim:schemas:1.0:User"
)

func patchOf(ops ...m) m {
	return m{"schemas": []string{"urn:ietf:params:scim:api:messages:2.0:PatchOp"}, "Operations": ops}
}

// a value in an answer, by its names.
func in(x any, names ...any) any {
	for _, n := range names {
		switch n := n.(type) {
		case string:
			o, _ := x.(m)
			x = o[n]
		case int:
			l, _ := x.([]any)
			if n >= len(l) {
				return nil
			}
			x = l[n]
		}
	}
	return x
}

const everything = `"role":"access-administrator"`

// People come, are altered in every form of a patch, leave and come back, and what the ledger
// says of it names who sent it.
func TestPeopleAreKeptBySCIM(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	p := provision(t, s, marta, "personnel.system", everything)
	made, answer, h := p.call("POST", "/Users", m{"schemas": []string{scimUser, scimEnterprise}, "USERNAME": "sunniva.aalto", "externalId": "p-4711",
		"name": m{"givenName": "Sunniva", "familyName": "Aalto"}, "emails": []m{{"value": "home@larkhaven.example", "type": "home"}, {"value": "s.aalto@larkhaven.example", "type": "work", "primary": true}},
		"title": "Tide clerk", "userType": "staff", "active": true, "shoeSize": 39, "id": "user-1", "password": "is passed over",
		scimEnterprise: m{"department": "office", "manager": m{"value": "user-1"}}, scimOwn: m{"location": "Customs House", "startDate": "2026-01-05"}})
	id, _ := answer["id"].(string)
	if made != 201 || h.Get("Location") != p.base+"/Users/"+id || h.Get("ETag") == "" || in(answer, "meta", "version") != h.Get("ETag") || in(answer, "meta", "location") != h.Get("Location") {
		t.Fatalf("%d %v %v", made, answer, h)
	}
	for want, got := range map[any]any{
		"sunniva.aalto": answer["userName"], "Sunniva Aalto": answer["displayName"], "p-4711": answer["externalId"], "s.aalto@larkhaven.example": in(answer, "emails", 0, "value"),
		"office": in(answer, scimEnterprise, "department"), "Marta Quill": in(answer, scimEnterprise, "manager", "displayName"), "2026-01-05": in(answer, scimOwn, "startDate"), "staff": answer["userType"], true: answer["active"],
	} {
		if got != want {
			t.Errorf("%v, not %v", got, want)
		}
	}
	if answer["shoeSize"] != nil || answer["password"] != nil {
		t.Errorf("%v", answer)
	}
	if e := p.must(409, "POST", "/Users", m{"schemas": []string{scimUser}, "userName": "Sunniva.Aalto"}); e["scimType"] != "uniqueness" {
		t.Errorf("%v", e)
	}
	if e := p.must(409, "POST", "/Users", m{"schemas": []string{scimUser}, "userName": "another.one", "externalId": "p-4711"}); e["scimType"] != "uniqueness" {
		t.Errorf("%v", e)
	}
	at := "/Users/" + id
	step := func(ops ...m) m { t.Helper(); return p.must(200, "PATCH", at, patchOf(ops...)) }
	for i, x := range []struct {
		op    m
		want  any
		names []any
	}{
		{m{"op": "replace", "path": "title", "value": "Tide keeper"}, "Tide keeper", []any{"title"}},
		{m{"op": "Replace", "path": "TITLE", "value": "Tide warden"}, "Tide warden", []any{"title"}},
		{m{"op": "add", "value": m{"title": "Keeper", scimEnterprise: m{"department": "finance"}}}, "finance", []any{scimEnterprise, "department"}},
		{m{"op": "replace", "value": m{scimEnterprise + ":department": "office"}}, "office", []any{scimEnterprise, "department"}},
		{m{"op": "replace", "path": scimEnterprise + ":department", "value": "finance"}, "finance", []any{scimEnterprise, "department"}},
		{m{"op": "replace", "path": "name.formatted", "value": "Sunniva Aalto-Brisk"}, "Sunniva Aalto-Brisk", []any{"displayName"}},
		{m{"op": "replace", "value": m{"displayName": "Sunniva Brisk"}}, "Sunniva Brisk", []any{"name", "formatted"}},
		{m{"op": "replace", "path": `emails[type eq "work"].value`, "value": "brisk@larkhaven.example"}, "brisk@larkhaven.example", []any{"emails", 0, "value"}},
		{m{"op": "replace", "path": `emails[type eq "work" and primary eq true]`, "value": m{"value": "s.brisk@larkhaven.example"}}, "s.brisk@larkhaven.example", []any{"emails", 0, "value"}},
		{m{"op": "remove", "path": `emails[value co "brisk"]`}, nil, []any{"emails"}},
		{m{"op": "add", "path": `emails[type eq "work"].value`, "value": "again@larkhaven.example"}, "again@larkhaven.example", []any{"emails", 0, "value"}},
		{m{"op": "add", "path": "emails", "value": []m{{"value": "new@larkhaven.example", "primary": true}}}, "new@larkhaven.example", []any{"emails", 0, "value"}},
		{m{"op": "replace", "path": scimEnterprise + ":manager", "value": "user-2"}, "user-2", []any{scimEnterprise, "manager", "value"}},
		{m{"op": "replace", "path": scimEnterprise + ":manager.value", "value": "user-1"}, "user-1", []any{scimEnterprise, "manager", "value"}},
		{m{"op": "remove", "path": scimEnterprise + ":manager"}, nil, []any{scimEnterprise, "manager"}},
		{m{"op": "replace", "path": "active", "value": "False"}, false, []any{"active"}},
		{m{"op": "replace", "path": "active", "value": true}, true, []any{"active"}},
		{m{"op": "remove", "path": "title"}, nil, []any{"title"}},
		{m{"op": "replace", "path": "title", "value": nil}, nil, []any{"title"}},
		{m{"op": "replace", "path": scimOwn + ":location", "value": "Gatehouse"}, "Gatehouse", []any{scimOwn, "location"}},
		{m{"op": "replace", "path": "externalId", "value": "p-4712"}, "p-4712", []any{"externalId"}},
	} {
		if got := step(x.op); in(got, x.names...) != x.want {
			t.Errorf("patch %d, %v: %v, not %v", i, x.op, in(got, x.names...), x.want)
		}
	}
	before := p.must(200, "GET", at, nil)
	for body, kind := range map[string]string{
		`{"op":"replace","path":"userName","value":"other"}`:                              "mutability",
		`{"op":"replace","path":"id","value":"user-1"}`:                                   "mutability",
		`{"op":"replace","path":"groups","value":[]}`:                                     "mutability",
		`{"op":"remove","path":"userName"}`:                                               "invalidValue",
		`{"op":"replace","path":"shoes","value":"x"}`:                                     "invalidPath",
		`{"op":"replace","path":"name.shoes","value":"x"}`:                                "invalidPath",
		`{"op":"replace","path":"emails[type eq","value":"x"}`:                            "invalidPath",
		`{"op":"replace","path":"emails[type is \"x\"].value","value":"x"}`:               "invalidFilter",
		`{"op":"replace","path":"emails[shoe eq \"x\"].value","value":"x"}`:               "invalidFilter",
		`{"op":"replace","path":"title[value eq \"x\"]","value":"x"}`:                     "invalidPath",
		`{"op":"replace","path":"emails[type eq \"pager\"].value","value":"x@y.example"}`: "noTarget",
		`{"op":"remove"}`:                                                                    "noTarget",
		`{"op":"burn","path":"title"}`:                                                       "invalidSyntax",
		`{"op":"replace","path":"active","value":"maybe"}`:                                   "invalidValue",
		`{"op":"replace","path":"title","value":7}`:                                          "invalidValue",
		`{"op":"replace","path":"` + scimOwn + `:endDate","value":"tomorrow"}`:               "invalidValue",
		`{"op":"replace","path":"` + scimEnterprise + `:department","value":"no/such/unit"}`: "invalidValue",
		`{"op":"replace","path":"title","value":"Half"},{"op":"replace","path":"shoes"}`:     "invalidPath",
	} {
		e := p.must(400, "PATCH", at, `{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[`+body+`]}`)
		if e["scimType"] != kind {
			t.Errorf("%s is %v, not %s", body, e, kind)
		}
	}
	if after := p.must(200, "GET", at, nil); fmt.Sprint(after) != fmt.Sprint(before) {
		t.Errorf("what was refused left something:\n%v\n%v", before, after)
	}

	// Replaced whole, what is not given is cleared.
	tag := in(before, "meta", "version").(string)
	p.must(412, "PUT", at, m{"schemas": []string{scimUser}, "userName": "sunniva.aalto"}, "If-Match", `W/"other"`)
	put := p.must(200, "PUT", at, m{"schemas": []string{scimUser}, "userName": "sunniva.aalto", "displayName": "Sunniva Aalto", "active": true, scimEnterprise: m{"department": "office"}}, "If-Match", tag)
	if put["emails"] != nil || put["externalId"] != nil || in(put, scimOwn, "location") != nil || in(put, scimEnterprise, "department") != "office" {
		t.Errorf("%v", put)
	}
	if status, _, _ := p.call("GET", at, nil, "If-None-Match", in(put, "meta", "version").(string)); status != 304 {
		t.Errorf("as it was: %d", status)
	}
	p.must(412, "DELETE", at, nil, "If-Match", tag)

	// They leave, are there no more, and come back under the externalId of the client.
	step(m{"op": "add", "path": "externalId", "value": "p-4711"})
	p.must(204, "DELETE", at, nil)
	for _, method := range []string{"GET", "DELETE"} {
		p.must(404, method, at, nil)
	}
	p.must(404, "PATCH", at, patchOf(m{"op": "remove", "path": "title"}))
	if got := p.list("Users", `userName eq "sunniva.aalto"`); len(got) > 0 {
		t.Errorf("%v", got)
	}
	var gone wire.UserDetail
	if err := marta.Do(ctx, "GET", "/users/"+id, nil, nil, &gone); err != nil || gone.Status != "departed" {
		t.Errorf("%s, %v", gone.Status, err)
	}
	p.must(409, "POST", "/Users", m{"schemas": []string{scimUser}, "userName": "sunniva.aalto"})
	back := p.must(201, "POST", "/Users", m{"schemas": []string{scimUser}, "userName": "sunniva.aalto", "externalId": "p-4711", "title": "Tide clerk"})
	if back["id"] != id || back["active"] != true || back["title"] != "Tide clerk" {
		t.Errorf("%v", back)
	}
	var said wire.RevisionList
	if err := marta.Do(ctx, "GET", "/revisions?limit=5", nil, nil, &said); err != nil || !strings.HasPrefix(said.Revisions[0].Reason, "By SCIM: a user was created") || said.Revisions[0].By.Key != "personnel.system" {
		t.Errorf("%+v, %v", said.Revisions, err)
	}
	// What the client called them goes with their erasure.
	p.must(204, "DELETE", at, nil)
	if _, err := marta.Change(ctx, changeOf("They asked for it", `{"op":"erase_user","user":"`+id+`"}`), false); err != nil {
		t.Fatal(err, asFaults(err))
	}
	if anew := p.must(201, "POST", "/Users", m{"schemas": []string{scimUser}, "userName": "somebody.else", "externalId": "p-4711"}); anew["id"] == id {
		t.Errorf("an erased record came back: %v", anew)
	}
}

// Groups and their members are kept, as large as one patch may be, and told to no other client
// under this one's names.
func TestGroupsAreKeptBySCIM(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	p := provision(t, s, marta, "personnel.system", everything)
	other := provision(t, s, marta, "another.system", everything)
	users := p.list("Users", `active eq true`, "count", "40")
	member := func(ids ...string) (out []m) {
		for _, id := range ids {
			out = append(out, m{"value": id})
		}
		return out
	}
	made := p.must(201, "POST", "/Groups", m{"schemas": []string{scimGroup}, "displayName": "Tide Watch (night)", "externalId": "g-1", "members": member(users[0], users[1])})
	at := "/Groups/" + made["id"].(string)
	ids := func(x m) string {
		var out []string
		members, _ := x["members"].([]any)
		for _, y := range members {
			out = append(out, in(y, "value").(string))
		}
		slices.Sort(out)
		return strings.Join(out, " ")
	}
	want := func(x m, some ...string) {
		t.Helper()
		slices.Sort(some)
		if ids(x) != strings.Join(some, " ") {
			t.Errorf("%s, not %v", ids(x), some)
		}
	}
	want(made, users[0], users[1])
	if in(made, "members", 0, "type") != "User" || in(made, "members", 0, "$ref") == nil {
		t.Errorf("%v", made)
	}
	want(p.must(200, "PATCH", at, patchOf(m{"op": "add", "path": "members", "value": member(users[2], users[1])})), users[0], users[1], users[2])
	want(p.must(200, "PATCH", at, patchOf(m{"op": "remove", "path": `members[value eq "` + users[0] + `"]`})), users[1], users[2])
	want(p.must(200, "PATCH", at, patchOf(m{"op": "remove", "path": `members[value eq "` + users[0] + `"]`})), users[1], users[2])
	want(p.must(200, "PATCH", at, patchOf(m{"op": "remove", "path": "members", "value": member(users[1])})), users[2])
	want(p.must(200, "PATCH", at, patchOf(m{"op": "replace", "path": "members", "value": member(users[:30]...)})), users[:30]...)
	inner := p.must(201, "POST", "/Groups", m{"schemas": []string{scimGroup}, "displayName": "Tide Watch South"})
	both := p.must(200, "PUT", at, m{"schemas": []string{scimGroup}, "displayName": "Tide Watch", "members": member(users[0], inner["id"].(string))})
	want(both, users[0], inner["id"].(string))
	if both["displayName"] != "Tide Watch" || both["externalId"] != nil {
		t.Errorf("%v", both)
	}
	for body, kind := range map[string]string{
		`{"op":"add","path":"members","value":[{"value":"user-99999"}]}`:                    "invalidValue",
		`{"op":"add","path":"members","value":[{"value":"ines"}]}`:                          "invalidValue",
		`{"op":"add","path":"members","value":[{"display":"ines"}]}`:                        "invalidValue",
		`{"op":"remove","path":"displayName"}`:                                              "invalidValue",
		`{"op":"replace","path":"members[value eq \"user-99999\"].value","value":"user-1"}`: "noTarget",
	} {
		if e := p.must(400, "PATCH", at, `{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[`+body+`]}`); e["scimType"] != kind {
			t.Errorf("%s: %v", body, e)
		}
	}
	p.must(200, "PATCH", at, patchOf(m{"op": "replace", "path": "externalId", "value": "g-1"}))
	if x := other.must(200, "GET", at, nil); x["externalId"] != nil {
		t.Errorf("another client is told %v", x["externalId"])
	}
	other.must(200, "PATCH", at, patchOf(m{"op": "add", "path": "externalId", "value": "g-1"}))
	if got := p.list("Groups", `displayName sw "tide watch"`); len(got) != 2 {
		t.Errorf("%v", got)
	}
	p.must(204, "DELETE", at, nil)
	p.must(404, "GET", at, nil)
	if got := p.list("Groups", `displayName sw "tide watch"`); len(got) != 1 {
		t.Errorf("%v", got)
	}
	want(other.must(200, "GET", at, nil))
	if back := p.must(201, "POST", "/Groups", m{"schemas": []string{scimGroup}, "displayName": "Tide Watch", "externalId": "g-1", "members": member(users[3])}); "/Groups/"+back["id"].(string) != at {
		t.Errorf("%v", back)
	}
}

// What a client may not see is not there, and what it may not do is refused, in words that are
// the same whatever is there.
func TestASCIMClientKeepsItsPart(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	p := provision(t, s, marta, "marine.system", `"role":"marine-manager"`)
	all := p.list("Users", "", "count", "500")
	if len(all) == 0 {
		t.Fatal("it sees nobody")
	}
	var page wire.UserList
	if err := marta.Do(ctx, "GET", "/users?limit=500", nil, nil, &page); err != nil {
		t.Fatal(err)
	}
	for _, u := range page.Users {
		inside := strings.HasPrefix(u.Unit, "marine")
		if seen := slices.Contains(all, u.ID); seen && !inside {
			t.Errorf("it sees %s of %s", u.UserName, u.Unit)
		}
		if inside || u.Kind != "person" {
			continue
		}
		_, there, _ := p.call("GET", "/Users/"+u.ID, nil)
		_, nowhere, _ := p.call("GET", "/Users/user-999999", nil)
		if strings.ReplaceAll(fmt.Sprint(there), u.ID, "X") != strings.ReplaceAll(fmt.Sprint(nowhere), "user-999999", "X") {
			t.Fatalf("%v, and for nobody %v", there, nowhere)
		}
		break
	}
	for _, x := range []struct {
		method, path string
		body         any
	}{
		{"POST", "/Users", m{"schemas": []string{scimUser, scimEnterprise}, "userName": "out.side", scimEnterprise: m{"department": "finance"}}},
		{"PATCH", "/Users/" + all[0], patchOf(m{"op": "replace", "path": scimEnterprise + ":department", "value": "finance"})},
	} {
		if status, e, _ := p.call(x.method, x.path, x.body); status != 403 && status != 400 {
			t.Errorf("%s %v: %d %v", x.method, x.body, status, e)
		}
	}
	anonymous := &provisioner{t, s.Base + "/scim/v2", "roster_nobody"}
	anonymous.must(401, "GET", "/Users", nil)
	anonymous.must(401, "GET", "/ServiceProviderConfig", nil)
}

// Whatever is sent that is no SCIM is refused whole, in SCIM's words.
func TestSCIMRefusesWhatItMust(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	p := provision(t, s, marta, "personnel.system", everything)
	before := len(p.list("Users", "", "count", "500"))
	for body, status := range map[string]int{
		``:                         400,
		`[]`:                       400,
		`null`:                     400,
		`{`:                        400,
		`{"schemas":[]}`:           400,
		`{"userName":"no.schema"}`: 400,
		`{"schemas":["` + scimGroup + `"],"userName":"x.y"}`:                   400,
		`{"schemas":["` + scimUser + `"]}`:                                     400,
		`{"schemas":["` + scimUser + `"],"userName":""}`:                       400,
		`{"schemas":["` + scimUser + `"],"userName":7}`:                        400,
		`{"schemas":["` + scimUser + `"],"userName":"a b"}`:                    400,
		`{"schemas":["` + scimUser + `"],"userName":"x.y","userName":"x.z"}`:   400,
		`{"schemas":["` + scimUser + `"],"userName":"x.y","active":"perhaps"}`: 400,
		`{"schemas":["` + scimUser + `"],"userName":"x.y","emails":"@"}`:       400,
		`{"schemas":["` + scimUser + `"],"userName":"x.y","emails":[{"value":"a@b.example","primary":true},{"value":"c@d.example","primary":true}]}`: 400,
		`{"schemas":["` + scimUser + `"],"userName":"x.y","` + scimEnterprise + `":"x"}`:                                                             400,
		`{"schemas":["` + scimUser + `"],"userName":"x.y","` + scimEnterprise + `":{"manager":{"value":"user-99999"}}}`:                              400,
		`{"schemas":["` + scimUser + `"],"userName":"` + strings.Repeat("x", 200) + `"}`:                                                             400,
		`{"schemas":["` + scimUser + `"],"userName":"marta.quill"}`:                                                                                  409,
	} {
		if got, e, _ := p.call("POST", "/Users", body); got != status {
			t.Errorf("%.120s: %d %v", body, got, e)
		}
	}
	if after := len(p.list("Users", "", "count", "500")); after != before {
		t.Errorf("%d people before, %d after", before, after)
	}
	p.must(415, "POST", "/Users", "x", "Content-Type", "text/xml")
	p.must(404, "GET", "/Persons", nil)
	p.must(404, "GET", "/Users/47", nil)
	p.must(404, "GET", "/Users/group-3", nil)
	p.must(405, "POST", "/Users/user-1", m{})
	p.must(501, "POST", "/Bulk", m{})
	p.must(501, "GET", "/Me", nil)
	p.must(403, "GET", "/Schemas?filter=x", nil)
	if c := p.must(200, "GET", "/ServiceProviderConfig", nil); in(c, "patch", "supported") != true || in(c, "bulk", "supported") != false || in(c, "etag", "supported") != true {
		t.Errorf("%v", c)
	}
	for _, path := range []string{"/ResourceTypes", "/Schemas"} {
		all := p.must(200, "GET", path, nil)
		for _, x := range all["Resources"].([]any) {
			one := p.must(200, "GET", path+"/"+in(x, "id").(string), nil)
			if fmt.Sprint(one) != fmt.Sprint(x) {
				t.Errorf("%v is another by itself", in(x, "id"))
			}
		}
	}
	if schema := p.must(200, "GET", "/Schemas/"+scimOwn, nil); !strings.Contains(fmt.Sprint(schema), "boat_licence") {
		t.Error("declared attributes are in no schema")
	}
}

// A personnel system that dismisses everybody is stopped, by several calls at once too, and is
// told why; nobody else's account is touched.
func TestWhoDismissesEverybodyIsStopped(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	p := provision(t, s, marta, "personnel.system", everything)
	everybody := p.list("Users", "active eq true", "count", "500")
	type answer struct {
		status int
		detail string
	}
	answers := make(chan answer, len(everybody))
	work := make(chan string)
	for range 8 {
		go func() {
			for id := range work {
				var status int
				var e m
				if id[len(id)-1]%2 == 0 {
					status, e, _ = p.call("DELETE", "/Users/"+id, nil)
				} else {
					status, e, _ = p.call("PATCH", "/Users/"+id, patchOf(m{"op": "replace", "path": "active", "value": false}))
				}
				answers <- answer{status, fmt.Sprint(e["detail"])}
			}
		}()
	}
	for _, id := range everybody[len(everybody)-60:] {
		work <- id
	}
	close(work)
	left, stopped := 0, 0
	for range 60 {
		switch a := <-answers; {
		case a.status == 200 || a.status == 204:
			left++
		case a.status == 409 && strings.Contains(a.detail, "guard rail many_departures"):
			stopped++
		default:
			t.Errorf("%d %s", a.status, a.detail)
		}
	}
	now := p.list("Users", "active eq true", "count", "500")
	if left != max(10, len(everybody)/20) && left != max(10, (len(everybody)-left)/20) || len(now) != len(everybody)-left || stopped == 0 {
		t.Errorf("of %d people %d left, %d were stopped, %d are active", len(everybody), left, stopped, len(now))
	}
}

// Of several calls at once that call something by the same externalId one makes it, and the others
// make nothing; by way of two services too.
func TestTwoAreNotCalledTheSame(t *testing.T) {
	database := testkit.DemoDatabase(t)
	a := testkit.Serve(t, database)
	p := provision(t, a, a.SignIn(t, demo.Administrator), "personnel.system", everything)
	b := testkit.Serve(t, database)
	beside := &provisioner{t, b.Base + "/scim/v2", p.token}
	testkit.Until(t, "the other service knows the account", func() bool {
		status, _, _ := beside.call("GET", "/ServiceProviderConfig", nil)
		return status == 200
	})
	answers := make(chan int, 8)
	for i := range 8 {
		by := []*provisioner{p, beside}[i%2]
		go func() {
			status, _, _ := by.call("POST", "/Users", m{"schemas": []string{scimUser}, "userName": fmt.Sprintf("same.%d", i), "externalId": "same"})
			answers <- status
		}()
	}
	made := 0
	for range 8 {
		switch status := <-answers; status {
		case 201:
			made++
		case 409:
		default:
			t.Errorf("answered %d", status)
		}
	}
	if all := p.list("Users", `userName sw "same."`); made != 1 || len(all) != 1 {
		t.Errorf("%d were made, %d are there", made, len(all))
	}
	if found := p.list("Users", `externalId eq "same"`); len(found) != 1 {
		t.Errorf("found by it: %v", found)
	}
	// What another is called refuses the whole of a change.
	other := p.must(201, "POST", "/Users", m{"schemas": []string{scimUser}, "userName": "an.other", "title": "Clerk"})
	p.must(409, "PATCH", "/Users/"+other["id"].(string), patchOf(m{"op": "replace", "path": "title", "value": "Keeper"}, m{"op": "add", "path": "externalId", "value": "same"}))
	if now := p.must(200, "GET", "/Users/"+other["id"].(string), nil); now["title"] != "Clerk" {
		t.Errorf("half of it was done: %v", now)
	}
	// What is refused leaves its name free.
	p.must(400, "POST", "/Users", m{"schemas": []string{scimUser}, "userName": "a b", "externalId": "free"})
	p.must(201, "POST", "/Users", m{"schemas": []string{scimUser}, "userName": "a.b", "externalId": "free"})
}
