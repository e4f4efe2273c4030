package questions

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Delegations are who may administer what: assignments of roles that
// give anything in Able Roster, of those the caller may read.
func Delegations(v *seeing.View) wire.DelegationList {
	out := wire.DelegationList{Basis: v.Basis(), Delegations: []wire.Delegation{}, Roles: []wire.DelegationRole{}}
	hands := map[fact.RoleID]bool{} // whether a role gives anything here at all
	for head := range v.Uncut().AssignmentHeads(0) {
		gives, known := hands[head.Role]
		if !known {
			gives = len(partWords(v, head.Role, nil)) > 0
			hands[head.Role] = gives
		}
		if !gives {
			continue
		}
		a := v.Uncut().Assignment(head.ID)
		if v.Over(a.Window) || v.Gone(a.Assignee.User) || !lists.ReadsAssignment(v, a) {
			continue
		}
		if words := partWords(v, a.Role, a.Scopes); len(words) > 0 {
			out.Delegations = append(out.Delegations, wire.Delegation{Assignment: lists.AssignmentOf(v, a, false), Words: words})
		}
	}
	slices.SortStableFunc(out.Delegations, func(a, b wire.Delegation) int {
		return cmp.Or(cmp.Compare(a.Assignment.AssigneeKind, b.Assignment.AssigneeKind), strings.Compare(a.Assignment.Assignee.Label, b.Assignment.Assignee.Label))
	})
	for r := range v.Uncut().Roles() {
		if r.Retired || r.Application != 0 || !v.ReadsRole(r.ID) {
			continue
		}
		if words := partWords(v, r.ID, nil); len(words) > 0 {
			out.Roles = append(out.Roles, wire.DelegationRole{Role: v.RoleRef(r.ID, false), Description: r.Description, Words: words})
		}
	}
	v.Reasons(func(g seeing.Giving) {
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
func partWords(v *seeing.View, role fact.RoleID, scopes []fact.Scope) []string {
	byPlace := map[string][]string{}
	var places []string
	for _, x := range verbsOf {
		for _, p := range query.RoleReach(v.Uncut(), role, x.action, scopes) {
			place := placeWords(v, p, x.action)
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
		verbs := seeing.Listed(byPlace[place])
		if byVerbs[verbs] == nil {
			order = append(order, verbs)
		}
		byVerbs[verbs] = append(byVerbs[verbs], place)
	}
	for _, verbs := range order {
		out = append(out, "may "+verbs+" "+seeing.Listed(byVerbs[verbs]))
	}
	return out
}

// placeWords is a part of Able Roster's tree in plain words.
func placeWords(v *seeing.View, pattern, action string) string {
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
			return "the group " + groupLabel(v, key)
		}
		return "groups" + in
	case "applications":
		if deeper {
			return "the application " + applicationLabel(v, rest)
		}
		return "applications"
	case "roles":
		app, key, one := strings.Cut(rest, "/")
		switch {
		case !deeper:
			return "roles"
		case one && app == "-":
			return "the role " + roleWords(v, key)
		case one:
			return "the role " + roleWords(v, app+"/"+key)
		case app == "-":
			return "roles of the organisation"
		}
		return "roles of " + applicationLabel(v, app)
	case "settings":
		return "rules and settings"
	case "ledger":
		return "the ledger"
	}
	return head + in
}

func groupLabel(v *seeing.View, key string) string {
	if id, ok := v.Uncut().FindGroup(key); ok && v.ReadsGroup(id) {
		return v.Uncut().Group(id).Label
	}
	return key
}

func applicationLabel(v *seeing.View, key string) string {
	if id, ok := v.Uncut().FindApplication(key); ok && v.ReadsApplication(id) {
		return v.Uncut().Application(id).Label
	}
	return key
}

func roleWords(v *seeing.View, key string) string {
	if id, ok := v.Uncut().FindRole(key); ok && v.ReadsRole(id) {
		return v.Uncut().Role(id).Label
	}
	return key
}

// MyAccess is what the caller has, and who handed it to them: that they may know, even
// where they may not read about that person otherwise.
func MyAccess(v *seeing.View) wire.MyAccess {
	w := *v
	w.Known, w.Mine = map[fact.UserID]bool{}, true
	u := v.Uncut().User(v.Caller.User)
	if u.Manager != 0 {
		w.Known[u.Manager] = true
	}
	out := wire.MyAccess{User: lists.User(&w, v.Caller.User), Access: Access(&w, v.Caller.User), Parts: []string{}, Manager: nil}
	out.Manager = out.User.Manager
	query.EachAssignment(v.Uncut(), v.Caller.User, v.At, func(a *fact.Assignment) {
		for _, words := range partWords(v, a.Role, a.Scopes) {
			if !slices.Contains(out.Parts, words) {
				out.Parts = append(out.Parts, words)
			}
		}
	})
	return out
}
