package service

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/request"
	"ableroster/wire"
)

// Groups are all groups the caller may read, the built-in ones first.
func (v *View) Groups() wire.GroupList {
	out := wire.GroupList{Basis: v.basis(), Groups: []wire.Group{}}
	for g := range v.Snapshot.Groups() {
		if v.readsGroup(g.ID) {
			out.Groups = append(out.Groups, v.group(g))
		}
	}
	return out
}

func (v *View) group(g *fact.Group) wire.Group {
	return wire.Group{Basis: v.basis(), ID: g.ID.String(), Key: g.Key, Label: g.Label, Description: g.Description, Unit: g.Unit, Filter: g.Filter, FilterWords: v.filterWords(g.Filter), HeldWithin: g.HeldWithin,
		BuiltIn: g.ID == fact.PublicGroup || g.ID == fact.AllUsersGroup, MemberCount: v.memberCount(g.ID), Owner: v.ownerRef(g.Owner)}
}

// memberCount is how many listed members of a group the caller may read.
func (v *View) memberCount(id fact.GroupID) int {
	if v.rights().ReadsAllUsers() && v.rights().May(access.ActRead, "groups") {
		return v.MemberCount(id)
	}
	n := 0
	for _, m := range v.Members(id) {
		if v.readsMember(m.Member) {
			n++
		}
	}
	return n
}

// holderCount is how many assignments of a role the caller may read.
func (v *View) holderCount(id fact.RoleID) int {
	if v.rights().ReadsAllUsers() && v.rights().May(access.ActRead, "groups") {
		return v.RoleAssignments(id)
	}
	n := 0
	for head := range v.AssignmentHeads(id) {
		if v.readsMember(head.Assignee) {
			n++
		}
	}
	return n
}

func (v *View) readsMember(m fact.Member) bool {
	if m.User != 0 {
		return v.readsUser(m.User)
	}
	return v.readsGroup(m.Group)
}

// Group is one group with its members and what it gives.
func (v *View) Group(ref string) (wire.Group, error) {
	id, ok := v.FindGroup(ref)
	if !ok || !v.readsGroup(id) {
		return wire.Group{}, v.missing(fact.FactGroup, ref)
	}
	out := v.group(v.Snapshot.Group(id))
	out.Members, out.Assignments = []wire.Membership{}, []wire.Assignment{}
	for _, f := range v.Members(id) {
		if m := v.membership(f, false, nil); !m.Member.Outside {
			out.Members = append(out.Members, m)
		}
	}
	out.MemberCount = len(out.Members)
	if out.Filter != "" {
		for u := range v.Snapshot.Users() {
			if v.readsUser(u.ID) && slices.Contains(v.ChosenBy(u.ID), id) {
				out.Chosen++
			}
		}
	}
	slices.SortFunc(out.Members, func(a, b wire.Membership) int {
		return cmp.Or(cmp.Compare(a.MemberKind, b.MemberKind), cmp.Compare(a.Member.Label, b.Member.Label))
	})
	for _, a := range v.Given(fact.Assignee{Group: id}) {
		out.Assignments = append(out.Assignments, v.assignment(a, false))
	}
	v.reasons(func(g giving) {
		for i := range out.Assignments {
			g(&out.Assignments[i].Given)
		}
	})
	return out, nil
}

// Applications are all applications the caller may read.
func (v *View) Applications() wire.ApplicationList {
	out := wire.ApplicationList{Basis: v.basis(), Applications: []wire.Application{}}
	for a := range v.Snapshot.Applications() {
		if v.readsApplication(a.ID) {
			out.Applications = append(out.Applications, v.application(a))
		}
	}
	return out
}

func (v *View) application(a *fact.Application) wire.Application {
	out := wire.Application{Basis: v.basis(), ID: a.ID.String(), Key: a.Key, Label: a.Label, Description: a.Description,
		State: string(a.State), Actions: []wire.Action{}}
	for _, x := range a.Actions {
		out.Actions = append(out.Actions, wire.Action(x))
	}
	if a.Trial != 0 {
		g := v.groupRef(a.Trial, false)
		out.TrialGroup = &g
	}
	out.Owner, out.Direct = v.ownerRef(a.Owner), string(a.Direct)
	return out
}

// ownerRef is who answers for a thing, nil for nobody.
func (v *View) ownerRef(id fact.UserID) *wire.Ref {
	if id == 0 {
		return nil
	}
	r := v.userRef(id)
	return &r
}

