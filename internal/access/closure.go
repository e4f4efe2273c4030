package access

import (
	"cmp"
	"slices"

	"ableroster/internal/fact"
)

// closeOver recompiles the closure of a role and of every role that includes
// it, directly or through others.
func (d *Builder) closeOver(id fact.RoleID) {
	todo, seen := []fact.RoleID{id}, map[fact.RoleID]bool{id: true}
	for len(todo) > 0 {
		r := todo[0]
		todo = todo[1:]
		rec := d.RoleTable.Edit(d.edit, int(r))
		rec.Closure = d.closure(r)
		d.rule(rec)
		for _, in := range rec.IncludedBy {
			up := d.InclusionTable.At(int(in)).Fact.Role
			if !seen[up] {
				seen[up] = true
				todo = append(todo, up)
			}
		}
	}
}

// compileAgain compiles every role that gives anything in an application anew.
func (d *Builder) compileAgain(app fact.ApplicationID) {
	for i := range d.RoleTable.Len() {
		rec := d.RoleTable.At(i)
		if rec != nil && slices.ContainsFunc(rec.Rules, func(r Rule) bool { return r.App == app }) {
			d.rule(d.RoleTable.Edit(d.edit, i))
		}
	}
}

// rule compiles what a role gives anew, and with it what fits in every
// application where it gives something or did.
func (d *Builder) rule(rec *RoleEntry) {
	was := rec.Rules
	rec.Rules = d.rules(rec.Closure)
	for _, rules := range [][]Rule{was, rec.Rules} {
		for i := range rules {
			if i == 0 || rules[i].App != rules[i-1].App {
				d.ApplicationTable.Edit(d.edit, int(rules[i].App)).Fits = new(fits)
			}
		}
	}
}

func (d *Builder) rules(closure []fact.RoleID) []Rule {
	var out []Rule
	for _, r := range closure {
		for _, p := range d.RoleTable.At(int(r)).Permissions {
			out = append(out, d.compile(d.Permission(p)))
		}
	}
	slices.SortStableFunc(out, func(a, b Rule) int { return cmp.Compare(a.App, b.App) })
	return out
}

func (d *Builder) closure(id fact.RoleID) []fact.RoleID {
	var out []fact.RoleID
	var walk func(fact.RoleID)
	walk = func(r fact.RoleID) {
		rec := d.RoleTable.At(int(r))
		if rec == nil || rec.Fact == nil || rec.Fact.Retired || slices.Contains(out, r) {
			return
		}
		out = append(out, r)
		for _, in := range rec.Includes {
			walk(d.InclusionTable.At(int(in)).Fact.Included)
		}
	}
	walk(id)
	return out
}
