package changing

import (
	"ableroster/internal/change"
	"ableroster/internal/operation"
	"ableroster/internal/seeing"
)

// sodRuleRail says what SoD rule would come about, to whoever reads its roles.
func sodRuleRail(v *seeing.View, r change.Rail) string {
	for _, role := range r.SoDRule.Roles {
		if !v.ReadsRole(role) {
			return "Somebody would come to combine roles that nobody may."
		}
	}
	text := v.Several(r.Users) + " would violate the SoD rule " + r.SoDRule.Label + ": " + operation.SoDRuleWords(r.SoDRule, v.Uncut())
	if r.SoDRule.Description != "" {
		text += " (" + r.SoDRule.Description + ")"
	}
	return text + "."
}
