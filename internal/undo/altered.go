package undo

import (
	"maps"
	"reflect"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/record"
)

// fields are those of something that can be altered, by what an operation calls them.
type fields map[string]any

// back are the fields to be put as they were: those that the change altered and nobody else
// has since. of is what it is, in words.
func (u *undoing) back(of string, before, after, now fields) fields {
	out := fields{}
	for _, k := range slices.Sorted(maps.Keys(before)) {
		switch {
		case same(before[k], after[k]), same(now[k], before[k]):
		case !same(now[k], after[k]):
			u.left("%s of %s was changed again since.", upper(strings.ReplaceAll(k, "_", " ")), of)
		default:
			out[k] = before[k]
		}
	}
	return out
}

func same(a, b any) bool {
	x, y := reflect.ValueOf(a), reflect.ValueOf(b)
	if x.Kind() == reflect.Slice && y.Kind() == reflect.Slice && x.Len() == 0 && y.Len() == 0 {
		return true
	}
	return reflect.DeepEqual(a, b)
}

func upper(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// alters alters something by its key, where there is something to alter.
func (u *undoing) alters(verb, key string, value any, set fields) {
	if len(set) == 0 {
		return
	}
	set[key] = value
	u.does(restoring, verb, set)
}

func (u *undoing) userFields(x *fact.User) (out, custom fields) {
	out, custom = fields{}, fields{}
	for i := range fact.UserAttributes {
		switch a := &fact.UserAttributes[i]; a.Key {
		case "user_name", "kind":
		case "manager":
			out[a.Key] = u.name(x.Manager)
		default:
			out[a.Key] = a.Of(x)
		}
	}
	for _, a := range u.head.Attributes() {
		if a.Fill == nil && !a.Retired {
			of := x.Custom
			if a.Personal {
				of = x.More
			}
			custom[a.Key] = of.Get(a.Key)
		}
	}
	return out, custom
}

func (u *undoing) user(f *fact.User, c access.RowChange) {
	now := u.head.User(f.ID)
	before, _ := c.Before.(*fact.User)
	after, _ := c.After.(*fact.User)
	switch {
	case before == nil:
		u.left("%s stays in the ledger, as every user does: mark them as departed, or suspend them.", u.called(f.ID))
		return
	case after == nil || now == nil || now.Erased:
		u.left("What was erased of a departed user cannot be brought back.")
		return
	}
	b, bc := u.userFields(before)
	a, ac := u.userFields(after)
	n, nc := u.userFields(now)
	set := u.back(u.called(f.ID), b, a, n)
	if custom := u.back(u.called(f.ID), bc, ac, nc); len(custom) > 0 {
		set["custom"] = custom
	}
	u.alters("update_user", "user", now.UserName, set)
	if set["status"] == string(fact.Active) {
		u.left("%s signs in anew: sessions and tokens ended, and do not come back.", u.called(f.ID))
	}
}

func (u *undoing) group(f *fact.Group, c access.RowChange) {
	now := u.head.Group(f.ID)
	before, _ := c.Before.(*fact.Group)
	if before == nil || now == nil {
		u.left("The group %s stays; who was put into it is taken out.", f.Label)
		return
	}
	of := func(g *fact.Group) fields {
		return fields{"label": g.Label, "description": g.Description, "unit": g.Unit, "owner": u.name(g.Owner), "filter": g.Filter, "held_within": g.HeldWithin}
	}
	u.alters("update_group", "group", now.Key, u.back(now.Label, of(before), of(c.After.(*fact.Group)), of(now)))
}

func (u *undoing) role(f *fact.Role, c access.RowChange) {
	now := u.head.Role(f.ID)
	before, _ := c.Before.(*fact.Role)
	key := u.head.RoleKey(f.ID)
	if before == nil {
		if !now.Retired {
			u.does(ending, "retire_role", fields{"role": key})
		}
		return
	}
	of := func(r *fact.Role) fields {
		return fields{"label": r.Label, "description": r.Description, "owner": u.name(r.Owner), "risk": string(r.Risk), "max_days": r.MaxDays, "held_within": r.HeldWithin, "max_shares": r.MaxShares, "retired": r.Retired}
	}
	set := u.back(now.Label, of(before), of(c.After.(*fact.Role)), of(now))
	if set["retired"] == true { // it was brought back
		delete(set, "retired")
		u.does(ending, "retire_role", fields{"role": key})
	}
	u.alters("update_role", "role", key, set)
}

func (u *undoing) application(f *fact.Application, c access.RowChange) {
	now := u.head.Application(f.ID)
	before, _ := c.Before.(*fact.Application)
	if before == nil {
		if now.State != fact.StateRetired {
			u.does(ending, "update_application", fields{"application": now.Key, "state": string(fact.StateRetired)})
		}
		return
	}
	of := func(a *fact.Application) fields {
		return fields{"label": a.Label, "description": a.Description, "state": string(a.State), "owner": u.name(a.Owner), "trial_group": u.groupKey(a.Trial), "actions": a.Actions, "direct_assignments": string(a.Direct)}
	}
	u.alters("update_application", "application", now.Key, u.back(now.Label, of(before), of(c.After.(*fact.Application)), of(now)))
}

func (u *undoing) resource(f *fact.Resource, c access.RowChange) {
	app := u.head.Application(f.Application)
	now, _ := u.head.FindResource(f.Application, f.Path)
	before, _ := c.Before.(*fact.Resource)
	if now == nil || app == nil || before == nil && f.Path == "/" { // the root comes with its application
		return
	}
	if before == nil {
		if u.belowOpen(f) { // retired, it would take what was reached without it
			u.left("%s stays registered: what lies below an open resource is reached either way.", f.Path)
			return
		}
		if !now.Retired {
			u.does(ending, "update_resource", fields{"application": app.Key, "path": f.Path, "retired": true})
		}
		return
	}
	of := func(r *fact.Resource) fields {
		return fields{"label": r.Label, "description": r.Description, "kind": r.NodeKind, "open": r.Open, "retired": r.Retired, "addresses": r.Addresses}
	}
	set := u.back(now.Path, of(before), of(c.After.(*fact.Resource)), of(now))
	if x, ok := set["addresses"]; ok && len(x.([]string)) == 0 {
		delete(set, "addresses")
		u.left("The addresses of %s stay: a resource that has some keeps one.", now.Path)
	}
	if len(set) > 0 {
		set["application"] = app.Key
		u.alters("update_resource", "path", f.Path, set)
	}
}

// belowOpen says whether a resource lies below one that is open.
func (u *undoing) belowOpen(f *fact.Resource) bool {
	for _, r := range u.head.Resources(f.Application) {
		if r.Open && !r.Retired && r.ID != f.ID && patterns.Covers(r.Path, f.Path) {
			return true
		}
	}
	return false
}

func (u *undoing) roleKeys(ids []fact.RoleID) []string {
	out := make([]string, len(ids))
	for i, id := range ids {
		out[i] = u.head.RoleKey(id)
	}
	return out
}

// ended takes back the end of a rule, or its making: what has ended stays so, and its key is
// not used again.
func (u *undoing) ended(what, label string, made, ended bool, end func()) (done bool) {
	switch {
	case made && ended: // as it was before
	case ended:
		u.left("The %s %s has ended and stays so: add another.", what, label)
	case made:
		end()
	}
	return made || ended
}

func (u *undoing) defaultRule(f *fact.Default, c access.RowChange) {
	now := record.Default(u.head, f.ID)
	before, _ := c.Before.(*fact.Default)
	after, _ := c.After.(*fact.Default)
	if now == nil || after == nil || u.ended("default rule", f.Label, before == nil, now.Ended, func() { u.does(ending, "end_default", fields{"default": now.Key}) }) {
		return
	}
	of := func(d *fact.Default) fields {
		groups := []string{}
		for _, id := range d.Groups {
			groups = append(groups, u.head.Group(id).Key)
		}
		return fields{"label": d.Label, "description": d.Description, "everybody": d.Everybody, "filter": d.Filter, "roles": u.roleKeys(d.Roles), "groups": groups,
			"owner": u.name(d.Owner), "order": d.Order, "final": d.Final, "from": blankOr(d.Active.From), "until": blankOr(d.Active.Until), "scopes": u.scopes(d.Scopes),
			"after_days": d.After, "lasts_days": d.Lasts, "overlap_days": d.OverlapDays}
	}
	u.alters("update_default", "default", now.Key, u.back(now.Label, of(before), of(after), of(now)))
}

func (u *undoing) sodRule(f *fact.SoDRule, c access.RowChange) {
	now := record.SoDRule(u.head, f.ID)
	before, _ := c.Before.(*fact.SoDRule)
	after, _ := c.After.(*fact.SoDRule)
	if now == nil || after == nil || u.ended("separation-of-duties rule", f.Label, before == nil, now.Ended, func() { u.does(ending, "end_sod_rule", fields{"sod_rule": now.Key}) }) {
		return
	}
	of := func(r *fact.SoDRule) fields {
		return fields{"label": r.Label, "description": r.Description, "roles": u.roleKeys(r.Roles), "prevent": r.Prevent}
	}
	u.alters("update_sod_rule", "sod_rule", now.Key, u.back(now.Label, of(before), of(after), of(now)))
}

func (u *undoing) expectation(f *fact.Expectation, c access.RowChange) {
	now := record.Expectation(u.head, f.ID)
	before, _ := c.Before.(*fact.Expectation)
	if now == nil || u.ended("expectation", f.Label, before == nil, now.Ended, func() { u.does(ending, "end_expectation", fields{"expectation": now.Key}) }) {
		return
	}
	of := func(x *fact.Expectation) fields {
		return fields{"key": now.Key, "label": x.Label, "description": x.Description, "application": u.head.Application(x.Application).Key, "action": x.Action, "pattern": x.Pattern,
			"may": x.May, "blocking": x.Blocking, "owner": u.name(x.Owner), "nobody": x.Of.Nobody, "except": x.Of.Except, "user": u.name(x.Of.User), "group": u.groupKey(x.Of.Group), "would_be": x.Of.WouldBe}
	}
	u.sets("set_expectation", now.Label, of(before), of(f), of(now))
}

func (u *undoing) freeze(f *fact.Freeze, c access.RowChange) {
	now := u.head.Freeze(f.ID)
	before, _ := c.Before.(*fact.Freeze)
	if now == nil || u.ended("freeze", f.Label, before == nil, now.Ended, func() { u.does(ending, "end_freeze", fields{"freeze": now.Key}) }) {
		return
	}
	of := func(x *fact.Freeze) fields {
		keys, people := []string{}, []string{}
		for _, a := range x.Applications {
			keys = append(keys, u.head.Application(a).Key)
		}
		for _, id := range x.LetThrough {
			people = append(people, u.name(id))
		}
		return fields{"key": now.Key, "label": x.Label, "why": x.Why, "from": x.From, "until": x.Until, "units": x.Units, "applications": keys, "let_through": people, "let_through_group": u.groupKey(x.LetThroughGroup)}
	}
	u.sets("set_freeze", now.Label, of(before), of(f), of(now))
}

func (u *undoing) organisation(f *fact.Organisation, c access.RowChange) {
	before, _ := c.Before.(*fact.Organisation)
	if before == nil {
		return
	}
	now := u.head.Organisation()
	for _, set := range []struct {
		verb string
		of   func(fact.Organisation) fields
	}{
		{"set_organisation", func(x fact.Organisation) fields { return fields{"name": x.Name, "time_zone": x.TimeZone} }},
		{"set_sign_in", func(x fact.Organisation) fields { return fields{"group": u.groupKey(x.SignIn)} }},
		{"set_move_reviews", func(x fact.Organisation) fields { return fields{"on": x.ReviewMoves} }},
		{"set_references", func(x fact.Organisation) fields { return fields{"pattern": x.Pattern, "address": x.Address} }},
	} {
		u.sets(set.verb, "the organisation", set.of(*before), set.of(*f), set.of(now))
	}
	if before.Second != f.Second {
		u.left("Which changes need a second person stays: set it under Guard rails.")
	}
}

// sets puts back fields of what an operation sets whole: the others stay as they are by now.
func (u *undoing) sets(verb, of string, before, after, now fields) {
	if set := u.back(of, before, after, now); len(set) > 0 {
		maps.Copy(now, set)
		u.does(restoring, verb, now)
	}
}

// groupKey is the key of a group, or nothing for none.
func (u *undoing) groupKey(id fact.GroupID) string {
	if g := u.head.Group(id); g != nil {
		return g.Key
	}
	return ""
}

// blankOr is an instant as operations write it, blank for none.
func blankOr(i calendar.Instant) any {
	if i == 0 {
		return ""
	}
	return i
}
