package changing

import (
	"fmt"
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/operation/rules"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// expectationRail says which expectation would be broken, to whoever may read
// what it speaks of.
func expectationRail(v *seeing.View, r effect.Rail) string {
	f := r.Expectation
	if !v.ReadsApplication(f.Application) || f.Of.User != 0 && !v.ReadsUser(f.Of.User) || f.Of.Group != 0 && !v.ReadsGroup(f.Of.Group) || f.Of.WouldBe.Given() && !v.ReadsSettings() {
		return "A check that should hold would fail."
	}
	label := f.Label
	if label == "" {
		label = change.ExpectationWords(f, v.Uncut(), v)
	}
	who := v.Several(r.Users)
	if len(r.Users) == 1 && r.Users[0] == 0 {
		who = "nobody signed in"
	}
	text := fmt.Sprintf("The expectation “%s” would be broken by %s", label, who)
	if f.Of.WouldBe.Given() {
		text = fmt.Sprintf("The expectation “%s” would not hold any more", label)
	}
	if f.Description != "" {
		text += " (" + f.Description + ")"
	}
	if f.Owner != 0 && v.ReadsUser(f.Owner) {
		return text + "; ask " + v.UserName(f.Owner) + ", its owner."
	}
	return text + "."
}

// leavingLive says what it means that an application is no longer live.
func leavingLive(v *seeing.View, r effect.Rail) string {
	app := v.ApplicationRef(r.Application, false).Label
	if r.State == fact.StateRehearsal {
		return "Everybody who is signed in could do everything in " + app + ": a rehearsal denies nothing, it only counts."
	}
	return "Nobody could do anything in " + app + " any more."
}

// expected says, of expectations a change writes, which do not hold already.
func expected(v *seeing.View, d *change.Draft, ops []change.Operation) []wire.Note {
	var out []wire.Note
	for _, f := range effect.WroteExpectations(d) {
		b := questions.BrokenBy(v, f, change.BrokenBy(v.Uncut(), f, v.At), false)
		if b == nil {
			continue
		}
		who := "somebody " + seeing.Outside
		if b.UserCount > 0 {
			who = b.By[0].User.Label
		}
		if b.UserCount > 1 {
			who += fmt.Sprintf(" and %d others", b.UserCount-1)
		}
		out = append(out, wire.Note{Operation: slices.IndexFunc(ops, func(op change.Operation) bool {
			o, ok := op.(*rules.SetExpectation)
			return ok && string(o.Expectation) == f.ID.String()
		}), Code: "not_so_yet", Message: fmt.Sprintf("It does not hold yet: %s. What is so already is left alone; what would break it anew is %s.", who,
			map[bool]string{true: "refused", false: "warned of"}[f.Blocking])})
	}
	return out
}
