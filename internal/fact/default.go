package fact

import "ableroster/internal/filter"

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

// Name and Over implement Keyed.
func (f *Default) Name() string { return f.Key }
func (f *Default) Over() bool   { return f.Ended }
