package e2e

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// samples are an operation of every kind that the demo organisation takes, with
// every field it may have beside the others. What the workflows number is filled
// in by the test.
var samples = []string{
	`{"op":"add_application","key":"quay-diary","label":"Quay diary","description":"x","owner":"marta.quill","state":"draft","open":true,"actions":[{"key":"read","label":"Read","description":"x"}]}`,
	`{"op":"update_application","application":"berth-planning","label":"Berths","description":"x","owner":"marta.quill","state":"live","direct_assignments":"warned","trial_group":"pilots","actions":[{"key":"read"},{"key":"create"},{"key":"update"},{"key":"release"}]}`,
	`{"op":"add_resource","application":"berth-planning","path":"board/sandbanks","kind":"screen","label":"x","description":"x","open":true,"addresses":["/sandbanks"]}`,
	`{"op":"update_resource","application":"berth-planning","path":"board/arrivals","kind":"screen","label":"x","description":"x","open":false,"retired":false,"addresses":["/arriving"]}`,
	`{"op":"add_fence","application":"berth-planning","pattern":"plans/*","actions":["update"],"why":"x"}`,
	`{"op":"remove_fence","fence":"fence-1"}`,
	`{"op":"add_role","key":"tide-watcher","application":"tide-board","label":"x","description":"x","owner":"marta.quill","risk":"low","max_days":30}`,
	`{"op":"update_role","role":"berth-planning/reader","label":"x","description":"x","owner":"marta.quill","risk":"low","max_days":0,"retired":false}`,
	`{"op":"retire_role","role":"berth-planning/planner"}`,
	`{"op":"include_role","role":"staff","includes":"incident-log/reader"}`,
	`{"op":"exclude_role","role":"staff","excludes":"incident-log/reporter"}`,
	`{"op":"add_permission","role":"berth-planning/reader","application":"berth-planning","actions":["read"],"pattern":"board/sand*","own":true}`,
	`{"op":"remove_permission","permission":"permission-43"}`,
	`{"op":"add_group","key":"sandbank-watch","label":"x","description":"x","unit":"marine","filter":"title eq \"x\""}`,
	`{"op":"update_group","group":"pilots","label":"x","description":"x","unit":"marine","owner":"marta.quill","filter":""}`,
	`{"op":"add_member","group":"pilots","user":"b.osei","from":"2030-01-01T00:00:00Z","until":"2030-02-01T00:00:00Z"}`,
	`{"op":"add_member","group":"pilots","member_group":"finance-leads"}`,
	`{"op":"remove_member","group":"pilots","user":"ines.halloran"}`,
	`{"op":"remove_member","group":"pilots","member_group":"night-pilots"}`,
	`{"op":"add_user","user_name":"zoe.marrick","display_name":"Zoë","email":"zoe@larkhaven.example","unit":"marine/tugs","title":"x","location":"x","kind":"person","status":"active","manager":"marta.quill","employment_type":"temporary","company":"x","start_date":"2026-01-01","end_date":"2030-01-01","custom":{}}`,
	`{"op":"update_user","user":"ines.halloran","display_name":"x","email":"i@larkhaven.example","unit":"marine","title":"x","location":"x","status":"active","manager":"marta.quill","employment_type":"temporary","company":"x","start_date":"2026-01-01","end_date":"2030-01-01","custom":{}}`,
	`{"op":"hand_over","user":"ines.halloran","to":"marta.quill"}`,
	`{"op":"erase_user","user":"user-126"}`,
	`{"op":"erase_reason","revision":9}`,
	`{"op":"grant","user":"b.osei","role":"berth-planning/reader","from":"2030-01-01T00:00:00Z","until":"2030-02-01T00:00:00Z","scopes":[{"application":"berth-planning","pattern":"board"}],"schedule":{"days":["mon"],"from":"06:00","until":"14:00","time_zone":"Europe/Lisbon"}}`,
	`{"op":"grant","group":"pilots","role":"berth-planning/planner"}`,
	`{"op":"revoke","group":"all-users","role":"staff"}`,
	`{"op":"revoke","assignment":"assignment-3"}`,
	`{"op":"add_default","key":"newcomers","label":"x","description":"x","everybody":true,"roles":["incident-log/reader"],"groups":["pilots"],"owner":"marta.quill","order":3,"final":true,"from":"2026-01-01T00:00:00Z","until":"2099-01-01T00:00:00Z","scopes":[{"application":"incident-log","pattern":"incidents/{unit}"}],"after_days":1,"lasts_days":9,"overlap_days":3}`,
	`{"op":"add_default","key":"newcomers","filter":"title eq \"x\"","roles":["incident-log/reader"]}`,
	`{"op":"update_default","default":"crane-crew","label":"x","description":"x","roles":["incident-log/reader"],"owner":"tomas.brandt","order":3,"final":true,"from":"2026-01-01T00:00:00Z","until":"2099-01-01T00:00:00Z","scopes":[{"application":"incident-log","pattern":"incidents/{unit}"}],"after_days":1,"lasts_days":9,"overlap_days":3}`,
	`{"op":"end_default","default":"crane-crew"}`,
	`{"op":"add_sod_rule","key":"planner-and-clerk","label":"x","description":"x","prevent":false,"roles":["berth-planning/planner","tariff-ledger/setter"]}`,
	`{"op":"update_sod_rule","sod_rule":"credit-two-hands","label":"x","description":"x","prevent":false}`,
	`{"op":"end_sod_rule","sod_rule":"credit-two-hands"}`,
	`{"op":"set_freeze","key":"quarter-close","label":"x","why":"x","from":"2026-01-01T00:00:00Z","until":"2099-01-01T00:00:00Z","applications":["tide-board"],"units":["finance"],"let_through":["marta.quill"],"let_through_group":"pilots"}`,
	`{"op":"add_unit","path":"docks","label":"x","head":"marta.quill","custom":{"site":"North quay"}}`,
	`{"op":"update_unit","unit":"marine","label":"x","head":"marta.quill","custom":{"site":"North quay"}}`,
	`{"op":"move_unit","unit":"security/patrol","to":"patrol"}`,
	`{"op":"merge_unit","unit":"safety","into":"office"}`,
	`{"op":"end_unit","unit":"office/archive"}`,
	`{"op":"adopt_units"}`,
	`{"op":"set_machine_account","user":"barrier-control","purpose":"x","accountable":["marta.quill","tomas.brandt"],"application":"gate-passes","secret_at":"x","acts_for_users":true}`,
	`{"op":"share_role","role":"berth-planning/north-scheduler","user":"b.osei","path":"berths/north-1","from":"2099-01-01T00:00:00Z","until":"2099-02-01T00:00:00Z","own":true}`,
	`{"op":"end_shares","application":"berth-planning","path":"berths","role":"berth-planning/north-scheduler","user":"` + sharedWith + `","own":true}`,
	`{"op":"set_attribute_source","user":"berth-board","attributes":["title"],"overridable":["location"],"filter":"employment_type eq \"staff\""}`,
	`{"op":"add_position","user":"tomas.brandt","unit":"marine/pilotage","title":"x","location":"x","start_date":"2027-01-01","end_date":"2027-03-31"}`,
	`{"op":"end_position","user":"` + standsIn + `","position":1,"end_date":"2099-01-31"}`,
	`{"op":"add_absence","user":"tomas.brandt","start_date":"2027-01-01","end_date":"2027-03-31"}`,
	`{"op":"end_absence","user":"` + absent + `","absence":1,"end_date":"2099-01-31"}`,
	`{"op":"add_substitute","user":"tomas.brandt","substitute":"b.osei","start_date":"2027-01-01","end_date":"2099-03-31"}`,
	`{"op":"end_substitute","user":"` + substituted + `","number":1,"end_date":"2099-01-31"}`,
	`{"op":"set_employment_type","key":"vendor","label":"x","external":false,"max_days":9,"closed":true,"max_hours":3}`,
	`{"op":"end_employment_type","employment_type":"apprentice"}`,
	`{"op":"set_shared_account","user":"crane-override","custodian":"tomas.brandt","group":"gate-night","max_hours":4,"emergency":true}`,
	`{"op":"end_shared_account","user":"crane-override"}`,
	`{"op":"check_out_account","user":"crane-override","until":"` + time.Now().Add(2*time.Hour).UTC().Format(time.RFC3339) + `"}`,
	`{"op":"return_account","user":"crane-spare"}`,
	`{"op":"confirm_rotation","user":"crane-store"}`,
	`{"op":"record_account_test","user":"crane-override"}`,
	`{"op":"set_sign_up_rule","domain":"pilots.example","unit":"marine/pilotage","employment_type":"vendor","company":"x","sponsor":"marta.quill","days":9}`,
	`{"op":"end_sign_up_rule","sign_up_rule":"estuary-dredging.example"}`,
	`{"op":"set_team_rule","key":"sea-projects","label":"x","description":"x","filter":"within eq \"marine\"","roles":["incident-log/reader"],"people":"marine","invites":true,"guest_unit":"marine/tugs","guest_employment_type":"contractor","guest_company":"x","guest_sponsor":"marta.quill","guest_days":9,"max_members":9}`,
	`{"op":"end_team_rule","team_rule":"project-teams"}`,
	`{"op":"open_team","team_rule":"office-teams","key":"deep-berth","label":"x","description":"x","owner":"marta.quill"}`,
	`{"op":"close_team","group":"chart-project"}`,
	`{"op":"extend_contract","user":"` + demo.Vendor + `","end_date":"` + time.Now().AddDate(0, 11, 0).Format(time.DateOnly) + `"}`,
	`{"op":"open_access","user":"` + demo.Vendor + `","from":"2099-01-01T00:00:00Z","until":"2099-01-01T01:00:00Z","reference":"TCK-1"}`,
	`{"op":"close_access","user":"` + demo.Vendor + `"}`,
	`{"op":"set_legal_hold","user":"ines.halloran","last_day":"` + time.Now().AddDate(2, 0, 0).Format(time.DateOnly) + `"}`,
	`{"op":"end_legal_hold","user":"` + held + `"}`,
	`{"op":"merge_users","user":"` + absent + `","into":"ines.halloran"}`,
	`{"op":"end_freeze","freeze":"quarter-close"}`,
	`{"op":"set_references","pattern":"TCK-[0-9]+","address":"https://tickets.larkhaven.example/{reference}"}`,
	`{"op":"set_expectation","key":"kept-so","label":"x","description":"x","group":"pilots","except":true,"application":"tariff-ledger","action":"read","pattern":"tariffs/none","may":false,"blocking":false,"owner":"marta.quill"}`,
	`{"op":"set_expectation","key":"kept-so","user":"b.osei","application":"tariff-ledger","action":"read","pattern":"tariffs"}`,
	`{"op":"set_expectation","key":"kept-so","nobody":true,"application":"tariff-ledger","action":"read","pattern":"tariffs"}`,
	`{"op":"set_expectation","key":"kept-so","would_be":{"unit":"marine/pilotage","title":"Harbour pilot","employment_type":"staff"},"application":"tariff-ledger","action":"read","pattern":"tariffs"}`,
	`{"op":"end_expectation","expectation":"credits-by-leads"}`,
	`{"op":"set_organisation","name":"Larkhaven","time_zone":"Europe/Lisbon"}`,
	`{"op":"set_sign_in","group":"key-keepers"}`,
	`{"op":"set_move_reviews","on":true}`,
	`{"op":"translate_requestable","role":"works-orders/raiser","language":"pt","label":"x","words":"x"}`,
	`{"op":"set_second_person","own_gains":false,"high_risk_roles":false,"safeguards":false}`,
	`{"op":"declare_attribute","key":"berth_card","label":"x","description":"x","type":"text","case_exact":true,"pattern":"[0-9]+","personal":false,"required":false}`,
	`{"op":"declare_attribute","key":"berth_card","type":"text","fill":{"from":"unit","units":[{"unit":"marine","value":"1"}]}}`,
	`{"op":"declare_attribute","key":"berth_card","type":"text","allowed":["red","green"]}`,
	`{"op":"declare_attribute","key":"berth_card","of_units":true}`,
	`{"op":"update_attribute","attribute":"boat_licence","label":"x","description":"x","required":false}`,
	`{"op":"retire_attribute","attribute":"boat_licence"}`,
	`{"op":"make_requestable","role":"incident-log/reader","words":"Read of incidents","route":"manager","max_days":30}`,
	`{"op":"end_requestable","role":"berth-planning/scheduler"}`,
	`{"op":"set_route","key":"through-marta","label":"x","steps":[{"users":["marta.quill"],"all":true,"whose":"users"}]}`,
	`{"op":"request_role","role":"gate-passes/issuer","user":"marta.quill","until":"$soon"}`,
	`{"op":"decide_request","request":"request-38","decision":"refuse"}`,
	`{"op":"withdraw_request","request":"request-39"}`,
	`{"op":"open_round","key":"moved","label":"x","people":["ines.halloran"],"by_hand":true,"reviewers":"manager"}`,
	`{"op":"open_round","key":"summer","label":"x","application":"tide-board","reviewers":"owner"}`,
	`{"op":"decide_items","round":"marine-winter","items":[{"user":"tomas.brandt","assignment":"assignment-4"}],"keep":true}`,
	`{"op":"sign_off","round":"spring"}`,
	`{"op":"settle_pending_removal","removal":"pending-removal-1"}`,
	`{"op":"set_aside_finding","findings":["role_unheld:role-65"],"until":"2027-01-31"}`,
	`{"op":"take_up_finding","findings":["role_unheld:role-66"]}`,
}

