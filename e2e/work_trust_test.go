package e2e

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/operation/rules"
	"ableroster/testkit"
	"ableroster/wire"
)

// Every revision that changed what somebody holds stands in their history and in the
// role's, whatever operation it was: the approval that gave it, the sign-off that took it.
func TestWhoAllowedItStandsInHistory(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	ines, tomas, marta := at(t, s, demo.Pilot), at(t, s, demo.Manager), at(t, s, demo.Administrator)
	if _, err := s.SignIn(t, demo.Administrator).Change(ctx, changeOf("She decides", `{"op":"update_application","application":"sounding-surveys","owner":"marta.quill"}`), false); err != nil {
		t.Fatal(err)
	}
	id := requestIn.FindString(ines.says(0, "waits for", "request", "sounding-surveys/surveyor", "-until", soon[:10], "-reason", "Helps the launch"))
	tomas.says(0, "others are asked next", "decide", id, "approve", "-reason", "For the season")
	marta.says(0, "Approved and gave", "decide", id, "approve", "-reason", "Approved with pleasure")
	tomas.says(0, "marked for revocation", "review", "revoke", "marine-winter", demo.Pilot, "tariff-ledger/reader", "-reason", "Invoices are checked elsewhere")
	tomas.says(0, "items kept", "review", "keep", "marine-winter", "-all-mine", "-reason", "As it should be")
	marta.says(0, "items kept", "review", "keep", "marine-winter", "-all-mine", "-reason", "As it should be")
	marta.says(0, "Done, as revision", "review", "sign-off", "marine-winter", "-reason", "Signed off for the winter")
	for _, flags := range [][]string{{"-user", demo.Pilot}, {"-role", "sounding-surveys/surveyor"}} {
		marta.says(0, "Approved with pleasure", append([]string{"history"}, flags...)...)
	}
	for _, flags := range [][]string{{"-user", demo.Pilot}, {"-role", "tariff-ledger/reader"}} {
		marta.says(0, "Signed off for the winter", append([]string{"history"}, flags...)...)
	}
}

// A question that leaves out who or what is asked about is refused and not answered, by
// the name of what is missing; nobody signed in is asked about plainly; and the
// application comes first when neither is there.
func TestAQuestionSaysWhomAndWhatItAsksAbout(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	for text, place := range map[string]string{
		`{"user":"ines.halloran","action":"read","path":"board"}`:                                      "application",
		`{"user":"ines.halloran","application":"berth-planning","path":"board"}`:                       "action",
		`{"application":"berth-planning","action":"read","path":"board"}`:                              "user",
		`{"user":"","application":"berth-planning","action":"read","path":"board"}`:                    "user",
		`{"user":"ines.halloran","nobody":true,"application":"tide-board","action":"read","path":"/"}`: "user",
		`{"user":"ines.halloran","application":"berth-planning","action":"read","path":"board","a":1}`: "a",
	} {
		for path, body := range map[string]string{"/check": text, "/checks": `{"checks":[` + text + `]}`} {
			status, _, raw := ask(t, marta, "POST", path, body)
			if status != 422 || !strings.Contains(string(raw), place) {
				t.Errorf("%s %s: %d %s", path, body, status, raw)
			}
		}
	}
	for text, want := range map[string]string{
		`{"user":"nobody.here","application":"not-there","action":"read","path":"/"}`: `"application_unknown"`,
		`{"nobody":true,"application":"tide-board","action":"read","path":"/"}`:       `"allowed":true`,
	} {
		if status, _, raw := ask(t, marta, "POST", "/check", text); status != 200 || !strings.Contains(string(raw), want) {
			t.Errorf("%s: %d %s", text, status, raw)
		}
	}
	// A day that is past is answered as of then, or refused; never as of now.
	before := time.Now().Add(-24 * time.Hour).UTC().Format(time.RFC3339)
	body := `{"user":"ines.halloran","application":"berth-planning","action":"read","path":"board"}`
	for path, body := range map[string]string{"/check?as_of=" + before: body, "/checks?as_of=" + before: `{"checks":[` + body + `]}`} {
		if status, _, raw := ask(t, marta, "POST", path, body); status != 200 || !strings.Contains(string(raw), `"as_of":true`) {
			t.Errorf("%s: %d %s", path, status, raw)
		}
	}
	if status, _, raw := ask(t, marta, "POST", "/check?as_off="+before, body); status != 422 || !strings.Contains(string(raw), "as_off") {
		t.Errorf("%d %s", status, raw)
	}
}

