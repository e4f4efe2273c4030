package e2e

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// bodies are what each call takes that has a body of its own: to be answered
// below 300 as it is. Changes are tried in TestNoFieldTakesWhatItCannotMean.
var bodies = map[string]string{
	"POST /applications/berth-planning/comparison": `{"paths":["board"],"asked":true}`,
	"POST /changes?dry_run=true":                   `{"operations":[{"op":"add_group","key":"sandbank-watch"}],"reason":"x","acknowledge":[],"based_on":5,"pending_changes":[]}`,
	"POST /check":                                  `{"user":"ines.halloran","application":"berth-planning","action":"read","path":"board","at":"2026-11-01T00:00:00Z","explain":true,"properties":{"owner":"x"}}`,
	"POST /checks":                                 `{"checks":[{"user":"ines.halloran","application":"berth-planning","action":"read","path":"board"}]}`,
	"PUT /mappings/office":                         `{"label":"Office","shared":false,"mapping":{"columns":[{"column":"user_name","from":["Uid"]}],"separator":";","encoding":"utf-8","key":"user_name","missing":"leave"}}`,
	"PUT /views/mine":                              `{"label":"Mine","shared":false,"columns":["name"],"search":{"q":"x","unit":"marine","status":"active","group":"pilots","filter":"title pr","sort":"name"}}`,
	"POST /tokens":                                 `{"label":"x","days":3}`,
	"POST /what-if":                                `{"operations":[{"op":"add_group","key":"sandbank-watch"}],"access":"ines.halloran","checks":[{"user":"ines.halloran","application":"berth-planning","action":"read","path":"board"}]}`,
}

// refusedAsTheyAre have bodies too, but none that may be sent again and again.
var refusedAsTheyAre = map[string]string{
	"POST /pending-changes":                    `{"lines":[{"operation":{"op":"add_group","key":"x"},"sentence":"x"}],"reason":"x","to":"nobody.here"}`,
	"POST /pending-changes/7/refusal":          `{"why":"x"}`,
	"PUT /me/password":                         `{"current_password":"not it","new_password":"x"}`,
	"POST /password-reset":                     `{"user_name":"nobody.here"}`,
	"POST /sign-up":                            `{"email":"nobody@here.example"}`,
	"POST /sign-up/account":                    `{"link":"x","display_name":"x","password":"x"}`,
	"POST /me/confirmation":                    `{"password":"x"}`,
	"PUT /me/second-factor":                    `{"code":"123456"}`,
	"POST /me/second-factor/removal":           `{"code":"123456"}`,
	"POST /me/passkeys/ceremony":               `{"current_password":"x"}`,
	"POST /me/passkeys":                        `{"ceremony":"x","response":{}}`,
	"POST /me/passkeys/{id}/removal":           `{"current_password":"x"}`,
	"POST /session/passkey":                    `{"ceremony":"x","response":{}}`,
	"POST /session/provider-flow":              `{"provider":"x"}`,
	"POST /session/provider":                   `{"state":"x","code":"x","iss":"x","error":"x","second_factor":"x"}`,
	"POST /users/ines.halloran/token-rotation": `{"label":"x","days":3,"overlap_days":1}`,
	"POST /me/providers":                       `{"provider":"x","current_password":"x"}`,
	"POST /me/second-factor/recovery-codes":    `{"code":"123456"}`,
	"POST /sign-in-link":                       `{"link":"x","password":"x"}`,
	"POST /session/token":                      `{"label":"x","user_name":"x","password":"x"}`,
	"POST /set-up":                             `{"link":"x","user_name":"x","display_name":"x","password":"x","organisation":"x","time_zone":"UTC"}`,
}

// No call takes a body it cannot mean: with a value of another type, a field that
// it has not, or a text with control characters or beyond all bounds; nor does
// any of it break the service, whoever sends it.
func TestNoBodyTakesWhatItCannotMean(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	head, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	probes := 0
	send := func(call string, body any) (int, *wire.Problem) {
		t.Helper()
		raw, err := json.Marshal(body)
		if err != nil {
			t.Fatal(err)
		}
		probes++
		method, path, _ := strings.Cut(call, " ")
		status, _, answer := ask(t, marta, method, path, string(raw))
		p := &wire.Problem{}
		if status >= 300 && json.Unmarshal(answer, p) != nil {
			t.Errorf("%s: %d %.200s", call, status, answer)
		}
		return status, p
	}
	for _, some := range []map[string]string{bodies, refusedAsTheyAre} {
		for call, text := range some {
			var sample map[string]any
			if err := json.Unmarshal([]byte(text), &sample); err != nil {
				t.Fatal(text, err)
			}
			if status, p := send(call, sample); status >= 500 || (status < 300) != (bodies[call] != "") {
				t.Errorf("%s: %d %+v", call, status, p)
				continue
			}
			for _, whole := range []any{nil, 7, "x", []any{}, []any{sample}} {
				if status, _ := send(call, whole); status < 400 || status >= 500 {
					t.Errorf("%s with %v: %d", call, whole, status)
				}
			}
			spoilt(sample, "", func(place string, bad any, meant bool) {
				status, p := send(call, sample)
				what := fmt.Sprintf("%s with %s %.40q", call, place, fmt.Sprint(bad))
				switch {
				case status >= 500:
					t.Errorf("%s: %d", what, status)
				case !meant && status < 300:
					t.Errorf("%s is taken", what)
				}
				for _, f := range p.Faults {
					if strings.Contains(f.Message, "json:") || strings.Contains(f.Message, "wire.") || len(f.Message) > 500 {
						t.Errorf("%s: %.300s", what, f.Message)
					}
				}
			})
		}
	}
	if after, err := marta.Me(ctx); err != nil || after.Revision != head.Revision {
		t.Errorf("from revision %d to %d (%v)", head.Revision, after.Revision, err)
	}
	if probes < 500 {
		t.Errorf("%d probes", probes)
	}
}

// spoilt puts into every place of a JSON object, one after another, what it cannot
// mean, and takes it out again; meant says that it might be meant all the same.
func spoilt(object map[string]any, place string, try func(place string, bad any, meant bool)) {
	for _, name := range slices.Sorted(maps.Keys(object)) {
		was := object[name]
		put := func(bad any, meant bool) {
			object[name] = bad
			try(place+"/"+name, bad, meant)
			object[name] = was
		}
		_, text := was.(string)
		if text {
			// A question of what nobody knows has an answer, of one code or another.
			asked := strings.Contains(place, "/checks/") || place == "/properties" || place == "" && object["explain"] != nil
			put("a\x00b", asked)
			put(strings.Repeat("x", 200_000), asked)
			put("\u202e", true)
		}
		for _, bad := range []any{7.5, true, "x", []any{7}, map[string]any{"x": "y"}} {
			if fmt.Sprintf("%T", bad) != fmt.Sprintf("%T", was) {
				put(bad, false)
			}
		}
		switch was := was.(type) {
		case map[string]any:
			spoilt(was, place+"/"+name, try)
		case []any:
			for i, x := range was {
				if in, ok := x.(map[string]any); ok && name != "operations" {
					spoilt(in, fmt.Sprintf("%s/%s/%d", place, name, i), try)
				}
			}
		}
	}
	object["colour"] = "blue"
	try(place+"/colour", "blue", false)
	delete(object, "colour")
}
