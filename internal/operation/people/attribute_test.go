package people_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
)

// Whatever is changed, and in whatever order, what fills itself in is what the
// declaration says of the unit.
func TestWhatFillsItselfInFollowsTheUnit(t *testing.T) {
	filled := 0
	for seed := range uint64(12) {
		s := laws.NewChance(seed + 300).Organisation(t)
		f := s.FindAttribute("desk")
		for u := range s.Users() {
			want := ""
			for unit := u.Unit; unit != "" && want == ""; unit = unit[:max(0, strings.LastIndexByte(unit, '/'))] {
				for _, x := range f.Fill.Units {
					if x.Unit == unit {
						want = x.Value
					}
				}
			}
			if want != "" {
				filled++
			}
			if got := u.Custom.Get("desk"); got != want {
				t.Fatalf("seed %d: the desk of somebody in %q is %q, want %q by %v", seed, u.Unit, got, want, f.Fill.Units)
			}
		}
	}
	if filled < 20 {
		t.Errorf("only %d were filled in: the test says little", filled)
	}
}

func TestBadAttributesAreRefused(t *testing.T) {
	seeds := []change.Operation{
		&rules.SetOrganisation{Name: "Larkhaven", TimeZone: "UTC"},
		&people.DeclareAttribute{Key: "grade", Allowed: []string{"Junior", "Senior"}},
		&people.DeclareAttribute{Key: "cost_centre", Pattern: "[0-9]{4}", Required: true},
		&people.DeclareAttribute{Key: "badge", Personal: true},
		&people.DeclareAttribute{Key: "probation_end", Type: fact.DateValue, Fill: &fact.Fill{From: "start_date", Months: 6}},
		&people.DeclareAttribute{Key: "shifts", Type: fact.NumberValue},
		&people.DeclareAttribute{Key: "diver", Type: fact.TruthValue},
		&people.AddUser{Personal: fact.Personal{UserName: "ines.halloran"}, Custom: map[string]string{"cost_centre": "4711", "grade": "senior", "badge": "7"}, UserFacts: fact.UserFacts{Start: 20000}},
		&roles.AddGroup{Key: "divers", Filter: `diver eq true`},
		&rules.AddDefault{Key: "juniors", Filter: `grade eq "Junior"`, Groups: []change.GroupRef{"divers"}},
	}
	d := change.NewDraft(access.Empty())
	for i, op := range seeds {
		d.Apply(i, op, 0)
	}
	if d.Finish(); len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	s := d.Seal(1, 1)
	id, _ := s.FindUser("ines.halloran")
	if u := s.User(id); u.Custom.Get("grade") != "Senior" || u.More.Get("badge") != "7" || u.Custom.Get("badge") != "" ||
		u.Custom.Get("probation_end") != calendar.Date(20000).AddMonths(6).String() {
		t.Errorf("values are %q and %q", u.Custom, u.More)
	}
	set := func(key, text string) change.Operation {
		return &people.UpdateUser{User: "ines.halloran", Custom: map[string]string{key: text}}
	}
	for _, x := range []struct {
		op   change.Operation
		says string
	}{
		{&people.DeclareAttribute{Key: "Grade"}, "lower-case words"},
		{&people.DeclareAttribute{Key: "unit"}, "is there already"},
		{&people.DeclareAttribute{Key: "grade"}, "is taken"},
		{&people.DeclareAttribute{Key: "x", Type: "money"}, "text, number, date or truth"},
		{&people.DeclareAttribute{Key: "x", Type: fact.NumberValue, Pattern: "a"}, "goes with texts alone"},
		{&people.DeclareAttribute{Key: "x", Pattern: "("}, "no regular expression"},
		{&people.DeclareAttribute{Key: "x", Allowed: []string{"a", "A"}}, "twice"},
		{&people.DeclareAttribute{Key: "x", Fill: &fact.Fill{From: "moon"}}, "unit, start_date or end_date"},
		{&people.DeclareAttribute{Key: "x", Fill: &fact.Fill{From: "start_date"}}, "must be date"},
		{&people.DeclareAttribute{Key: "x", Fill: &fact.Fill{From: "unit"}}, "one unit at least"},
		{&people.DeclareAttribute{Key: "x", Required: true, Fill: &fact.Fill{From: "unit", Units: []fact.UnitFill{{Unit: "marine", Value: "x"}}}}, "says nothing of what fills itself in"},
		{&people.AddUser{Personal: fact.Personal{UserName: "olan.vetch"}}, "cost_centre is required"},
		{set("cost_centre", ""), "is required of every person"},
		{set("cost_centre", "47111"), "does not match [0-9]{4}"},
		{set("grade", "Captain"), "none of Junior, Senior"},
		{set("probation_end", "2026-01-01"), "filled in by itself"},
		{set("shifts", "many"), "not a number"},
		{set("diver", "yes"), "true or false"},
		{set("colour", "red"), "no declared attribute; there are grade, cost_centre"},
		{&roles.AddGroup{Key: "g", Filter: `badge eq "7"`}, "names badge, which is personal"},
		{&roles.AddGroup{Key: "g", Filter: `shifts eq "7"`}, "compared with a number"},
		{&people.RetireAttribute{Attribute: "diver"}, "named by the group divers"},
		{&people.RetireAttribute{Attribute: "grade"}, "named by the default rule juniors"},
		{&people.UpdateAttribute{Attribute: "grade", Fill: &fact.Fill{From: "unit"}}, "declare another"},
	} {
		d := change.NewDraft(s)
		d.Apply(0, x.op, 0)
		d.Finish()
		if !slices.ContainsFunc(d.Faults, func(f change.Fault) bool { return strings.Contains(f.Error(), x.says) }) {
			t.Errorf("%s: %v, want …%s…", fmt.Sprintf("%+v", x.op), d.Faults, x.says)
		}
	}
}

// A personal value is sealed as names are: what the ledger keeps of the
// operation does not tell it, and what it tells again is whole.
func TestPersonalValuesAreSealed(t *testing.T) {
	d := change.NewDraft(access.Empty())
	update := &people.UpdateUser{User: "ines.halloran", Custom: map[string]string{"badge": "QX-93", "grade": "a"}}
	for i, op := range []change.Operation{&rules.SetOrganisation{Name: "Larkhaven", TimeZone: "UTC"}, &people.DeclareAttribute{Key: "badge", Personal: true}, &people.DeclareAttribute{Key: "grade"},
		&people.AddUser{Personal: fact.Personal{UserName: "ines.halloran"}}, update} {
		if settled := d.Apply(i, op, 0); op == update {
			update = settled.(*people.UpdateUser)
		}
	}
	if d.Finish(); len(d.Faults) > 0 || len(d.Sealed) != 2 {
		t.Fatalf("%v, %d sealed", d.Faults, len(d.Sealed))
	}
	raw, err := change.EncodeOperation(update.Seal())
	if err != nil || strings.Contains(string(raw), "QX-93") || !strings.Contains(string(raw), `"grade":"a"`) {
		t.Errorf("the ledger would keep %s (%v)", raw, err)
	}
	back := update.Seal().(*people.UpdateUser)
	back.Digest = "77"
	id, _ := d.FindUser("ines.halloran")
	back.Unseal(func(string) fact.Personal { return d.User(id).Personal })
	if back.Sealed["badge"] != "QX-93" {
		t.Errorf("it tells %+v again", back)
	}
	if _, faults := change.DecodeOperation([]byte(`{"op":"update_user","user":"x","custom_personal":{"badge":"1"}}`)); len(faults) != 1 {
		t.Error("what only the ledger sets is taken from outside")
	}
}