// What would cure a denial is the least that would.
func TestACureIsNoLargerThanItMustBe(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	if _, err := marta.Change(ctx, changeOf("For the test", `{"op":"add_user","user_name":"zoe.marrick"}`), false); err != nil {
		t.Fatal(err)
	}
	a, err := marta.Check(ctx, wire.CheckRequest{User: "zoe.marrick", Application: "tariff-ledger", Action: "read", Path: "tariffs", Explain: true})
	if err != nil || a.Allowed || len(a.Cure) == 0 {
		t.Fatalf("%+v %v", a, err)
	}
	for _, r := range a.Cure {
		if r.Key == "tariff-ledger/credit-releaser" {
			t.Errorf("to read tariffs, %s is offered", r.Key)
		}
	}
}

// A change is tried as often as it must be: applying an operation leaves it as it was, so
// that the second head is told the same as the first.
func TestEveryOperationCanBeTriedOnTwoHeads(t *testing.T) {
	database := testkit.DemoDatabase(t)
	service := testkit.Serve(t, database)
	marta := service.SignIn(t, demo.Administrator)
	makeWay(t, marta)
	l, _ := testkit.Ledger(t, database)
	first := l.Head()
	if _, err := marta.Change(ctx, changeOf("Others are quicker", `{"op":"add_user","user_name":"quick.one"}`, `{"op":"add_group","key":"quick-ones"}`,
		`{"op":"add_role","key":"quick","label":"Quick"}`), false); err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "the second head is there", func() bool { return l.Head().Revision > first.Revision })
	head := l.Head()
	author, _ := head.FindUser(demo.Administrator)
	for _, text := range samples {
		text = strings.ReplaceAll(text, "$soon", soon)
		op, faults := change.DecodeOperation([]byte(text))
		if len(faults) > 0 {
			t.Fatal(text, faults)
		}
		if erase, ok := op.(*rules.EraseReason); ok {
			erase.Digest = strings.Repeat("ab", 32) // the ledger's, which is looked up before it is tried
		}
		was, _ := change.EncodeOperation(op)
		for _, s := range []*access.Snapshot{first, head} {
			d := change.NewDraft(s)
			d.Author = author
			d.Apply(0, op, s.At+1)
			d.Finish()
			if len(d.Faults) > 0 {
				t.Errorf("%s: %v", text, &d.Faults[0])
			}
			if is, _ := change.EncodeOperation(op); string(is) != string(was) {
				t.Errorf("%s became %s", was, is)
			}
		}
	}
}

// The key of a change that came in by a file is bound to all that was asked: to the call,
// the reason and what was acknowledged; and the same at once is one change and one answer.
func TestKeysAreBoundToAllThatWasAsked(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	groups := []byte("group,label\nquay-watch,Quay watch\n")
	in := func(path, reason string, body []byte) (out wire.ChangeResult, err error) {
		return out, marta.DoKeyed(ctx, "the-key", "POST", path, client.Query{"reason": reason}, body, &out)
	}
	if out, err := in("/imports/groups", "Night", groups); err != nil || out.Repeated {
		t.Fatal(out, err)
	}
	if out, err := in("/imports/groups", "Night", groups); err != nil || !out.Repeated {
		t.Errorf("%+v %v", out, err)
	}
	for name, ask := range map[string]func() (wire.ChangeResult, error){
		"another call":   func() (wire.ChangeResult, error) { return in("/imports/memberships", "Night", groups) },
		"another reason": func() (wire.ChangeResult, error) { return in("/imports/groups", "Day", groups) },
		"another file": func() (wire.ChangeResult, error) {
			return in("/imports/groups", "Night", append(slices.Clone(groups), "x,X\n"...))
		},
	} {
		if out, err := ask(); err == nil {
			t.Errorf("%s: %+v", name, out)
		}
	}
	before, err := marta.Me(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for round := range 10 {
		var hands sync.WaitGroup
		answers := make([]wire.ChangeResult, 8)
		for i := range answers {
			hands.Go(func() {
				op := fmt.Sprintf(`{"op":"add_user","user_name":"at.once.%d"}`, round)
				if err := marta.DoKeyed(ctx, fmt.Sprint("at-once-", round), "POST", "/changes", nil, changeOf("At once", op), &answers[i]); err != nil {
					t.Error(err)
				}
			})
		}
		hands.Wait()
		for _, a := range answers {
			if a.Revision != before.Revision+int64(round)+1 {
				t.Errorf("revision %d in round %d, after %d", a.Revision, round, before.Revision)
			}
		}
	}
}

// Whoever departs under a name that is a common word takes along what speaks of them, and
// nothing that only has the word in it.
func TestErasureGoesByPersonAndNotByWord(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Pilot)
	if _, err := marta.Change(ctx, changeOf("Joins and leaves", `{"op":"add_user","user_name":"ops","display_name":"operations"}`, `{"op":"update_user","user":"ops","status":"departed"}`), false); err != nil {
		t.Fatal(err)
	}
	// What waits, what was refused and what was saved, with the word in it.
	move := changeOf("", `{"op":"update_user","user":"ines.halloran","title":"Head of operations"}`)
	if _, err := ines.AddPendingChange(ctx, wire.PendingChangeRequest{Reason: "The operations desk moves", Lines: []wire.PendingLine{{Operations: move.Operations}}}); err != nil {
		t.Fatal(err)
	}
	_, _ = ines.Change(ctx, changeOf("About operations", `{"op":"update_user","user":"ines.halloran","title":"Head of operations"}`), false)
	if err := marta.PutView(ctx, "desk", wire.ViewRequest{Label: "The operations", Search: wire.ViewSearch{Filter: `title eq "Head of operations"`}}); err != nil {
		t.Fatal(err)
	}
	counts := func() (out [3]int) {
		parts, err := ines.PendingChanges(ctx)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range parts.Mine {
			if p.State == "waiting" && p.Reason != "" {
				out[0]++
			}
		}
		_, body := raw(t, marta, "/refusals")
		var refusals struct{ Refusals []json.RawMessage }
		if err := json.Unmarshal([]byte(body), &refusals); err != nil {
			t.Fatal(err)
		}
		views, err := marta.Views(ctx)
		if err != nil {
			t.Fatal(err)
		}
		out[1], out[2] = len(refusals.Refusals), len(views.Views)
		return out
	}
	before := counts()
	if before[0] == 0 || before[1] == 0 {
		t.Fatalf("nothing to keep: %v", before)
	}
	if _, err := marta.Change(ctx, changeOf("Asked for", `{"op":"erase_user","user":"ops"}`), false); err != nil {
		t.Fatal(err)
	}
	if after := counts(); after != before {
		t.Errorf("%v, then %v", before, after)
	}
}

