package access

import (
	"slices"
	"testing"

	"ableroster/internal/calendar"
)

// judged says what a user lacks to make a change.
func judged(t *testing.T, s *Snapshot, caller string, ops ...Operation) []Refusal {
	t.Helper()
	d := draftOf(s, ops...)
	if len(d.Faults) > 0 {
		t.Fatalf("operation %d: %v", d.Faults[0].Operation, &d.Faults[0])
	}
	id, ok := s.FindUser(caller)
	if !ok {
		t.Fatal("no such caller")
	}
	return s.Authority(id, 2).Judge(d, 2)
}

func TestAnAdministratorMayMakeAnyChange(t *testing.T) {
	unit := "finance"
	lacks := judged(t, port(t), "marta.quill",
		&AddUser{Personal: Personal{UserName: "new.one"}, UserFacts: UserFacts{Unit: "marine"}},
		&Grant{Role: "marine-manager", User: "new.one"},
		&AddRole{Key: "warden", Application: "berths"},
		&AddPermission{Role: "berths/warden", Actions: []string{"*"}, Pattern: "/"},
		&Grant{Role: "berths/warden", Group: "all-users"},
		&UpdateUser{User: "ines.halloran", UserEdits: UserEdits{Unit: &unit}},
		&SetOrganisation{"Larkhaven", "UTC"})
	if len(lacks) > 0 {
		t.Errorf("lacks %+v", lacks[0])
	}
}

func TestADelegateMayDoTheirPart(t *testing.T) {
	s := port(t, &AddRole{Key: "staff"}, &AddPermission{Role: "staff", Application: "tariffs", Actions: []string{"read"}, Pattern: "/"}, &Grant{Role: "staff", Group: "all-users"})
	for name, ops := range map[string][]Operation{
		"grant a role of theirs to one of theirs":     {&Grant{Role: "berths/scheduler", User: "ines.halloran"}},
		"add somebody to their unit, with a role":     {&AddUser{Personal: Personal{UserName: "new.one"}, UserFacts: UserFacts{Unit: "marine/tugs"}}, &Grant{Role: "berths/reader", User: "new.one"}},
		"put one of theirs into a group of theirs":    {&AddMember{Group: "pilots", User: "ines.halloran"}},
		"suspend one of theirs":                       {&UpdateUser{User: "ines.halloran", Status: &[]Status{Suspended}[0]}},
		"a rule over their unit, for roles of theirs": {&AddGroup{Key: "tug-crews", Unit: "marine/tugs", Filter: `within eq "marine" and title co "tug"`}, &Grant{Role: "berths/scheduler", Group: "tug-crews"}},
		"take in whoever all users have a role for":   {&AddUser{Personal: Personal{UserName: "new.two"}, UserFacts: UserFacts{Unit: "marine"}}},
	} {
		if lacks := judged(t, s, "tomas.brandt", ops...); len(lacks) > 0 {
			t.Errorf("%s: lacks %+v %+v", name, lacks[0].Need, lacks[0].Gain)
		}
	}
}

