package api

import (
	"context"
	"encoding/json"
	"slices"

	"ableroster/internal/api/serve"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/rules"
)

// confirmedChange refuses a change that is dangerous in other hands, where nobody has proved for a
// while who they are. That is asked at the console alone: programs have tokens, and nobody beside
// them.
func confirmedChange(ctx context.Context, s *serve.Server, acknowledge []string, operations ...json.RawMessage) error {
	if serve.CallOf(ctx).Cookie == "" || len(acknowledge) == 0 && !slices.ContainsFunc(operations, dangerous) {
		return nil
	}
	return s.Confirmed(ctx)
}

// dangerous says whether an operation erases what cannot be brought back, or says where a link is
// mailed by which somebody gets a new password.
func dangerous(raw json.RawMessage) bool {
	var o struct {
		Op    string
		Email *string
	}
	if json.Unmarshal(raw, &o) != nil { // it is refused where it is read
		return false
	}
	switch o.Op {
	case (*people.EraseUser)(nil).Verb(), (*rules.EraseReason)(nil).Verb():
		return true
	case (*people.UpdateUser)(nil).Verb():
		return o.Email != nil
	}
	return false
}
