package change

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/patterns"
)

// RoleGain is a role that somebody comes to hold, or to hold for longer or on
// wider bounds, or that gives more than it did; or on whose giving somebody comes
// to decide. It is what the author of a draft needs "assign" for.
type RoleGain struct {
	User     fact.UserID // 0 is everybody in a part of the register
	Within   string      // for User 0, that part, as a path of able-roster; blank is all of it
	Role     fact.RoleID
	Scopes   []fact.Scope       // within which it is gained; none: wherever the role reaches
	Schedule *calendar.Schedule // at which times of the week; nil: at all
	When     calendar.Intervals // when; nil: for good

	// Also is an application whose permissions a role of the organisation comes to
	// give: the author needs "assign" on all roles of that application too.
	Also fact.ApplicationID

	// Through is the group that gives it to whoever is in it, 0 for none.
	Through fact.GroupID

	// Decides is who comes to decide on giving it, and Group in which group, where
	// nobody holds it yet; Instead is in whose place they decide, 0 for their own.
	Decides fact.UserID
	Group   fact.GroupID
	Instead fact.UserID
}

// deciding are what the workflows add to the gains of a draft: see OnJudge.
var deciding []func(*Draft) []RoleGain

// OnJudge has a workflow say, of a finished draft, on the giving of which roles
// somebody comes to decide through it. It is called while a program starts; what
// it is given may be called by several goroutines at once, of several drafts.
func OnJudge(f func(*Draft) []RoleGain) { deciding = append(deciding, f) }

// RoleGains are all of a draft, whichever way they come about, from an instant on.
// What a role, a group or a rule gives is judged over all it could ever reach, and
// never over whom it reaches today: the answer would tell who that is. Of single
// users only those are looked at whose own facts, memberships or assignments the
// draft changes.
//
// What all-users and public held before, they give to whoever arrives on the
// authority of who granted it; so do default rules and approved requests.
func (d *Draft) RoleGains(from calendar.Instant) []RoleGain {
	widened := d.widened()
	out := d.everybodysGains(widened)
	if d.altersRoles(widened) {
		out = append(out, d.alteredRoles(widened)...)
		out = append(out, d.offerGains(widened)...)
	}
	out = append(out, d.groupGains(from)...)
	out = append(out, d.defaultGains(widened)...)
	out = append(out, d.promised...)
	for _, f := range deciding {
		out = append(out, f(d)...)
	}
	elsewhere := func(elsewhere bool, opened int64) bool { return elsewhere && opened == d.Revision }
	for _, id := range d.changedUsers() {
		out = append(out, gained(id, "", held.SponsoredRolesOf(d.Base(), id, held.OwnGroups, nil), held.SponsoredRolesOf(&d.Builder.Snapshot, id, held.OwnGroups, elsewhere), from)...)
	}
	slices.SortFunc(out, func(a, b RoleGain) int {
		return cmp.Or(cmp.Compare(a.User, b.User), cmp.Compare(a.Role, b.Role), fact.CompareScopes(a.Scopes, b.Scopes), cmp.Compare(a.Within, b.Within))
	})
	return out
}

// gained is what of roles held after is held longer or on wider bounds than before.
func gained(user fact.UserID, within string, before, after held.Roles, from calendar.Instant) []RoleGain {
	var out []RoleGain
	for _, h := range after {
		when := h.When
		if b := before.Find(h.Role, h.Text); b != nil { // on the same bounds
			when = when.Minus(b.When)
		}
		if b := before.Find(h.Role, ""); b != nil { // or on none
			when = when.Minus(b.When)
		}
		if when = when.Within(calendar.Window{From: from}); len(when) > 0 {
			out = append(out, RoleGain{User: user, Within: within, Role: h.Role, Scopes: h.Scopes, Schedule: h.Schedule, When: when})
		}
	}
	return out
}

// changedUsers are those whose own facts, memberships or assignments differ, in
// order of id.
func (d *Draft) changedUsers() []fact.UserID {
	var out []fact.UserID
	for _, c := range d.Changes() {
		f := c.After
		if f == nil {
			f = c.Before
		}
		switch f := f.(type) {
		case *fact.User:
			out = append(out, f.ID)
		case fact.OfUser:
			out = append(out, f.Whose())
		case *fact.EmploymentType:
			if old, _ := c.Before.(*fact.EmploymentType); old != nil && old.Closed == f.Closed && old.External == f.External && old.Ended == f.Ended && (old.MaxDays > 0) == (f.MaxDays > 0) {
				continue // called otherwise, or with other bounds
			}
			for u := range d.Users() {
				if fact.Fold(u.Employment) == fact.Fold(f.Key) {
					out = append(out, u.ID)
				}
			}
		case *fact.Membership:
			if f.Member.User != 0 {
				out = append(out, f.Member.User)
			}
		case *fact.Assignment:
			if f.Assignee.User != 0 {
				out = append(out, f.Assignee.User)
			}
		}
	}
	return sorted(out)
}

// sorted are some users in order of id, each once.
func sorted(ids []fact.UserID) []fact.UserID {
	slices.Sort(ids)
	return slices.Compact(ids)
}

