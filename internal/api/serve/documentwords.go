package serve

import (
	_ "embed"
	"encoding/json"
	"maps"
	"net/http"
	"regexp"
	"slices"
	"strings"
)

// tags are the themes of the calls, by the first part of their paths.
var tags = []struct {
	name, about string
	first       []string
}{
	{"Decisions", "What applications ask all the time.", []string{"check", "checks", "menu"}},
	{"Changes", "The one way to change anything: operations, made together or not at all.", []string{"changes", "what-if", "pending-changes", "imports", "roster-file", "refusals"}},
	{"People", "Users, groups and their attributes.", []string{"users", "users.csv", "groups", "groups.csv", "memberships.csv", "attributes", "units", "machine-accounts", "shared-accounts", "team-rules", "teams", "connections", "employment-types", "sign-up-rules", "new-user-preview"}},
	{"Access", "Applications, roles, and who holds them.", []string{"applications", "roles", "assignments", "assignments.csv", "grid", "grid.csv", "holders", "view-as", "gained-and-lost", "catalogue", "search"}},
	{"Requests and reviews", "Access that is asked for and decided on, and looked at again.", []string{"requests", "routes", "reviews", "today", "calendar"}},
	{"Rules", "What is given by default, and what must keep holding.", []string{"defaults", "sod-rules", "expectations", "freezes", "findings", "delegations", "shares"}},
	{"Ledger", "Every revision, and whether the ledger is whole.", []string{"revisions", "ledger", "reports"}},
	{"Files", "Lists as files, and how files are read.", []string{"files", "views", "mappings"}},
	{"Signing in", "Sessions, tokens and passwords.", []string{"me", "session", "set-up", "sign-in-link", "tokens", "security-log", "password-reset", "sign-up", "invitations", "mails"}},
}

func tagFor(path string) string {
	first, _, _ := strings.Cut(strings.TrimPrefix(path, "/api/v1/"), "/")
	for _, t := range tags {
		if slices.Contains(t.first, first) {
			return t.name
		}
	}
	return ""
}

// recorded are an example of each call, as the demo organisation answered it: see
// TestEveryCallHasAnExample.
//
//go:embed examples.json
var recorded []byte

// Example is what a call was sent and answered.
type Example struct {
	Request  any `json:"request,omitempty"`
	Response any `json:"response,omitempty"`
}

// answerHeaders are those of every answer, and those of some.
var answerHeaders = map[string]any{
	"X-Request-Id":     header("string", "the id of the call, which stands in the service's log"),
	"Roster-Revision":  header("integer", "the revision of the head"),
	"Roster-Head":      header("string", "the head as a mark, for Roster-At-Least"),
	"Roster-Age":       header("number", "seconds since the service knew that the head was the newest"),
	"ETag":             header("string", "a digest of what is told (RFC 9110, section 8.8.3)"),
	"Retry-After":      header("integer", "seconds after which to try again"),
	"WWW-Authenticate": header("string", "how one is known here (RFC 6750, section 3)"),
}

func header(kind, about string) map[string]any {
	return map[string]any{"description": about, "schema": map[string]any{"type": kind}}
}

var badName = regexp.MustCompile(`[^a-zA-Z0-9._-]+`)

// finish writes into the document what a stranger reads beside the shapes: themes, words, an
// example a call, and the headers and statuses that occur.
func finish(doc map[string]any) error {
	doc["servers"] = []any{map[string]any{"url": "/", "description": "where this document was read"}}
	var themes []any
	for _, t := range tags {
		themes = append(themes, map[string]any{"name": t.name, "description": t.about})
	}
	doc["tags"] = themes
	components := doc["components"].(map[string]any)
	components["headers"] = answerHeaders
	var examples map[string]Example
	if err := json.Unmarshal(recorded, &examples); err != nil {
		return err
	}
	for path, x := range doc["paths"].(map[string]any) {
		for method, op := range x.(map[string]any) {
			finishCall(path, strings.ToUpper(method), op.(map[string]any), examples)
		}
	}
	return nil
}

