package changing

import (
	"context"
	"reflect"

	"ableroster/internal/change"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// repeats fills in what a change did that was made before: in the words of now, for what its
// author may see by now.
func repeats(ctx context.Context, v *seeing.View, quiet bool, out *wire.ChangeResult) error {
	if out.Unchanged || quiet {
		return nil
	}
	found, err := v.Service.Ledger.History(ctx, revisions.HistoryFilter{Number: out.Revision, Operations: mostOperations}, 1)
	if err != nil || len(found) == 0 {
		return err
	}
	told := v.RevisionAnswer(found[0])
	out.Sentences = told.Sentences
	out.About = about(v, found[0].Operations)
	if len(told.Operations) == len(found[0].Operations) { // all of it may be seen
		out.Made = madeBy(found[0].Operations)
	}
	return nil
}

// madeBy are the ids of what operations made that were applied: what the service set in them.
func madeBy(ops []change.Operation) (out []wire.Made) {
	for i, op := range ops {
		if len(out) >= mostOperations {
			break
		}
		for _, f := range change.DescriptorOf(op).Fields {
			if !f.Service || !f.Refers || f.Type.Kind() != reflect.String {
				continue
			}
			if id := reflect.Indirect(reflect.ValueOf(op)).FieldByIndex(f.Index).String(); id != "" {
				out = append(out, wire.Made{Operation: i, ID: id})
			}
		}
	}
	return out
}