// soon is within what any role may be asked for.
var soon = time.Now().AddDate(0, 0, 20).UTC().Format(time.RFC3339)

// schema is as much as is needed of a schema of the service's document.
type schema struct {
	Ref           string `json:"$ref"`
	Type          any
	Required      []string
	Properties    map[string]*schema
	Items         *schema
	Discriminator struct{ Mapping map[string]string }
}

// No field of any operation takes what it cannot mean: a value of another type,
// a blank where something is needed, one that is far too long, one with control
// characters in it. Each is refused at its place, and nothing is made. The kinds
// and their fields are those of the running service's document.
func TestNoFieldTakesWhatItCannotMean(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	var doc struct {
		Components struct{ Schemas map[string]*schema }
	}
	if err := marta.Do(ctx, "GET", "/openapi.json", nil, nil, &doc); err != nil {
		t.Fatal(err)
	}
	kinds := doc.Components.Schemas["Operation"].Discriminator.Mapping
	makeWay(t, marta)
	head, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	shares := actingFor(boardOf(t, s, marta), demo.Pilot) // which an account does, for who holds the same there
	sampled, said, probes := map[string]bool{}, map[string]bool{}, 0
	for _, text := range samples {
		var sample map[string]any
		text = strings.ReplaceAll(text, "$soon", soon)
		if err := json.Unmarshal([]byte(text), &sample); err != nil {
			t.Fatal(text, err)
		}
		verb := sample["op"].(string)
		sampled[verb] = true
		fields := doc.Components.Schemas[kinds[verb][strings.LastIndex(kinds[verb], "/")+1:]]
		by := marta
		if verb == "share_role" {
			by = shares
		}
		if p := tried(t, by, sample); p != nil {
			t.Errorf("%s is refused as it is: %v %v", text, p, p.Faults)
			continue
		}
		if says := toDo(t, marta, text); !done.MatchString(says) {
			said[verb] = says != ""
		} else {
			t.Errorf("%s waits to be made, and is told as if it had been: %q", verb, says)
		}
		for _, field := range slices.Sorted(maps.Keys(fields.Properties)) {
			if field == "op" {
				continue
			}
			for _, bad := range cannotMean(fields.Properties[field], slices.Contains(fields.Required, field)) {
				probe := maps.Clone(sample)
				probe[field] = bad
				p := tried(t, by, probe)
				probes++
				what := fmt.Sprintf("%s with %s %.60q", verb, field, fmt.Sprint(bad))
				if p == nil {
					t.Errorf("%s is taken", what)
					continue
				}
				if p.Status != 422 || p.Type != "invalid" || len(p.Faults) == 0 {
					t.Errorf("%s: %d %s %s %v", what, p.Status, p.Type, p.Detail, p.Faults)
					continue
				}
				if !slices.ContainsFunc(p.Faults, func(f wire.Fault) bool {
					return strings.HasPrefix(f.Place, "/operations/0/"+field) || excluding[field] != "" && f.Place == "/operations/0/"+excluding[field]
				}) {
					t.Errorf("%s is refused at another place: %v", what, p.Faults)
				}
				for _, f := range p.Faults {
					if strings.Contains(f.Message, "access.") || strings.Contains(f.Message, "fact.") || strings.Contains(f.Message, "operation.") || strings.Contains(f.Message, "json:") || len(f.Message) > 400 {
						t.Errorf("%s is refused in words nobody knows: %.500s", what, f.Message)
					}
				}
			}
		}
		probe := maps.Clone(sample)
		probe["colour"] = "blue"
		if p := tried(t, by, probe); p == nil || p.Status != 422 {
			t.Errorf("%s takes a field it has not: %v", verb, p)
		}
	}
	for verb := range kinds {
		if !sampled[verb] && verb != "mend_operation" { // which the host alone may
			t.Errorf("there is no sample of %s: give it one", verb)
		}
	}
	if after, err := marta.Me(ctx); err != nil || after.Revision != head.Revision {
		t.Errorf("refused changes took the ledger from %d to %d (%v)", head.Revision, after.Revision, err)
	}
	for verb := range sampled {
		if !said[verb] {
			t.Errorf("%s says nothing of what it will do", verb)
		}
	}
	t.Logf("%d probes", probes)
}

