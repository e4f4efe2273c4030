package lists

import (
	"slices"
	"strings"

	"ableroster/internal/change"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Units are the organisation's units that the caller may read people of, with how many are in
// each, and with a role how many of them hold it.
func Units(v *seeing.View, role string) (wire.UnitList, error) {
	out := wire.UnitList{Basis: v.Basis(), Described: v.Uncut().HasUnits(), Units: []wire.Unit{}}
	used, err := Values(v, "unit", role)
	if err != nil {
		return out, err
	}
	byPath := map[string]*wire.Unit{}
	add := func(x wire.Unit) *wire.Unit {
		x.LedBy = v.UnitHead(x.Path)
		byPath[x.Path] = &x
		return &x
	}
	attributes := v.Uncut().UnitAttributes()
	for _, u := range v.Uncut().Units() {
		if u.Ended || !v.ReadsUnit(u.Path) {
			continue
		}
		x := add(wire.Unit{ID: u.ID.String(), Path: u.Path, Label: u.Label, Given: &wire.Given{Revision: u.Opened}})
		for _, f := range attributes {
			if value := u.Custom.Get(f.Key); value != "" && !f.Retired {
				x.Custom = change.WithEntry(x.Custom, f.Key, value)
			}
		}
		if u.Head != 0 {
			head := v.UserRef(u.Head)
			x.Head = &head
		}
	}
	for _, value := range used.Values {
		x := byPath[value.Value]
		if x == nil {
			x = add(wire.Unit{Path: value.Value, Label: value.Value[strings.LastIndexByte(value.Value, '/')+1:]})
		}
		x.Users, x.Holders = value.Users, value.Holders
	}
	for _, x := range byPath {
		out.Units = append(out.Units, *x)
	}
	slices.SortFunc(out.Units, func(a, b wire.Unit) int {
		return slices.Compare(strings.Split(a.Path, "/"), strings.Split(b.Path, "/"))
	})
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Units {
			if out.Units[i].Given != nil {
				g(&out.Units[i].Given)
			}
		}
	})
	return out, nil
}
