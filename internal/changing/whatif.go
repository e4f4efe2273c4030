package changing

import (
	"context"
	"fmt"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// WhatIf answers questions under a change that is not made. Whoever may not
// make the change may not ask what it would do.
func WhatIf(ctx context.Context, d *seeing.Service, c seeing.Caller, in wire.WhatIfRequest) (wire.WhatIfAnswer, error) {
	var out wire.WhatIfAnswer
	var err error
	if out.Change, err = Change(ctx, d, c, wire.ChangeRequest{Operations: in.Operations}, How{DryRun: true}); err != nil {
		return out, err
	}
	v := d.Now(ctx, c)
	draft := change.NewDraft(v.UncutToday())
	ops, _ := decode(in.Operations, d.Ledger.Head().Zone())
	for i, op := range ops {
		draft.Apply(i, op, v.At)
	}
	if len(draft.Faults) > 0 { // somebody was faster just now
		return out, seeing.Invalid("the change no longer fits", faultsIn(v, draft, func(f change.Fault) wire.Fault {
			return wire.Fault{Place: fmt.Sprintf("/operations/%d", f.Operation)}
		})...)
	}
	if len(in.Tries) > 0 {
		if out.Tried, err = tried(v, draft, in); err != nil {
			return out, err
		}
	}
	v.ShowDraft(&draft.Snapshot) // rights stay the caller's present ones
	if len(in.Checks) > 0 {
		if out.Answers, err = questions.Checks(v, in.Checks); err != nil {
			return out, err
		}
	}
	if in.Access != "" {
		id, ok := v.Uncut().FindUser(in.Access)
		if !ok || !v.ReadsUser(id) {
			return out, v.Missing(fact.FactUser, in.Access)
		}
		a := questions.Access(v, id)
		out.Access = &a
	}
	return out, nil
}

// tried says which changes somebody could make after another change was made: by the rights
// they would have then. Of what they lack, no more is said than what it is about.
func tried(v *seeing.View, draft *change.Draft, in wire.WhatIfRequest) ([]wire.WhatIfTried, error) {
	draft.Finish()
	after := draft.Seal(draft.Revision, v.At)
	id, ok := after.FindUser(in.As)
	if there := v.UncutToday().User(id) != nil; !ok || there && !v.ReadsUser(id) {
		return nil, v.Missing(fact.FactUser, in.As)
	}
	rights := change.AuthorityOf(after, id, v.At)
	var out []wire.WhatIfTried
	for i, x := range in.Tries {
		ops, faults := decode(x.Operations, v.Service.Ledger.Head().Zone())
		if len(faults) > 0 {
			for k := range faults {
				faults[k].Place = fmt.Sprintf("/tries/%d%s", i, faults[k].Place)
			}
			return nil, seeing.Invalid("the question cannot be asked", faults...)
		}
		t := tryOn(v, after, ops, rights.May)
		one := wire.WhatIfTried{Sentences: []string{}, Could: t.by(rights)}
		w := *v
		w.ShowChange(after, &t.draft.Snapshot)
		if len(t.draft.Faults) == 0 {
			for _, op := range t.ops {
				one.Sentences = append(one.Sentences, change.ToDo(op, w.Uncut(), &w))
			}
		}
		lacks := rights.Lacks(t.draft)
		switch {
		case one.Could:
		case len(lacks) > 0:
			one.Why = "They may not " + lacks[0].Need.What + "."
		case len(t.draft.Faults) > 0:
			one.Why = sentence(t.draft.Faults[0].Message)
		default:
			one.Why = "They may not give what it gives: not there, not on these limits, or not so long."
		}
		out = append(out, one)
	}
	return out, nil
}
