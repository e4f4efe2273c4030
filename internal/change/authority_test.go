package change_test

import (
	"slices"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
)

// judged says what a user lacks to make a change.
func judged(t *testing.T, s *access.Snapshot, caller string, ops ...change.Operation) []change.Refusal {
	t.Helper()
	d := laws.DraftOf(s, ops...)
	if len(d.Faults) > 0 {
		t.Fatalf("operation %d: %v", d.Faults[0].Operation, &d.Faults[0])
	}
	id, ok := s.FindUser(caller)
	if !ok {
		t.Fatal("no such caller")
	}
	return change.AuthorityOf(s, id, 2).Judge(d, 2)
}

func TestAnAdministratorMayMakeAnyChange(t *testing.T) {
	unit := "finance"
	lacks := judged(t, laws.Port(t), "marta.quill",
		&people.AddUser{Personal: fact.Personal{UserName: "new.one"}, UserFacts: fact.UserFacts{Unit: "marine"}},
		&roles.Grant{Role: "marine-manager", User: "new.one"},
		&roles.AddRole{Key: "warden", Application: "berths"},
		&roles.AddPermission{Role: "berths/warden", Actions: []string{"*"}, Pattern: "/"},
		&roles.Grant{Role: "berths/warden", Group: "all-users"},
		&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Unit: &unit}},
		&rules.SetOrganisation{Name: "Larkhaven", TimeZone: "UTC"})
	if len(lacks) > 0 {
		t.Errorf("lacks %+v", lacks[0])
	}
}

func TestADelegateMayDoTheirPart(t *testing.T) {
	s := laws.Port(t, &roles.AddRole{Key: "staff"}, &roles.AddPermission{Role: "staff", Application: "tariffs", Actions: []string{"read"}, Pattern: "/"}, &roles.Grant{Role: "staff", Group: "all-users"})
	for name, ops := range map[string][]change.Operation{
		"grant a role of theirs to one of theirs":     {&roles.Grant{Role: "berths/scheduler", User: "ines.halloran"}},
		"add somebody to their unit, with a role":     {&people.AddUser{Personal: fact.Personal{UserName: "new.one"}, UserFacts: fact.UserFacts{Unit: "marine/tugs"}}, &roles.Grant{Role: "berths/reader", User: "new.one"}},
		"put one of theirs into a group of theirs":    {&roles.AddMember{Group: "pilots", User: "ines.halloran"}},
		"suspend one of theirs":                       {&people.UpdateUser{User: "ines.halloran", Status: &[]fact.Status{fact.Suspended}[0]}},
		"a rule over their unit, for roles of theirs": {&roles.AddGroup{Key: "tug-crews", Unit: "marine/tugs", Filter: `within eq "marine" and title co "tug"`}, &roles.Grant{Role: "berths/scheduler", Group: "tug-crews"}},
		"take in whoever all users have a role for":   {&people.AddUser{Personal: fact.Personal{UserName: "new.two"}, UserFacts: fact.UserFacts{Unit: "marine"}}},
	} {
		if lacks := judged(t, s, "tomas.brandt", ops...); len(lacks) > 0 {
			t.Errorf("%s: lacks %+v %+v", name, lacks[0].Need, lacks[0].Gain)
		}
	}
}

