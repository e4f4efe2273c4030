package changing

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// mostSplit bounds how many operations are looked at one by one when a change is
// refused, and mostTried how many users are asked for whether they may make them.
const (
	mostSplit = 50
	mostTried = 20
)

// trial is operations tried on the view's snapshot for nothing else.
type trial struct {
	draft *change.Draft
	ops   []change.Operation // as settled
	gains []change.RoleGain
}

// try applies operations as the view's caller, whatever they may do; faults are then
// in the draft.
func try(v *seeing.View, ops []change.Operation) trial { return tryOn(v, v.UncutToday(), ops, nil) }

func tryOn(v *seeing.View, s *access.Snapshot, ops []change.Operation, may func(action, path string) bool) trial {
	t := trial{draft: change.NewDraft(s)}
	t.draft.Author, t.draft.Visible, t.draft.May = v.Caller.Author(), mayKnow(v), may
	if v.Caller.For != 0 {
		t.draft.Account = v.Caller.User
	}
	if nameReasons(v.Ctx, v.Service, ops) != nil {
		t.draft.Fault("revision", "the ledger cannot be read just now")
	}
	for i, op := range ops {
		t.ops = append(t.ops, t.draft.Apply(i, op, v.At))
	}
	t.draft.Finish()
	if len(t.draft.Faults) == 0 {
		t.gains = t.draft.RoleGains(v.At)
	}
	return t
}

// by says whether a user may make what was tried.
func (t trial) by(auth *change.Authority) bool {
	return len(t.draft.Faults) == 0 && len(auth.Lacks(t.draft)) == 0 && len(auth.LacksFor(t.draft, t.gains)) == 0
}

// split says which operations of a refused change somebody else must make, and who of
// those the caller may see may: nil where it is too large to be looked at one by one.
// Each operation is tried once, on what those before it that are the caller's leave.
func split(v *seeing.View, ops []change.Operation) *wire.Split {
	if len(ops) > mostSplit {
		return nil
	}
	out := &wire.Split{Mine: []int{}, Others: []int{}, Can: []wire.Ref{}}
	var others []change.Operation
	s := v.UncutToday()
	for i, op := range ops {
		if t := tryOn(v, s, []change.Operation{op}, v.Rights().May); t.by(v.Rights()) {
			s = t.draft.Seal(s.Revision, s.At)
			out.Mine = append(out.Mine, i)
		} else {
			others = append(others, op)
			out.Others = append(out.Others, i)
		}
	}
	if len(others) == 0 { // each alone is allowed, all together are not
		return nil
	}
	t := try(v, others)
	if len(t.draft.Faults) > 0 { // they build on what is the caller's to make
		t = try(v, ops)
	}
	out.Can = whoMay(v, t)
	return out
}

// whoMay are the others who may make what was tried, of those the caller may see:
// whether there is anybody else is not told.
func whoMay(v *seeing.View, t trial) []wire.Ref {
	can := []wire.Ref{}
	tried := 0
	query.EachActor(v.UncutToday(), func(id fact.UserID) bool {
		if !v.ReadsUser(id) {
			return true
		}
		u := v.UncutToday().User(id)
		if id == v.Caller.User || u.UserKind != fact.Person || !v.UncutToday().MaySignIn(id, v.At) {
			return true
		}
		tried++
		if t.by(change.AuthorityOf(v.UncutToday(), id, v.At)) {
			can = append(can, v.UserRef(id))
		}
		return tried < mostTried
	})
	slices.SortFunc(can, func(a, b wire.Ref) int { return compareRefs(a, b) })
	return can
}

func compareRefs(a, b wire.Ref) int {
	if a.Label < b.Label || a.Label == b.Label && a.ID < b.ID {
		return -1
	}
	return 1
}
