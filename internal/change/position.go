package change

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
)

// placeInGroups puts users into the groups whose filter chooses them where a position of
// theirs is, for its time, and takes out those that it no longer does: the users that changed,
// and all who have positions when a filter or the time zone did.
func (d *Draft) placeInGroups(users []fact.UserID, all bool) {
	for _, c := range d.Changes() {
		if g, ok := c.After.(*fact.Group); ok {
			old, _ := c.Before.(*fact.Group)
			all = all || old == nil && g.Filter != "" || old != nil && old.Filter != g.Filter
		}
	}
	if all {
		users = sorted(append(users, d.placed()...))
	}
	for _, id := range users {
		if d.Positions(id) != nil {
			d.placeInto(id)
		}
	}
}

// placed are the users who have, or had, positions.
func (d *Draft) placed() (out []fact.UserID) {
	d.EachRecordFact(fact.FactPositions, func(f fact.RecordFact) bool {
		out = append(out, f.(*fact.Positions).User)
		return true
	})
	return out
}

// placeInto is placeInGroups for one user.
func (d *Draft) placeInto(id fact.UserID) {
	u := d.User(id)
	want := map[fact.GroupID]calendar.Intervals{}
	for _, p := range d.places(u) {
		if p.user == u || p.former != nil {
			continue
		}
		for _, g := range d.Ruled {
			if rule := d.GroupTable.At(int(g)).Rule; !filter.Match(rule, fact.RuleSchema, u) && filter.Match(rule, fact.RuleSchema, p.user) {
				want[g] = want[g].Add(p.window)
			}
		}
	}
	for _, m := range d.MembershipsOf(fact.Member{User: id}) {
		if !m.Position {
			continue
		}
		if left := want[m.Group].Minus(calendar.Intervals{m.Window}); len(want[m.Group]) > 0 && slices.Contains(want[m.Group], m.Window) {
			want[m.Group] = left
		} else {
			d.End(m)
		}
	}
	for _, g := range d.Ruled {
		for _, w := range want[g] {
			d.Put(&fact.Membership{ID: fact.MembershipID(d.Allocate(fact.FactMembership)), Group: g, Member: fact.Member{User: id}, Window: w, Opened: d.Revision, Position: true})
		}
	}
}