// Every roundabout way to a role that the delegate may not give.
func TestADelegateMayNotGetAroundTheirPart(t *testing.T) {
	unit := "marine/pilotage"
	s := laws.Port(t,
		&roles.AddMember{Group: "pilots", User: "ines.halloran"},
		&roles.AddGroup{Key: "till", Unit: "marine"}, // theirs, but in a group that gives more
		&roles.AddMember{Group: "cash-desk", Member: "till"},
		&roles.AddGroup{Key: "marine-clerks", Unit: "marine", Filter: `title eq "clerk" and unit eq "marine"`},
		&roles.Grant{Role: "berths/reader", Group: "marine-clerks"},
		&roles.AddGroup{Key: "clerks", Unit: "marine", Filter: `title eq "clerk"`},
		&roles.AddRole{Key: "harbour-master"},
		&roles.IncludeRole{Role: "harbour-master", Includes: "berths/reader"},
		&roles.AddPermission{Role: "harbour-master", Application: "tariffs", Actions: []string{"read"}, Pattern: "/"},
		&roles.Grant{Role: "harbour-master", User: "hedvika.venables"},
		&roles.AddRole{Key: "everybodys", Application: "berths"},
		&roles.Grant{Role: "berths/everybodys", Group: "all-users"})
	for name, ops := range map[string][]change.Operation{
		"a role of another application":                {&roles.Grant{Role: "tariffs/releaser", User: "ines.halloran"}},
		"somebody of another unit":                     {&roles.Grant{Role: "berths/reader", User: "hedvika.venables"}},
		"themselves a role they may not assign":        {&roles.Grant{Role: "access-administrator", User: "tomas.brandt"}},
		"a group of another unit":                      {&roles.AddMember{Group: "cash-desk", User: "ines.halloran"}},
		"a group of theirs inside one that gives more": {&roles.AddMember{Group: "till", User: "ines.halloran"}},
		"a group nested through theirs":                {&roles.AddMember{Group: "till", Member: "pilots"}},
		"an inclusion by a role they may not update":   {&roles.IncludeRole{Role: "harbour-master", Includes: "berths/scheduler"}},
		"a permission on a role others hold":           {&roles.AddPermission{Role: "harbour-master", Application: "berths", Actions: []string{"update"}, Pattern: "/"}},
		"moving somebody in from another unit":         {&people.UpdateUser{User: "hedvika.venables", UserEdits: fact.UserEdits{Unit: &unit}}},
		"a new user elsewhere":                         {&people.AddUser{Personal: fact.Personal{UserName: "new.one"}, UserFacts: fact.UserFacts{Unit: "finance"}}},
		"a new user nowhere":                           {&people.AddUser{Personal: fact.Personal{UserName: "new.one"}}},
		"a role for everybody":                         {&roles.Grant{Role: "berths/reader", Group: "all-users"}},
		"a permission on a role everybody holds":       {&roles.AddPermission{Role: "berths/everybodys", Actions: []string{"update"}, Pattern: "/"}},
		"an inclusion by a role everybody holds":       {&roles.IncludeRole{Role: "berths/everybodys", Includes: "berths/scheduler"}},
		"revoking what they may not give":              {&roles.Revoke{Role: "harbour-master", User: "hedvika.venables"}},
		"a rule that reaches others":                   {&roles.AddGroup{Key: "any-tug", Unit: "marine", Filter: `title co "tug"`}, &roles.Grant{Role: "berths/reader", Group: "any-tug"}},
		"a rule for a role of another application":     {&roles.AddGroup{Key: "tug-crews", Unit: "marine", Filter: `within eq "marine"`}, &roles.AddMember{Group: "till", Member: "tug-crews"}},
		"a rule written wider":                         {&roles.UpdateGroup{Group: "marine-clerks", Filter: &[]string{`title eq "clerk"`}[0], HeldWithin: &[]string{""}[0]}},
		"a role for a group whose rule reaches others": {&roles.Grant{Role: "berths/reader", Group: "clerks"}},
		"settings":          {&rules.SetOrganisation{Name: "Larkhaven", TimeZone: "UTC"}},
		"a new application": {&roles.AddApplication{Key: "cranes", Actions: []fact.Action{{Key: "read"}}}},
		"a group of another unit holding a role of theirs": {&roles.Grant{Role: "berths/reader", Group: "cash-desk"}},
	} {
		if lacks := judged(t, s, "tomas.brandt", ops...); len(lacks) == 0 {
			t.Errorf("%s: was let through", name)
		}
	}
}

// assign on the role through one assignment and on the user through another do
// not add up.
func TestBothRightsMustComeThroughOneAssignment(t *testing.T) {
	s := laws.Port(t,
		&roles.AddRole{Key: "finance-manager"},
		&roles.AddPermission{Role: "finance-manager", Application: "able-roster", Actions: []string{"read", "assign"}, Pattern: "users/finance"},
		&roles.AddPermission{Role: "finance-manager", Application: "able-roster", Actions: []string{"read", "assign"}, Pattern: "roles/tariffs"},
		&roles.Grant{Role: "finance-manager", User: "tomas.brandt"})
	if lacks := judged(t, s, "tomas.brandt", &roles.Grant{Role: "tariffs/releaser", User: "hedvika.venables"}); len(lacks) > 0 {
		t.Errorf("within the one part: lacks %+v", lacks[0])
	}
	if lacks := judged(t, s, "tomas.brandt", &roles.Grant{Role: "tariffs/releaser", User: "ines.halloran"}); len(lacks) == 0 {
		t.Error("a role of one part went to a user of the other")
	}
}

func TestNobodyPassesOnRightsInAbleRosterTheyDoNotHold(t *testing.T) {
	s := laws.Port(t,
		&roles.AddRole{Key: "auditor"},
		&roles.AddPermission{Role: "auditor", Application: "able-roster", Actions: []string{"read"}, Pattern: "/"},
		&roles.AddRole{Key: "role-giver"}, // may assign any role to anybody, and read users
		&roles.AddPermission{Role: "role-giver", Application: "able-roster", Actions: []string{"assign"}, Pattern: "/"},
		&roles.AddPermission{Role: "role-giver", Application: "able-roster", Actions: []string{"read"}, Pattern: "users"},
		&roles.Grant{Role: "role-giver", User: "hedvika.venables"})
	lacks := judged(t, s, "hedvika.venables", &roles.Grant{Role: "auditor", User: "ines.halloran"})
	if len(lacks) != 1 || !lacks[0].PassedOn {
		t.Errorf("reading everything was passed on by somebody who may not: %+v", lacks)
	}
	if lacks := judged(t, s, "hedvika.venables", &roles.Grant{Role: "tariffs/releaser", User: "ines.halloran"}); len(lacks) > 0 {
		t.Errorf("a role without such rights: lacks %+v", lacks[0])
	}
}

