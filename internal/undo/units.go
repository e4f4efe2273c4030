package undo

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// move is a unit that a revision moved.
type move struct{ from, to string }

// moves are the units that a revision moved, those that lay below another of them left out.
func moves(changes []access.RowChange) (out []move) {
	for _, c := range changes {
		before, _ := c.Before.(*fact.Unit)
		after, _ := c.After.(*fact.Unit)
		if before == nil || after == nil || before.Path == after.Path {
			continue
		}
		if !slices.ContainsFunc(out, func(m move) bool { return fact.InUnit(before.Path, m.from) }) {
			out = slices.DeleteFunc(out, func(m move) bool { return fact.InUnit(m.from, before.Path) })
			out = append(out, move{before.Path, after.Path})
		}
	}
	return out
}

func (u *undoing) moved(path string) string {
	for _, m := range u.moves {
		if fact.InUnit(path, m.from) {
			return fact.MovedUnit(path, m.from, m.to)
		}
	}
	return path
}

// followed says whether a change did nothing but follow a unit that was moved: it comes back
// with it.
func (u *undoing) followed(c access.RowChange) bool {
	if len(u.moves) == 0 {
		return false
	}
	filter := func(text string) string {
		for _, m := range u.moves {
			text = fact.FilterAfterMove(text, m.from, m.to)
		}
		return text
	}
	switch before := c.Before.(type) {
	case *fact.User:
		after, _ := c.After.(*fact.User)
		b := *before
		b.Unit = u.moved(b.Unit)
		b.Custom = after.Custom // what the unit fills in
		return b == *after
	case *fact.Group:
		after, _ := c.After.(*fact.Group)
		b := *before
		b.Unit, b.HeldWithin, b.Filter = u.moved(b.Unit), u.moved(b.HeldWithin), filter(b.Filter)
		return b == *after
	case *fact.Role:
		after, _ := c.After.(*fact.Role)
		b := *before
		b.HeldWithin = u.moved(b.HeldWithin)
		return b == *after
	case *fact.Positions:
		after, _ := c.After.(*fact.Positions)
		return len(after.List) == len(before.List)
	case *fact.Default:
		after, _ := c.After.(*fact.Default)
		return after != nil && before.Filter != after.Filter && filter(before.Filter) == after.Filter
	case *fact.Attribute:
		return true // its table follows; a declaration itself is not taken back at all
	case *fact.Permission:
		return before.Application == fact.AbleRoster && c.After == nil
	case *fact.Assignment:
		return c.After == nil && slices.ContainsFunc(before.Scopes, func(s fact.Scope) bool { return s.Application == fact.AbleRoster })
	}
	switch after := c.After.(type) {
	case *fact.Permission:
		return after.Application == fact.AbleRoster
	case *fact.Assignment:
		return slices.ContainsFunc(after.Scopes, func(s fact.Scope) bool { return s.Application == fact.AbleRoster })
	}
	return false
}

func (u *undoing) unit(f *fact.Unit, c access.RowChange) {
	now := u.head.Unit(f.ID)
	before, _ := c.Before.(*fact.Unit)
	if now == nil || u.ended("unit", f.Label, before == nil, now.Ended, func() { u.does(ending, "end_unit", fields{"unit": f.ID.String()}) }) {
		return
	}
	for _, m := range u.moves {
		if before.Path != m.from {
			continue
		}
		if now.Path != m.to {
			u.left("%s was moved again since.", f.Label)
		} else {
			u.does(restoring, "move_unit", fields{"unit": f.ID.String(), "to": m.from})
		}
	}
	of := func(x *fact.Unit) fields { return fields{"label": x.Label, "head": u.name(x.Head)} }
	custom := func(x *fact.Unit) fields {
		out := fields{}
		for _, a := range u.head.UnitAttributes() {
			if !a.Retired {
				out[a.Key] = x.Custom.Get(a.Key)
			}
		}
		return out
	}
	set := u.back(now.Label, of(before), of(f), of(now))
	if custom := u.back(now.Label, custom(before), custom(f), custom(now)); len(custom) > 0 {
		set["custom"] = custom
	}
	if len(set) > 0 {
		set["unit"] = f.ID.String()
		u.does(restoring, "update_unit", set)
	}
}
