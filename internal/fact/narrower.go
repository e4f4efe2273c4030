package fact

import (
	"ableroster/internal/filter"
	"ableroster/internal/patterns"
)

// Narrower says whether scopes give no more than others do.
func Narrower(scopes, than []Scope) bool {
	if len(than) == 0 {
		return true
	}
	if len(scopes) == 0 {
		return false
	}
	for _, s := range scopes {
		inside := false
		for _, o := range than {
			inside = inside || o.Application == s.Application && patterns.Contains(o.Pattern, s.Pattern)
		}
		if !inside {
			return false
		}
	}
	return true
}

// MatchesRule says whether a parsed filter over users' facts chooses a user.
func MatchesRule(e filter.Expression, u *User) bool { return filter.Match(e, RuleSchema, u) }
