package transfer

import (
	"ableroster/internal/ledger"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// ImportProgress tells how far an import of the caller's is.
func ImportProgress(d *seeing.Service, c seeing.Caller, track string) (wire.ImportProgress, error) {
	d.Imports.Mu.Lock()
	defer d.Imports.Mu.Unlock()
	r := d.Imports.Runs[seeing.ImportName{Caller: seeing.Caller{User: c.User}, Track: track}]
	if r == nil {
		return wire.ImportProgress{}, seeing.NotFound("no import of yours is under way under that name")
	}
	return r.Told, nil
}

// CancelImport stops an import of the caller's, if it is not being written yet.
func CancelImport(d *seeing.Service, c seeing.Caller, track string) error {
	d.Imports.Mu.Lock()
	defer d.Imports.Mu.Unlock()
	r := d.Imports.Runs[seeing.ImportName{Caller: seeing.Caller{User: c.User}, Track: track}]
	switch {
	case r == nil:
		return seeing.NotFound("no import of yours is under way under that name")
	case r.Told.Stage == string(ledger.Publishing):
		return seeing.Problem(seeing.KindConflict, 409, "Too late", "the import is being published already. Undo what it does by another change")
	}
	r.Cancelled = true
	return nil
}
