package effect

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

// LetThrough says whether a freeze lets somebody through.
func LetThrough(s *access.Snapshot, f *fact.Freeze, user fact.UserID, at calendar.Instant) bool {
	return slices.Contains(f.LetThrough, user) || f.LetThroughGroup != 0 && user != 0 && s.IsMember(user, f.LetThroughGroup, at)
}

// frozenRails is one for each of some freezes that stands at an instant. Whoever is let
// through passes it with an acknowledgement; the host itself is not stopped.
func frozenRails(s *access.Snapshot, author fact.UserID, at calendar.Instant, freezes []*fact.Freeze) []Rail {
	var out []Rail
	for _, f := range freezes {
		if author != 0 && f.Stands(at) {
			out = append(out, Rail{Code: Frozen, Freeze: f, Passable: LetThrough(s, f, author, at)})
		}
	}
	return out
}

// freezes are those that stop a draft while they stand, now or later: of those that were
// there before it. What it does to freezes themselves is stopped by none.
//
// Who does not see everybody is told nothing of whom they do not see: blind judges what they
// give to groups and roles over all that these may ever reach.
func freezes(d *change.Draft, p Preview, from calendar.Instant, blind bool) []*fact.Freeze {
	var out []*fact.Freeze
	for _, f := range d.Base().Freezes() {
		if !f.Ended && !f.Window.Over(from) && (stoppedBy(d, f, p) || blind && mayReach(d, f)) {
			out = append(out, f)
		}
	}
	return out
}

// stoppedBy says whether a draft does what is not done while a freeze stands.
func stoppedBy(d *change.Draft, f *fact.Freeze, p Preview) bool {
	for _, e := range p.Effects {
		if len(e.Gained) == 0 {
			continue
		}
		for _, g := range e.Gained {
			if slices.Contains(f.Applications, g.Application) {
				return true
			}
		}
		for _, id := range e.Users {
			if u := d.User(id); u != nil && frozenUnit(f, u.Unit) {
				return true
			}
		}
	}
	for _, c := range d.Changes() {
		if !ends(d, c) && meets(d, f, c) {
			return true
		}
	}
	return false
}

// mayReach says whether a draft gives something, by a group or a role, to whoever may be in the
// units of a freeze, whoever is.
func mayReach(d *change.Draft, f *fact.Freeze) bool {
	meets := func(within string) bool {
		return slices.ContainsFunc(f.Units, func(u string) bool { return change.HeldInside(u, within) || change.HeldInside(within, u) })
	}
	group := func(id fact.GroupID) bool { g := d.Group(id); return g != nil && meets(g.HeldWithin) }
	role := func(id fact.RoleID) bool { r := d.Role(id); return r != nil && meets(r.HeldWithin) }
	for _, c := range d.Changes() {
		if ends(d, c) {
			continue
		}
		reaches := false
		switch x := c.After.(type) {
		case *fact.Assignment:
			reaches = x.Assignee.Group != 0 && group(x.Assignee.Group) && role(x.Role)
		case *fact.Membership:
			reaches = x.Member.Group != 0 && group(x.Member.Group)
		case *fact.Permission:
			reaches = role(x.Role)
		case *fact.Inclusion:
			reaches = role(x.Role)
		case *fact.Role:
			reaches = role(x.ID)
		case *fact.Group:
			reaches = group(x.ID)
		}
		if _, was := c.Before.(*fact.Fence); was && c.After == nil {
			reaches = true
		}
		if reaches && len(f.Units) > 0 {
			return true
		}
	}
	return false
}

func frozenUnit(f *fact.Freeze, unit string) bool {
	return slices.ContainsFunc(f.Units, func(u string) bool { return change.HeldInside(unit, u) })
}

// ends says whether what becomes of a fact only takes access, or is the end of somebody's
// time here: that is done at any time. So is what workflows keep, and freezes themselves.
func ends(d *change.Draft, c access.RowChange) bool {
	about := c.After
	if about == nil {
		about = c.Before
	}
	switch about.(type) {
	case *fact.Assignment, *fact.Membership:
		return c.After == nil || c.Before != nil && sooner(c.Before, c.After)
	case *fact.User:
		before, _ := c.Before.(*fact.User)
		after, _ := c.After.(*fact.User)
		return before != nil && after != nil && leaves(before, after)
	case *fact.Positions:
		before, _ := c.Before.(*fact.Positions)
		after, _ := c.After.(*fact.Positions)
		return before != nil && after != nil && len(after.List) < len(before.List)
	case *fact.Absences:
		before, _ := c.Before.(*fact.Absences)
		after, _ := c.After.(*fact.Absences)
		return after != nil && len(after.List) > len(before.Listed())
	case *fact.Opening:
		return c.After == nil
	case *fact.EmploymentType, *fact.SignUpRule, *fact.Default, *fact.SoDRule, *fact.Expectation, *fact.Attribute:
		return false
	}
	return fact.RecordPlace(about.Kind()) >= 0
}

