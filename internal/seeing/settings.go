package seeing

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/record"
	"ableroster/wire"
)

// ReadsSettings says whether the caller may read default rules, SoD rules and
// routes.
func (v *View) ReadsSettings() bool { return v.Rights().May(access.ActRead, "settings") }

// DefaultRef names a default rule, nil for none. Whoever sees what it gives sees
// that a rule does.
func (v *View) DefaultRef(id fact.DefaultID) *wire.Ref {
	f := record.Default(v.snapshot, id)
	if f == nil {
		return nil
	}
	return &wire.Ref{ID: f.ID.String(), Key: f.Key, Label: f.Label}
}

// Order puts what is over after what is not.
func Order(last bool) int {
	if last {
		return 1
	}
	return 0
}
