package desk

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/wire"
)

// mostSplit bounds how many operations are looked at one by one when a change is
// refused, and mostTried how many users are asked for whether they may make them.
const (
	mostSplit = 50
	mostTried = 100
	mostCan   = 20
)

// trial is operations tried on the view's snapshot for nothing else.
type trial struct {
	draft   *access.Draft
	ops     []access.Operation // as settled
	touched []access.UserID
}

// try applies operations as the view's caller; faults are then in the draft.
func (v *View) try(ops []access.Operation) trial {
	t := trial{draft: v.today.Draft()}
	t.draft.Author, t.draft.Visible = v.caller.User, v.reads
	for i, op := range ops {
		t.ops = append(t.ops, access.Clone(op))
		t.draft.Apply(i, t.ops[i], v.at)
	}
	t.draft.Finish()
	if len(t.draft.Faults) == 0 {
		t.touched = t.draft.Preview(v.at).Touched
	}
	return t
}

// by says whether a user may make what was tried.
func (t trial) by(auth *access.Authority, at access.Instant) bool {
	return len(t.draft.Faults) == 0 && len(auth.Judge(t.draft, t.touched, at)) == 0
}

// split says which operations of a refused change somebody else must make, and
// who may: nil where it is too large to be looked at one by one.
func (v *View) split(ops []access.Operation) *wire.Split {
	if len(ops) > mostSplit {
		return nil
	}
	out := &wire.Split{Mine: []int{}, Others: []int{}, Can: []wire.Ref{}}
	var mine, others []access.Operation
	for i, op := range ops {
		if v.try(append(slices.Clip(mine), op)).by(v.rights(), v.at) {
			mine = append(mine, op)
			out.Mine = append(out.Mine, i)
		} else {
			others = append(others, op)
			out.Others = append(out.Others, i)
		}
	}
	if len(others) == 0 { // each alone is allowed, all together are not
		return nil
	}
	t := v.try(others)
	if len(t.draft.Faults) > 0 { // they build on what is the caller's to make
		t = v.try(ops)
	}
	out.Can, out.Some = v.whoMay(t)
	return out
}

// whoMay are the others who may make what was tried, as far as the caller may see
// them, and whether there is anybody.
func (v *View) whoMay(t trial) (can []wire.Ref, some bool) {
	can = []wire.Ref{}
	tried := 0
	v.today.EachActor(func(id access.UserID) bool {
		u := v.today.User(id)
		if id == v.caller.User || u.UserKind != access.Person || !v.today.MaySignIn(id, v.at) {
			return true
		}
		tried++
		if t.by(v.today.Authority(id, v.at), v.at) {
			some = true
			if v.readsUser(id) {
				can = append(can, v.userRef(id))
			}
		}
		return tried < mostTried && len(can) < mostCan
	})
	return can, some
}
