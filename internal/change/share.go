package change

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
)

// A role that is marked as shareable may be shared within one resource: by whoever holds all
// that it gives there, in an application whose machine account acts for them. The share is an
// assignment of its own origin. It ends with the resource.

// OfAccount says whether the draft is judged as one of the machine account that acts for its
// author, and not as one of the author.
func (d *Draft) OfAccount() bool { return d.Account != 0 && d.Author == d.Account }

// HoldsThere says whether a user holds, within one resource and for as long as a window lasts,
// all that a role gives there, and not by a share. own counts what they may do with their own
// things alone.
func HoldsThere(s *access.Snapshot, user fact.UserID, role fact.RoleID, in fact.Scope, w calendar.Window, own bool, at calendar.Instant) bool {
	h := Holdings{S: s, User: user, Own: own, At: at}
	return h.There(role, in, w)
}

// Holdings says HoldsThere of one user and many resources. It belongs to one goroutine.
type Holdings struct {
	S    *access.Snapshot
	User fact.UserID
	Own  bool
	At   calendar.Instant
	in   map[fact.ApplicationID]*Authority
}

// There says whether the user holds all that a role gives within a resource.
func (h *Holdings) There(role fact.RoleID, in fact.Scope, w calendar.Window) bool {
	a := h.in[in.Application]
	if a == nil {
		a = &Authority{Caller: h.User, at: h.At, s: h.S}
		query.AssignmentsAt(h.S, h.User, h.At, func(f *fact.Assignment) {
			if f.Origin != fact.ByShare {
				a.rights = append(a.rights, adminRight{f, givesIn(h.S, f, in.Application, h.Own)})
			}
		})
		if h.in == nil {
			h.in = map[fact.ApplicationID]*Authority{}
		}
		h.in[in.Application] = a
	}
	when := &RoleGain{When: calendar.Always().Within(w).From(h.At)}
	gives := givesIn(h.S, &fact.Assignment{Role: role, Scopes: []fact.Scope{in}}, in.Application, true)
	for act, areas := range gives {
		for i := range areas {
			if !slices.ContainsFunc(a.rights, func(p adminRight) bool {
				return slices.ContainsFunc(p.may[act], func(q patterns.Area) bool { return q.Contains(&areas[i]) }) && a.lasts(&p, when)
			}) {
				return false
			}
		}
	}
	return len(gives) > 0
}

// GivesNothingThere says whether a role gives nothing within a resource.
func GivesNothingThere(s *access.Snapshot, role fact.RoleID, in fact.Scope) bool {
	return len(givesIn(s, &fact.Assignment{Role: role, Scopes: []fact.Scope{in}}, in.Application, true)) == 0
}

// Lacks files that the author may not do something, whatever rights they have on able-roster.
func (d *Draft) Lacks(what string, args ...any) { d.ask("share", "roles", what, args...) }

// PromiseTo has the author judged as if they gave a user a role.
func (d *Draft) PromiseTo(f *fact.Assignment) {
	d.promised = append(d.promised, RoleGain{User: f.Assignee.User, Role: f.Role, Scopes: f.Scopes, When: calendar.Always().Within(f.Window).From(d.at)})
}

// SharesOn is with how many users a role is shared within a resource.
func (d *Draft) SharesOn(role fact.RoleID, path string) int {
	if d.shares[role] == nil {
		if d.shares == nil {
			d.shares = map[fact.RoleID]map[string]int{}
		}
		d.shares[role] = map[string]int{}
		for f := range query.SharesOf(&d.Builder.Snapshot, role) {
			if !f.Window.Over(d.at) {
				d.shares[role][f.Scopes[0].Pattern]++
			}
		}
	}
	return d.shares[role][path]
}

// Share gives a user a role within a resource, as the author's share.
func (d *Draft) Share(f *fact.Assignment) {
	n := d.SharesOn(f.Role, f.Scopes[0].Pattern)
	f.Origin, f.SharedBy, f.Opened = fact.ByShare, d.Author, d.Revision
	d.Put(f)
	d.shares[f.Role][f.Scopes[0].Pattern] = n + 1
}

// EndShare ends one.
func (d *Draft) EndShare(f *fact.Assignment) {
	d.End(f)
	if d.shares[f.Role] != nil && !f.Window.Over(d.at) {
		d.shares[f.Role][f.Scopes[0].Pattern]--
	}
}

// endShares ends what is shared within resources that a draft retires.
func (d *Draft) endShares() {
	gone := map[fact.ApplicationID][]string{}
	for _, c := range d.Changes() {
		if r, ok := c.After.(*fact.Resource); ok && r.Retired {
			if old, _ := c.Before.(*fact.Resource); old != nil && !old.Retired {
				gone[r.Application] = append(gone[r.Application], r.Path)
			}
		}
	}
	var ends []*fact.Assignment
	for app, paths := range gone {
		for f := range query.SharesIn(&d.Builder.Snapshot, app) {
			if slices.ContainsFunc(paths, func(p string) bool { return patterns.Covers(p, f.Scopes[0].Pattern) }) {
				ends = append(ends, f)
			}
		}
	}
	slices.SortFunc(ends, func(a, b *fact.Assignment) int { return cmp.Compare(a.ID, b.ID) })
	for _, f := range ends {
		d.EndShare(f)
	}
}