// makeWay makes what the samples speak of and the demo organisation has not.
func makeWay(t *testing.T, marta *client.Client) {
	t.Helper()
	do := func(ops ...string) {
		t.Helper()
		if _, err := marta.Change(ctx, changeOf("Makes way", ops...), false); err != nil {
			t.Fatal(err)
		}
	}
	do(`{"op":"set_aside_finding","findings":["role_unheld:role-66"],"until":"2027-01-31"}`,
		`{"op":"add_group","key":"key-keepers"}`, `{"op":"add_member","group":"key-keepers","user":"marta.quill"}`,
		fmt.Sprintf(`{"op":"request_role","role":"berth-planning/scheduler","user":"marta.quill","until":%q}`, soon),
		`{"op":"open_round","key":"spring","application":"tide-board","reviewers":"users","users":["marta.quill"]}`)
	for _, name := range []string{"crane-override", "crane-spare", "crane-store"} {
		do(fmt.Sprintf(`{"op":"add_user","user_name":%q,"kind":"service"}`, name), fmt.Sprintf(`{"op":"set_machine_account","user":%q,"purpose":"x","accountable":["tomas.brandt","marta.quill"]}`, name),
			fmt.Sprintf(`{"op":"set_shared_account","user":%q,"custodian":"marta.quill","group":"pilots"}`, name))
	}
	do(`{"op":"set_team_rule","key":"office-teams","filter":"within eq \"office\""}`)
	do(`{"op":"check_out_account","user":"crane-spare"}`, `{"op":"check_out_account","user":"crane-store"}`)
	do(`{"op":"return_account","user":"crane-store"}`)
	lines, err := marta.ReviewItems(ctx, "spring", nil)
	if err != nil || len(lines.Items) == 0 {
		t.Fatal(err)
	}
	for _, l := range lines.Items {
		do(fmt.Sprintf(`{"op":"decide_items","round":"spring","keep":true,"items":[{"user":%q,"assignment":%q}]}`, l.User.ID, l.Assignment))
	}
}

