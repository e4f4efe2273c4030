package questions

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/record"
	"ableroster/internal/request"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// mostTies bounds how many holders are told, as one change could not settle more.
const mostTies = 900

// retiring gathers what hangs on something.
type retiring struct {
	v     *seeing.View
	s     *access.Snapshot
	out   wire.Retirement
	draft *change.Draft // what the lines leave so far
	err   error
}

func newRetiring(v *seeing.View) *retiring {
	return &retiring{v: v, s: v.Uncut(), draft: change.NewDraft(v.Uncut()),
		out: wire.Retirement{Basis: v.Basis(), Ties: []wire.Tie{}, Lines: []wire.UndoLine{}, Outside: !v.SeesAll()}}
}

func (x *retiring) tie(kind string, thing wire.Ref, format string, args ...any) {
	x.out.Ties = append(x.out.Ties, wire.Tie{Kind: kind, Thing: thing, Words: fmt.Sprintf(format, args...)})
}

// does adds a line; one that does not fit is left out, and what it is about stays a tie.
func (x *retiring) does(ops ...change.Operation) {
	line := wire.UndoLine{}
	for _, op := range ops {
		faults := len(x.draft.Faults)
		settled := x.draft.Apply(0, op, x.v.At)
		if len(x.draft.Faults) > faults {
			return
		}
		raw, err := change.EncodeOperation(op)
		if err != nil {
			x.err = err
			return
		}
		line.Operations = append(line.Operations, raw)
		if line.Words != "" {
			line.Words += "; "
		}
		w := *x.v
		w.ShowChange(x.s, &x.draft.Snapshot)
		line.Words += change.ToDo(settled, w.Uncut(), &w)
	}
	if line.Operations == nil {
		line.Operations = []json.RawMessage{}
	}
	x.out.Lines = append(x.out.Lines, line)
}

// RetireRole is what hangs on a role: its holders and whatever names it. With a replacement,
// they get that instead, on the same limits.
func RetireRole(v *seeing.View, ref, replacement string) (wire.Retirement, error) {
	x := newRetiring(v)
	role, ok := x.s.FindRole(ref)
	if !ok || !v.ReadsRole(role) {
		return x.out, v.Missing(fact.FactRole, ref)
	}
	key := change.RoleRef(x.s.RoleKey(role))
	var instead fact.RoleID
	var insteadKey change.RoleRef
	if replacement != "" {
		if instead, ok = x.s.FindRole(replacement); !ok || !v.ReadsRole(instead) {
			return x.out, v.Missing(fact.FactRole, replacement)
		}
		if insteadKey = change.RoleRef(x.s.RoleKey(instead)); instead == role || slices.Contains(x.s.RoleClosure(instead), role) || x.s.Role(instead).Retired {
			return x.out, seeing.Invalid("nothing can replace itself", wire.Fault{Place: "replacement", Message: fmt.Sprintf("%s is retired, or includes %s", insteadKey, key)})
		}
	}
	x.holders(role, key, insteadKey)
	x.includers(role, key, insteadKey)
	x.rules(role, instead)
	x.catalogue(role, key, insteadKey)
	x.sodRules(role, instead)
	if !x.out.More { // or the rest would lose it, with nothing instead
		x.does(&roles.RetireRole{Role: key})
	}
	return x.out, x.err
}

