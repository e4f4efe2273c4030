package transfer

import (
	"slices"
	"strconv"
	"strings"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/importfile"
	"ableroster/internal/operation/roles"
)

// rights turns what a source gives straight to a person into a role with one
// holder: only roles carry permissions.
func (b *importing) rights(row importfile.Row) {
	cell := row.Values["permissions"]
	if cell == "" || cell == "-" {
		return
	}
	made := map[string]string{} // the role of one, by application
	for part := range strings.SplitSeq(cell, ";") {
		app, rest, ok := strings.Cut(strings.TrimSpace(part), ":")
		pattern, words, ok2 := strings.Cut(rest, ":")
		if !ok || !ok2 {
			b.fault(row, "permissions", "“%s” is not an application, a pattern and actions, such as berth-planning:berths/north-3:read+update", part)
			continue
		}
		actions := strings.Split(words, "+")
		role, there := b.roleOfOne(row, app)
		ref := made[app]
		if there {
			ref = b.head.RoleKey(role)
		}
		if there && b.permits(role, pattern, actions) {
			continue
		}
		if !there && ref == "" {
			key := b.nextOfOne(app)
			ref = app + "/" + key
			b.op(row, &roles.AddRole{Key: key, Application: change.ApplicationRef(app), Label: "Rights of one person", Description: "What a file gave straight to one person."})
			b.op(row, &roles.Grant{Role: change.RoleRef(ref), User: b.ref(row), Origin: fact.Import})
		}
		made[app] = ref
		if !slices.Contains(b.single, ref) {
			b.single = append(b.single, ref)
		}
		b.op(row, &roles.AddPermission{Role: change.RoleRef(ref), Pattern: pattern, Actions: actions})
	}
}

// ofOne begins the keys of roles made for one person. Neither key nor label names
// them: a name can be erased, and those cannot.
const ofOne = "of-one-"

// roleOfOne is the role of an application that was made for the user of a row, and
// that nobody else was given.
func (b *importing) roleOfOne(row importfile.Row, app string) (fact.RoleID, bool) {
	id, known := b.find(row)
	if !known {
		return 0, false
	}
	for _, a := range b.head.Given(fact.Assignee{User: id}) {
		if rest, ok := strings.CutPrefix(b.head.RoleKey(a.Role), app+"/"+ofOne); ok && rest != "" && b.head.RoleAssignments(a.Role) == 1 {
			return a.Role, true
		}
	}
	return 0, false
}

// nextOfOne is a key that is free in an application.
func (b *importing) nextOfOne(app string) string {
	for {
		if b.ones == nil {
			b.ones = map[string]int{}
		}
		b.ones[app]++
		key := ofOne + strconv.Itoa(b.ones[app])
		if _, taken := b.head.FindRole(app + "/" + key); !taken {
			return key
		}
	}
}

// permits says whether a role has just this permission.
func (b *importing) permits(role fact.RoleID, pattern string, actions []string) bool {
	wanted := slices.Sorted(slices.Values(actions))
	return slices.ContainsFunc(b.head.RolePermissions(role), func(p *fact.Permission) bool {
		return p.Pattern == pattern && !p.Own && slices.Equal(slices.Sorted(slices.Values(p.Actions)), wanted)
	})
}
