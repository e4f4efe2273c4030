package lists

import (
	"slices"
	"strings"

	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// mostValues bounds how many values of an attribute are told: those that most users have.
const mostValues = 1000

// Values are the values that users have for an attribute that is a fact and a text, of those
// the caller may read, and how many have each; with a role, how many of them hold it. Of units
// those above are there too.
func Values(v *seeing.View, attribute, role string) (wire.ValueList, error) {
	out := wire.ValueList{Basis: v.Basis(), Values: []wire.Value{}}
	of := func(*fact.User) string { return "" }
	a, declared := fact.UserAttributeOf(attribute), v.Uncut().FindAttribute(attribute)
	switch {
	case a != nil && a.Described && a.Type == filter.String:
		of = a.Of
	case a == nil && declared != nil && !declared.Personal && declared.Type == fact.TextValue:
		of = declared.Of
	default:
		return out, seeing.NotFound("there is no attribute “%s” that is a text and a fact", attribute)
	}
	holds := map[fact.UserID]bool{}
	if role != "" {
		id, ok := v.Uncut().FindRole(role)
		if !ok || !v.ReadsRole(id) {
			return out, v.Missing(fact.FactRole, role)
		}
		for _, h := range query.RoleHolding(v.Uncut(), id, v.At) {
			holds[h.User] = true
		}
	}
	everybody := v.Rights().ReadsAllUsers()
	users, holders := map[string]int{}, map[string]int{}
	for u := range v.Uncut().Users() {
		text := of(u)
		if text == "" || u.Status == fact.Departed || !everybody && !v.ReadsUser(u.ID) {
			continue
		}
		users[text]++
		if holds[u.ID] {
			holders[text]++
		}
	}
	if attribute == "unit" {
		for unit := range users {
			for above, below, ok := cutLast(unit); ok && below != ""; above, below, ok = cutLast(above) {
				if everybody || v.ReadsUnit(above) {
					users[above] += 0
				}
			}
		}
	}
	for text, n := range users {
		out.Values = append(out.Values, wire.Value{Value: text, Users: n, Holders: holders[text]})
	}
	slices.SortFunc(out.Values, func(a, b wire.Value) int { return b.Users - a.Users })
	out.Values = out.Values[:min(len(out.Values), mostValues)]
	slices.SortFunc(out.Values, func(a, b wire.Value) int { return strings.Compare(a.Value, b.Value) })
	return out, nil
}

// cutLast parts a path before its last segment.
func cutLast(path string) (above, last string, ok bool) {
	i := strings.LastIndexByte(path, '/')
	if i < 0 {
		return "", path, false
	}
	return path[:i], path[i+1:], true
}
