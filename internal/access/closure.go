package access

import (
	"cmp"
	"slices"
)

// closeOver recompiles the closure of a role and of every role that includes
// it, directly or through others.
func (d *Builder) closeOver(id RoleID) {
	todo, seen := []RoleID{id}, map[RoleID]bool{id: true}
	for len(todo) > 0 {
		r := todo[0]
		todo = todo[1:]
		rec := d.roles.Edit(d.edit, int(r))
		rec.closure = d.closure(r)
		d.rule(rec)
		for _, in := range rec.includedBy {
			up := d.inclusions.At(int(in)).fact.Role
			if !seen[up] {
				seen[up] = true
				todo = append(todo, up)
			}
		}
	}
}

// compileAgain compiles every role that gives anything in an application anew.
func (d *Builder) compileAgain(app ApplicationID) {
	for i := range d.roles.Len() {
		rec := d.roles.At(i)
		if rec != nil && slices.ContainsFunc(rec.rules, func(r rule) bool { return r.app == app }) {
			d.rule(d.roles.Edit(d.edit, i))
		}
	}
}

// rule compiles what a role gives anew, and with it what fits in every
// application where it gives something or did.
func (d *Builder) rule(rec *roleRec) {
	was := rec.rules
	rec.rules = d.rules(rec.closure)
	for _, rules := range [][]rule{was, rec.rules} {
		for i := range rules {
			if i == 0 || rules[i].app != rules[i-1].app {
				d.applications.Edit(d.edit, int(rules[i].app)).fits = new(fits)
			}
		}
	}
}

func (d *Builder) rules(closure []RoleID) []rule {
	var out []rule
	for _, r := range closure {
		for _, p := range d.roles.At(int(r)).permissions {
			out = append(out, d.compile(d.Permission(p)))
		}
	}
	slices.SortStableFunc(out, func(a, b rule) int { return cmp.Compare(a.app, b.app) })
	return out
}

func (d *Builder) closure(id RoleID) []RoleID {
	var out []RoleID
	var walk func(RoleID)
	walk = func(r RoleID) {
		rec := d.roles.At(int(r))
		if rec == nil || rec.fact == nil || rec.fact.Retired || slices.Contains(out, r) {
			return
		}
		out = append(out, r)
		for _, in := range rec.includes {
			walk(d.inclusions.At(int(in)).fact.Included)
		}
	}
	walk(id)
	return out
}
