package lists

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/request"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Groups are all groups the caller may read, the built-in ones first.
func Groups(v *seeing.View) wire.GroupList {
	out := wire.GroupList{Basis: v.Basis(), Groups: []wire.Group{}}
	for g := range v.Uncut().Groups() {
		if v.ReadsGroup(g.ID) {
			out.Groups = append(out.Groups, group(v, g))
		}
	}
	return out
}

func group(v *seeing.View, g *fact.Group) wire.Group {
	return wire.Group{Basis: v.Basis(), ID: g.ID.String(), Team: isTeam(v, g.ID), Key: g.Key, Label: g.Label, Description: g.Description, Unit: g.Unit, Filter: g.Filter, FilterWords: filterWords(v, g.Filter), HeldWithin: g.HeldWithin,
		BuiltIn: g.ID == fact.PublicGroup || g.ID == fact.AllUsersGroup, MemberCount: memberCount(v, g.ID), Owner: ownerRef(v, g.Owner)}
}

// memberCount is how many listed members of a group the caller may read.
func memberCount(v *seeing.View, id fact.GroupID) int {
	if v.Rights().ReadsAllUsers() && v.Rights().May(access.ActRead, "groups") {
		return v.Uncut().MemberCount(id)
	}
	n := 0
	for _, m := range v.Uncut().Members(id) {
		if readsMember(v, m.Member) {
			n++
		}
	}
	return n
}

// holderCount is how many assignments of a role the caller may read.
func holderCount(v *seeing.View, id fact.RoleID) int {
	if v.Rights().ReadsAllUsers() && v.Rights().May(access.ActRead, "groups") {
		return v.Uncut().RoleAssignments(id)
	}
	n := 0
	for head := range v.Uncut().AssignmentHeads(id) {
		if readsMember(v, head.Assignee) {
			n++
		}
	}
	return n
}

func readsMember(v *seeing.View, m fact.Member) bool {
	if m.User != 0 {
		return v.ReadsUser(m.User)
	}
	return v.ReadsGroup(m.Group)
}

// Group is one group with its members and what it gives.
func Group(v *seeing.View, ref string) (wire.Group, error) {
	id, ok := v.Uncut().FindGroup(ref)
	if !ok || !v.ReadsGroup(id) {
		return wire.Group{}, v.Missing(fact.FactGroup, ref)
	}
	out := group(v, v.Uncut().Group(id))
	out.Members, out.Assignments = []wire.Membership{}, []wire.Assignment{}
	for _, f := range v.Uncut().Members(id) {
		if m := Membership(v, f, false, nil); !m.Member.Outside {
			out.Members = append(out.Members, m)
		}
	}
	out.MemberCount = len(out.Members)
	if out.Filter != "" {
		for u := range v.Uncut().Users() {
			if v.ReadsUser(u.ID) && slices.Contains(v.Uncut().ChosenBy(u.ID), id) {
				out.Chosen++
			}
		}
	}
	slices.SortFunc(out.Members, func(a, b wire.Membership) int {
		return cmp.Or(cmp.Compare(a.MemberKind, b.MemberKind), cmp.Compare(a.Member.Label, b.Member.Label))
	})
	for _, a := range v.Uncut().Given(fact.Assignee{Group: id}) {
		out.Assignments = append(out.Assignments, AssignmentOf(v, a, false))
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Assignments {
			g(&out.Assignments[i].Given)
		}
	})
	return out, nil
}

// Applications are all applications the caller may read.
func Applications(v *seeing.View) wire.ApplicationList {
	out := wire.ApplicationList{Basis: v.Basis(), Applications: []wire.Application{}}
	for a := range v.Uncut().Applications() {
		if v.ReadsApplication(a.ID) {
			out.Applications = append(out.Applications, application(v, a))
		}
	}
	return out
}

func application(v *seeing.View, a *fact.Application) wire.Application {
	out := wire.Application{Basis: v.Basis(), ID: a.ID.String(), Key: a.Key, Label: a.Label, Description: a.Description,
		State: string(a.State), Actions: []wire.Action{}}
	for _, x := range a.Actions {
		out.Actions = append(out.Actions, wire.Action(x))
	}
	if a.Trial != 0 {
		g := v.GroupRef(a.Trial, false)
		out.TrialGroup = &g
	}
	out.Owner, out.Direct = ownerRef(v, a.Owner), string(a.Direct)
	return out
}

// ownerRef is who answers for a thing, nil for nobody.
func ownerRef(v *seeing.View, id fact.UserID) *wire.Ref {
	if id == 0 {
		return nil
	}
	r := v.UserRef(id)
	return &r
}