// Every roundabout way to a role that the delegate may not give.
func TestADelegateMayNotGetAroundTheirPart(t *testing.T) {
	unit := "marine/pilotage"
	s := port(t,
		&AddMember{Group: "pilots", User: "ines.halloran"},
		&AddGroup{Key: "till", Unit: "marine"}, // theirs, but in a group that gives more
		&AddMember{Group: "cash-desk", Member: "till"},
		&AddGroup{Key: "marine-clerks", Unit: "marine", Filter: `title eq "clerk" and unit eq "marine"`},
		&Grant{Role: "berths/reader", Group: "marine-clerks"},
		&AddGroup{Key: "clerks", Unit: "marine", Filter: `title eq "clerk"`},
		&AddRole{Key: "harbour-master"},
		&IncludeRole{Role: "harbour-master", Includes: "berths/reader"},
		&AddPermission{Role: "harbour-master", Application: "tariffs", Actions: []string{"read"}, Pattern: "/"},
		&Grant{Role: "harbour-master", User: "hedvika.venables"},
		&AddRole{Key: "everybodys", Application: "berths"},
		&Grant{Role: "berths/everybodys", Group: "all-users"})
	for name, ops := range map[string][]Operation{
		"a role of another application":                {&Grant{Role: "tariffs/releaser", User: "ines.halloran"}},
		"somebody of another unit":                     {&Grant{Role: "berths/reader", User: "hedvika.venables"}},
		"themselves a role they may not assign":        {&Grant{Role: "access-administrator", User: "tomas.brandt"}},
		"a group of another unit":                      {&AddMember{Group: "cash-desk", User: "ines.halloran"}},
		"a group of theirs inside one that gives more": {&AddMember{Group: "till", User: "ines.halloran"}},
		"a group nested through theirs":                {&AddMember{Group: "till", Member: "pilots"}},
		"an inclusion by a role they may not update":   {&IncludeRole{Role: "harbour-master", Includes: "berths/scheduler"}},
		"a permission on a role others hold":           {&AddPermission{Role: "harbour-master", Application: "berths", Actions: []string{"update"}, Pattern: "/"}},
		"moving somebody in from another unit":         {&UpdateUser{User: "hedvika.venables", UserEdits: UserEdits{Unit: &unit}}},
		"a new user elsewhere":                         {&AddUser{Personal: Personal{UserName: "new.one"}, UserFacts: UserFacts{Unit: "finance"}}},
		"a new user nowhere":                           {&AddUser{Personal: Personal{UserName: "new.one"}}},
		"a role for everybody":                         {&Grant{Role: "berths/reader", Group: "all-users"}},
		"a permission on a role everybody holds":       {&AddPermission{Role: "berths/everybodys", Actions: []string{"update"}, Pattern: "/"}},
		"an inclusion by a role everybody holds":       {&IncludeRole{Role: "berths/everybodys", Includes: "berths/scheduler"}},
		"revoking what they may not give":              {&Revoke{Role: "harbour-master", User: "hedvika.venables"}},
		"a rule that reaches others":                   {&AddGroup{Key: "any-tug", Unit: "marine", Filter: `title co "tug"`}, &Grant{Role: "berths/reader", Group: "any-tug"}},
		"a rule for a role of another application":     {&AddGroup{Key: "tug-crews", Unit: "marine", Filter: `within eq "marine"`}, &AddMember{Group: "till", Member: "tug-crews"}},
		"a rule written wider":                         {&UpdateGroup{Group: "marine-clerks", Filter: &[]string{`title eq "clerk"`}[0], HeldWithin: &[]string{""}[0]}},
		"a role for a group whose rule reaches others": {&Grant{Role: "berths/reader", Group: "clerks"}},
		"settings":          {&SetOrganisation{"Larkhaven", "UTC"}},
		"a new application": {&AddApplication{Key: "cranes", Actions: []Action{{Key: "read"}}}},
		"a group of another unit holding a role of theirs": {&Grant{Role: "berths/reader", Group: "cash-desk"}},
	} {
		if lacks := judged(t, s, "tomas.brandt", ops...); len(lacks) == 0 {
			t.Errorf("%s: was let through", name)
		}
	}
}

// assign on the role through one assignment and on the user through another do
// not add up.
func TestBothRightsMustComeThroughOneAssignment(t *testing.T) {
	s := port(t,
		&AddRole{Key: "finance-manager"},
		&AddPermission{Role: "finance-manager", Application: "able-roster", Actions: []string{"read", "assign"}, Pattern: "users/finance"},
		&AddPermission{Role: "finance-manager", Application: "able-roster", Actions: []string{"read", "assign"}, Pattern: "roles/tariffs"},
		&Grant{Role: "finance-manager", User: "tomas.brandt"})
	if lacks := judged(t, s, "tomas.brandt", &Grant{Role: "tariffs/releaser", User: "hedvika.venables"}); len(lacks) > 0 {
		t.Errorf("within the one part: lacks %+v", lacks[0])
	}
	if lacks := judged(t, s, "tomas.brandt", &Grant{Role: "tariffs/releaser", User: "ines.halloran"}); len(lacks) == 0 {
		t.Error("a role of one part went to a user of the other")
	}
}