// Whoever decides sees what the role has come to give since it was asked for.
func TestADecisionIsOnTheRoleAsItIsAndSaysWhatGrew(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	ines, tomas, marta := at(t, s, demo.Pilot), at(t, s, demo.Manager), s.SignIn(t, demo.Administrator)
	id := requestIn.FindString(ines.says(0, "waits for", "request", "sounding-surveys/surveyor", "-until", soon[:10], "-reason", "Helps the launch"))
	if out := tomas.says(0, "would give", "requests", "show", id); strings.Contains(out, "since it was asked for") {
		t.Errorf("nothing has changed:\n%s", out)
	}
	grow := changeOf("More for surveyors", `{"op":"add_permission","role":"sounding-surveys/surveyor","actions":["update"],"pattern":"charts"}`,
		`{"op":"add_role","key":"archivist","application":"sounding-surveys","label":"Archivist"}`, `{"op":"add_permission","role":"sounding-surveys/archivist","actions":["read"],"pattern":"archive"}`,
		`{"op":"include_role","role":"sounding-surveys/surveyor","includes":"sounding-surveys/archivist"}`)
	if _, err := marta.Change(ctx, acknowledged(grow, "wide_gain"), false); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"since the request, the role has come to give: update charts in Sounding surveys", "since the request, the role has come to give: read archive in Sounding surveys"} {
		tomas.says(0, want, "requests", "show", id)
	}
	tomas.says(0, "Since the request, the role has come to give: update charts in Sounding surveys", "decide", id, "approve", "-dry-run")
}

// Times with a gap between them are told as two, before the change and after it, in the
// answer and in words.
func TestTwoTimesAreToldAsTwo(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, x := s.SignIn(t, demo.Administrator), at(t, s, demo.Administrator)
	day := func(n int) string { return time.Now().AddDate(0, 0, n).UTC().Truncate(time.Hour).Format(time.RFC3339) }
	grant := func(from, until int) string {
		return fmt.Sprintf(`{"op":"grant","user":"zoe.marrick","role":"tide-board/editor","from":%q,"until":%q}`, day(from), day(until))
	}
	if _, err := marta.Change(ctx, changeOf("For the test", `{"op":"add_user","user_name":"zoe.marrick"}`), false); err != nil {
		t.Fatal(err)
	}
	two := changeOf("Twice", grant(1, 2), grant(10, 11))
	for _, dryRun := range []bool{true, false} {
		out, err := marta.Change(ctx, two, dryRun)
		if err != nil || out.Preview == nil || len(out.Preview.Effects) != 1 {
			t.Fatalf("%+v %v", out, err)
		}
		for _, g := range out.Preview.Effects[0].Gained {
			if len(g.When) != 2 || !g.When[0].Until.Before(*g.When[1].From) {
				t.Errorf("gained %s %s: %v", g.Action, g.Target, g.When)
			}
		}
	}
	text := x.says(0, "tide-board", "access", "zoe.marrick", "-output", "json")
	if !strings.Contains(text, day(2)) || !strings.Contains(text, day(10)) {
		t.Errorf("her access does not tell of the days between:\n%s", text)
	}
	// On a day between she may not, and is told when she may again.
	a, err := marta.CheckAsOf(ctx, wire.CheckRequest{User: "zoe.marrick", Application: "tide-board", Action: "update", Path: "tides", Explain: true}, client.Query{"as_of": day(5)})
	if err != nil || a.Allowed {
		t.Errorf("%+v %v", a, err)
	}
}

