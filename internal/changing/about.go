package changing

import (
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

const mostNamed = 20

// about names what operations speak of, each thing once; what the caller may not see is left out.
func about(v *seeing.View, ops []change.Operation) (out []wire.About) {
	seen := map[string]bool{}
	for _, op := range ops {
		if !v.ReadsOperation(op) {
			continue
		}
		for _, id := range change.SubjectsOf(op) {
			if seen[id] {
				continue
			}
			seen[id] = true
			if kind, ref := named(v, id); kind != "" && ref.ID != "" {
				out = append(out, wire.About{Kind: kind, Ref: ref})
			}
			if len(out) == mostNamed {
				return out
			}
		}
	}
	return out
}

// named is a user, a group, a role or an application; of something else the kind is blank.
func named(v *seeing.View, id string) (kind string, ref wire.Ref) {
	if n, ok := fact.ParseID("user", id); ok {
		return "user", v.UserRef(fact.UserID(n))
	}
	if n, ok := fact.ParseID("group", id); ok {
		return "group", v.GroupRef(fact.GroupID(n), false)
	}
	if n, ok := fact.ParseID("role", id); ok {
		return "role", v.RoleRef(fact.RoleID(n), false)
	}
	if n, ok := fact.ParseID("application", id); ok {
		return "application", v.ApplicationRef(fact.ApplicationID(n), false)
	}
	return "", ref
}