func finishCall(path, method string, op map[string]any, examples map[string]Example) {
	op["tags"] = []any{tagFor(path)}
	if op["security"] == nil {
		op["security"] = []any{}
	}
	op["description"] = describing(path, method, op)
	responses := op["responses"].(map[string]any)
	takes := op["requestBody"] != nil
	for _, status := range []string{"413", "415"} {
		if !takes {
			delete(responses, status)
		}
	}
	if method == http.MethodGet {
		delete(responses, "409")
		for _, p := range parametersIn(op) {
			if p["name"] == "as_of" { // of a service that is behind, or lost what was answered
				responses["409"] = map[string]any{"description": "Conflict", "content": responses["422"].(map[string]any)["content"]}
			}
		}
		responses["304"] = map[string]any{"description": "Not Modified: the caller has it, by If-None-Match"}
	}
	x := examples[op["operationId"].(string)]
	if body, ok := op["requestBody"].(map[string]any); ok && x.Request != nil {
		for _, c := range body["content"].(map[string]any) {
			c.(map[string]any)["example"] = x.Request
		}
	}
	for status, r := range responses {
		answer := r.(map[string]any)
		headers, _ := answer["headers"].(map[string]any)
		if headers == nil {
			headers = map[string]any{}
		}
		delete(headers, "Content-Type") // which the content says
		names := []string{"X-Request-Id", "Roster-Revision", "Roster-Head", "Roster-Age"}
		switch {
		case status == "401":
			names = append(names, "WWW-Authenticate")
		case status == "429" || status == "503":
			names = append(names, "Retry-After")
		case method == http.MethodGet && (status == "200" || status == "304"):
			names = append(names, "ETag")
		}
		for _, n := range names {
			headers[n] = map[string]any{"$ref": "#/components/headers/" + n}
		}
		answer["headers"] = headers
		if status != "200" && status != "201" || x.Response == nil {
			continue
		}
		for _, c := range answer["content"].(map[string]any) {
			c.(map[string]any)["example"] = x.Response
		}
	}
}

func parametersIn(op map[string]any) (out []map[string]any) {
	all, _ := op["parameters"].([]any)
	for _, p := range all {
		out = append(out, p.(map[string]any))
	}
	return out
}

// describing says in words what a call does and how it is used.
func describing(path, method string, op map[string]any) string {
	summary := op["summary"].(string)
	if !strings.HasSuffix(summary, "?") {
		summary += "."
	}
	out := []string{summary}
	for _, p := range parametersIn(op) {
		switch p["name"] {
		case "as_of":
			out = append(out, "With `as_of` it is answered as of that instant, by the rights that the caller has now.")
		case "cursor":
			out = append(out, "The answer is a page: `next`, where it is there, is the `cursor` of the page after it, which is drawn from the same revision; it is good for 10 minutes.")
		case "dry_run":
			out = append(out, "With `dry_run` nothing is changed.")
		case "Idempotency-Key":
			out = append(out, "Asked again with the same `Idempotency-Key` and the same body it is answered as the first time.")
		case "If-Match":
			out = append(out, "With `If-Match` nothing is done where it has changed since it was read: 412.")
		}
	}
	if method == http.MethodGet {
		out = append(out, "Whoever sends the `ETag` of an answer in `If-None-Match` is answered 304 while it would be the same.")
	}
	if len(op["security"].([]any)) == 0 {
		out = append(out, "Nobody needs to be signed in.")
	}
	return strings.Join(out, " ")
}

// renamed gives schemas names of letters, digits and . _ - alone, wherever they stand.
func renamed(doc map[string]any) {
	schemas := doc["components"].(map[string]any)["schemas"].(map[string]any)
	for _, name := range slices.Sorted(maps.Keys(schemas)) {
		if to := badName.ReplaceAllString(name, ""); to != name {
			schemas[to] = schemas[name]
			delete(schemas, name)
			repoint(doc, "#/components/schemas/"+name, "#/components/schemas/"+to)
		}
	}
}

func repoint(x any, from, to string) {
	switch x := x.(type) {
	case map[string]any:
		for k, v := range x {
			if s, ok := v.(string); ok && k == "$ref" && s == from {
				x[k] = to
			}
			repoint(v, from, to)
		}
	case []any:
		for _, v := range x {
			repoint(v, from, to)
		}
	}
}
