package e2e

import (
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// outside are changes to what neither the marine manager nor the pilot may read: each with
// two contents, of which one organisation has the first and the other the second. Both make
// the same number of facts, so that ids and revisions are shared.
var outside = [][2]string{
	{`{"op":"add_unit","path":"finance/desk"}`, `{"op":"add_unit","path":"office/registry","head":"b.osei"}`},
	{`{"op":"add_user","user_name":"hidden.alpha","display_name":"Anna Alpha","unit":"finance","title":"Tug master"}`,
		`{"op":"add_user","user_name":"veiled.beta","display_name":"Bela Beta","unit":"office/registry","title":"Cook","email":"bb@larkhaven.example"}`},
	{`{"op":"update_user","user":"b.osei","title":"Pilot","status":"suspended"}`, `{"op":"update_user","user":"b.osei","title":"Clerk","location":"Nowhere"}`},
	{`{"op":"grant","user":"b.osei","role":"berth-planning/scheduler"}`, `{"op":"grant","user":"b.osei","role":"tariff-ledger/clerk"}`},
	{`{"op":"add_member","group":"pilots","user":"b.osei"}`, `{"op":"add_member","group":"finance-leads","user":"b.osei","until":"2098-01-01T00:00:00Z"}`},
	{`{"op":"add_group","key":"hidden-few","label":"Few","unit":"finance","filter":"title eq \"Pilot\""}`, `{"op":"add_group","key":"veiled-many","label":"Many","unit":"office","filter":"unit eq \"office\" and title pr"}`},
	{`{"op":"grant","group":"hidden-few","role":"incident-log/reader"}`, `{"op":"grant","group":"veiled-many","role":"tariff-ledger/reader"}`},
	{`{"op":"add_role","application":"tariff-ledger","key":"hidden-role","label":"One"}`, `{"op":"add_role","application":"tariff-ledger","key":"veiled-role","label":"Another"}`},
	{`{"op":"add_permission","role":"tariff-ledger/hidden-role","actions":["read"],"pattern":"tariffs"}`, `{"op":"add_permission","role":"tariff-ledger/veiled-role","actions":["create"],"pattern":"invoices"}`},
	{`{"op":"set_expectation","key":"kept-so","user":"b.osei","application":"tariff-ledger","action":"read","pattern":"tariffs"}`,
		`{"op":"set_expectation","key":"kept-thus","nobody":true,"application":"tariff-ledger","action":"read","pattern":"tariffs"}`},
	{`{"op":"update_application","application":"tariff-ledger","description":"One"}`, `{"op":"update_application","application":"tariff-ledger","description":"Another"}`},
}

// questions are calls that ask by a body, or try what would be refused: the caller's own
// people, people outside, nobody at all.
func questions() (out [][2]string) {
	add := func(path, body string) { out = append(out, [2]string{path, body}) }
	for _, who := range []string{demo.Pilot, "b.osei", "not.there", "user-3"} {
		for _, x := range []string{`"berth-planning","action":"update","path":"berths/north-1"`, `"tariff-ledger","action":"read","path":"tariffs"`, `"not-there","action":"read","path":"/"`} {
			add("/check", fmt.Sprintf(`{"user":%q,"explain":true,"application":%s}`, who, x))
		}
		for _, op := range []string{
			`{"op":"grant","user":%q,"role":"berth-planning/reader"}`, `{"op":"grant","user":%q,"role":"tariff-ledger/clerk"}`, `{"op":"grant","user":%q,"role":"access-administrator"}`,
			`{"op":"update_user","user":%q,"title":"Tug master"}`, `{"op":"update_user","user":%q,"unit":"finance"}`, `{"op":"update_user","user":%q,"status":"departed"}`,
			`{"op":"add_member","group":"pilots","user":%q}`, `{"op":"add_member","group":"finance-leads","user":%q}`, `{"op":"hand_over","user":%q,"to":"tomas.brandt"}`,
			`{"op":"revoke","user":%q,"role":"berth-planning/scheduler"}`, `{"op":"remove_member","group":"pilots","user":%q}`,
		} {
			add("/changes?dry_run=true", `{"reason":"x","operations":[`+fmt.Sprintf(op, who)+`]}`)
			add("/what-if", `{"operations":[`+fmt.Sprintf(op, who)+`]}`)
		}
	}
	for _, op := range []string{
		`{"op":"add_group","key":"mine","unit":"marine","filter":"title eq \"Pilot\""},{"op":"grant","group":"mine","role":"berth-planning/reader"}`,
		`{"op":"add_group","key":"mine","unit":"marine","filter":"within eq \"marine\" and title eq \"Pilot\""},{"op":"grant","group":"mine","role":"berth-planning/reader"}`,
		`{"op":"add_group","key":"mine","unit":"marine","filter":"title eq \"Tug master\" and unit eq \"finance\""}`,
		`{"op":"update_group","group":"pilots","filter":"title sw \"P\""}`,
		`{"op":"add_permission","role":"berth-planning/reader","actions":["update"],"pattern":"board"}`,
		`{"op":"retire_role","role":"berth-planning/scheduler"}`, `{"op":"retire_role","role":"tariff-ledger/clerk"}`,
		`{"op":"update_application","application":"berth-planning","state":"draft"}`, `{"op":"update_application","application":"tariff-ledger","state":"draft"}`,
		`{"op":"request_role","role":"berth-planning/scheduler"}`, `{"op":"request_role","role":"tariff-ledger/clerk"}`, `{"op":"erase_user","user":"user-3"}`,
		`{"op":"add_user","user_name":"new.tug","unit":"marine/tugs"},{"op":"grant","user":"new.tug","role":"berth-planning/reader"},{"op":"update_user","user":"b.osei","title":"x"}`,
		`{"op":"add_default","key":"all","everybody":true,"roles":["incident-log/reader"]}`, `{"op":"set_organisation","name":"Ours"}`,
		`{"op":"update_user","user":"ines.halloran","unit":"office/registry"}`, `{"op":"add_group","key":"probe","unit":"marine","filter":"within eq \"office/registry\""}`,
		`{"op":"update_group","group":"pilots","held_within":"finance/desk"}`, `{"op":"add_unit","path":"finance/desk"}`, `{"op":"update_unit","unit":"office/registry","label":"x"}`,
	} {
		add("/changes?dry_run=true", `{"reason":"x","operations":[`+op+`]}`)
	}
	add("/imports/users?dry_run=true", "user_name,title\nines.halloran,Pilot\nb.osei,Pilot\n")
	add("/imports/memberships?dry_run=true", "group,user\npilots,b.osei\n")
	for _, text := range []string{`applications: {tariff-ledger: {description: One}}`, `applications: {tariff-ledger: {roles: {hidden-role: {label: One}}}}`, `groups: {hidden-few: {label: Few}}`,
		`applications: {berth-planning: {label: Berths}}`} {
		add("/roster-file?dry_run=true", "roster_file: 1\n"+text+"\n")
	}
	add("/imports/groups?dry_run=true", "group,label,unit\nhidden-few,Few,finance\n")
	add("/imports/assignments?dry_run=true", "role,user\nberth-planning/scheduler,b.osei\n")
	add("/imports/assignments?dry_run=true", "role,group\nincident-log/reader,hidden-few\n")
	add("/applications/berth-planning/comparison", `{"paths":["board"]}`)
	return out
}

// passing is what differs from call to call, or from moment to moment.
var passing = regexp.MustCompile(`"instance":"[0-9a-f]+"|\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)|"at":"[^"]*"`)

var cursors = regexp.MustCompile(`"next":"[^"]+"`)

// lasting is an answer without what is passing. A cursor has the instant at which its list was
// drawn: where it goes on counts.
func lasting(answer string) string {
	answer = cursors.ReplaceAllStringFunc(answer, func(next string) string {
		raw, err := base64.RawURLEncoding.DecodeString(next[len(`"next":"`) : len(next)-1])
		if err != nil || len(raw) < 10 {
			return next
		}
		raw = raw[9:]
		for range 2 {
			_, n := binary.Varint(raw)
			raw = raw[max(n, 0):]
		}
		return fmt.Sprintf(`"next":%q`, raw)
	})
	return passing.ReplaceAllString(answer, "…")
}

// Two organisations that differ only outside a caller's part give the same bytes, whatever
// the caller asks: what nobody may see is not told by what is left out, counted, refused,
// suggested or passed on either.
func TestWhatIsOutsideChangesNoAnswer(t *testing.T) {
	who, marta := twoThatDifferOutside(t)
	paths := reads(t, marta)
	paths = append(paths, "/users?limit=500&q=o", "/users?filter="+url.QueryEscape(`title eq "Pilot"`), "/search?q=hid", "/search?q=ve", "/groups?q=few", "/catalogue?q=read",
		"/holders?application=berth-planning&action=update&path=berths%2Fnorth-1", "/groups/hidden-few", "/groups/veiled-many", "/users/hidden.alfa", "/roles/tariff-ledger%2Fhidden-rol")
	asked := 0
	for name := range who[0] {
		both := func(what string, answer func(c *client.Client) (int, string)) {
			t.Helper()
			asked++
			oneStatus, one := answer(who[0][name])
			otherStatus, other := answer(who[1][name])
			one, other = lasting(one), lasting(other)
			if oneStatus != otherStatus || one != other {
				t.Errorf("%s asks %s: %d and %d\n%s", name, what, oneStatus, otherStatus, firstDifference(one, other))
			}
			if oneStatus == 200 && !strings.Contains(what, "hidden") && told.MatchString(one) {
				t.Errorf("%s asks %s, and is told %s", name, what, told.FindString(one))
			}
		}
		for _, path := range paths {
			both(path, func(c *client.Client) (int, string) { return raw(t, c, path) })
		}
		for _, x := range questions() {
			both(x[0]+" "+x[1], func(c *client.Client) (int, string) {
				status, _, raw := ask(t, c, "POST", x[0], x[1])
				return status, string(raw)
			})
		}
	}
	t.Logf("%d calls asked of both", asked)
}

// told are words of what is outside.
var told = regexp.MustCompile(`hidden[.-]|veiled[.-]|Anna Alpha|Bela Beta`)

// twoThatDifferOutside are the callers of two organisations that differ in what is outside of
// their parts alone, and the administrator of the second.
func twoThatDifferOutside(t *testing.T) (who [2]map[string]*client.Client, marta *client.Client) {
	t.Helper()
	for n := range who {
		s := testkit.Serve(t, testkit.DemoDatabase(t))
		marta = s.SignIn(t, demo.Administrator)
		for i, x := range outside {
			req := acknowledged(changeOf([2]string{"The one", "The other"}[n], x[n]), "wide_gain", "wide_loss", "gain_for_everybody", "direct_assignment", "violation_warned", "expectation_warned")
			if _, err := marta.Change(ctx, req, false); err != nil {
				t.Fatalf("%d: %+v", i, err)
			}
		}
		who[n] = map[string]*client.Client{}
		for _, name := range []string{demo.Manager, demo.Pilot} {
			who[n][name] = s.SignIn(t, name)
		}
	}
	return who, marta
}

// That a name is taken cannot be kept from whoever may give names; it is recorded, and
// whoever asks for many is slowed down.
func TestNamesThatAreTakenAreToldSlowly(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	try := func(names ...string) error {
		var ops []string
		for _, n := range names {
			ops = append(ops, fmt.Sprintf(`{"op":"add_user","user_name":%q,"unit":"marine/tugs"}`, n))
		}
		_, err := tomas.Change(ctx, changeOf("", ops...), true)
		return err
	}
	if err := try("free.name"); err != nil {
		t.Fatal(err)
	}
	problem(t, try("ines.halloran"), 422, "invalid") // he sees her: nothing is told
	var refused bool
	for range 40 {
		err := try("b.osei")
		var p *wire.Problem
		if errors.As(err, &p) && p.Status == 429 {
			refused = true
			break
		}
		problem(t, err, 422, "invalid")
	}
	if !refused {
		t.Error("he may ask for taken names as often as he likes")
	}
	problem(t, try("free.name"), 429, "too-many-attempts")
	if _, err := marta.Change(ctx, changeOf("", `{"op":"add_user","user_name":"b.osei"}`), true); err == nil {
		t.Error("a taken name was taken")
	}
	if _, body := raw(t, marta, "/refusals"); !strings.Contains(body, "names that are taken by what they may not see") || strings.Contains(body, "b.osei") {
		t.Errorf("recorded: %s", body)
	}
}
