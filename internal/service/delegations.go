package service

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/wire"
)

// Delegations are who may administer what: assignments of roles that
// give anything in Able Roster, of those the caller may read.
func (v *View) Delegations() wire.DelegationList {
	out := wire.DelegationList{Basis: v.basis(), Delegations: []wire.Delegation{}, Roles: []wire.DelegationRole{}}
	hands := map[fact.RoleID]bool{} // whether a role gives anything here at all
	for head := range v.AssignmentHeads(0) {
		gives, known := hands[head.Role]
		if !known {
			gives = len(v.partWords(head.Role, nil)) > 0
			hands[head.Role] = gives
		}
		if !gives {
			continue
		}
		a := v.Snapshot.Assignment(head.ID)
		if v.over(a.Window) || v.gone(a.Assignee.User) || !v.readsAssignment(a) {
			continue
		}
		if words := v.partWords(a.Role, a.Scopes); len(words) > 0 {
			out.Delegations = append(out.Delegations, wire.Delegation{Assignment: v.assignment(a, false), Words: words})
		}
	}
	slices.SortStableFunc(out.Delegations, func(a, b wire.Delegation) int {
		return cmp.Or(cmp.Compare(a.Assignment.AssigneeKind, b.Assignment.AssigneeKind), strings.Compare(a.Assignment.Assignee.Label, b.Assignment.Assignee.Label))
	})
	for r := range v.Snapshot.Roles() {
		if r.Retired || r.Application != 0 || !v.readsRole(r.ID) {
			continue
		}
		if words := v.partWords(r.ID, nil); len(words) > 0 {
			out.Roles = append(out.Roles, wire.DelegationRole{Role: v.roleRef(r.ID, false), Description: r.Description, Words: words})
		}
	}
	v.reasons(func(g giving) {
		for i := range out.Delegations {
			g(&out.Delegations[i].Assignment.Given)
		}
	})
	return out
}

// verbsOf are the actions of Able Roster as one says what somebody may do.
var verbsOf = []struct {
	action string
	verbs  []string
}{
	{access.ActRead, []string{"see"}}, {access.ActCreate, []string{"add"}}, {access.ActUpdate, []string{"change"}}, {access.ActAssign, []string{"grant", "revoke"}}, {access.ActEvaluate, []string{"evaluate access to"}},
}

// partWords says in plain words what a role lets do in Able Roster within scopes:
// one sentence for each place, places where the same may be done together.
func (v *View) partWords(role fact.RoleID, scopes []fact.Scope) []string {
	byPlace := map[string][]string{}
	var places []string
	for _, x := range verbsOf {
		for _, p := range query.RoleReach(v.Snapshot, role, x.action, scopes) {
			place := v.placeWords(p, x.action)
			if _, known := byPlace[place]; !known {
				places = append(places, place)
			}
			if !slices.Contains(byPlace[place], x.verbs[0]) {
				byPlace[place] = append(byPlace[place], x.verbs...)
			}
		}
	}
	var out []string
	byVerbs := map[string][]string{}
	var order []string
	for _, place := range places {
		verbs := listed(byPlace[place])
		if byVerbs[verbs] == nil {
			order = append(order, verbs)
		}
		byVerbs[verbs] = append(byVerbs[verbs], place)
	}
	for _, verbs := range order {
		out = append(out, "may "+verbs+" "+listed(byVerbs[verbs]))
	}
	return out
}

func listed(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

// placeWords is a part of Able Roster's tree in plain words.
func (v *View) placeWords(pattern, action string) string {
	if pattern == patterns.Root {
		return "everything"
	}
	head, rest, deeper := strings.Cut(pattern, "/")
	in := ""
	if deeper {
		in = " in " + strings.TrimSuffix(rest, "/@")
	}
	switch head {
	case "users":
		if unit, id, one := strings.Cut(rest, "@/"); one {
			if n, ok := fact.ParseID("user", id); ok {
				return v.UserName(fact.UserID(n))
			}
			return "people in " + strings.TrimSuffix(unit, "/")
		}
		if !deeper {
			return "people"
		}
		if action == access.ActAssign {
			return "roles of people" + in
		}
		return "people" + in
	case "groups":
		if _, key, one := strings.Cut(rest, "@/"); one {
			return "the group " + v.groupLabel(key)
		}
		return "groups" + in
	case "applications":
		if deeper {
			return "the application " + v.applicationLabel(rest)
		}
		return "applications"
	case "roles":
		app, key, one := strings.Cut(rest, "/")
		switch {
		case !deeper:
			return "roles"
		case one && app == "-":
			return "the role " + v.roleWords(key)
		case one:
			return "the role " + v.roleWords(app+"/"+key)
		case app == "-":
			return "roles of the organisation"
		}
		return "roles of " + v.applicationLabel(app)
	case "settings":
		return "rules and settings"
	case "ledger":
		return "the ledger"
	}
	return head + in
}

func (v *View) groupLabel(key string) string {
	if id, ok := v.FindGroup(key); ok && v.readsGroup(id) {
		return v.Snapshot.Group(id).Label
	}
	return key
}

func (v *View) applicationLabel(key string) string {
	if id, ok := v.FindApplication(key); ok && v.readsApplication(id) {
		return v.Snapshot.Application(id).Label
	}
	return key
}

func (v *View) roleWords(key string) string {
	if id, ok := v.FindRole(key); ok && v.readsRole(id) {
		return v.Snapshot.Role(id).Label
	}
	return key
}

// MyAccess is what the caller has, and who handed it to them: that they may know, even
// where they may not read about that person otherwise.
func (v *View) MyAccess() wire.MyAccess {
	w := *v
	w.known, w.mine = map[fact.UserID]bool{}, true
	u := v.Snapshot.User(v.caller.User)
	if u.Manager != 0 {
		w.known[u.Manager] = true
	}
	out := wire.MyAccess{User: w.User(v.caller.User), Access: w.Access(v.caller.User), Parts: []string{}, Manager: nil}
	out.Manager = out.User.Manager
	query.EachAssignment(v.Snapshot, v.caller.User, v.at, func(a *fact.Assignment) {
		for _, words := range v.partWords(a.Role, a.Scopes) {
			if !slices.Contains(out.Parts, words) {
				out.Parts = append(out.Parts, words)
			}
		}
	})
	return out
}
