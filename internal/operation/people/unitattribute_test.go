package people_test

import (
	"encoding/json"
	"strings"
	"testing"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/undo"
)

// Attributes of units are of no user, those of users of no unit, and a key is of one of them; what a unit
// has of them moves with it, is checked, and is taken back.
func TestAttributesOfUnits(t *testing.T) {
	s := laws.Port(t, &people.AddUnit{Path: "quays"}, &people.DeclareAttribute{Key: "site", OfUnits: true, Allowed: []string{"North quay", "South quay"}},
		&people.DeclareAttribute{Key: "badge", Pattern: "[0-9]+"}, &people.DeclareAttribute{Key: "opened", OfUnits: true, Type: fact.DateValue})
	with := func(key, value string) map[string]string { return map[string]string{key: value} }
	for name, x := range map[string]struct {
		op   change.Operation
		says string
	}{
		"of users, of a unit":  {&people.UpdateUnit{Unit: "quays", Custom: with("badge", "1")}, "is no declared attribute of units; there are site, opened"},
		"of units, of a user":  {&people.UpdateUser{User: "ines.halloran", Custom: with("site", "North quay")}, "is no declared attribute; there are badge"},
		"none of the allowed":  {&people.UpdateUnit{Unit: "quays", Custom: with("site", "East quay")}, "is none of North quay, South quay"},
		"no day":               {&people.AddUnit{Path: "piers", Custom: with("opened", "soon")}, "custom.opened"},
		"declared again":       {&people.DeclareAttribute{Key: "Site"}, "must be lower-case"},
		"declared of users":    {&people.DeclareAttribute{Key: "site"}, "is taken"},
		"personal":             {&people.DeclareAttribute{Key: "desk", OfUnits: true, Personal: true}, "goes with attributes of users alone"},
		"that fills itself in": {&people.DeclareAttribute{Key: "desk", OfUnits: true, Fill: &fact.Fill{From: "unit", Units: []fact.UnitFill{{Unit: "quays", Value: "1"}}}}, "fill goes with attributes of users alone"},
	} {
		if got := wrongs(t, s, "2026-03-01", x.op); !strings.Contains(got, x.says) {
			t.Errorf("%s: %s", name, got)
		}
	}
	s = made(t, s, "2026-03-01", &people.UpdateUnit{Unit: "quays", Custom: with("site", "north QUAY")}, &people.UpdateUnit{Unit: "quays", Custom: with("opened", "1998-05-02")})
	s = made(t, s, "2026-03-02", &people.MoveUnit{Unit: "quays", To: "piers"})
	if got := s.UnitAt("piers").Custom; got.Get("site") != "North quay" || got.Get("opened") != "1998-05-02" {
		t.Errorf("%q", got)
	}
	before := s
	d := change.NewDraft(s)
	d.Apply(0, &people.UpdateUnit{Unit: "piers", Custom: map[string]string{"site": "South quay", "opened": ""}}, s.At+1)
	if d.Finish(); len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	s = d.Seal(d.Revision, s.At+1)
	if got := s.UnitAt("piers").Custom; got.Get("site") != "South quay" || got.Get("opened") != "" {
		t.Errorf("%q", got)
	}
	back := undo.Of(d.Changes(), s, s.At+1)
	var ops []change.Operation
	for _, step := range back.Steps {
		ops = append(ops, step.Operation)
	}
	if s = made(t, s, "2026-03-03", ops...); s.UnitAt("piers").Custom != before.UnitAt("piers").Custom {
		raw, _ := json.Marshal(ops)
		t.Errorf("%s: %q", raw, s.UnitAt("piers").Custom)
	}
	// Required of units from now on, of none that is there.
	s = made(t, s, "2026-03-04", &people.UpdateAttribute{Attribute: "site", Required: new(bool)})
	yes := true
	s = made(t, s, "2026-03-04", &people.UpdateAttribute{Attribute: "site", Required: &yes})
	if got := wrongs(t, s, "2026-03-05", &people.AddUnit{Path: "docks"}); !strings.Contains(got, "is required of every unit") {
		t.Error(got)
	}
	if got := wrongs(t, s, "2026-03-05", &people.UpdateUnit{Unit: "piers", Custom: with("site", "")}); !strings.Contains(got, "is required of every unit") {
		t.Error(got)
	}
	if got := wrongs(t, s, "2026-03-05", &people.AddUser{Personal: fact.Personal{UserName: "una.berg"}, UserFacts: fact.UserFacts{Unit: "piers"}}); got != "" {
		t.Error(got)
	}
}