func TestNothingIsLentOutsideTheWindowOfTheCallersOwnAssignment(t *testing.T) {
	s := laws.Port(t, &roles.AddRole{Key: "stand-in"},
		&roles.AddPermission{Role: "stand-in", Application: "able-roster", Actions: []string{"*"}, Pattern: "/"},
		&roles.Grant{Role: "stand-in", User: "hedvika.venables", Window: calendar.Window{From: 10, Until: 20}})
	id, _ := s.FindUser("hedvika.venables")
	for at, want := range map[calendar.Instant]bool{9: false, 10: true, 19: true, 20: false} {
		if got := change.AuthorityOf(s, id, at).May(access.ActUpdate, "settings"); got != want {
			t.Errorf("at %d: %v", at, got)
		}
	}
}

func TestEverybodyReadsThemselvesAndNobodyElse(t *testing.T) {
	s := laws.Port(t)
	pilot, _ := s.FindUser("ines.halloran")
	manager, _ := s.FindUser("tomas.brandt")
	finance, _ := s.FindUser("hedvika.venables")
	for _, x := range []struct {
		caller, whom fact.UserID
		want         bool
	}{{pilot, pilot, true}, {pilot, manager, false}, {manager, pilot, true}, {manager, finance, false}, {0, pilot, false}, {0, 0, false}} {
		if got := change.AuthorityOf(s, x.caller, 2).MayReadUser(s, x.whom); got != x.want {
			t.Errorf("%s reads %s: %v", x.caller, x.whom, got)
		}
	}
}

// Whoever could sign in as somebody must hold all that they have, that is ahead of
// them, and that they would have again.
func TestPowersAreWhatSomebodyHoldsNowOrLater(t *testing.T) {
	suspended := fact.Suspended
	s := laws.Port(t,
		&people.AddUser{Personal: fact.Personal{UserName: "soon.one"}, UserFacts: fact.UserFacts{Unit: "marine"}},
		&roles.Grant{Role: "access-administrator", User: "soon.one", Window: calendar.Window{From: 1000}},
		&people.AddUser{Personal: fact.Personal{UserName: "was.one"}, UserFacts: fact.UserFacts{Unit: "marine"}},
		&roles.Grant{Role: "access-administrator", User: "was.one", Window: calendar.Window{Until: 2}},
		&people.AddUser{Personal: fact.Personal{UserName: "asleep.one"}, UserFacts: fact.UserFacts{Unit: "marine"}},
		&roles.AddGroup{Key: "admins"}, &roles.Grant{Role: "access-administrator", Group: "admins"},
		&roles.AddMember{Group: "admins", User: "asleep.one"},
		&people.UpdateUser{User: "asleep.one", Status: &suspended})
	for _, x := range []struct {
		maker, of string
		want      bool
	}{
		{"marta.quill", "tomas.brandt", true}, {"tomas.brandt", "marta.quill", false}, {"tomas.brandt", "ines.halloran", true},
		{"tomas.brandt", "soon.one", false}, {"tomas.brandt", "asleep.one", false}, {"tomas.brandt", "was.one", true},
		{"marta.quill", "soon.one", true}, {"marta.quill", "asleep.one", true}, {"ines.halloran", "tomas.brandt", false},
	} {
		maker, _ := s.FindUser(x.maker)
		of, _ := s.FindUser(x.of)
		got := true
		for _, p := range change.Powers(s, of, 2) {
			got = got && change.AuthorityOf(s, maker, 2).Covers(p)
		}
		if got != x.want {
			t.Errorf("%s holds all that %s does: %v", x.maker, x.of, got)
		}
	}
}

