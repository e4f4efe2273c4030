package changing

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

func preview(v *seeing.View, d *change.Draft, p effect.Preview, how How) (*wire.Preview, error) {
	out := &wire.Preview{Effects: []wire.Effect{}}
	w := *v
	w.ShowDraft(&d.Snapshot)
	out.Outside = !w.SeesAll() // always: whether there is anybody is not told
	out.States = states(&w, d)
	everybody := w.Rights().ReadsAllUsers()
	type part struct {
		effect *wire.Effect
		users  []fact.UserID
	}
	var first, rest []part
	for _, e := range mergeAlike(p.Effects) {
		seen, early := e.Users, 0
		if !everybody {
			seen = slices.DeleteFunc(slices.Clone(e.Users), func(id fact.UserID) bool { return id != 0 && !w.ReadsUser(id) })
		}
		for _, id := range seen {
			if e.early[id] {
				early++
			}
		}
		x := &wire.Effect{UserCount: len(seen), EndEarly: early}
		x.Gained = w.Entitlements(e.Gained)
		x.Lost = w.Entitlements(e.Lost)
		if len(seen) == 0 || len(x.Gained)+len(x.Lost) == 0 {
			continue
		}
		if len(x.Gained) > 0 {
			out.UsersGaining += x.UserCount
		}
		if len(x.Lost) > 0 {
			out.UsersLosing += x.UserCount
		}
		out.Gained += x.UserCount * len(x.Gained)
		out.Lost += x.UserCount * len(x.Lost)
		for some := range slices.Chunk(seen, seeing.MostNamed) {
			if len(first) == out.EffectCount {
				first = append(first, part{x, some})
			} else {
				rest = append(rest, part{x, some})
			}
		}
		out.EffectCount++
	}
	page, next, err := seeing.Cut(append(first, rest...), how.Cursor, cmp.Or(how.Limit, seeing.EffectsAPage))
	if err != nil {
		return nil, err
	}
	out.Next = next
	for _, x := range page {
		e := *x.effect
		for _, id := range x.users {
			ref := wire.Ref{Label: "Nobody signed in"}
			if id != 0 {
				ref = w.UserRef(id)
			}
			e.Users = append(e.Users, ref)
		}
		out.Effects = append(out.Effects, e)
	}
	return out, nil
}

func rail(v *seeing.View, r effect.Rail) string {
	switch r.Code {
	case effect.LastAdministrator:
		return "Nobody would be left who can administer Able Roster without a window or an end date. No acknowledgement is possible: make somebody else administrator first."
	case effect.OwnAccessLowered:
		return "You would lose some of your own rights in Able Roster."
	case effect.GainForEverybody:
		return "Everybody would gain by this, those not here yet too."
	case effect.AdministeringGain:
		return "Rights to administer Able Roster would be given to " + v.Several(r.Users) + "."
	case effect.ViolationPrevented, effect.ViolationWarned:
		return sodRuleRail(v, r)
	case effect.ExpectationBroken, effect.ExpectationWarned:
		return expectationRail(v, r)
	case effect.WideLoss:
		return fmt.Sprintf("%s would lose all they have in %s: %.0f %% of those who have anything there.", v.Several(r.Users), v.ApplicationRef(r.Application, false).Label, 100*r.Share)
	case effect.LeavingLive:
		return leavingLive(v, r)
	case effect.Frozen:
		return freezeRail(v, r)
	case effect.NeedsSecondPerson:
		return "A second person must make this change: pass it on to somebody who may. No acknowledgement is possible."
	case effect.ApplicationDepends:
		return fmt.Sprintf("%s depends on %s: what it asks or does by that account would be refused.", v.ApplicationRef(r.Application, false).Label, v.Several(r.Users))
	case effect.DirectAssignment:
		return fmt.Sprintf("Roles of %s are meant to be given through groups, and this gives one to %s directly.", v.ApplicationRef(r.Application, false).Label, v.Several(r.Users))
	case effect.LikelySamePerson:
		return likely(v, r)
	case effect.WideGain:
		return fmt.Sprintf("%.0f %% of all active users would gain by this.", 100*r.Share)
	}
	return string(r.Code)
}

// notes say what was so already, and since when.
func notes(v *seeing.View, d *change.Draft) []wire.Note {
	var out []wire.Note
	for _, n := range d.Notes {
		text := "This is so already."
		switch n.Code {
		case change.AlreadyHeld:
			text = "The role is held already, with the same limits."
		case change.AlreadyMember:
			text = "The membership is there already, with the same limits."
		}
		note := wire.Note{Operation: n.Operation, Code: string(n.Code), Message: text}
		if n.Since > 0 && n.Since <= d.Base().Revision {
			note.Since = &wire.Given{Revision: n.Since}
		}
		out = append(out, note)
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range out {
			g(&out[i].Since)
		}
	})
	for i := range out {
		if s := out[i].Since; s != nil && !s.At.IsZero() {
			out[i].Message = strings.TrimSuffix(out[i].Message, ".") + ", since " + s.At.In(v.Zone()).Format("2 January 2006") + fmt.Sprintf(" (revision %d).", s.Revision)
		}
	}
	return out
}
