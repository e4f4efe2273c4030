package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// exampleCalls are those of which the document shows an example that differs from how
// TestEveryRouteAgainstEveryRole calls them. A status without an answer is one whose answer is
// shown elsewhere, or has none.
var exampleCalls = map[string]routeCall{
	"POST /check":                              {path: "/check", body: `{"user":"ines.halloran","application":"berth-planning","action":"read","path":"board"}`},
	"POST /checks":                             {path: "/checks", body: `{"checks":[{"user":"ines.halloran","application":"berth-planning","action":"read","path":"board"},{"nobody":true,"application":"tide-board","action":"read","path":"tides"}]}`},
	"GET /menu":                                {path: "/menu?user=ines.halloran&application=tide-board"},
	"GET /new-user-preview":                    {path: "/new-user-preview?would_be=%7B%22unit%22%3A%22terminal%2Ftally%22%7D"},
	"GET /assignments/{assignment}":            {path: "/assignments/assignment-1"},
	"GET /users/{user}/timeline/permission":    {path: "/users/ines.halloran/timeline/permission?application=berth-planning&action=read&path=board"},
	"GET /catalogue/{role}":                    {path: "/catalogue/berth-planning%2Fscheduler"},
	"GET /requests/{request}":                  {path: "/requests/request-38"},
	"GET /reviews/{round}":                     {path: "/reviews/marine-winter"},
	"GET /reviews/{round}/items":               {path: "/reviews/marine-winter/items"},
	"GET /reviews/{round}/items.csv":           {path: "/reviews/marine-winter/items.csv"},
	"GET /security-log":                        {path: "/security-log"},
	"GET /imports":                             {path: "/imports"},
	"GET /views":                               {path: "/views"},
	"GET /mappings":                            {path: "/mappings"},
	"GET /users/{user}":                        {path: "/users/ines.halloran"},
	"GET /users/{user}/access":                 {path: "/users/ines.halloran/access"},
	"GET /groups/{group}":                      {path: "/groups/pilots"},
	"GET /revisions/{revision}":                {path: "/revisions/1019"},
	"POST /changes":                            {path: "/changes", body: `{"reason":"Covers for the tide office","operations":[{"op":"grant","user":"ines.halloran","role":"tide-board/editor"}]}`},
	"POST /what-if":                            {path: "/what-if", body: `{"operations":[{"op":"grant","user":"ines.halloran","role":"tide-board/editor"}],"checks":[{"user":"ines.halloran","application":"tide-board","action":"update","path":"tides"}]}`},
	"POST /pending-changes":                    {path: "/pending-changes", body: `{"name":"Regatta week","lines":[{"operations":[{"op":"grant","user":"ines.halloran","role":"tide-board/editor"}]}]}`},
	"POST /pending-changes/{change}/refusal":   {path: "", body: `{"why":"One office is enough"}`},
	"DELETE /pending-changes/{change}":         {path: ""},
	"POST /imports/users":                      {path: "/imports/users?reason=Season&track=season", body: "user_name,display_name,unit\nlena.marrick,Lena Marrick,marine/tugs\n"},
	"POST /imports/groups":                     {path: "/imports/groups?reason=Season", body: "group,label,unit\nregatta-desk,Regatta desk,marine\n"},
	"POST /imports/memberships":                {path: "/imports/memberships?reason=Season", body: "group,user\nnight-pilots,ines.halloran\n"},
	"POST /imports/assignments":                {path: "/imports/assignments?reason=Season", body: "role,user,until\ntide-board/editor,ines.halloran,2099-01-31\n"},
	"POST /roster-file":                        {path: "/roster-file?reason=Season", body: "roster_file: 1\ngroups:\n  regatta-desk: {label: Regatta desk}\n"},
	"GET /imports/{name}":                      {path: "/imports/season"},
	"DELETE /imports/{name}":                   {path: ""},
	"PUT /me/password":                         {path: "", body: `{"current_password":"larkhaven-tide-table","new_password":"seven swans on the slipway"}`},
	"POST /password-reset":                     {path: "", body: `{"user_name":"ines.halloran"}`},
	"POST /sign-up":                            {path: "", body: `{"email":"nobody@here.example"}`},
	"POST /sign-up/account":                    {path: "", body: `{"link":"x","display_name":"x","password":"x"}`},
	"POST /users/{user}/invitation":            {path: ""},
	"POST /me/second-factor":                   {path: "/me/second-factor"},
	"POST /me/passkeys/ceremony":               {path: "", body: `{"current_password":"tide tables by heart"}`},
	"POST /me/passkeys":                        {path: "", body: `{"ceremony":"q3kZ","response":{"id":"AAAA","rawId":"AAAA","type":"public-key","response":{}},"label":"Office laptop"}`},
	"POST /me/passkeys/{id}/removal":           {path: "", body: `{"current_password":"tide tables by heart"}`},
	"POST /session/passkey-ceremony":           {path: "", without: 400},
	"POST /session/passkey":                    {path: "", body: `{"ceremony":"q3kZ","response":{"id":"AAAA","rawId":"AAAA","type":"public-key","response":{}}}`},
	"POST /session/provider-flow":              {path: "", body: `{"provider":"harbour-id"}`},
	"POST /session/provider":                   {path: "", body: `{"state":"kJ3w…","code":"Zs81…","iss":"https://id.larkhaven.example"}`},
	"POST /me/providers":                       {path: "", body: `{"provider":"harbour-id","current_password":"tide tables by heart"}`},
	"DELETE /me/providers/{id}":                {path: ""},
	"POST /me/confirmation":                    {path: "/me/confirmation", body: `{"password":"larkhaven-tide-table"}`},
	"PUT /me/second-factor":                    {path: "", body: `{"code":"271828"}`},
	"POST /me/second-factor/removal":           {path: "", body: `{"code":"271828"}`},
	"POST /me/second-factor/recovery-codes":    {path: "", body: `{"code":"271828"}`},
	"POST /users/{user}/second-factor-removal": {path: "", without: 403},
	"DELETE /me/sessions/{id}":                 {path: ""},
	"POST /users/{user}/sign-in-link":          {path: "/users/ines.halloran/sign-in-link"},
	"POST /sign-in-link":                       {path: "", body: `{"link":"b1x9…","password":"seven swans on the slipway"}`},
	"POST /users/{user}/token-rotation":        {path: "/users/berth-board/token-rotation", body: `{"overlap_days":14}`},
	"POST /tokens":                             {path: "/tokens", body: `{"label":"Nightly export","days":1}`},
	"DELETE /tokens/{id}":                      {path: ""},
	"POST /session":                            {path: "", body: `{"user_name":"marta.quill","password":"larkhaven-tide-table"}`},
	"DELETE /session":                          {path: ""},
	"POST /session/token":                      {path: "/session/token", body: `{"user_name":"marta.quill","password":"larkhaven-tide-table","label":"Nightly export"}`},
	"GET /set-up":                              {path: "/set-up"},
	"POST /set-up":                             {path: "", body: `{"link":"b1x9…","organisation":"Larkhaven Port Authority","time_zone":"Europe/Lisbon","user_name":"marta.quill","display_name":"Marta Quill","password":"seven swans on the slipway"}`},
	"PUT /views/{view}":                        {path: "/views/boat-crews", body: `{"label":"Boat crews","search":{"filter":"boat_licence pr"}}`},
	"GET /views/{view}":                        {path: "/views/boat-crews"},
	"PUT /mappings/{mapping}":                  {path: "/mappings/crew-lists", body: `{"label":"Crew lists","mapping":{"columns":[{"column":"user_name","from":["Uid"]}]}}`},
	"GET /mappings/{mapping}":                  {path: "/mappings/crew-lists"},
	"POST /ledger/verification":                {path: "/ledger/verification", body: "{}"},
}

