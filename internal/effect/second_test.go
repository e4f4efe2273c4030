package effect_test

import (
	"slices"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
)

// Where it is set, nobody administers alone what guards them; and nobody is locked out by
// it.
func TestASecondPersonIsNeededForWhatIsSet(t *testing.T) {
	port := func(more ...change.Operation) *access.Snapshot {
		return laws.Port(t, append([]change.Operation{&roles.Grant{Role: "access-administrator", User: "hedvika.venables"}, &roles.UpdateRole{Role: "tariffs/releaser", Risk: &[]fact.Risk{fact.RiskHigh}[0]},
			&rules.AddSoDRule{Key: "two-hands", Roles: []change.RoleRef{"berths/reader", "tariffs/releaser"}, Prevent: true},
			&rules.SetExpectation{Key: "quiet", Label: "Pilots do not release", User: "ines.halloran", Application: "tariffs", Action: "release", Pattern: "/", Blocking: true}}, more...)...)
	}
	all := &rules.SetSecondPerson{SecondPerson: fact.SecondPerson{OwnGains: true, HighRisk: true, Safeguards: true}}
	off, suspended := false, fact.Suspended
	for name, x := range map[string]struct {
		set    *rules.SetSecondPerson
		op     change.Operation
		caller string
		needed bool
	}{
		"an own gain":                       {all, &roles.Grant{Role: "berths/reader", User: "marta.quill"}, "marta.quill", true},
		"an own gain, not set":              {&rules.SetSecondPerson{SecondPerson: fact.SecondPerson{HighRisk: true, Safeguards: true}}, &roles.Grant{Role: "berths/reader", User: "marta.quill"}, "marta.quill", false},
		"somebody else's gain":              {all, &roles.Grant{Role: "berths/reader", User: "ines.halloran"}, "marta.quill", false},
		"the same by the other":             {all, &roles.Grant{Role: "berths/reader", User: "marta.quill"}, "hedvika.venables", false},
		"a role of high risk":               {all, &roles.Grant{Role: "tariffs/releaser", User: "tomas.brandt"}, "marta.quill", true},
		"a role of high risk, by a group":   {all, &roles.AddMember{Group: "cash-desk", User: "tomas.brandt"}, "marta.quill", true},
		"taking it":                         {all, &roles.RemovePermission{Permission: "permission-3"}, "marta.quill", false},
		"an SoD rule that only warns":       {all, &rules.UpdateSoDRule{SoDRule: "two-hands", Prevent: &off}, "marta.quill", true},
		"an SoD rule that ends":             {all, &rules.EndSoDRule{SoDRule: "two-hands"}, "marta.quill", true},
		"an SoD rule more":                  {all, &rules.AddSoDRule{Key: "more", Roles: []change.RoleRef{"berths/scheduler", "tariffs/releaser"}}, "marta.quill", false},
		"an expectation that ends":          {all, &rules.EndExpectation{Expectation: "quiet"}, "marta.quill", true},
		"the setting itself":                {all, &rules.SetSecondPerson{SecondPerson: fact.SecondPerson{OwnGains: true}}, "marta.quill", true},
		"the other administrator suspended": {all, &people.UpdateUser{User: "hedvika.venables", Status: &suspended}, "marta.quill", true},
		"none set":                          {&rules.SetSecondPerson{}, &rules.EndSoDRule{SoDRule: "two-hands"}, "marta.quill", false},
	} {
		s := port(x.set)
		id, _ := s.FindUser(x.caller)
		d := laws.DraftOf(s, x.op)
		if len(d.Faults) > 0 {
			t.Fatal(name, &d.Faults[0])
		}
		rails := effect.Rails(d, id, effect.Of(d, 2), 2, nil)
		i := slices.IndexFunc(rails, func(r effect.Rail) bool { return r.Code == effect.NeedsSecondPerson })
		if (i >= 0) != x.needed || i >= 0 && rails[i].Passable || effect.NeedsSecond(d, id, 2) != x.needed {
			t.Errorf("%s: %+v", name, rails)
		}
	}
	// With one administrator left it stands in nobody's way, and cannot be set.
	alone := port(all, &people.UpdateUser{User: "hedvika.venables", Status: &suspended})
	marta, _ := alone.FindUser("marta.quill")
	if d := laws.DraftOf(alone, &rules.SetSecondPerson{}); effect.NeedsSecond(d, marta, 2) {
		t.Error("a sole administrator is locked out")
	}
	if d := laws.DraftOf(port(&people.UpdateUser{User: "hedvika.venables", Status: &suspended}), all); len(d.Faults) == 0 {
		t.Error("it was set with nobody who could be the second")
	}
}

