package query

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// RoleGives says whether a role gives an action on a target, wherever it is held.
func RoleGives(s *access.Snapshot, role fact.RoleID, e *Entitlement) bool {
	r := s.RoleTable.At(int(role))
	if r == nil {
		return false
	}
	app := s.ApplicationTable.At(int(e.Application))
	place, ok := access.ActionPlace(app.Fact, e.Action)
	return ok && slices.ContainsFunc(r.Rules, func(x access.Rule) bool {
		return x.App == e.Application && x.Actions&(1<<place) != 0 && patterns.Contains(x.Pattern, e.Target)
	})
}
