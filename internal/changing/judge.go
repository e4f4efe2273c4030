package changing

import (
	"context"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/patterns"
	"ableroster/internal/prepared"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// judge decides on a draft: its faults, what its author lacks, what moved since
// they looked, and the guard rails it runs into.
func judge(v *seeing.View, d *change.Draft, x *Wanted) (*wire.Preview, error) {
	of, err := ofAccount(v, d, x)
	if err != nil {
		return nil, err
	}
	if err := allowed(v, d, x.Place); err != nil {
		return nil, err
	}
	p := effect.Of(d, v.At)
	if x.basedOn > 0 {
		if moved := d.Moved(x.basedOn); len(moved) > 0 && len(d.Changes()) > 0 {
			return nil, movedSince(v, moved, x.basedOn)
		}
	}
	out, err := preview(v, d, p, x.How)
	if err != nil {
		return nil, err
	}
	sees := counted(v, d)
	if len(x.Operations) >= ledger.StagedFrom {
		x.counted, x.rights = effect.Count(d, p, v.At, sees), v.Rights()
	}
	rails := effect.Rails(d, v.Caller.Author(), p, v.At, sees)
	if of != nil {
		rails = bothRails(rails, effect.Rails(of, v.Caller.User, effect.Of(of, v.At), v.At, sees))
	}
	return out, stopped(v, rails, x, out)
}

// judgeAgain decides once more on a large change that was judged before others made theirs:
// on what it does to those whom they gave something, and on what is counted over all. Where
// rights of its author began or ended meanwhile, the whole is judged again.
func judgeAgain(v *seeing.View, d *change.Draft, after *access.Snapshot, x *Wanted) error {
	if !x.rights.Same(v.Rights()) {
		return prepared.ErrModel
	}
	if len(d.Changes()) > 0 {
		if err := allowed(v, d, x.Place); err != nil {
			return err
		}
		if err := stopped(v, effect.Rails(d, v.Caller.User, effect.Of(d, v.At), v.At, counted(v, d)), x, new(wire.Preview)); err != nil {
			return err
		}
	}
	return stopped(v, x.counted.RailsAgain(d.Base(), after, v.At, counted(v, d)), x, new(wire.Preview))
}

// stopped puts guard rails into a preview, and refuses a change that one of them stops.
func stopped(v *seeing.View, rails []effect.Rail, x *Wanted, out *wire.Preview) error {
	var stop []wire.Rail
	for _, r := range rails {
		w := wire.Rail{Code: string(r.Code), Message: rail(v, r), Passable: r.Passable}
		w.Passed = r.Passable && slices.Contains(x.Acknowledge, w.Code) || r.Code == effect.NeedsSecondPerson && x.seconded
		if !w.Passed {
			stop = append(stop, w)
		}
		out.Rails = append(out.Rails, w)
	}
	out.Refused = len(stop) > 0
	if n := seeing.Tells(stop); n > 0 && !v.SeesAll() {
		v.Told(n, "a guard rail that speaks of what they may not see")
	}
	if len(stop) > 0 && !x.DryRun {
		e := seeing.Problem(seeing.KindGuardRail, 409, "A guard rail stands in the way", "%s", stop[0].Message)
		if stop[0].Passable {
			e.Detail += " Acknowledge " + stop[0].Code + " to go on."
		}
		e.Rails = stop
		return e
	}
	return nil
}

// counted says whom guard rails count for the caller: those they may read or give roles
// to; nil for everybody.
func counted(v *seeing.View, d *change.Draft) func(fact.UserID) bool {
	rights := v.Rights()
	if rights.ReadsAllUsers() {
		return nil
	}
	return func(id fact.UserID) bool {
		return rights.MayReadUser(&d.Snapshot, id) || rights.May(access.ActAssign, d.UserPath(id))
	}
}

// mayKnow says what the caller may know of, nil for everything.
func mayKnow(v *seeing.View) func(fact.FactKind, uint32) bool {
	if v.SeesAll() {
		return nil
	}
	return v.ReadsThing
}

// prepare sets in a draft what the caller may know and do.
func prepare(v *seeing.View, d *change.Draft) {
	d.Visible, d.May, d.TakesUp = mayKnow(v), v.AuthorsRights().May, v.Caller.Via == invitation
	if v.Caller.For != 0 {
		d.Account = v.Caller.User
	}
}

// allowed is the refusal of a draft whose author may not make it, or of one with
// faults: rights come first, so that nobody learns from the faults of a change that
// they may not make.
func allowed(v *seeing.View, d *change.Draft, place func(change.Fault) wire.Fault) error {
	rights := v.Rights()
	if d.Account != 0 && !d.OfAccount() {
		rights = v.AuthorsRights()
	}
	if lacks := rights.Lacks(d); len(lacks) > 0 {
		return refusal(v, d, lacks)
	}
	if len(d.Faults) > 0 {
		v.Told(len(slices.DeleteFunc(slices.Clone(d.Faults), func(f change.Fault) bool { return !f.Tells })), "names that are taken by what they may not see")
		return seeing.Invalid("nothing was changed", faultsIn(v, d, place)...)
	}
	if lacks := rights.LacksFor(d, d.RoleGains(v.At)); len(lacks) > 0 {
		return refusal(v, d, lacks)
	}
	return nil
}

// soonJudged is how many operations of somebody who may do everything wait for no
// trial: judging them in the ledger's queue keeps nobody waiting.
const soonJudged = 8

// plainly refuses a change that is to be refused, without keeping the ledger's queue
// busy: it is tried on what is the head now. What is let through is judged again
// there. Large changes of those who may make any are judged beside the queue anyway. A change that was made before under its key is let through, to be told so.
func plainly(ctx context.Context, d *seeing.Service, v *seeing.View, x *Wanted, try func() (*change.Draft, []change.Operation, calendar.Instant, error)) error {
	if n := len(x.Operations); (n <= soonJudged || n >= ledger.StagedFrom) && MayAll(v) {
		return nil
	}
	draft, _, _, err := try()
	if err == nil {
		_, err = ofAccount(v, draft, x)
	}
	if err == nil {
		err = allowed(v, draft, x.Place)
	}
	if err == nil || x.Change.Key == "" {
		return err
	}
	if _, known, lost := d.Ledger.Known(ctx, &x.Change); known || lost != nil {
		return lost // the ledger tells it once more
	}
	return err
}

// MayAll says whether the caller may change everything in Able Roster.
func MayAll(v *seeing.View) bool {
	for _, act := range []string{access.ActCreate, access.ActUpdate, access.ActAssign} {
		if !v.Rights().May(act, patterns.Root) {
			return false
		}
	}
	return true
}