// excluding is whose fault it is when a field is given that another excludes.
var excluding = map[string]string{"group": "user", "member_group": "user", "user": "group", "pattern": "fill"}

// tried is what a change of one operation comes back with when it is only tried.
func tried(t *testing.T, c *client.Client, op map[string]any) *wire.Problem {
	t.Helper()
	raw, err := json.Marshal(op)
	if err != nil {
		t.Fatal(err)
	}
	_, err = c.Change(ctx, changeOf("Tried", string(raw)), true)
	var p *wire.Problem
	if err != nil && !errors.As(err, &p) {
		t.Fatal(err)
	}
	return p
}

// done matches a sentence that says that something was done.
var done = regexp.MustCompile(`^([A-Z][a-z]+ed|Gave|Wrote|Withdrew|Took|Made) | departed$`)

// toDo is what a pending change says it will do.
func toDo(t *testing.T, c *client.Client, op string) string {
	t.Helper()
	p, err := c.AddPendingChange(ctx, wire.PendingChangeRequest{Name: "Kept", Lines: []wire.PendingLine{{Words: "x", Operations: []json.RawMessage{json.RawMessage(op)}}}})
	if err != nil {
		t.Fatal(op, err)
	}
	if p.Trouble != "" && !strings.Contains(op, `"share_role"`) { // which nobody keeps for later

		t.Errorf("%s: %s", op, p.Trouble)
	}
	return strings.Join(p.Sentences, "; ")
}