func (x *retiring) holders(role fact.RoleID, key, instead change.RoleRef) {
	n := 0
	for h := range x.s.AssignmentHeads(role) {
		a := x.s.Assignment(h.ID)
		if a.Window.Over(x.v.At) {
			continue
		}
		grant := &roles.Grant{Role: instead, Window: a.Window, Schedule: a.Schedule}
		var ref wire.Ref
		kind := "user"
		if u := a.Assignee.User; u != 0 {
			if !x.v.ReadsUser(u) {
				continue
			}
			ref, grant.User = x.v.UserRef(u), change.UserRef(x.s.User(u).UserName)
		} else {
			if !x.v.ReadsGroup(a.Assignee.Group) {
				continue
			}
			kind, ref, grant.Group = "group", x.v.GroupRef(a.Assignee.Group, false), change.GroupRef(x.s.Group(a.Assignee.Group).Key)
		}
		if n++; n > mostTies {
			x.out.More = true
			break
		}
		limits := change.WindowWords(x.s, a.Window)
		if a.Rule != 0 {
			x.tie(kind, ref, "holds it by a default rule%s", limits)
			continue // which is settled
		}
		x.tie(kind, ref, "holds it%s", limits)
		for _, sc := range a.Scopes {
			grant.Scopes = append(grant.Scopes, change.ScopeRef{Application: change.ApplicationRef(x.s.Application(sc.Application).Key), Pattern: sc.Pattern})
		}
		revoke := &roles.Revoke{Assignment: change.AssignmentRef(a.ID.String())}
		if instead != "" {
			x.does(grant, revoke)
		} else {
			x.does(revoke)
		}
	}
}

func (x *retiring) includers(role fact.RoleID, key, instead change.RoleRef) {
	for _, outer := range x.s.RoleIncludedBy(role) {
		if !x.v.ReadsRole(outer) {
			x.out.Outside = true
			continue
		}
		outerKey := change.RoleRef(x.s.RoleKey(outer))
		x.tie("role", x.v.RoleRef(outer, false), "includes it")
		ops := []change.Operation{&roles.ExcludeRole{Role: outerKey, Excludes: key}}
		if instead != "" && instead != outerKey {
			ops = append(ops, &roles.IncludeRole{Role: outerKey, Includes: instead})
		}
		x.does(ops...)
	}
}

func (x *retiring) rules(role, instead fact.RoleID) {
	if !x.v.ReadsSettings() {
		return
	}
	for _, f := range access.RecordFactsOf[*fact.Default](x.s, fact.FactDefault) {
		if f.Ended || !slices.Contains(f.Roles, role) {
			continue
		}
		x.tie("default", wire.Ref{ID: f.ID.String(), Key: f.Key, Label: f.Label}, "gives it")
		keys := x.swapped(f.Roles, role, instead)
		if len(keys) == 0 && len(f.Groups) == 0 {
			x.does(&rules.EndDefault{Default: change.DefaultRef(f.Key)})
		} else {
			x.does(&rules.UpdateDefault{Default: change.DefaultRef(f.Key), Roles: keys})
		}
	}
}

// swapped are the keys of some roles, with another in the place of one.
func (x *retiring) swapped(roles []fact.RoleID, role, instead fact.RoleID) []change.RoleRef {
	keys := []change.RoleRef{}
	for _, r := range roles {
		switch {
		case r != role:
			keys = append(keys, change.RoleRef(x.s.RoleKey(r)))
		case instead != 0 && !slices.Contains(roles, instead):
			keys = append(keys, change.RoleRef(x.s.RoleKey(instead)))
		}
	}
	return keys
}

func (x *retiring) catalogue(role fact.RoleID, key, instead change.RoleRef) {
	if f := request.RequestableOf(x.s, role); f != nil {
		x.tie("requestable", x.v.RoleRef(role, false), "is in the access catalogue")
		ops := []change.Operation{&request.EndRequestable{Role: key}}
		if route := request.RouteOf(x.s, f.Route); instead != "" && route != nil {
			if id, _ := x.s.FindRole(string(instead)); request.RequestableOf(x.s, id) == nil {
				ops = append(ops, &request.MakeRequestable{Role: instead, Words: f.Words, Route: request.RouteRef(route.Key), MaxDays: f.MaxDays})
			}
		}
		x.does(ops...)
	}
	for _, r := range request.Requests(x.s) {
		if r.State == request.Waiting && r.Role == role && x.v.ReadsRequest(r) {
			x.tie("request", wire.Ref{ID: r.ID.String(), Key: r.ID.String(), Label: x.v.UserName(r.Beneficiary)}, "waits to be given it: decide on it first, or it can only be refused")
		}
	}
}

