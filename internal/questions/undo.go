package questions

import (
	"context"
	"encoding/json"
	"errors"
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/ledger/past"
	"ableroster/internal/seeing"
	"ableroster/internal/undo"
	"ableroster/wire"
)

// mostUndone is how many operations a revision may have that is taken back on a sheet.
const mostUndone = 2000

// Undo is what takes back a revision, on the head as it is now. It needs "read" on the
// ledger; making it needs what each operation needs.
func Undo(ctx context.Context, d *seeing.Service, c seeing.Caller, revision int64) (wire.Undo, error) {
	v := d.Now(ctx, c)
	out := wire.Undo{Basis: v.Basis(), Of: revision, Lines: []wire.UndoLine{}, Stays: []string{}}
	if !v.ReadsLedger() {
		return out, seeing.NotFound("there is no revision %d", revision)
	}
	changes, err := d.Ledger.ChangesOf(ctx, revision, mostUndone)
	switch {
	case errors.Is(err, past.ErrNoRevision):
		return out, seeing.NotFound("there is no revision %d", revision)
	case errors.Is(err, past.ErrTooMany):
		return out, seeing.Problem(seeing.KindConflict, 409, "Too large to undo here", "revision %d has more than %d operations: take it back by a file, or thing by thing", revision, mostUndone)
	case err != nil:
		return out, err
	}
	x := undo.Of(changes, v.Uncut(), v.At)
	reads := func(about []string) bool {
		return !slices.ContainsFunc(about, func(id string) bool { return !v.ReadsID(id) })
	}
	draft := change.NewDraft(v.Uncut())
	for i, s := range x.Steps {
		settled := draft.Apply(i, s.Operation, v.At)
		if !reads(s.About) || !v.ReadsOperation(settled) {
			out.Outside = true
			continue
		}
		raw, err := change.EncodeOperation(s.Operation)
		if err != nil {
			return out, err
		}
		out.Lines = append(out.Lines, wire.UndoLine{Words: change.ToDo(settled, v.Uncut(), v), Operations: []json.RawMessage{raw}})
	}
	for _, l := range x.Left {
		if !reads(l.About) {
			out.Outside = true
			continue
		}
		out.Stays = append(out.Stays, l.Why)
	}
	return out, nil
}
