package undo

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// window are the fields of a window.
func window(fields map[string]any, w calendar.Window) map[string]any {
	if w.From != 0 {
		fields["from"] = w.From
	}
	if w.Until != 0 {
		fields["until"] = w.Until
	}
	return fields
}

// over says that a window has passed, so that nothing would be given back.
func (u *undoing) over(w calendar.Window) bool { return w.Until != 0 && w.Until <= u.at }

// member are the fields that say whom something is given to; false where they have departed.
func (u *undoing) member(fields map[string]any, m fact.Member, group string) map[string]any {
	if m.User != 0 {
		fields["user"] = u.name(m.User)
	} else if g := u.head.Group(m.Group); g != nil {
		fields[group] = g.Key
	}
	return fields
}

func (u *undoing) memberCalled(m fact.Member) string {
	if m.User != 0 {
		return u.called(m.User)
	}
	if g := u.head.Group(m.Group); g != nil {
		return g.Label
	}
	return "a group"
}

func (u *undoing) roleCalled(id fact.RoleID) string {
	if r := u.head.Role(id); r != nil {
		return r.Label
	}
	return "a role"
}

// assignment takes a role back that was given, and gives back one that was taken. What
// default rules give follows by itself.
func (u *undoing) assignment(f *fact.Assignment, c access.RowChange) {
	if f.Rule != 0 {
		return
	}
	now := u.head.Assignment(f.ID)
	if c.After != nil {
		if now == nil {
			if c.Before == nil {
				u.left("%s of %s was revoked or ended since.", u.roleCalled(f.Role), u.memberCalled(f.Assignee))
				return
			}
		} else {
			u.does(taking, "revoke", map[string]any{"assignment": f.ID.String()})
		}
	}
	before, _ := c.Before.(*fact.Assignment)
	if before == nil {
		return
	}
	if before.Origin == fact.ByShare {
		u.left("%s is not shared with %s again: who holds the same there shares it, in its application.", u.roleCalled(f.Role), u.memberCalled(f.Assignee))
		return
	}
	if u.over(before.Window) {
		u.left("%s of %s is not given back: its last day has passed.", u.roleCalled(f.Role), u.memberCalled(f.Assignee))
		return
	}
	fields := u.member(window(map[string]any{"role": u.head.RoleKey(before.Role)}, before.Window), before.Assignee, "group")
	var scopes []map[string]any
	for _, s := range before.Scopes {
		scopes = append(scopes, map[string]any{"application": u.head.Application(s.Application).Key, "pattern": s.Pattern})
	}
	if scopes != nil {
		fields["scopes"] = scopes
	}
	if before.Schedule != nil {
		fields["schedule"] = before.Schedule
	}
	u.does(giving, "grant", fields)
}

func (u *undoing) membership(f *fact.Membership, c access.RowChange) {
	g := u.head.Group(f.Group)
	if !f.ByHand() || g == nil {
		return
	}
	if c.After != nil {
		if u.head.Membership(f.ID) != nil {
			u.does(taking, "remove_member", u.member(map[string]any{"group": g.Key}, f.Member, "member_group"))
		} else if c.Before == nil {
			u.left("%s left %s since.", u.memberCalled(f.Member), g.Label)
			return
		}
	}
	before, _ := c.Before.(*fact.Membership)
	if before == nil {
		return
	}
	if u.over(before.Window) {
		u.left("%s is not put back into %s: their last day there has passed.", u.memberCalled(f.Member), g.Label)
		return
	}
	u.does(giving, "add_member", u.member(window(map[string]any{"group": g.Key}, before.Window), before.Member, "member_group"))
}

func (u *undoing) permission(f *fact.Permission, c access.RowChange) {
	if c.After != nil {
		if u.head.Permission(f.ID) != nil {
			u.does(taking, "remove_permission", map[string]any{"permission": f.ID.String()})
		} else if c.Before == nil {
			u.left("A permission of %s was removed since.", u.roleCalled(f.Role))
			return
		}
	}
	if b, _ := c.Before.(*fact.Permission); b != nil {
		u.does(giving, "add_permission", map[string]any{"role": u.head.RoleKey(b.Role), "application": u.head.Application(b.Application).Key,
			"actions": b.Actions, "pattern": b.Pattern, "own": b.Own})
	}
}

func (u *undoing) inclusion(f *fact.Inclusion, c access.RowChange) {
	fields := func(key string) map[string]any {
		return map[string]any{"role": u.head.RoleKey(f.Role), key: u.head.RoleKey(f.Included)}
	}
	if c.After != nil {
		u.does(taking, "exclude_role", fields("excludes"))
		return
	}
	u.does(giving, "include_role", fields("includes"))
}

func (u *undoing) fence(f *fact.Fence, c access.RowChange) {
	if c.After != nil {
		if u.head.Fence(f.ID) != nil {
			u.does(taking, "remove_fence", map[string]any{"fence": f.ID.String()})
		}
		return
	}
	u.does(giving, "add_fence", map[string]any{"application": u.head.Application(f.Application).Key, "pattern": f.Pattern, "actions": f.Actions, "why": f.Reason})
}

// scopes are scopes as operations write them.
func (u *undoing) scopes(list []fact.Scope) []map[string]any {
	out := []map[string]any{}
	for _, s := range list {
		out = append(out, map[string]any{"application": u.head.Application(s.Application).Key, "pattern": s.Pattern})
	}
	return out
}
