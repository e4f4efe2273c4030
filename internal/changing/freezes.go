package changing

import (
	"strings"

	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/seeing"
)

// freezeRail says that a freeze stands, why, until when, and who is let through.
func freezeRail(v *seeing.View, r effect.Rail) string {
	f := r.Freeze
	text := "The freeze “" + f.Label + "” stands" + change.WindowWords(v.Uncut(), f.Window) + ": " + strings.TrimSuffix(f.Why, ".") + ". Departures and revocations may be made all the same. "
	if r.Passable {
		return text + "You are let through."
	}
	var who []string
	for _, id := range f.LetThrough {
		if v.ReadsUser(id) {
			who = append(who, v.UserName(id))
		}
	}
	if g := v.Uncut().Group(f.LetThroughGroup); g != nil && v.ReadsGroup(f.LetThroughGroup) {
		who = append(who, "members of "+g.Label)
	}
	if len(who) == 0 {
		return text + "Commit it at a date after the freeze."
	}
	return text + "Commit it at a date after the freeze, or pass it on: " + fact.ActionWords(who) + " may make it now."
}