func (x *retiring) sodRules(role, instead fact.RoleID) {
	if !x.v.ReadsSettings() {
		return
	}
	for _, f := range record.SoDRules(x.s) {
		if f.Ended || !slices.Contains(f.Roles, role) {
			continue
		}
		x.tie("sod_rule", wire.Ref{ID: f.ID.String(), Key: f.Key, Label: f.Label}, "names it")
		keys := x.swapped(f.Roles, role, instead)
		if len(keys) < 2 {
			x.does(&rules.EndSoDRule{SoDRule: change.SoDRuleRef(f.Key)})
		} else {
			x.does(&rules.UpdateSoDRule{SoDRule: change.SoDRuleRef(f.Key), Roles: keys})
		}
	}
}

// RetireApplication is what hangs on an application: roles, and whatever else names it.
func RetireApplication(v *seeing.View, ref string) (wire.Retirement, error) {
	x := newRetiring(v)
	app, ok := x.s.FindApplication(ref)
	if !ok || !v.ReadsApplication(app) {
		return x.out, v.Missing(fact.FactApplication, ref)
	}
	key := change.ApplicationRef(x.s.Application(app).Key)
	own := map[fact.RoleID]bool{}
	for r := range x.s.Roles() {
		if r.Retired {
			continue
		}
		gives := slices.DeleteFunc(slices.Clone(x.s.RolePermissions(r.ID)), func(p *fact.Permission) bool { return p.Application != app })
		if own[r.ID] = r.Application == app; !own[r.ID] && len(gives) == 0 {
			continue
		}
		if !v.ReadsRole(r.ID) {
			continue
		}
		if own[r.ID] {
			x.tie("role", v.RoleRef(r.ID, false), "is one of its roles")
			x.does(&roles.RetireRole{Role: change.RoleRef(x.s.RoleKey(r.ID))})
			continue
		}
		x.tie("role", v.RoleRef(r.ID, false), "gives something there")
		var ops []change.Operation
		for _, p := range gives {
			ops = append(ops, &roles.RemovePermission{Permission: change.PermissionRef(p.ID.String())})
		}
		x.does(ops...)
	}
	if v.ReadsSettings() {
		for _, f := range record.Expectations(x.s) {
			if !f.Ended && f.Application == app {
				x.tie("expectation", wire.Ref{ID: f.ID.String(), Key: f.Key, Label: cmp.Or(f.Label, f.Key)}, "is about it")
				x.does(&rules.EndExpectation{Expectation: change.ExpectationRef(f.Key)})
			}
		}
		for _, f := range x.s.Freezes() {
			if !f.Ended && !f.Window.Over(v.At) && slices.Contains(f.Applications, app) {
				x.tie("freeze", wire.Ref{ID: f.ID.String(), Key: f.Key, Label: f.Label}, "is about it, and ends by itself")
			}
		}
	}
	for _, r := range request.Requests(x.s) {
		if r.State == request.Waiting && own[r.Role] && v.ReadsRequest(r) {
			x.tie("request", wire.Ref{ID: r.ID.String(), Key: r.ID.String(), Label: v.UserName(r.Beneficiary)}, "waits to be given %s", change.RoleLabel(x.s, r.Role))
		}
	}
	path := x.s.ApplicationPath(app)
	for u := range x.s.Users() {
		if u.UserKind == fact.Service && u.Status == fact.Active && v.ReadsUser(u.ID) && change.AuthorityOf(x.s, u.ID, v.At).May(access.ActEvaluate, path) {
			x.tie("account", v.UserRef(u.ID), "checks access there: it is answered “denied” from then on")
		}
	}
	retired := fact.StateRetired
	x.does(&roles.UpdateApplication{Application: key, State: &retired})
	return x.out, x.err
}