func TestAnApplicationThatDependsOnAnAccountIsARail(t *testing.T) {
	s := laws.Port(t, &roles.AddRole{Key: "asks"}, &roles.AddPermission{Role: "asks", Application: "able-roster", Actions: []string{"evaluate"}, Pattern: "applications/berths"}, &roles.Grant{Role: "asks", User: "berth-board"})
	departed := fact.Departed
	got := laws.RailsOf(t, s, "marta.quill", &people.UpdateUser{User: "berth-board", Status: &departed})
	if !slices.Contains(got, effect.ApplicationDepends) {
		t.Errorf("%v", got)
	}
	if got := laws.RailsOf(t, s, "marta.quill", &people.UpdateUser{User: "ines.halloran", Status: &departed}); slices.Contains(got, effect.ApplicationDepends) {
		t.Errorf("a person: %v", got)
	}
	// One that asks nothing, and is said to work for an application.
	works := laws.Port(t, &people.SetMachineAccount{User: "berth-board", Purpose: "Shows who lies where", Accountable: []change.UserRef{"marta.quill", "ines.halloran"}, Application: "berths"})
	suspended := fact.Suspended
	for _, status := range []*fact.Status{&departed, &suspended} {
		if got := laws.RailsOf(t, works, "marta.quill", &people.UpdateUser{User: "berth-board", Status: status}); !slices.Contains(got, effect.ApplicationDepends) {
			t.Errorf("%s: %v", *status, got)
		}
	}
	d := laws.DraftOf(works, &people.UpdateUser{User: "berth-board", Status: &departed})
	marta, _ := works.FindUser("marta.quill")
	for _, r := range effect.Rails(d, marta, effect.Of(d, 2), 2, func(id fact.UserID) bool { return id == marta }) {
		if r.Code == effect.ApplicationDepends {
			t.Error("it tells of an account that is not seen")
		}
	}
}

// Guard rails tell nobody of whom they do not see.
func TestGuardRailsCountOnlyWhoIsSeen(t *testing.T) {
	crowd := []change.Operation{&roles.AddGroup{Key: "crowd"}}
	for i := range 40 {
		name := change.UserRef("crew." + string(rune('a'+i/20)) + string(rune('a'+i%20)))
		crowd = append(crowd, &people.AddUser{Personal: fact.Personal{UserName: string(name)}}, &roles.AddMember{Group: "crowd", User: name})
	}
	s := laws.Port(t, append(crowd, &roles.Grant{Role: "tariffs/releaser", Group: "crowd"})...)
	tomas, _ := s.FindUser("tomas.brandt")
	sees := func(id fact.UserID) bool { return s.User(id) != nil && change.HeldInside(s.User(id).Unit, "marine") }
	d := laws.DraftOf(s, &roles.RetireRole{Role: "tariffs/releaser"})
	if all := effect.Rails(d, tomas, effect.Of(d, 2), 2, nil); len(all) == 0 {
		t.Fatal("there is no rail to hide")
	}
	if some := effect.Rails(d, tomas, effect.Of(d, 2), 2, sees); len(some) > 0 {
		t.Errorf("told of what is not seen: %+v", some)
	}
}
