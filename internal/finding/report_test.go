package finding_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/finding"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
)

var day = time.Date(2026, 11, 25, 10, 0, 0, 0, time.UTC)

// keys are the findings of a report, each with what it counts.
func keys(r *finding.Report) []string {
	var out []string
	for i := range r.Findings {
		out = append(out, fmt.Sprint(r.Findings[i].Key(), " ", r.Findings[i].Count))
	}
	return out
}

// port is the demo organisation as it is on the day.
func port(t testing.TB) *access.Snapshot {
	t.Helper()
	s, err := demo.Port(day)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// planted are the mistakes of the demo, and what is so at any port: three roles
// that one person has, three that nobody does.
var planted = []string{
	"user_past_end lazare.rosenqvist",
	"wildcard_passes_fence sounding-surveys/dredging-surveyor surveys/dredging-*",
	"account_unused quirina.eisenhauer",
	"account_unaccounted barrier-control",
	"direct_assignment ulrik.castellane gate-passes/issuer", // the application came to warn of them later
	"direct_assignment baltasar.zamoyski gate-passes/withdrawer",
	"direct_assignment eskil.marchbanks gate-passes/withdrawer",
	"direct_assignment undine.ravensworth gate-passes/night-gate",
	"assignment_doubled thibault.vasquez-orr group gate-day gate-passes/reader",
	"assignment_doubled ines.dunmore group finance-leads tariff-ledger/credit-releaser",
	"assignment_over ignatia.underhay cargo-manifests/approver",
	"permission_matches_nothing works-orders/storekeeper storse",
	"resource_unreached near-misses",
	"user_without_access perpetua.brandt",
	"role_without_permissions seasonal-helper",
	"role_unheld people-reader",
	"role_unheld harbour-master",
	"role_unheld seasonal-helper",
	"role_single_holder marta.quill access-administrator",
	"role_single_holder b.osei auditor",
	"role_single_holder tomas.brandt marine-manager",
	"role_near_duplicate cargo-manifests/reader cargo-manifests/viewer",
	"role_unowned terminal-lead",
	"group_empty group chart-office",
}

// Each planted mistake is found as what it is, and nothing else is.
func TestThePlantedMistakesAreFoundAndNothingElse(t *testing.T) {
	s := port(t)
	dormant, _ := s.FindUser(demo.Dormant)
	var found []string
	for _, f := range finding.Look(s, calendar.At(day), finding.Accounts{dormant: calendar.At(day) - calendar.Days(140)}).Findings {
		words := []string{string(f.Code)}
		if u := s.User(f.User); u != nil {
			words = append(words, u.UserName)
		}
		if g := s.Group(f.Group); g != nil {
			words = append(words, "group "+g.Key)
		}
		if f.Role != 0 {
			words = append(words, s.RoleKey(f.Role))
		}
		if f.Other != 0 {
			words = append(words, s.RoleKey(f.Other))
		}
		if f.Path != "" {
			words = append(words, f.Path)
		}
		found = append(found, strings.Join(words, " "))
	}
	for _, x := range planted {
		if !slices.Contains(found, x) {
			t.Errorf("not found: %s", x)
		}
	}
	for _, x := range found {
		if !slices.Contains(planted, x) {
			t.Errorf("found besides: %q,", x)
		}
	}
}

// What is looked at again only where something changed is what a look at
// everything finds, after each of the changes of eighteen months and after many
// that tear at what is there.
func TestWhatIsFoundByDifferenceIsWhatIsFoundAfresh(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	at := calendar.At(day)
	s := access.Empty()
	r := finding.Look(s, at, nil)
	found, changes := map[finding.Code]int{}, 0
	step := func(ops ...change.Operation) {
		d := change.NewDraft(s)
		for i, op := range ops {
			d.Apply(i, op, at-calendar.Days(5)) // what ends before then is over now
		}
		d.Finish()
		if len(d.Faults) > 0 || len(d.Changes()) == 0 {
			return
		}
		changes++
		s = d.Seal(d.Revision, at)
		r = r.Next(s, at, nil)
		fresh := finding.Look(s, at, nil)
		if got, want := keys(r), keys(fresh); !slices.Equal(got, want) {
			for _, k := range want {
				if !slices.Contains(got, k) {
					t.Errorf("missed %s", k)
				}
			}
			for _, k := range got {
				if !slices.Contains(want, k) {
					t.Errorf("found %s, which is not there", k)
				}
			}
			t.Fatalf("after %T %+v", ops[0], ops[0])
		}
		for _, f := range fresh.Findings {
			found[f.Code]++
		}
	}
	for _, c := range demo.Larkhaven(day) {
		step(c.Operations...)
	}
	for _, account := range []change.UserRef{demo.BerthBoard, "manifest-feed", "tide-gauge"} {
		step(&people.SetSharedAccount{User: account, Custodian: demo.Administrator, Group: "pilots", Emergency: true})
	}
	step(&people.CheckOutAccount{User: "manifest-feed"})
	step(&people.CheckOutAccount{User: "tide-gauge"})
	step(&people.ReturnAccount{User: "tide-gauge"})
	rng := rand.New(rand.NewPCG(7, 7))
	id := func(kind string, most int) string { return fmt.Sprintf("%s-%d", kind, 1+rng.IntN(most)) }
	yes, no := true, false
	departed, active, suspended := fact.Departed, fact.Active, fact.Suspended
	refused := fact.DirectRefused
	for range 400 {
		switch rng.IntN(11) {
		case 0:
			step(&roles.RetireRole{Role: change.RoleRef(id("role", 80))})
		case 1:
			step(&roles.UpdateRole{Role: change.RoleRef(id("role", 80)), Retired: &no})
		case 2:
			status := []fact.Status{departed, active, suspended}[rng.IntN(3)]
			step(&people.UpdateUser{User: change.UserRef(id("user", 250)), Status: &status})
		case 3:
			step(&roles.RemovePermission{Permission: change.PermissionRef(id("permission", 200))})
		case 4:
			step(&roles.Revoke{Assignment: change.AssignmentRef(id("assignment", 500))})
		case 5:
			step(&roles.RemoveMember{Group: change.GroupRef(id("group", 42)), User: change.UserRef(id("user", 250))})
		case 6:
			step(&roles.Grant{Role: change.RoleRef(id("role", 80)), User: change.UserRef(id("user", 250)), Window: calendar.Window{Until: at + calendar.Days(rng.IntN(9)-4)}})
		case 7:
			step(&roles.Grant{Role: change.RoleRef(id("role", 80)), Group: change.GroupRef(id("group", 42))})
		case 8:
			step(&roles.IncludeRole{Role: change.RoleRef(id("role", 80)), Includes: change.RoleRef(id("role", 80))})
		case 9:
			a := demo.ApplicationKeys()[rng.IntN(10)]
			resources := s.Resources(mustFind(t, s, a))
			x := resources[rng.IntN(len(resources))].Path
			step(&roles.UpdateResource{Application: change.ApplicationRef(a), Path: x, Retired: []*bool{&yes, &no}[rng.IntN(2)]})
		case 10:
			if key := fmt.Sprintf("everybody-%d", changes); rng.IntN(4) == 0 {
				step(&roles.AddGroup{Key: key, Filter: `kind eq "person"`}, &roles.Grant{Role: change.RoleRef(id("role", 80)), Group: change.GroupRef(key)})
			}
			step(&roles.UpdateApplication{Application: change.ApplicationRef(demo.ApplicationKeys()[rng.IntN(10)]), Direct: &refused})
		}
	}
	step(&rules.EndTeamRule{Rule: "project-teams"})
	for _, a := range finding.All {
		t.Logf("%s: %d", a.Code, found[a.Code])
		if found[a.Code] == 0 && a.Code != finding.AccountUnused && a.Code != finding.WildcardInFence {
			t.Errorf("%s was never found in %d changes", a.Code, changes)
		}
	}
}

func mustFind(t *testing.T, s *access.Snapshot, key string) fact.ApplicationID {
	t.Helper()
	id, ok := s.FindApplication(key)
	if !ok {
		t.Fatal("no application", key)
	}
	return id
}
