package people_test

import (
	"fmt"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/query"
)

// A unit that is renamed at the top leaves everybody with what they had, in random
// organisations: their filters, rules, rights and scopes name it by its new path.
func TestARenamedUnitChangesNobodysAccess(t *testing.T) {
	renamed, moved := 0, 0
	laws.EachOrganisation(t, func(t *testing.T, _ *laws.Chance, s *access.Snapshot) {
		s = laws.DraftOf(s, &people.AdoptUnits{}).Seal(s.Revision+1, s.At+1)
		for _, u := range s.Units() {
			if strings.Contains(u.Path, "/") {
				continue
			}
			d := laws.DraftOf(s, &people.MoveUnit{Unit: change.UnitRef(u.Path), To: "renamed"})
			if len(d.Faults) > 0 {
				t.Fatal(&d.Faults[0])
			}
			next := d.Seal(s.Revision+1, s.At+1)
			renamed++
			for user := range s.Users() {
				now := next.User(user.ID).Unit
				if want := fact.MovedUnit(user.Unit, u.Path, "renamed"); now != want {
					t.Fatalf("%s is in %q, want %q", user.UserName, now, want)
				} else if now != user.Unit {
					moved++
				}
				if gained, lost := query.Difference(s, next, user.ID, s.At+2); len(gained)+len(lost) > 0 {
					t.Errorf("%s, of %q, gained %v and lost %v", user.UserName, user.Unit, gained, lost)
				}
			}
		}
	})
	if renamed < 10 || moved < 10 {
		t.Errorf("only %d units were renamed, with %d users", renamed, moved)
	}
}

// Whom a filter chose by the old path it chooses by the new one.
func TestFiltersFollowAUnit(t *testing.T) {
	for text, want := range map[string]string{
		`within eq "marine/pilotage"`:                            `within eq "office/pilots"`,
		`unit eq "marine/pilotage/night" or title eq "x"`:        `unit eq "office/pilots/night" or title eq "x"`,
		`within eq "marine" and not (unit ne "marine/pilotage")`: `within eq "marine" and not (unit ne "office/pilots")`,
		`within eq "marine/pilotages"`:                           `within eq "marine/pilotages"`,
		`title eq "marine/pilotage"`:                             `title eq "marine/pilotage"`,
		`Unit sw "marine/pilotage/" and (kind pr or Within pr)`:  `Unit sw "office/pilots/" and (kind pr or Within pr)`,
		`employment_type eq "staff"`:                             `employment_type eq "staff"`,
		"":                                                       "",
	} {
		if got := fact.FilterAfterMove(text, "marine/pilotage", "office/pilots"); got != want {
			t.Errorf("%s became %s, want %s", text, got, want)
		}
	}
}

// Merging moves people, groups and the units below, and gives what the other unit has; the
// head of a unit is the nearest one above who is somebody else.
func TestUnitsAreMerged(t *testing.T) {
	head := change.UserRef("hedvika.venables")
	s := laws.Port(t, &people.AdoptUnits{}, &people.AddUnit{Path: "sea"}, &people.AddUnit{Path: "marine/tugs", Head: "ines.halloran"},
		&people.UpdateUnit{Unit: "sea", Head: &head}, &rules.AddDefault{Key: "sea", Filter: `within eq "sea"`, Roles: []change.RoleRef{"tariffs/releaser"}},
		&roles.UpdateRole{Role: "marine-manager", Retired: ptr(true)})
	next := laws.DraftOf(s, &people.MergeUnit{Unit: "marine", Into: "sea"})
	if len(next.Faults) > 0 {
		t.Fatal(&next.Faults[0])
	}
	ines, _ := s.FindUser("ines.halloran")
	g, _ := s.FindGroup("pilots")
	if next.User(ines).Unit != "sea/pilotage" || next.Group(g).Unit != "sea/pilotage" || next.UnitAt("marine") != nil || next.UnitAt("sea/tugs") == nil {
		t.Errorf("%s, %s, %v", next.User(ines).Unit, next.Group(g).Unit, next.Units())
	}
	after := next.Seal(9, 9)
	if gained, lost := query.Difference(s, after, ines, 10); len(gained) == 0 || len(lost) > 0 {
		t.Errorf("gained %v, lost %v", gained, lost)
	}
	hedvika, _ := s.FindUser("hedvika.venables")
	for unit, want := range map[string]fact.UserID{"sea/tugs": ines, "sea/pilotage": hedvika, "sea": hedvika, "finance": 0, "": 0} {
		if got := after.HeadOf(unit, 0); got != want {
			t.Errorf("the head of %q is %s, want %s", unit, got, want)
		}
	}
	if got := after.HeadOf("sea/tugs", ines); got != hedvika {
		t.Errorf("the head of the head is %s", got)
	}
}

func ptr[T any](x T) *T { return &x }