// Application is one application with its resources.
func (v *View) Application(ref string) (wire.Application, error) {
	id, ok := v.FindApplication(ref)
	if !ok || !v.readsApplication(id) {
		return wire.Application{}, v.missing(fact.FactApplication, ref)
	}
	out := v.application(v.Snapshot.Application(id))
	for _, r := range v.resourcesOf(id) {
		out.Resources = append(out.Resources, wire.Resource{ID: r.ID.String(), Path: r.Path, Kind: r.NodeKind, Label: r.Label,
			Description: r.Description, Open: r.Open, Retired: r.Retired, Addresses: r.Addresses})
	}
	for _, f := range v.Fences(id) {
		out.Fences = append(out.Fences, wire.Fence{ID: f.ID.String(), Pattern: f.Pattern, Actions: f.Actions, Why: f.Reason})
	}
	return out, nil
}

// resourcesOf are an application's resources in order of path, the root first.
func (v *View) resourcesOf(id fact.ApplicationID) []*fact.Resource {
	all := v.Resources(id)
	slices.SortFunc(all, func(a, b *fact.Resource) int {
		if (a.Path == patterns.Root) != (b.Path == patterns.Root) {
			if a.Path == patterns.Root {
				return -1
			}
			return 1
		}
		return cmp.Compare(a.Path, b.Path)
	})
	return all
}

// Roles are all roles the caller may read: those of the organisation first,
// then by application.
func (v *View) Roles() wire.RoleList {
	out := wire.RoleList{Basis: v.basis(), Roles: []wire.Role{}}
	for r := range v.Snapshot.Roles() {
		if v.readsRole(r.ID) {
			out.Roles = append(out.Roles, v.role(r))
		}
	}
	slices.SortFunc(out.Roles, func(a, b wire.Role) int {
		if (a.Application == nil) != (b.Application == nil) {
			if a.Application == nil {
				return -1
			}
			return 1
		}
		return cmp.Compare(a.Key, b.Key)
	})
	return out
}

func (v *View) role(r *fact.Role) wire.Role {
	out := wire.Role{Basis: v.basis(), ID: r.ID.String(), Key: v.RoleKey(r.ID), Label: r.Label, Description: r.Description,
		Retired: r.Retired, Owner: v.ownerRef(v.OwnerOf(r.ID)), Risk: string(r.Risk), MaxDays: r.MaxDays, HeldWithin: r.HeldWithin, Requestable: request.RequestableOf(v.Snapshot, r.ID) != nil, Includes: []wire.Ref{}, IncludedBy: []wire.Ref{}, HolderCount: v.holderCount(r.ID)}
	if r.Application != 0 {
		a := v.applicationRef(r.Application, true) // its key is in the role's own
		out.Application = &a
	}
	for _, i := range v.RoleIncludes(r.ID) {
		out.Includes = append(out.Includes, v.roleRef(i, false))
	}
	for _, i := range v.RoleIncludedBy(r.ID) {
		if v.readsRole(i) {
			out.IncludedBy = append(out.IncludedBy, v.roleRef(i, false))
		}
	}
	return out
}

// Role is one role with its permissions and who holds it.
func (v *View) Role(ref string) (wire.Role, error) {
	id, ok := v.FindRole(ref)
	if !ok || !v.readsRole(id) {
		return wire.Role{}, v.missing(fact.FactRole, ref)
	}
	out := v.role(v.Snapshot.Role(id))
	out.Permissions, out.Holders = []wire.Permission{}, []wire.Assignment{}
	for _, r := range v.RoleClosure(id) {
		if !v.readsRole(r) {
			continue
		}
		for _, p := range v.RolePermissions(r) {
			out.Permissions = append(out.Permissions, wire.Permission{ID: p.ID.String(), Role: v.roleRef(r, false),
				Application: v.applicationRef(p.Application, true), Actions: p.Actions, Pattern: p.Pattern, Own: p.Own})
		}
	}
	for _, h := range v.RoleHolders(id) {
		a := v.assignment(h.Assignment, false)
		if a.Assignee.Outside {
			continue
		}
		for _, t := range h.Through[:len(h.Through)-1] {
			a.Through = append(a.Through, v.roleRef(t, false))
		}
		out.Holders = append(out.Holders, a)
	}
	slices.SortFunc(out.Holders, func(a, b wire.Assignment) int {
		return cmp.Or(cmp.Compare(a.AssigneeKind, b.AssigneeKind), cmp.Compare(a.Assignee.Label, b.Assignee.Label))
	})
	out.HolderCount = len(out.Holders)
	v.reasons(func(g giving) {
		for i := range out.Holders {
			g(&out.Holders[i].Given)
		}
	})
	return out, nil
}

// filterWords says a filter over users in plain words; none says nothing.
func (v *View) filterWords(text string) string {
	if text == "" {
		return ""
	}
	return v.FilterWords(text)
}