func TestNobodyPassesOnRightsInAbleRosterTheyDoNotHold(t *testing.T) {
	s := port(t,
		&AddRole{Key: "auditor"},
		&AddPermission{Role: "auditor", Application: "able-roster", Actions: []string{"read"}, Pattern: "/"},
		&AddRole{Key: "role-giver"}, // may assign any role to anybody, and read users
		&AddPermission{Role: "role-giver", Application: "able-roster", Actions: []string{"assign"}, Pattern: "/"},
		&AddPermission{Role: "role-giver", Application: "able-roster", Actions: []string{"read"}, Pattern: "users"},
		&Grant{Role: "role-giver", User: "hedvika.venables"})
	lacks := judged(t, s, "hedvika.venables", &Grant{Role: "auditor", User: "ines.halloran"})
	if len(lacks) != 1 || !lacks[0].PassedOn {
		t.Errorf("reading everything was passed on by somebody who may not: %+v", lacks)
	}
	if lacks := judged(t, s, "hedvika.venables", &Grant{Role: "tariffs/releaser", User: "ines.halloran"}); len(lacks) > 0 {
		t.Errorf("a role without such rights: lacks %+v", lacks[0])
	}
}

func TestNothingIsLentOutsideTheWindowOfTheCallersOwnAssignment(t *testing.T) {
	s := port(t, &AddRole{Key: "stand-in"},
		&AddPermission{Role: "stand-in", Application: "able-roster", Actions: []string{"*"}, Pattern: "/"},
		&Grant{Role: "stand-in", User: "hedvika.venables", Window: calendar.Window{From: 10, Until: 20}})
	id, _ := s.FindUser("hedvika.venables")
	for at, want := range map[calendar.Instant]bool{9: false, 10: true, 19: true, 20: false} {
		if got := s.Authority(id, at).May(ActUpdate, "settings"); got != want {
			t.Errorf("at %d: %v", at, got)
		}
	}
}

func TestEverybodyReadsThemselvesAndNobodyElse(t *testing.T) {
	s := port(t)
	pilot, _ := s.FindUser("ines.halloran")
	manager, _ := s.FindUser("tomas.brandt")
	finance, _ := s.FindUser("hedvika.venables")
	for _, x := range []struct {
		caller, whom UserID
		want         bool
	}{{pilot, pilot, true}, {pilot, manager, false}, {manager, pilot, true}, {manager, finance, false}, {0, pilot, false}, {0, 0, false}} {
		if got := s.Authority(x.caller, 2).MayReadUser(s, x.whom); got != x.want {
			t.Errorf("%s reads %s: %v", x.caller, x.whom, got)
		}
	}
}

// Whoever could sign in as somebody must hold all that they have, that is ahead of
// them, and that they would have again.
func TestPowersAreWhatSomebodyHoldsNowOrLater(t *testing.T) {
	suspended := Suspended
	s := port(t,
		&AddUser{Personal: Personal{UserName: "soon.one"}, UserFacts: UserFacts{Unit: "marine"}},
		&Grant{Role: "access-administrator", User: "soon.one", Window: calendar.Window{From: 1000}},
		&AddUser{Personal: Personal{UserName: "was.one"}, UserFacts: UserFacts{Unit: "marine"}},
		&Grant{Role: "access-administrator", User: "was.one", Window: calendar.Window{Until: 2}},
		&AddUser{Personal: Personal{UserName: "asleep.one"}, UserFacts: UserFacts{Unit: "marine"}},
		&AddGroup{Key: "admins"}, &Grant{Role: "access-administrator", Group: "admins"},
		&AddMember{Group: "admins", User: "asleep.one"},
		&UpdateUser{User: "asleep.one", Status: &suspended})
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
		for _, p := range s.Powers(of, 2) {
			got = got && s.Authority(maker, 2).Covers(p)
		}
		if got != x.want {
			t.Errorf("%s holds all that %s does: %v", x.maker, x.of, got)
		}
	}
}

