package changing

import (
	"fmt"
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/operation/rules"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// sodRuleRail says what SoD rule would come about, to whoever reads its roles.
func sodRuleRail(v *seeing.View, r effect.Rail) string {
	for _, role := range r.SoDRule.Roles {
		if !v.ReadsRole(role) {
			return "Somebody would come to combine roles that nobody may."
		}
	}
	text := v.Several(r.Users) + " would violate the SoD rule " + r.SoDRule.Label + ": " + rules.SoDRuleWords(r.SoDRule, v.Uncut())
	if r.SoDRule.Description != "" {
		text += " (" + r.SoDRule.Description + ")"
	}
	return text + "."
}

// violated says, of SoD rules that a change writes, who holds all of their roles already, of
// those the caller may read.
func violated(v *seeing.View, d *change.Draft, ops []change.Operation) []wire.Note {
	var out []wire.Note
	for _, f := range effect.Written(d) {
		var who []fact.UserID
		for _, b := range query.Violations(&d.Snapshot, f, v.At) {
			if b.User != 0 && v.ReadsUser(b.User) {
				who = append(who, b.User)
			}
		}
		note := wire.Note{Operation: slices.IndexFunc(ops, func(op change.Operation) bool {
			switch o := op.(type) {
			case *rules.AddSoDRule:
				return string(o.SoDRule) == f.ID.String()
			case *rules.UpdateSoDRule:
				return string(o.SoDRule) == f.ID.String()
			}
			return false
		}), Code: "violated_already"}
		switch {
		case len(who) > 0:
			note.Message = v.Several(who) + fmt.Sprintf(" %s it already. They keep what they hold; what would bring it about anew is %s.",
				map[bool]string{true: "violates", false: "violate"}[len(who) == 1], map[bool]string{true: "refused", false: "warned of"}[f.Prevent])
		case v.SeesAll():
			note.Code, note.Message = "violated_by_nobody", "Nobody violates it today."
		default:
			note.Code, note.Message = "violated_by_nobody", "Nobody you may see violates it today."
		}
		out = append(out, note)
	}
	return out
}
