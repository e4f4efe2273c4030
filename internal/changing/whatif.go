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
	ops, _ := decode(in.Operations)
	for i, op := range ops {
		draft.Apply(i, op, v.At)
	}
	if len(draft.Faults) > 0 { // somebody was faster just now
		return out, seeing.Invalid("the change no longer fits", faultsIn(v, draft, func(f change.Fault) wire.Fault {
			return wire.Fault{Place: fmt.Sprintf("/operations/%d", f.Operation)}
		})...)
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
