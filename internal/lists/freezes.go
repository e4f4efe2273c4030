package lists

import (
	"cmp"
	"slices"

	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// The states of a freeze, in the order of a list.
const (
	freezeStanding = "standing"
	freezeComing   = "coming"
	freezeOver     = "over"
	freezeEnded    = "ended"
)

var freezeStates = []string{freezeStanding, freezeComing, freezeOver, freezeEnded}

// Freezes are all freezes: those that stand first, then those that are to come.
func Freezes(v *seeing.View) (wire.FreezeList, error) {
	out := wire.FreezeList{Basis: v.Basis(), Freezes: []wire.Freeze{}}
	if !v.ReadsSettings() {
		return out, seeing.Refused("you may not read the freezes")
	}
	for _, f := range v.Uncut().Freezes() {
		out.Freezes = append(out.Freezes, freeze(v, f))
	}
	slices.SortStableFunc(out.Freezes, func(a, b wire.Freeze) int {
		return cmp.Or(cmp.Compare(slices.Index(freezeStates, a.State), slices.Index(freezeStates, b.State)), a.From.Compare(b.From))
	})
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Freezes {
			g(&out.Freezes[i].Given)
		}
	})
	return out, nil
}

// StandingFreezes are those that stand and concern the caller: what they may change. Of what
// those are about, they are told what they may read.
func StandingFreezes(v *seeing.View) []wire.Freeze {
	if !v.Acts() {
		return nil
	}
	var out []wire.Freeze
	for _, f := range v.Uncut().Freezes() {
		if !f.Stands(v.At) {
			continue
		}
		x := freeze(v, f)
		x.Given = nil
		x.Applications = slices.DeleteFunc(x.Applications, func(r wire.Ref) bool { return r.Outside })
		x.LetThrough = slices.DeleteFunc(x.LetThrough, func(r wire.Ref) bool { return r.Outside })
		x.Units = slices.DeleteFunc(x.Units, func(unit string) bool { return !v.ReadsUnit(unit) })
		if f.All() || len(x.Applications)+len(x.Units) > 0 {
			out = append(out, x)
		}
	}
	return out
}

func freeze(v *seeing.View, f *fact.Freeze) wire.Freeze {
	out := wire.Freeze{ID: f.ID.String(), Key: f.Key, Label: f.Label, Why: f.Why, Until: f.Until.Time(), LastDay: v.LastDay(f.Until), Units: slices.Clone(f.Units),
		State: freezeStanding, Passable: effect.LetThrough(v.Uncut(), f, v.Caller.User, v.At), Given: &wire.Given{Revision: f.Opened}}
	if f.From != 0 {
		out.From = f.From.Time()
	}
	switch {
	case f.Ended:
		out.State = freezeEnded
	case f.Window.Over(v.At):
		out.State = freezeOver
	case !f.Stands(v.At):
		out.State = freezeComing
	}
	for _, id := range f.Applications {
		out.Applications = append(out.Applications, v.ApplicationRef(id, false))
	}
	for _, id := range f.LetThrough {
		out.LetThrough = append(out.LetThrough, v.UserRef(id))
	}
	if f.LetThroughGroup != 0 {
		g := v.GroupRef(f.LetThroughGroup, false)
		out.LetThroughGroup = &g
	}
	return out
}
