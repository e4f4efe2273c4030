package fact

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/filter"
	"ableroster/internal/patterns"
)

// FactDefault is the kind of default rules.
var FactDefault = RecordKind("default")

// Default is a rule that gives roles and groups to everybody, or to the users a
// filter over their facts chooses, for as long as it chooses them. What it
// gives is opened and closed in the revision that makes it so, and names it.
type Default struct {
	Lifetime
	ID          DefaultID `json:"-"`
	Key         string    `json:"key"`
	Label       string    `json:"label"`
	Description string    `json:"description,omitempty"`
	Everybody   bool      `json:"everybody,omitempty"` // every person; the filter is blank
	Filter      string    `json:"filter,omitempty"`
	Roles       []RoleID  `json:"roles,omitempty"`
	Groups      []GroupID `json:"groups,omitempty"`
	Ended       bool      `json:"ended,omitempty"` // it gives nothing any more

	Owner  UserID          `json:"owner,omitempty"`  // the user responsible for it, or 0
	Order  int             `json:"order,omitempty"`  // rules of a lower order come first
	Final  bool            `json:"final,omitempty"`  // whom it chooses is given nothing by the rules after it
	Active calendar.Window `json:"active,omitzero"`  // when it gives; always, without one
	Scopes []Scope         `json:"scopes,omitempty"` // of the roles; a name of an attribute in braces stands for the user's value
	After  int             `json:"after_days,omitempty"`
	Lasts  int             `json:"lasts_days,omitempty"`
	// OverlapDays is how long whoever moves to another place keeps what it gave at the old one.
	OverlapDays int           `json:"overlap_days,omitempty"`
	Written     calendar.Date `json:"written,omitzero"` // what was over by that day is not given

	expression filter.Expression // the filter compiled
}

// MostDefaults bounds how many rules are ever written: two bytes an assignment
// are what a million users have room for.
const MostDefaults = 1<<16 - 1

// Compile makes the rule ready to choose: a snapshot does that with each it takes in.
func (f *Default) Compile() { f.expression = CompileRule(f.Filter) }

// Kind and Row identify it.
func (*Default) Kind() FactKind { return FactDefault }
func (f *Default) Row() uint32  { return uint32(f.ID) }

// Chooses says whether the rule gives to a user: a departed one is given
// nothing, and machine accounts only where a filter asks for them.
func (f *Default) Chooses(u *User) bool {
	switch {
	case f.Ended || u.Status == Departed:
		return false
	case f.Everybody:
		return u.UserKind == Person
	}
	return f.expression != nil && filter.Match(f.expression, RuleSchema, u)
}

// Counted says whether what it gives is counted in days from a user's first day: those who
// have none are given nothing by it.
func (f *Default) Counted() bool { return f.After != 0 || f.Lasts != 0 }

// ScopesFor are the scopes of its roles for a user; ok is false when one cannot be filled:
// the user has no such value, or one that no path may have.
func (f *Default) ScopesFor(u *User) (scopes []Scope, ok bool) {
	for _, s := range f.Scopes {
		pattern, ok := Filled(s.Pattern, u)
		if !ok {
			return nil, false
		}
		scopes = append(scopes, Scope{s.Application, pattern})
	}
	slices.SortFunc(scopes, func(a, b Scope) int {
		return cmp.Or(cmp.Compare(a.Application, b.Application), cmp.Compare(a.Pattern, b.Pattern))
	})
	return slices.Compact(scopes), true
}

// Filled is a pattern with a user's values in the place of the names of attributes in braces:
// "berths/{unit}". A value with a star in it would give more than one place: it fills nothing.
func Filled(pattern string, u *User) (string, bool) {
	var b strings.Builder
	for {
		before, rest, some := strings.Cut(pattern, "{")
		b.WriteString(before)
		if !some {
			return b.String(), true
		}
		name, after, closed := strings.Cut(rest, "}")
		values := u.Values(name)
		if !closed || len(values) != 1 {
			return "", false
		}
		value, _ := values[0].(string)
		if patterns.CheckPath(value) != nil || value == patterns.Root {
			return "", false
		}
		b.WriteString(value)
		pattern = after
	}
}

// InBraces are the names of attributes in braces in a pattern; ok is false when a brace is
// not closed.
func InBraces(pattern string) (names []string, ok bool) {
	for {
		_, rest, some := strings.Cut(pattern, "{")
		if !some {
			return names, true
		}
		name, after, closed := strings.Cut(rest, "}")
		if !closed || name == "" {
			return nil, false
		}
		names, pattern = append(names, name), after
	}
}

// InOrder puts rules in the order in which they give.
func InOrder(a, b *Default) int {
	return cmp.Or(cmp.Compare(a.Order, b.Order), cmp.Compare(a.ID, b.ID))
}

// Name and Over implement Keyed.
func (f *Default) Name() string { return f.Key }
func (f *Default) Over() bool   { return f.Ended }