// Every call has an example in the document, of the demo organisation: what it was sent and
// what it was answered, each of which fits the document. make reference records them anew.
func TestEveryCallHasAnExample(t *testing.T) {
	file := filepath.Join(testkit.Root(), "internal/api/serve/examples.json")
	if os.Getenv("ROSTER_REFERENCE") != "" {
		record(t, file)
		return
	}
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	document := contractOf(t, marta)
	for _, route := range routesOf(t, marta) {
		method, path, _ := strings.Cut(route, " ")
		op := document.doc.Paths.Value("/api/v1" + path).GetOperation(method)
		if len(op.Tags) != 1 || op.Tags[0] == "" || op.Description == "" {
			t.Errorf("%s is of no theme, or without words: tags %v", route, op.Tags)
		}
		if op.RequestBody != nil {
			for kind, c := range op.RequestBody.Value.Content {
				if c.Example == nil {
					t.Errorf("%s shows nothing that it is sent: make reference", route)
				} else if strings.HasSuffix(kind, "json") {
					if err := c.Schema.Value.VisitJSON(c.Example); err != nil && !strings.Contains(err.Error(), "doesn't match any schema from \"oneOf\"") {
						t.Errorf("%s: what it is shown to be sent does not fit: %v", route, err)
					}
				}
			}
		}
		for _, status := range []string{"200", "201"} {
			r := op.Responses.Value(status)
			if r == nil || exampleCalls[route] != (routeCall{}) && exampleCalls[route].path == "" {
				continue
			}
			for kind, c := range r.Value.Content {
				if c.Example == nil {
					t.Errorf("%s shows nothing that it answers: make reference", route)
				} else if strings.HasSuffix(kind, "json") && kind == "application/json" {
					if err := c.Schema.Value.VisitJSON(c.Example); err != nil {
						t.Errorf("%s: what it is shown to answer does not fit: %v", route, err)
					}
				}
			}
		}
	}
}