// widened are the roles whose own permissions give more.
func (d *Draft) widened() map[fact.RoleID]bool {
	out := map[fact.RoleID]bool{}
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *fact.Permission:
			out[f.Role] = true
		case *fact.Role:
			if old, ok := c.Before.(*fact.Role); ok && old.Retired && !f.Retired {
				out[f.ID] = true
			}
		}
		if f, ok := c.Before.(*fact.Fence); ok { // what it kept out comes in
			d.reachedAgain(f, out)
		}
	}
	return out
}

// everybodysGains are what public and all-users come to give.
func (d *Draft) everybodysGains(widened map[fact.RoleID]bool) []RoleGain {
	var everybody held.Roles
	for _, c := range d.Changes() {
		if f, ok := c.After.(*fact.Assignment); ok && !held.OwnGroups(f.Assignee.Group) {
			everybody = everybody.Add(&d.Snapshot, f.Role, fact.BoundsOf(f), calendar.Always())
		}
	}
	before := held.RolesOfAnybody(d.Base())
	for _, h := range held.RolesOfAnybody(&d.Builder.Snapshot) {
		if (before.Find(h.Role, h.Text) == nil || widened[h.Role]) && everybody.Find(h.Role, h.Text) == nil {
			everybody = append(everybody, h)
		}
	}
	var out []RoleGain
	for _, h := range everybody {
		out = append(out, RoleGain{Role: h.Role, Scopes: h.Scopes, Schedule: h.Schedule})
	}
	return out
}

// altersRoles says whether any role may come to give more.
func (d *Draft) altersRoles(widened map[fact.RoleID]bool) bool {
	return len(widened) > 0 || slices.ContainsFunc(d.Changes(), func(c access.RowChange) bool {
		switch c.After.(type) {
		case *fact.Inclusion, *fact.Role:
			return true
		}
		return false
	})
}

// alteredRoles are what roles come to give beyond what they gave, to all who may
// ever hold them.
func (d *Draft) alteredRoles(widened map[fact.RoleID]bool) []RoleGain {
	var out []RoleGain
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *fact.Permission:
			out = d.asGoodAs(out, f)
		case *fact.Role:
			if old, _ := c.Before.(*fact.Role); old != nil && !HeldInside(f.HeldWithin, old.HeldWithin) {
				for _, r := range d.RoleClosure(f.ID) {
					out = append(out, RoleGain{Role: r, Within: roleReach(&d.Snapshot, f.ID)})
					for _, p := range d.RolePermissions(r) {
						out = d.asGoodAs(out, p)
					}
				}
			}
		}
	}
	for i := range d.RoleTable.Len() {
		rec := d.RoleTable.At(i)
		if rec == nil || rec.Fact == nil {
			continue
		}
		var before []fact.RoleID
		if old := d.Base().RoleTable.At(i); old != nil && old.Fact != nil {
			before = old.Closure
		}
		for _, r := range rec.Closure {
			if widened[r] || r != rec.Fact.ID && !slices.Contains(before, r) {
				out = append(out, RoleGain{Role: r, Within: roleReach(&d.Snapshot, rec.Fact.ID)})
			}
		}
	}
	return out
}

// asGoodAs adds that a permission in an application makes a role of the organisation
// as good as those of the application.
func (d *Draft) asGoodAs(out []RoleGain, p *fact.Permission) []RoleGain {
	if d.Role(p.Role).Application != 0 || p.Application == fact.AbleRoster {
		return out
	}
	return append(out, RoleGain{Role: p.Role, Within: roleReach(&d.Snapshot, p.Role), Also: p.Application})
}

// groupGains are what groups come to give, or to give to more, over all who may
// ever be in them.
func (d *Draft) groupGains(from calendar.Instant) []RoleGain {
	gives, chooses := map[fact.GroupID]bool{}, map[fact.GroupID]bool{}
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *fact.Assignment:
			gives[f.Assignee.Group] = true
		case *fact.Membership:
			gives[f.Member.Group] = true
		case *fact.Group:
			if old, _ := c.Before.(*fact.Group); f.Filter != "" && (old == nil || old.Filter != f.Filter) {
				chooses[f.ID] = true
			}
		}
	}
	var out []RoleGain
	for id := range gives {
		if id != 0 && held.OwnGroups(id) {
			for _, g := range gained(0, groupReach(&d.Snapshot, id), held.RolesOfGroup(d.Base(), id), held.RolesOfGroup(&d.Builder.Snapshot, id), from) {
				g.Through = id
				out = append(out, g)
			}
		}
	}
	for id := range chooses {
		out = append(out, gained(0, fact.RuleReach(d.Group(id).Filter), nil, held.RolesOfGroup(&d.Builder.Snapshot, id), from)...)
	}
	return out
}

// reachedAgain marks the roles that give more once a fence has gone.
func (d *Draft) reachedAgain(f *fact.Fence, widened map[fact.RoleID]bool) {
	for i := range d.RoleTable.Len() {
		rec := d.RoleTable.At(i)
		if rec == nil {
			continue
		}
		for _, id := range rec.Permissions {
			p := d.Permission(id)
			if p.Application == f.Application && !f.Passes(p.Pattern) && patterns.Overlap(f.Pattern, p.Pattern) && slices.ContainsFunc(p.Actions, func(a string) bool { return a == fact.AllActions || f.Guards(a) }) {
				widened[fact.RoleID(i)] = true
			}
		}
	}
}