func railsOf(t *testing.T, s *Snapshot, caller string, ops ...Operation) []RailCode {
	t.Helper()
	d := draftOf(s, ops...)
	if len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	id, _ := s.FindUser(caller)
	var out []RailCode
	for _, r := range d.GuardRails(id, d.Preview(2), 2, nil) {
		if r.Passable == (r.Code == LastAdministrator) {
			t.Errorf("%s: passable %v", r.Code, r.Passable)
		}
		out = append(out, r.Code)
	}
	return out
}

func TestGuardRails(t *testing.T) {
	suspended, end := Suspended, calendar.Date(30000)
	two := port(t, &Grant{Role: "access-administrator", User: "tomas.brandt"})
	crowd := []Operation{&AddGroup{Key: "crowd"}}
	for i := range 40 {
		name := UserRef("crew." + string(rune('a'+i/20)) + string(rune('a'+i%20)))
		crowd = append(crowd, &AddUser{Personal: Personal{UserName: string(name)}}, &AddMember{Group: "crowd", User: name})
	}
	for _, x := range []struct {
		name   string
		s      *Snapshot
		caller string
		ops    []Operation
		want   []RailCode
	}{
		{"an everyday grant", port(t), "marta.quill", []Operation{&Grant{Role: "berths/reader", User: "ines.halloran"}}, nil},
		{"suspending the last administrator", port(t), "marta.quill", []Operation{&UpdateUser{User: "marta.quill", Status: &suspended}}, []RailCode{LastAdministrator, OwnAccessLowered}},
		{"an end date for the last administrator", port(t), "marta.quill", []Operation{&UpdateUser{User: "marta.quill", UserEdits: UserEdits{End: &end}}}, []RailCode{LastAdministrator, OwnAccessLowered}},
		{"retiring the role of the last administrator", port(t), "marta.quill", []Operation{&RetireRole{Role: "access-administrator"}}, []RailCode{LastAdministrator, OwnAccessLowered}},
		{"suspending one of two administrators", two, "tomas.brandt", []Operation{&UpdateUser{User: "marta.quill", Status: &suspended}}, nil},
		{"lowering one's own", two, "marta.quill", []Operation{&Revoke{Role: "access-administrator", User: "marta.quill"}}, []RailCode{OwnAccessLowered}},
		{"a gain for everybody", port(t), "marta.quill", []Operation{&Grant{Role: "berths/reader", Group: "public"}}, []RailCode{GainForEverybody}},
		{"a gain for all users", port(t), "marta.quill", []Operation{&Grant{Role: "berths/reader", Group: "all-users"}}, []RailCode{GainForEverybody}},
		{"rights to administer", port(t), "marta.quill", []Operation{&Grant{Role: "access-administrator", User: "ines.halloran"}}, []RailCode{AdministeringGain}},
		{"a gain of many at once", port(t, crowd...), "marta.quill", []Operation{&Grant{Role: "berths/reader", Group: "crowd"}}, []RailCode{WideGain}},
		{"many who arrive with their roles", port(t, &AddGroup{Key: "crowd"}, &Grant{Role: "berths/reader", Group: "crowd"}), "marta.quill", crowd[1:], nil},
	} {
		if got := railsOf(t, x.s, x.caller, x.ops...); !slices.Equal(got, x.want) {
			t.Errorf("%s: %v, want %v", x.name, got, x.want)
		}
	}
}

func TestWhatMovedSinceOneLooked(t *testing.T) {
	s := port(t)
	d := draftOf(s, &Grant{Role: "berths/reader", User: "ines.halloran"})
	s2 := d.Seal(2, 2)
	mine := draftOf(s2, &Grant{Role: "berths/scheduler", User: "ines.halloran"})
	if moved := mine.Moved(1); len(moved) != 1 || moved[0].Kind != FactUser {
		t.Errorf("somebody gave her a role in between: %v", moved)
	}
	if moved := mine.Moved(2); len(moved) != 0 {
		t.Errorf("seen already: %v", moved)
	}
	other := draftOf(s2, &Grant{Role: "tariffs/releaser", User: "hedvika.venables"})
	if moved := other.Moved(1); len(moved) != 0 {
		t.Errorf("what was changed has nothing to do with it: %v", moved)
	}
}