// Application is one application with its resources.
func Application(v *seeing.View, ref string) (wire.Application, error) {
	id, ok := v.Uncut().FindApplication(ref)
	if !ok || !v.ReadsApplication(id) {
		return wire.Application{}, v.Missing(fact.FactApplication, ref)
	}
	out := application(v, v.Uncut().Application(id))
	for _, r := range ResourcesOf(v, id) {
		out.Resources = append(out.Resources, wire.Resource{ID: r.ID.String(), Path: r.Path, Kind: r.NodeKind, Label: r.Label,
			Description: r.Description, Open: r.Open, Retired: r.Retired, Addresses: r.Addresses})
	}
	for _, f := range v.Uncut().Fences(id) {
		out.Fences = append(out.Fences, wire.Fence{ID: f.ID.String(), Pattern: f.Pattern, Actions: f.Actions, Why: f.Reason})
	}
	return out, nil
}

// ResourcesOf are an application's resources in order of path, the root first.
func ResourcesOf(v *seeing.View, id fact.ApplicationID) []*fact.Resource {
	all := v.Uncut().Resources(id)
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
func Roles(v *seeing.View) wire.RoleList {
	out := wire.RoleList{Basis: v.Basis(), Roles: []wire.Role{}}
	for r := range v.Uncut().Roles() {
		if v.ReadsRole(r.ID) {
			out.Roles = append(out.Roles, role(v, r))
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

func role(v *seeing.View, r *fact.Role) wire.Role {
	out := wire.Role{Basis: v.Basis(), ID: r.ID.String(), Key: v.Uncut().RoleKey(r.ID), Label: r.Label, Description: r.Description,
		Retired: r.Retired, Owner: ownerRef(v, v.Uncut().OwnerOf(r.ID)), Risk: string(r.Risk), MaxDays: r.MaxDays, HeldWithin: r.HeldWithin, MaxShares: r.MaxShares, Requestable: request.RequestableOf(v.Uncut(), r.ID) != nil, Includes: []wire.Ref{}, IncludedBy: []wire.Ref{}, HolderCount: holderCount(v, r.ID)}
	if r.Application != 0 {
		a := v.ApplicationRef(r.Application, true) // its key is in the role's own
		out.Application = &a
	}
	for _, i := range v.Uncut().RoleIncludes(r.ID) {
		out.Includes = append(out.Includes, v.RoleRef(i, false))
	}
	for _, i := range v.Uncut().RoleIncludedBy(r.ID) {
		if v.ReadsRole(i) {
			out.IncludedBy = append(out.IncludedBy, v.RoleRef(i, false))
		}
	}
	return out
}

// Role is one role with its permissions and who holds it.
func Role(v *seeing.View, ref string) (wire.Role, error) {
	id, ok := v.Uncut().FindRole(ref)
	if !ok || !v.ReadsRole(id) {
		return wire.Role{}, v.Missing(fact.FactRole, ref)
	}
	out := role(v, v.Uncut().Role(id))
	out.Permissions, out.Holders = []wire.Permission{}, []wire.Assignment{}
	for _, r := range v.Uncut().RoleClosure(id) {
		if !v.ReadsRole(r) {
			continue
		}
		for _, p := range v.Uncut().RolePermissions(r) {
			out.Permissions = append(out.Permissions, wire.Permission{ID: p.ID.String(), Role: v.RoleRef(r, false),
				Application: v.ApplicationRef(p.Application, true), Actions: p.Actions, Pattern: p.Pattern, Own: p.Own})
		}
	}
	for _, h := range v.Uncut().RoleHolders(id) {
		a := AssignmentOf(v, h.Assignment, false)
		if a.Assignee.Outside {
			continue
		}
		for _, t := range h.Through[:len(h.Through)-1] {
			a.Through = append(a.Through, v.RoleRef(t, false))
		}
		out.Holders = append(out.Holders, a)
	}
	slices.SortFunc(out.Holders, func(a, b wire.Assignment) int {
		return cmp.Or(cmp.Compare(a.AssigneeKind, b.AssigneeKind), cmp.Compare(a.Assignee.Label, b.Assignee.Label))
	})
	out.HolderCount = len(out.Holders)
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Holders {
			g(&out.Holders[i].Given)
		}
	})
	return out, nil
}

// filterWords says a filter over users in plain words; none says nothing.
func filterWords(v *seeing.View, text string) string {
	if text == "" {
		return ""
	}
	return v.Uncut().FilterWords(text)
}