// What was passed on is made by a change that has it in it, and by no other.
func TestWhatWasPassedOnIsMadeByWhatHasItInIt(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Pilot)
	move := changeOf("", `{"op":"update_user","user":"ines.halloran","title":"Senior pilot"}`)
	part, err := ines.AddPendingChange(ctx, wire.PendingChangeRequest{Reason: "She was promoted", Lines: []wire.PendingLine{{Operations: move.Operations}}})
	if err != nil {
		t.Fatal(err)
	}
	other := changeOf("Something else", `{"op":"update_user","user":"b.osei","title":"Clerk"}`)
	other.PendingChanges = []string{part.ID}
	_, err = marta.Change(ctx, other, false)
	if p := problem(t, err, 422, "invalid"); !strings.Contains(fmt.Sprint(p.Faults), "not in this change") {
		t.Errorf("%+v", p)
	}
	waits := func() bool {
		l, err := marta.PendingChanges(ctx)
		return err == nil && slices.ContainsFunc(l.ToMake, func(p wire.PendingChange) bool { return p.ID == part.ID })
	}
	if !waits() {
		t.Error("it waits no more, though nobody made it")
	}
	other.Operations = append(other.Operations, move.Operations...)
	if _, err := marta.Change(ctx, other, false); err != nil || waits() {
		t.Errorf("made, and waits still (%v)", err)
	}
}

// Whatever is misspelt, the words that may have been meant are offered in the same words;
// a batch has the faults of all its questions named.
func TestWhatMayHaveBeenMeantIsOfferedEverywhere(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	for body, meant := range map[string]string{
		`{"reason":"x","operations":[{"op":"grnat","user":"b.osei","role":"auditor"}]}`:                                                           "grant",
		`{"reason":"x","operations":[{"op":"grant","usr":"b.osei","role":"auditor"}]}`:                                                            "user",
		`{"reason":"x","operations":[{"op":"grant","user":"b.oseii","role":"auditor"}]}`:                                                          "b.osei",
		`{"reason":"x","acknowledge":["wide_gian"],"operations":[{"op":"grant","user":"b.osei","role":"auditor"}]}`:                               "wide_gain",
		`{"reason":"x","operations":[{"op":"add_group","key":"mine","filter":"titel eq \"Pilot\""}]}`:                                             "title",
		`{"reason":"x","operatoins":[{"op":"grant","user":"b.osei","role":"auditor"}],"operations":[{"op":"add_group","key":"as-it-should-be"}]}`: "operations",
	} {
		status, _, raw := ask(t, marta, "POST", "/changes?dry_run=true", body)
		if status != 422 || !strings.Contains(string(raw), "did you mean "+meant+"?") && !strings.Contains(string(raw), `"did_you_mean":["`+meant+`"`) {
			t.Errorf("%s: %d %s", body, status, raw)
		}
	}
	_, err := marta.Checks(ctx, []wire.CheckRequest{{User: "ines.halloran", Application: "berth-planning", Action: "read", Path: "bad//path"}, {}, {User: "x", Nobody: true, Application: "y", Action: "z"}})
	p := problem(t, err, 422, "invalid")
	for _, at := range []string{"/checks/0", "/checks/1", "/checks/2"} {
		if !slices.ContainsFunc(p.Faults, func(f wire.Fault) bool { return strings.HasPrefix(f.Place, at) }) {
			t.Errorf("no fault of %s: %+v", at, p.Faults)
		}
	}
}

// One fact asks for one acknowledgement.
func TestOneFactIsAcknowledgedOnce(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	out, err := s.SignIn(t, demo.Administrator).Change(ctx, changeOf("", `{"op":"grant","group":"all-users","role":"tariff-ledger/clerk"}`), true)
	if err != nil {
		t.Fatal(err)
	}
	var codes []string
	for _, r := range out.Preview.Rails {
		codes = append(codes, r.Code)
	}
	if !slices.Contains(codes, "gain_for_everybody") || slices.Contains(codes, "wide_gain") {
		t.Errorf("to be acknowledged: %v", codes)
	}
}
