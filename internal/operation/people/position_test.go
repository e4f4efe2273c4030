package people_test

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
)

func day(t *testing.T, text string) calendar.Date {
	t.Helper()
	d, err := calendar.ReadDate(text)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// made is a snapshot after an operation at noon of a day.
func made(t *testing.T, s *access.Snapshot, on string, ops ...change.Operation) *access.Snapshot {
	t.Helper()
	d := change.NewDraft(s)
	at := day(t, on).Begins(s.Zone()) + calendar.Days(1)/2
	for i, op := range ops {
		d.Apply(i, op, at)
	}
	if d.Finish(); len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	return d.Seal(d.Revision, at)
}

// Whoever stands in elsewhere is given what that place gives, by rule and by filter, from the
// first of its days to the last, and their own place gives on.
func TestAPositionGivesForItsTime(t *testing.T) {
	s := laws.Port(t, &rules.AddDefault{Key: "finance-staff", Filter: `within eq "finance"`, Roles: []change.RoleRef{"tariffs/releaser"}},
		&rules.AddDefault{Key: "marine-staff", Filter: `within eq "marine"`, Roles: []change.RoleRef{"berths/reader"}},
		&roles.AddGroup{Key: "counting-house", Filter: `unit eq "finance" and title eq "Clerk"`})
	s = made(t, s, "2026-03-01", &people.AddUser{Personal: fact.Personal{UserName: "stand.in"}, UserFacts: fact.UserFacts{Unit: "marine"}},
		&people.AddPosition{User: "stand.in", Unit: "finance", Title: "Clerk", Start: day(t, "2026-03-28"), End: day(t, "2026-04-02")})
	id, _ := s.FindUser("stand.in")
	role := func(key string) fact.RoleID { r, _ := s.FindRole(key); return r }
	group, _ := s.FindGroup("counting-house")
	for _, x := range []struct {
		at   calendar.Instant
		does bool
	}{{day(t, "2026-03-28").Begins(s.Zone()) - 1, false}, {day(t, "2026-03-28").Begins(s.Zone()), true},
		{day(t, "2026-04-03").Begins(s.Zone()) - 1, true}, {day(t, "2026-04-03").Begins(s.Zone()), false}} {
		if got := held.HasRole(s, id, role("tariffs/releaser"), x.at); got != x.does {
			t.Errorf("at %s the role of the position is held: %v", x.at.Time(), got)
		}
		if got := s.IsMember(id, group, x.at); got != x.does {
			t.Errorf("at %s they are in the group of the position: %v", x.at.Time(), got)
		}
		if !held.HasRole(s, id, role("berths/reader"), x.at) {
			t.Errorf("at %s their own place does not give", x.at.Time())
		}
	}
	for name, x := range map[string]struct {
		op   change.Operation
		says string
	}{
		"what the position gives": {&roles.RemoveMember{Group: "counting-house", User: "stand.in"}, "not a listed member"},
		"an end before the start": {&people.AddPosition{User: "stand.in", Unit: "finance", Start: day(t, "2026-05-02"), End: day(t, "2026-05-01")}, "before start_date"},
		"no end":                  {&people.AddPosition{User: "stand.in", Unit: "finance", Start: day(t, "2026-05-02")}, "is missing"},
		"an unknown number":       {&people.EndPosition{User: "stand.in", Position: 2}, "no position of this number"},
	} {
		d := laws.DraftOf(s, x.op)
		if !slices.ContainsFunc(d.Faults, func(f change.Fault) bool { return strings.Contains(f.Error(), x.says) }) {
			t.Errorf("%s: %v, want …%s…", name, d.Faults, x.says)
		}
	}
	s = made(t, s, "2026-03-30", &people.EndPosition{User: "stand.in", Position: 1})
	if held.HasRole(s, id, role("tariffs/releaser"), day(t, "2026-03-31").Begins(s.Zone())) {
		t.Error("a position that ended gives on")
	}
}

// Whoever may not write the rules of another unit gives nobody a position there, and what its
// groups give is judged as the author's own giving.
func TestAPositionIsJudged(t *testing.T) {
	s := laws.Port(t, &roles.AddGroup{Key: "money", Filter: `unit eq "marine/tugs"`}, &roles.Grant{Role: "tariffs/releaser", Group: "money"})
	tomas, _ := s.FindUser("tomas.brandt")
	ines, _ := s.FindUser("ines.halloran")
	for unit, lacks := range map[string]bool{"finance": true, "marine/pilotage": false, "marine/tugs": true} {
		d := change.NewDraft(s)
		d.Author = tomas
		d.Apply(0, &people.AddPosition{User: change.UserRef(s.User(ines).UserName), Unit: unit, Start: 20_000, End: 30_000}, 2)
		d.Finish()
		if got := change.AuthorityOf(s, tomas, 2).Judge(d, 2); (len(got) > 0) != lacks {
			t.Errorf("a position in %s: lacks %+v", unit, got)
		}
	}
}

// During an absence somebody counts nowhere, and comes back by date; a separation rule sees the
// roles of all positions together.
func TestAnAbsenceEndsByDate(t *testing.T) {
	s := laws.Port(t, &people.AddUser{Personal: fact.Personal{UserName: "away"}}, &roles.Grant{Role: "berths/reader", User: "away"})
	id, _ := s.FindUser("away")
	s = made(t, s, "2026-03-01", &people.AddAbsence{User: "away", Start: day(t, "2026-03-29"), End: day(t, "2026-03-30")})
	for text, there := range map[string]bool{"2026-03-28": true, "2026-03-29": false, "2026-03-30": false, "2026-03-31": true} {
		if got := s.Effective(id, day(t, text).Begins(s.Zone())); got != there {
			t.Errorf("on %s they count: %v", text, got)
		}
	}
	if s = made(t, s, "2026-03-29", &people.EndAbsence{User: "away", Absence: 1, End: day(t, "2026-03-29")}); !s.Effective(id, day(t, "2026-03-30").Begins(s.Zone())) {
		t.Error("they do not come back sooner")
	}
}

func TestSeparationLooksAcrossPositions(t *testing.T) {
	s := laws.Port(t, &rules.AddDefault{Key: "a", Filter: `unit eq "marine"`, Roles: []change.RoleRef{"berths/reader"}},
		&rules.AddDefault{Key: "b", Filter: `unit eq "finance"`, Roles: []change.RoleRef{"tariffs/releaser"}},
		&rules.AddSoDRule{Key: "apart", Roles: []change.RoleRef{"berths/reader", "tariffs/releaser"}, Prevent: true},
		&people.AddUser{Personal: fact.Personal{UserName: "both"}, UserFacts: fact.UserFacts{Unit: "marine"}})
	d := laws.DraftOf(s, &people.AddPosition{User: "both", Unit: "finance", Start: 20_000, End: 30_000})
	rails := effect.Rails(d, 0, effect.Of(d, 2), 2, nil)
	if !slices.ContainsFunc(rails, func(r effect.Rail) bool { return r.Code == effect.ViolationPrevented }) {
		t.Errorf("%+v", rails)
	}
}

// Whoever moves keeps for some days what a rule lets overlap, and no longer.
func TestWhatARuleLetsOverlap(t *testing.T) {
	s := laws.Port(t, &rules.AddDefault{Key: "marine-staff", Filter: `within eq "marine"`, Roles: []change.RoleRef{"berths/reader"}, OverlapDays: 7},
		&rules.AddDefault{Key: "at-once", Filter: `within eq "marine"`, Roles: []change.RoleRef{"berths/scheduler"}},
		&people.AddUser{Personal: fact.Personal{UserName: "mover"}, UserFacts: fact.UserFacts{Unit: "marine"}})
	id, _ := s.FindUser("mover")
	unit := "finance"
	s = made(t, s, "2026-03-20", &people.UpdateUser{User: "mover", UserEdits: fact.UserEdits{Unit: &unit}})
	kept, _ := s.FindRole("berths/reader")
	gone, _ := s.FindRole("berths/scheduler")
	if at := day(t, "2026-03-27").Begins(s.Zone()); !held.HasRole(s, id, kept, at) || held.HasRole(s, id, gone, at) {
		t.Errorf("on the last day of the overlap: %v %v", held.HasRole(s, id, kept, at), held.HasRole(s, id, gone, at))
	}
	if at := day(t, "2026-03-28").Begins(s.Zone()); held.HasRole(s, id, kept, at) {
		t.Error("it is kept for longer than the overlap")
	}
}

// A value that is a pattern fills no scope: it would give more than one place.
func TestAScopeIsFilledByAPathAlone(t *testing.T) {
	s := laws.Port(t, &people.DeclareAttribute{Key: "quay"},
		&rules.AddDefault{Key: "quay-staff", Everybody: true, Roles: []change.RoleRef{"berths/reader"}, Scopes: []change.ScopeRef{{Application: "berths", Pattern: "quays/{quay}"}}},
		&people.AddUser{Personal: fact.Personal{UserName: "plain"}, Custom: map[string]string{"quay": "north/a"}},
		&people.AddUser{Personal: fact.Personal{UserName: "sly"}, Custom: map[string]string{"quay": "*"}},
		&people.AddUser{Personal: fact.Personal{UserName: "none"}})
	for name, want := range map[string]string{"plain": "quays/north/a", "sly": "", "none": ""} {
		id, _ := s.FindUser(name)
		got := ""
		for _, a := range s.Given(fact.Assignee{User: id}) {
			if a.Rule != 0 {
				got = a.Scopes[0].Pattern
			}
		}
		if got != want {
			t.Errorf("%s has %q, want %q", name, got, want)
		}
	}
}