// sooner says whether something that was given only ends sooner.
func sooner(before, after fact.Fact) bool {
	switch a := after.(type) {
	case *fact.Assignment:
		b := *before.(*fact.Assignment)
		return a.Window.End() <= b.Window.End() && a.Window.From == b.Window.From && a.Assignee == b.Assignee && a.Role == b.Role && fact.BoundsOf(a).String() == fact.BoundsOf(&b).String()
	case *fact.Membership:
		b := before.(*fact.Membership)
		return a.Window.End() <= b.Window.End() && a.Window.From == b.Window.From && a.Member == b.Member && a.Group == b.Group
	}
	return false
}

// leaves says whether a user is only suspended, departs, leaves sooner or is erased.
func leaves(before, after *fact.User) bool {
	if after.Erased {
		return true
	}
	shut := after.Status == fact.Suspended || after.Status == fact.Departed
	b, a := *before, *after
	if b.Status != a.Status && !shut || b.End != a.End && (a.End == 0 || b.End != 0 && a.End > b.End) {
		return false
	}
	b.Status, b.End, b.Digest = a.Status, a.End, a.Digest
	return b == a
}

// meets says whether a freeze is about what becomes of a fact.
func meets(d *change.Draft, f *fact.Freeze, c access.RowChange) bool {
	if f.All() {
		return true
	}
	for _, x := range []fact.Fact{c.Before, c.After} {
		switch x := x.(type) {
		case *fact.User:
			if frozenUnit(f, x.Unit) {
				return true
			}
		case *fact.Positions:
			if u := d.User(x.User); u != nil && frozenUnit(f, u.Unit) || slices.ContainsFunc(x.List, func(p fact.Position) bool { return frozenUnit(f, p.Unit) }) {
				return true
			}
		case *fact.Opening:
			if memberIn(d, fact.Member{User: x.User}, f) {
				return true
			}
		case *fact.Absences:
			if memberIn(d, fact.Member{User: x.User}, f) {
				return true
			}
		case *fact.Assignment:
			if roleIn(d, x.Role, f.Applications) || memberIn(d, x.Assignee, f) {
				return true
			}
		case *fact.Membership:
			if memberIn(d, x.Member, f) {
				return true
			}
		case *fact.Role:
			if slices.Contains(f.Applications, x.Application) {
				return true
			}
		case *fact.Permission:
			if slices.Contains(f.Applications, x.Application) {
				return true
			}
		case *fact.Inclusion:
			if roleIn(d, x.Included, f.Applications) {
				return true
			}
		case *fact.Fence:
			if slices.Contains(f.Applications, x.Application) {
				return true
			}
		case *fact.Resource:
			if slices.Contains(f.Applications, x.Application) {
				return true
			}
		case *fact.Application:
			if slices.Contains(f.Applications, x.ID) {
				return true
			}
		}
	}
	return false
}

func memberIn(d *change.Draft, m fact.Member, f *fact.Freeze) bool {
	u := d.User(m.User)
	return u != nil && frozenUnit(f, u.Unit)
}

// roleIn says whether a role is of some applications, or gives something there.
func roleIn(d *change.Draft, id fact.RoleID, apps []fact.ApplicationID) bool {
	if len(apps) == 0 || d.Role(id) == nil {
		return false
	}
	for _, r := range d.RoleClosure(id) {
		if slices.Contains(apps, d.Role(r).Application) {
			return true
		}
		for _, p := range d.RolePermissions(r) {
			if slices.Contains(apps, p.Application) {
				return true
			}
		}
	}
	return false
}

// FrozenFor says whether a freeze that stands stops a draft, whatever its author acknowledges.
func FrozenFor(d *change.Draft, author fact.UserID, at calendar.Instant) bool {
	if !slices.ContainsFunc(d.Base().Freezes(), func(f *fact.Freeze) bool { return f.Stands(at) }) {
		return false
	}
	return slices.ContainsFunc(frozenRails(d.Base(), author, at, freezes(d, Of(d, at), at, false)), func(r Rail) bool { return !r.Passable })
}