// What names no unit, and what would leave something without a place, is refused with what to
// do.
func TestUnitsThatAreRefused(t *testing.T) {
	unit := func(text string) change.UserRef { return change.UserRef(text) }
	deep := strings.Repeat("a/", 14) + "a"
	var down []change.Operation
	for i := range 15 {
		down = append(down, &people.AddUnit{Path: deep[:2*i+1]})
	}
	for name, x := range map[string]struct {
		first []change.Operation
		op    change.Operation
		says  string
	}{
		"a user":                   {op: &people.AddUser{Personal: fact.Personal{UserName: "zoe"}, UserFacts: fact.UserFacts{Unit: "marine/pilotge"}}, says: "there is no unit “marine/pilotge”"},
		"a user, as it was":        {op: &people.UpdateUser{User: "ines.halloran", Status: ptr(fact.Suspended)}},
		"a move":                   {op: &people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Unit: ptr("docks")}}, says: "there is no unit “docks”"},
		"a group":                  {op: &roles.AddGroup{Key: "x", Unit: "docks"}, says: "there is no unit “docks”"},
		"a group's filter":         {op: &roles.AddGroup{Key: "x", Filter: `within eq "docks"`}, says: "filter there is no unit “docks”"},
		"a role":                   {op: &roles.UpdateRole{Role: "berths/reader", HeldWithin: ptr("docks")}, says: "there is no unit “docks”"},
		"a rule":                   {op: &rules.AddDefault{Key: "x", Filter: `unit ne "docks"`, Roles: []change.RoleRef{"berths/reader"}}, says: "there is no unit “docks”"},
		"a unit above":             {op: &people.AddUnit{Path: "docks/north"}, says: "there is no unit “docks”"},
		"twice":                    {op: &people.AddUnit{Path: "marine"}, says: "“marine” is a unit already"},
		"capitals":                 {op: &people.AddUnit{Path: "Docks"}, says: "lower-case"},
		"an id":                    {op: &people.AddUnit{Path: "unit-7"}, says: "looks like an id"},
		"nothing":                  {op: &people.AddUnit{}, says: "is missing"},
		"a head that is a machine": {op: &people.AddUnit{Path: "docks", Head: unit("berth-board")}, says: "no person who is there"},
		"into itself":              {op: &people.MoveUnit{Unit: "marine", To: "marine/pilotage/marine"}, says: "lies in the unit itself"},
		"onto another":             {op: &people.MoveUnit{Unit: "marine", To: "office"}, says: "merge into it instead"},
		"as it is":                 {op: &people.MoveUnit{Unit: "marine", To: "marine"}},
		"below nothing":            {op: &people.MoveUnit{Unit: "marine", To: "docks/marine"}, says: "there is no unit “docks”"},
		"too deep":                 {first: down, op: &people.MoveUnit{Unit: "marine", To: deep + "/m"}, says: "too deep"},
		"merged into itself":       {op: &people.MergeUnit{Unit: "marine", Into: "marine/pilotage"}, says: "lies in it"},
		"merged with rights":       {op: &people.MergeUnit{Unit: "marine", Into: "office"}, says: "the role marine-manager gives rights over marine"},
		"merged with a rule":       {first: []change.Operation{&rules.AddDefault{Key: "f", Filter: `within eq "finance"`, Roles: []change.RoleRef{"berths/reader"}}}, op: &people.MergeUnit{Unit: "finance", Into: "office"}, says: "the default rule f names finance"},
		"merged with one below":    {first: []change.Operation{&people.AddUnit{Path: "office/desk"}, &people.AddUnit{Path: "finance/desk"}}, op: &people.MergeUnit{Unit: "finance", Into: "office"}, says: "has “office/desk” already"},
		"ended with people":        {op: &people.EndUnit{Unit: "finance"}, says: "1 person is in finance"},
		"ended with a group":       {op: &people.EndUnit{Unit: "finance"}, says: "the group cash-desk is in finance"},
		"ended with one below":     {op: &people.EndUnit{Unit: "marine"}, says: "has units below it"},
		"one that ended":           {first: []change.Operation{&people.AddUnit{Path: "quay"}, &people.EndUnit{Unit: "quay"}}, op: &people.UpdateUnit{Unit: "quay", Label: ptr("x")}, says: "there is no unit “quay”"},
		"one that is there again":  {first: []change.Operation{&people.AddUnit{Path: "quay"}, &people.EndUnit{Unit: "quay"}, &people.AddUnit{Path: "quay"}}, op: &people.UpdateUnit{Unit: "quay", Label: ptr("x")}},
		"adopted twice":            {op: &people.AdoptUnits{}},
	} {
		d := laws.DraftOf(laws.Port(t, append([]change.Operation{&people.AdoptUnits{}}, x.first...)...), x.op)
		said := fmt.Sprint(d.Faults)
		for i := range d.Faults {
			said += " | " + d.Faults[i].Error()
		}
		if (x.says == "") != (len(d.Faults) == 0) || !strings.Contains(said, x.says) {
			t.Errorf("%s: %s, want …%s…", name, said, x.says)
		}
	}
	if d := laws.DraftOf(laws.Port(t), &people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Unit: ptr("docks")}}); len(d.Faults) > 0 {
		t.Errorf("before units were described: %v", &d.Faults[0])
	}
}

// Who becomes head of a unit decides on what its people ask for: whoever makes them so could
// as well give it. A delegate of the part describes no units.
func TestWhoMakesAHead(t *testing.T) {
	for who, want := range map[change.UserRef]string{"marta.quill": "", "tomas.brandt": "settings"} {
		s := laws.Port(t, &people.AdoptUnits{})
		id, _ := s.FindUser(string(who))
		d := change.NewDraft(s)
		d.Author = id
		d.May = func(_, path string) bool { return who == "marta.quill" || path != "settings" }
		d.Apply(0, &people.UpdateUnit{Unit: "marine", Head: ptr(who)}, 2)
		if want == "" && (len(d.Faults) > 0 || d.UnitAt("marine").Head != id) || want != "" && (d.UnitAt("marine").Head != 0 || len(d.Needs) == 0 || d.Needs[0].Path != want) {
			t.Errorf("%s: %v, %v", who, d.Needs, d.Faults)
		}
	}
}