// cannotMean are values that a field of a schema cannot mean.
func cannotMean(of *schema, required bool) []any {
	all := []any{"x", 7, true, []any{"x"}, []any{7}, map[string]any{"x": "y"}, 1.5, 1e300}
	fits := func(v any) bool {
		switch of.Type {
		case "string":
			_, is := v.(string)
			return is
		case "integer":
			_, is := v.(int)
			return is
		case "boolean":
			_, is := v.(bool)
			return is
		case "array":
			list, is := v.([]any)
			if !is {
				return false
			}
			_, text := list[0].(string)
			return text && of.Items.Type == "string"
		}
		_, is := v.(map[string]any)
		return is
	}
	out := slices.DeleteFunc(all, fits)
	switch of.Type {
	case "string":
		out = append(out, strings.Repeat("x", 100_000), "a\x00b", "a\u0007b", "a\u202eb")
		if required {
			out = append(out, "", " ")
		}
	case "array":
		if of.Items.Type == "string" {
			out = append(out, []any{""}, []any{strings.Repeat("x", 100_000)}, []any{"a\x00b"})
		}
		if required {
			out = append(out, []any{})
		}
	case "integer":
		out = append(out, -1, 1_000_000_000)
	}
	return out
}

// Somebody who has a position for a time, somebody with an absence ahead, and somebody under legal hold, in the demo.
const (
	standsIn   = "baltasar.pettigrew-sa"
	absent     = "quirina.halloran"
	held       = "thibault.inglewood"
	sharedWith = "yseult.xifaras"

	substituted = "jorunn.jernigan"
)
