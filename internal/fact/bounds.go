package fact

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/calendar"
)

// Bounds are what limits an assignment besides its window: equal texts mean
// equal bounds, and none at all is blank.
type Bounds struct {
	Scopes   []Scope
	Schedule *calendar.Schedule
}

// BoundsOf are the bounds of an assignment.
func BoundsOf(f *Assignment) Bounds { return Bounds{f.Scopes, f.Schedule} }

// String is a text that equal bounds share.
func (t Bounds) String() string {
	if len(t.Scopes) == 0 && t.Schedule == nil {
		return ""
	}
	parts := make([]string, 0, len(t.Scopes)+1)
	for _, x := range t.Scopes {
		parts = append(parts, fmt.Sprint(x.Application, " ", x.Pattern))
	}
	slices.Sort(parts)
	return strings.Join(append(parts, t.Schedule.String()), "\n")
}

// Compare puts a scope before or after another.
func (x Scope) Compare(y Scope) int {
	return cmp.Or(cmp.Compare(x.Application, y.Application), cmp.Compare(x.Pattern, y.Pattern))
}

// CompareScopes puts lists of scopes in an order.
func CompareScopes(a, b []Scope) int { return slices.CompareFunc(a, b, Scope.Compare) }
