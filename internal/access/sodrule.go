package access

import (
	"slices"

	"ableroster/internal/calendar"
)

// FactSoDRule is the kind of SoD rule rules.
var FactSoDRule = RecordKind("sod_rule")

// SoD rule is a rule that nobody may hold all of some roles at the same time,
// in whatever way: by assignment, group, inclusion or default.
type SoDRule struct {
	Lifetime
	ID          SoDRuleID `json:"-"`
	Key         string    `json:"key"`
	Label       string    `json:"label"`
	Description string    `json:"description,omitempty"` // why not, in plain words
	Roles       []RoleID  `json:"roles"`                 // two or more
	Prevent     bool      `json:"prevent,omitempty"`     // refuse what would bring it about; else warn
	Ended       bool      `json:"ended,omitempty"`
}

// Kind and Row identify it.
func (*SoDRule) Kind() FactKind { return FactSoDRule }
func (f *SoDRule) Row() uint32  { return uint32(f.ID) }

// SoD rule is the rule under a number, or nil.
func (s *Snapshot) SoDRule(id SoDRuleID) *SoDRule {
	f, _ := s.RecordFact(FactSoDRule, uint32(id)).(*SoDRule)
	return f
}

// SoD rules are all rules, ended ones too.
func (s *Snapshot) SoDRules() []*SoDRule { return RecordFactsOf[*SoDRule](s, FactSoDRule) }

// FindSoDRule finds a rule by key or id.
func (s *Snapshot) FindSoDRule(ref string) (SoDRuleID, bool) {
	if f, ok := FindKeyed[*SoDRule](s, FactSoDRule, ref, Same); ok {
		return f.ID, true
	}
	return 0, false
}

// Name and Over implement Keyed.
func (f *SoDRule) Name() string { return f.Key }
func (f *SoDRule) Over() bool   { return f.Ended }

// Violation is a user who holds all roles of an SoD rule, and when.
type Violation struct {
	SoDRule *SoDRule
	User    UserID
	When    calendar.Intervals
}

// violation is when a user holds all roles of an SoD rule from an instant on.
func (f *SoDRule) violation(held map[RoleID]calendar.Intervals, from calendar.Instant) calendar.Intervals {
	if f.Ended {
		return nil
	}
	when := calendar.Intervals{{From: from}}
	for _, r := range f.Roles {
		if when = when.Intersect(held[r]); len(when) == 0 {
			return nil
		}
	}
	return when
}

// Violations are the violations of a rule from an instant on, by user.
func (s *Snapshot) Violations(f *SoDRule, from calendar.Instant) []Violation {
	if f.Ended || len(f.Roles) == 0 {
		return nil
	}
	candidates := map[UserID]int{}
	for _, r := range f.Roles {
		mine := map[UserID]bool{}
		s.holdersBelow(r, func(id UserID) { mine[id] = true })
		for id := range mine {
			candidates[id]++
		}
	}
	var out []Violation
	for id, n := range candidates {
		if n < len(f.Roles) {
			continue
		}
		if when := f.violation(s.roleIntervals(id), from); len(when) > 0 {
			out = append(out, Violation{f, id, when})
		}
	}
	slices.SortFunc(out, func(a, b Violation) int { return int(a.User) - int(b.User) })
	return out
}

// NewViolations are those a draft brings about among the users it touches, where
// there was none before or for less time. A rule it writes stops nobody who
// breaks it already: see Violations.
func (d *Draft) NewViolations(touched []UserID, from calendar.Instant) []Violation {
	var standing []*SoDRule
	for _, f := range d.SoDRules() {
		if !f.Ended && d.base.SoDRule(f.ID) == f {
			standing = append(standing, f)
		}
	}
	if len(standing) == 0 {
		return nil
	}
	var out []Violation
	for _, id := range touched {
		if id == 0 {
			continue
		}
		after := d.roleIntervals(id)
		var before map[RoleID]calendar.Intervals
		for _, f := range standing {
			when := f.violation(after, from)
			if len(when) == 0 {
				continue
			}
			if before == nil {
				before = d.base.roleIntervals(id)
			}
			if when = when.Minus(f.violation(before, from)); len(when) > 0 {
				out = append(out, Violation{f, id, when})
			}
		}
	}
	return out
}

// Written are the SoD rules a draft writes or alters.
func (d *Draft) Written() []*SoDRule {
	var out []*SoDRule
	for _, f := range d.SoDRules() {
		if !f.Ended && d.base.SoDRule(f.ID) != f {
			out = append(out, f)
		}
	}
	return out
}

// Broken says whether a user holds all roles of an SoD rule at an instant.
func (f *SoDRule) Broken(s *Snapshot, id UserID, at calendar.Instant) bool {
	return f.violation(s.roleIntervals(id), at).Holds(at)
}
