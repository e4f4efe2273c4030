package e2e

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/url"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// later is much of what can happen to an organisation, a change each.
var later = [][]string{
	{`{"op":"update_user","user":"ines.halloran","unit":"office","title":"Clerk","manager":"b.osei"}`},
	{`{"op":"revoke","group":"all-users","role":"staff"}`},
	{`{"op":"update_role","role":"berth-planning/scheduler","label":"Scheduler of berths","description":"Otherwise","risk":"high","owner":"b.osei"}`, `{"op":"exclude_role","role":"berth-planning/scheduler","excludes":"berth-planning/reader"}`},
	{`{"op":"add_permission","role":"berth-planning/scheduler","actions":["release"],"pattern":"berths"}`, `{"op":"remove_permission","permission":"permission-43"}`},
	{`{"op":"update_group","group":"pilots","label":"Former pilots","unit":"office"}`, `{"op":"remove_member","group":"pilots","member_group":"night-pilots"}`},
	{`{"op":"update_application","application":"berth-planning","label":"Berths","state":"rehearsal","actions":[{"key":"read"},{"key":"create"},{"key":"update"},{"key":"release"},{"key":"count"}]}`},
	{`{"op":"update_resource","application":"berth-planning","path":"board","retired":true}`, `{"op":"add_resource","application":"berth-planning","path":"sandbanks","label":"Sandbanks"}`},
	{`{"op":"add_fence","application":"berth-planning","pattern":"voyages","actions":["update"]}`, `{"op":"remove_fence","fence":"fence-1"}`},
	{`{"op":"end_default","default":"crane-crew"}`, `{"op":"end_sod_rule","sod_rule":"credit-two-hands"}`, `{"op":"end_expectation","expectation":"credits-by-leads"}`},
	{`{"op":"update_attribute","attribute":"boat_licence","label":"Licence"}`, `{"op":"retire_attribute","attribute":"locker"}`},
	{`{"op":"retire_role","role":"duty-officer"}`},
	{`{"op":"update_user","user":"tomas.brandt","status":"suspended"}`, `{"op":"hand_over","user":"tomas.brandt","to":"marta.quill"}`},
	{`{"op":"add_user","user_name":"zoe.marrick","unit":"marine/pilotage","manager":"ines.halloran"}`, `{"op":"add_member","group":"pilots","user":"zoe.marrick"}`, `{"op":"grant","user":"zoe.marrick","role":"berth-planning/scheduler"}`},
	{`{"op":"end_requestable","role":"berth-planning/scheduler"}`, `{"op":"decide_request","request":"request-38","decision":"refuse"}`},
	{`{"op":"update_user","user":"b.osei","status":"departed"}`},
	{`{"op":"set_organisation","name":"Port of Larkhaven","time_zone":"Europe/Lisbon"}`},
}

// What was read of a day is read of it again, word for word, whatever has happened
// since: by every call that can be asked about a past day. Only what is erased is
// lost, and the caller's rights are those of today.
func TestAPastDayReadsTheSameWhateverHappensLater(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	document := contractOf(t, marta)
	me, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	asOf := map[string]string{"just now": me.Now.UTC().Format(time.RFC3339Nano), "half a year ago": me.Now.AddDate(0, -6, 0).UTC().Format(time.RFC3339Nano)}
	type read struct {
		route, path, day string
		answer           any
		raw              string
	}
	var reads []read
	look := func(route, path string) (any, string) {
		t.Helper()
		status, kind, raw := ask(t, marta, "GET", path, "")
		document.fits(t, route, status, kind, raw)
		var answer any
		if strings.HasSuffix(kind, "json") {
			if err := json.Unmarshal(raw, &answer); err != nil {
				t.Fatal(path, err)
			}
		}
		return answer, fmt.Sprint(status, " ", string(raw))
	}
	for _, route := range routesOf(t, marta) {
		method, path, _ := strings.Cut(route, " ")
		op := document.doc.Paths.Value("/api/v1" + path).GetOperation(method)
		if method != "GET" || op.Parameters.GetByInAndName("query", "as_of") == nil {
			continue
		}
		base := url.Values{}
		for _, p := range op.Parameters {
			if p.Value.In == "query" && p.Value.Required {
				base.Set(p.Value.Name, named[p.Value.Name])
			}
		}
		if strings.HasPrefix(path, "/users/{user}/comparison") {
			base.Set("with", demo.Manager)
		}
		for name, value := range named {
			if strings.HasPrefix(name, "{") {
				path = strings.ReplaceAll(path, name, value)
			}
		}
		for day, at := range asOf {
			base.Set("as_of", at)
			x := read{route: route, path: path + "?" + base.Encode(), day: day}
			x.answer, x.raw = look(route, x.path)
			reads = append(reads, x)
		}
	}
	if len(reads) < 60 {
		t.Fatalf("only %d reads", len(reads))
	}
	for _, ops := range later {
		if _, err := marta.Change(ctx, acknowledged(changeOf("What happens later", ops...), "wide_loss", "wide_gain", "leaving_live", "own_access_lowered", "gain_for_everybody", "expectation_warned", "violation_warned"), false); err != nil {
			b, _ := json.Marshal(err)
			t.Fatalf("%v: %s", ops, b)
		}
	}
	for _, x := range reads {
		answer, raw := look(x.route, x.path)
		if answer != nil {
			for _, d := range differences(x.answer, answer, "") {
				t.Errorf("GET %s of %s reads otherwise: %s", x.path, x.day, d)
			}
		} else if raw != x.raw {
			t.Errorf("GET %s of %s reads otherwise:\n%s", x.path, x.day, firstDifference(x.raw, raw))
		}
	}
}