func TestGuardRails(t *testing.T) {
	suspended, end := fact.Suspended, calendar.Date(30000)
	two := laws.Port(t, &roles.Grant{Role: "access-administrator", User: "tomas.brandt"})
	crowd := []change.Operation{&roles.AddGroup{Key: "crowd"}}
	for i := range 40 {
		name := change.UserRef("crew." + string(rune('a'+i/20)) + string(rune('a'+i%20)))
		crowd = append(crowd, &people.AddUser{Personal: fact.Personal{UserName: string(name)}}, &roles.AddMember{Group: "crowd", User: name})
	}
	for _, x := range []struct {
		name   string
		s      *access.Snapshot
		caller string
		ops    []change.Operation
		want   []effect.RailCode
	}{
		{"an everyday grant", laws.Port(t), "marta.quill", []change.Operation{&roles.Grant{Role: "berths/reader", User: "ines.halloran"}}, nil},
		{"suspending the last administrator", laws.Port(t), "marta.quill", []change.Operation{&people.UpdateUser{User: "marta.quill", Status: &suspended}}, []effect.RailCode{effect.LastAdministrator, effect.OwnAccessLowered}},
		{"an end date for the last administrator", laws.Port(t), "marta.quill", []change.Operation{&people.UpdateUser{User: "marta.quill", UserEdits: fact.UserEdits{End: &end}}}, []effect.RailCode{effect.LastAdministrator, effect.OwnAccessLowered}},
		{"retiring the role of the last administrator", laws.Port(t), "marta.quill", []change.Operation{&roles.RetireRole{Role: "access-administrator"}}, []effect.RailCode{effect.LastAdministrator, effect.OwnAccessLowered}},
		{"suspending one of two administrators", two, "tomas.brandt", []change.Operation{&people.UpdateUser{User: "marta.quill", Status: &suspended}}, nil},
		{"lowering one's own", two, "marta.quill", []change.Operation{&roles.Revoke{Role: "access-administrator", User: "marta.quill"}}, []effect.RailCode{effect.OwnAccessLowered}},
		{"a gain for everybody", laws.Port(t), "marta.quill", []change.Operation{&roles.Grant{Role: "berths/reader", Group: "public"}}, []effect.RailCode{effect.GainForEverybody}},
		{"a gain for all users", laws.Port(t), "marta.quill", []change.Operation{&roles.Grant{Role: "berths/reader", Group: "all-users"}}, []effect.RailCode{effect.GainForEverybody}},
		{"rights to administer", laws.Port(t), "marta.quill", []change.Operation{&roles.Grant{Role: "access-administrator", User: "ines.halloran"}}, []effect.RailCode{effect.AdministeringGain}},
		{"a gain of many at once", laws.Port(t, crowd...), "marta.quill", []change.Operation{&roles.Grant{Role: "berths/reader", Group: "crowd"}}, []effect.RailCode{effect.WideGain}},
		{"many who arrive with their roles", laws.Port(t, &roles.AddGroup{Key: "crowd"}, &roles.Grant{Role: "berths/reader", Group: "crowd"}), "marta.quill", crowd[1:], nil},
	} {
		if got := laws.RailsOf(t, x.s, x.caller, x.ops...); !slices.Equal(got, x.want) {
			t.Errorf("%s: %v, want %v", x.name, got, x.want)
		}
	}
}

func TestWhatMovedSinceOneLooked(t *testing.T) {
	s := laws.Port(t)
	d := laws.DraftOf(s, &roles.Grant{Role: "berths/reader", User: "ines.halloran"})
	s2 := d.Seal(2, 2)
	mine := laws.DraftOf(s2, &roles.Grant{Role: "berths/scheduler", User: "ines.halloran"})
	if moved := mine.Moved(1); len(moved) != 1 || moved[0].Kind != fact.FactUser {
		t.Errorf("somebody gave her a role in between: %v", moved)
	}
	if moved := mine.Moved(2); len(moved) != 0 {
		t.Errorf("seen already: %v", moved)
	}
	other := laws.DraftOf(s2, &roles.Grant{Role: "tariffs/releaser", User: "hedvika.venables"})
	if moved := other.Moved(1); len(moved) != 0 {
		t.Errorf("what was changed has nothing to do with it: %v", moved)
	}
}

// Authorities of two instants are the same until an assignment that gives rights begins or
// ends, however it is reached; one that gives none makes no difference.
func TestAnAuthorityIsTheSameUntilARightBeginsOrEnds(t *testing.T) {
	s := laws.Port(t,
		&roles.AddRole{Key: "helper"}, &roles.AddPermission{Role: "helper", Application: "able-roster", Actions: []string{"update"}, Pattern: "users/marine/*"},
		&roles.AddGroup{Key: "helpers"}, &roles.Grant{Role: "helper", Group: "helpers"},
		&roles.AddMember{Group: "helpers", User: "ines.halloran", Window: calendar.Window{From: 10, Until: 20}},
		&roles.Grant{Role: "berths/reader", User: "ines.halloran", Window: calendar.Window{From: 12, Until: 14}})
	id, _ := s.FindUser("ines.halloran")
	for _, x := range []struct {
		a, b calendar.Instant
		same bool
	}{{2, 9, true}, {9, 10, false}, {10, 19, true}, {11, 13, true}, {19, 20, false}, {9, 20, true}} {
		if got := change.AuthorityOf(s, id, x.a).Same(change.AuthorityOf(s, id, x.b)); got != x.same {
			t.Errorf("at %d and at %d: the same %v", x.a, x.b, got)
		}
	}
}
