package access

import (
	"slices"
	"testing"
)

// Where it is set, nobody administers alone what guards them; and nobody is locked out by
// it.
func TestASecondPersonIsNeededForWhatIsSet(t *testing.T) {
	port := func(more ...Operation) *Snapshot {
		return port(t, append([]Operation{&Grant{Role: "access-administrator", User: "hedvika.venables"}, &UpdateRole{Role: "tariffs/releaser", Risk: &[]Risk{RiskHigh}[0]},
			&AddSoDRule{Key: "two-hands", Roles: []RoleRef{"berths/reader", "tariffs/releaser"}, Prevent: true},
			&SetExpectation{Key: "quiet", Label: "Pilots do not release", User: "ines.halloran", Application: "tariffs", Action: "release", Pattern: "/", Blocking: true}}, more...)...)
	}
	all := &SetSecondPerson{SecondPerson{true, true, true}}
	off, suspended := false, Suspended
	for name, x := range map[string]struct {
		set    *SetSecondPerson
		op     Operation
		caller string
		needed bool
	}{
		"an own gain":                       {all, &Grant{Role: "berths/reader", User: "marta.quill"}, "marta.quill", true},
		"an own gain, not set":              {&SetSecondPerson{SecondPerson{HighRisk: true, Safeguards: true}}, &Grant{Role: "berths/reader", User: "marta.quill"}, "marta.quill", false},
		"somebody else's gain":              {all, &Grant{Role: "berths/reader", User: "ines.halloran"}, "marta.quill", false},
		"the same by the other":             {all, &Grant{Role: "berths/reader", User: "marta.quill"}, "hedvika.venables", false},
		"a role of high risk":               {all, &Grant{Role: "tariffs/releaser", User: "tomas.brandt"}, "marta.quill", true},
		"a role of high risk, by a group":   {all, &AddMember{Group: "cash-desk", User: "tomas.brandt"}, "marta.quill", true},
		"taking it":                         {all, &RemovePermission{Permission: "permission-3"}, "marta.quill", false},
		"an SoD rule that only warns":       {all, &UpdateSoDRule{SoDRule: "two-hands", Prevent: &off}, "marta.quill", true},
		"an SoD rule that ends":             {all, &EndSoDRule{SoDRule: "two-hands"}, "marta.quill", true},
		"an SoD rule more":                  {all, &AddSoDRule{Key: "more", Roles: []RoleRef{"berths/scheduler", "tariffs/releaser"}}, "marta.quill", false},
		"an expectation that ends":          {all, &EndExpectation{Expectation: "quiet"}, "marta.quill", true},
		"the setting itself":                {all, &SetSecondPerson{SecondPerson{OwnGains: true}}, "marta.quill", true},
		"the other administrator suspended": {all, &UpdateUser{User: "hedvika.venables", Status: &suspended}, "marta.quill", true},
		"none set":                          {&SetSecondPerson{}, &EndSoDRule{SoDRule: "two-hands"}, "marta.quill", false},
	} {
		s := port(x.set)
		id, _ := s.FindUser(x.caller)
		d := draftOf(s, x.op)
		if len(d.Faults) > 0 {
			t.Fatal(name, &d.Faults[0])
		}
		rails := d.GuardRails(id, d.Preview(2), 2, nil)
		i := slices.IndexFunc(rails, func(r Rail) bool { return r.Code == NeedsSecondPerson })
		if (i >= 0) != x.needed || i >= 0 && rails[i].Passable || d.NeedsSecond(id, 2) != x.needed {
			t.Errorf("%s: %+v", name, rails)
		}
	}
	// With one administrator left it stands in nobody's way, and cannot be set.
	alone := port(all, &UpdateUser{User: "hedvika.venables", Status: &suspended})
	marta, _ := alone.FindUser("marta.quill")
	if d := draftOf(alone, &SetSecondPerson{}); d.NeedsSecond(marta, 2) {
		t.Error("a sole administrator is locked out")
	}
	if d := draftOf(port(&UpdateUser{User: "hedvika.venables", Status: &suspended}), all); len(d.Faults) == 0 {
		t.Error("it was set with nobody who could be the second")
	}
}

func TestAnApplicationThatDependsOnAnAccountIsARail(t *testing.T) {
	s := port(t, &AddRole{Key: "asks"}, &AddPermission{Role: "asks", Application: "able-roster", Actions: []string{"evaluate"}, Pattern: "applications/berths"}, &Grant{Role: "asks", User: "berth-board"})
	departed := Departed
	got := railsOf(t, s, "marta.quill", &UpdateUser{User: "berth-board", Status: &departed})
	if !slices.Contains(got, ApplicationDepends) {
		t.Errorf("%v", got)
	}
	if got := railsOf(t, s, "marta.quill", &UpdateUser{User: "ines.halloran", Status: &departed}); slices.Contains(got, ApplicationDepends) {
		t.Errorf("a person: %v", got)
	}
}

// Guard rails tell nobody of whom they do not see.
func TestGuardRailsCountOnlyWhoIsSeen(t *testing.T) {
	crowd := []Operation{&AddGroup{Key: "crowd"}}
	for i := range 40 {
		name := UserRef("crew." + string(rune('a'+i/20)) + string(rune('a'+i%20)))
		crowd = append(crowd, &AddUser{Personal: Personal{UserName: string(name)}}, &AddMember{Group: "crowd", User: name})
	}
	s := port(t, append(crowd, &Grant{Role: "tariffs/releaser", Group: "crowd"})...)
	tomas, _ := s.FindUser("tomas.brandt")
	sees := func(id UserID) bool { return s.User(id) != nil && heldInside(s.User(id).Unit, "marine") }
	d := draftOf(s, &RetireRole{Role: "tariffs/releaser"})
	if all := d.GuardRails(tomas, d.Preview(2), 2, nil); len(all) == 0 {
		t.Fatal("there is no rail to hide")
	}
	if some := d.GuardRails(tomas, d.Preview(2), 2, sees); len(some) > 0 {
		t.Errorf("told of what is not seen: %+v", some)
	}
}