// differences are where two JSON values differ, the first few.
func differences(was, is any, place string) []string {
	var out []string
	switch was := was.(type) {
	case map[string]any:
		is, ok := is.(map[string]any)
		if !ok {
			break
		}
		for _, name := range slices.Sorted(maps.Keys(was)) {
			// The id of the call, what waits for the caller today, and the sentences of the
			// ledger, which call things what they are called today.
			if name != "instance" && name != "mine" && name != "sentences" {
				out = append(out, differences(was[name], is[name], place+"/"+name)...)
			}
		}
		for name := range is {
			if _, there := was[name]; !there {
				out = append(out, fmt.Sprintf("%s/%s is new: %.100v", place, name, is[name]))
			}
		}
		return out[:min(len(out), 3)]
	case []any:
		is, ok := is.([]any)
		if !ok {
			break
		}
		if len(was) != len(is) {
			out = append(out, fmt.Sprintf("%s had %d, has %d", place, len(was), len(is)))
		}
		for i := range min(len(was), len(is)) {
			out = append(out, differences(was[i], is[i], fmt.Sprintf("%s/%d", place, i))...)
		}
		return out[:min(len(out), 3)]
	}
	if !reflect.DeepEqual(was, is) {
		out = append(out, fmt.Sprintf("%s was %.150v, is %.150v", place, was, is))
	}
	return out
}

// firstDifference is the first line in which two texts differ.
func firstDifference(was, is string) string {
	a, b := strings.Split(was, "\n"), strings.Split(is, "\n")
	for i := range min(len(a), len(b)) {
		if a[i] != b[i] {
			k := 0
			for k < min(len(a[i]), len(b[i])) && a[i][k] == b[i][k] {
				k++
			}
			k = max(0, k-60)
			return fmt.Sprintf("line %d was …%.200s\n is …%.200s", i+1, a[i][min(k, len(a[i])):], b[i][min(k, len(b[i])):])
		}
	}
	return fmt.Sprintf("%d lines, %d lines", len(a), len(b))
}

// The roster file of an organisation, loaded again, changes nothing, and neither do
// its lists, imported again: whatever state the organisation has come to.
func TestTheFilesOfAnyStateChangeNothing(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	odd := [][]string{
		{`{"op":"add_application","key":"quay-diary","label":"Quay: diary, \"new\"","description":"- not a list: {x}","state":"draft","actions":[{"key":"read","label":"yes"},{"key":"write","label":"#7"}]}`},
		{`{"op":"add_resource","application":"quay-diary","path":"null","label":"null","open":true}`, `{"op":"add_resource","application":"quay-diary","path":"null/2026-11-26","label":"1.0"}`, `{"op":"add_resource","application":"quay-diary","path":"a: b"}`},
		{`{"op":"add_role","key":"keeper","application":"quay-diary","label":"~"}`, `{"op":"add_permission","role":"quay-diary/keeper","actions":["*"],"pattern":"a*/*","own":true}`, `{"op":"add_permission","role":"quay-diary/keeper","actions":["read"],"pattern":"null"}`},
		{`{"op":"add_group","key":"true","label":"on","filter":"title eq \"a \\\"b\\\"\" or not (unit pr)"}`},
		{`{"op":"update_resource","application":"quay-diary","path":"null","retired":true}`},
		{`{"op":"grant","group":"true","role":"quay-diary/keeper","from":"2030-01-01T00:00:00Z","until":"2031-01-01T00:00:00Z","scopes":[{"application":"quay-diary","pattern":"a*"}],"schedule":{"days":["sun","mon"],"from":"22:00","until":"06:00","time_zone":"Asia/Kolkata"}}`},
		{`{"op":"update_application","application":"quay-diary","state":"retired"}`},
	}
	said := ""
	for i, ops := range append(append([][]string{nil}, odd...), later...) {
		if ops != nil {
			if _, err := marta.Change(ctx, acknowledged(changeOf("What happens", ops...), "wide_loss", "wide_gain", "leaving_live", "own_access_lowered", "gain_for_everybody", "expectation_warned", "violation_warned", "direct_assignment"), false); err != nil {
				b, _ := json.Marshal(err)
				t.Fatalf("%v: %s", ops, b)
			}
		}
		file, err := marta.RosterFile(ctx, nil)
		if err != nil {
			t.Fatal(err)
		}
		if i > 0 && i <= len(odd) && string(file) == said {
			t.Errorf("%v does not show in the file", ops)
		}
		said = string(file)
		r, err := marta.LoadRosterFile(ctx, file, client.Query{"reason": "Again"})
		if err != nil || !r.Unchanged {
			b, _ := json.Marshal(err)
			t.Errorf("after %v the file of what is there would change %v (%s)", ops, r.Sentences, b)
		}
		for _, table := range []string{"groups", "users", "memberships", "assignments"} {
			list, err := marta.Table(ctx, table, nil)
			if err != nil {
				t.Fatal(err)
			}
			var r wire.ChangeResult
			if err := marta.Do(ctx, "POST", "/imports/"+table, client.Query{"reason": "Again", "dry_run": "true"}, list, &r); err != nil || !r.Unchanged {
				b, _ := json.Marshal(err)
				t.Errorf("after %v the %s as they are would change %v (%s)", ops, table, r.Sentences, b)
			}
		}
		if again, err := marta.RosterFile(ctx, nil); err != nil || string(again) != said {
			t.Errorf("after %v the file reads otherwise: %s (%v)", ops, firstDifference(said, string(again)), err)
		}
	}
}