// record asks every call once, and keeps what was sent and answered, shortened.
func record(t *testing.T, file string) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	document := contractOf(t, marta)
	users, err := marta.Users(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	of := map[string]routeCall{}
	for _, c := range calls(wire.User{UserName: "hedvika.venables", ID: users.Users[0].ID}, wire.User{UserName: demo.Pilot, ID: users.Users[1].ID}) {
		if _, known := of[c.route]; !known {
			of[c.route] = c
		}
	}
	for route, c := range exampleCalls {
		of[route] = c
	}
	type example struct {
		Request  any `json:"request,omitempty"`
		Response any `json:"response,omitempty"`
	}
	out := map[string]example{}
	routes := routesOf(t, marta)
	for _, first := range []string{"PUT ", "POST ", "GET ", "DELETE "} {
		for _, route := range routes {
			if !strings.HasPrefix(route, first) {
				continue
			}
			method, path, _ := strings.Cut(route, " ")
			c := of[route]
			if _, own := exampleCalls[route]; c.path == "" && !own {
				c.path = path
			}
			x := example{}
			if c.body != "" {
				if json.Unmarshal([]byte(c.body), &x.Request) != nil {
					x.Request = c.body
				}
			}
			if c.path != "" && !strings.Contains(c.path, "{") {
				status, kind, raw := ask(t, marta, method, c.path, c.body)
				if status >= 300 {
					t.Logf("%s: %d %.200s", route, status, raw)
				} else if strings.Contains(kind, "schema+json") {
					x.Response = map[string]any{"$schema": "https://json-schema.org/draft/2020-12/schema"}
				} else if strings.Contains(kind, "json") {
					var v any
					if err := json.Unmarshal(raw, &v); err != nil {
						t.Fatal(err)
					}
					x.Response = shortly(v, "")
				} else if strings.HasPrefix(kind, "text/csv") || strings.Contains(kind, "yaml") {
					lines := strings.SplitAfter(string(raw), "\n")
					x.Response = strings.Join(lines[:min(4, len(lines))], "")
				} else if len(raw) > 0 {
					x.Response = "…"
				}
			}
			op := document.doc.Paths.Value("/api/v1" + path).GetOperation(method)
			out[op.OperationID] = x
		}
	}
	raw, err := json.MarshalIndent(out, "", " ")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, append(raw, '\n'), 0o644); err != nil {
		t.Fatal(err)
	}
}

// shortly is an answer with the first two of each list, and without secrets.
func shortly(v any, name string) any {
	switch v := v.(type) {
	case []any:
		var out = []any{}
		for i := range v {
			if i < 2 {
				out = append(out, shortly(v[i], ""))
			}
		}
		return out
	case map[string]any:
		for k := range v {
			v[k] = shortly(v[k], k)
		}
	case string:
		if name == "secret" || name == "path" && strings.Contains(v, "#") {
			return "…"
		}
	}
	return v
}
