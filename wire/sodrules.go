package wire

import "time"

// SoD rule is roles that nobody may hold at the same time.
type SoDRule struct {
	ID          string      `json:"id"`
	Key         string      `json:"key"`
	Label       string      `json:"label"`
	Description string      `json:"description,omitempty" doc:"why nobody may combine them"`
	Roles       []Ref       `json:"roles"`
	Prevent     bool        `json:"prevent" doc:"what would bring it about is refused; else warned of"`
	Ended       bool        `json:"ended,omitempty"`
	Given       *Given      `json:"given,omitempty" doc:"who last changed it, and why"`
	Violations  []Violation `json:"violations" doc:"who holds all of them now or will, of those the caller may read"`
}

// Violation is a user who holds all roles of an SoD rule.
type Violation struct {
	User  Ref        `json:"user"`
	From  *time.Time `json:"from,omitempty" doc:"when it begins, if not yet"`
	Until *time.Time `json:"until,omitempty" doc:"when it ends by itself"`
	Paths []Path     `json:"paths" doc:"the shortest way to each of the roles"`
}

// SoDRuleList is all SoD rules, to whoever may read the settings.
type SoDRuleList struct {
	Basis
	SoDRules []SoDRule `json:"sod_rules"`
}
