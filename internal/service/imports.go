package service

import (
	"sync"

	"ableroster/wire"
)

// imports are those under way, by who runs them and under what name: a file of a
// hundred thousand lines takes a while, and whoever sent it wants to see how far it
// is and to be able to stop it.
type imports struct {
	mu   sync.Mutex
	runs map[importName]*importRun
}

type importName struct {
	caller Caller
	track  string
}

type importRun struct {
	all       *imports
	name      importName
	told      wire.ImportProgress
	cancelled bool
}

// begin notes an import; one without a name is not told of.
func (i *imports) begin(c Caller, track string) (*importRun, error) {
	r := &importRun{all: i, name: importName{Caller{User: c.User}, track}}
	if track == "" {
		return r, nil
	}
	i.mu.Lock()
	defer i.mu.Unlock()
	if i.runs[r.name] != nil {
		return nil, problem(KindConflict, 409, "Under way", "an import under that name is under way: choose another name")
	}
	if i.runs == nil {
		i.runs = map[importName]*importRun{}
	}
	i.runs[r.name] = r
	return r, nil
}

func (i *imports) end(r *importRun) {
	i.mu.Lock()
	defer i.mu.Unlock()
	if i.runs[r.name] == r {
		delete(i.runs, r.name)
	}
}

// stage tells how far it is; an error says that it is to stop.
func (r *importRun) stage(what string, done, of int) error {
	r.all.mu.Lock()
	defer r.all.mu.Unlock()
	if of > 0 && done == of {
		what = "writing"
	}
	r.told = wire.ImportProgress{Stage: what, Done: done, Of: of}
	if r.cancelled {
		return problem(KindConflict, 409, "Cancelled", "the import was cancelled: nothing was changed")
	}
	return nil
}

// ImportProgress tells how far an import of the caller's is.
func (d *Service) ImportProgress(c Caller, track string) (wire.ImportProgress, error) {
	d.imports.mu.Lock()
	defer d.imports.mu.Unlock()
	r := d.imports.runs[importName{Caller{User: c.User}, track}]
	if r == nil {
		return wire.ImportProgress{}, notFound("no import of yours is under way under that name")
	}
	return r.told, nil
}

// CancelImport stops an import of the caller's, if it is not being written yet.
func (d *Service) CancelImport(c Caller, track string) error {
	d.imports.mu.Lock()
	defer d.imports.mu.Unlock()
	r := d.imports.runs[importName{Caller{User: c.User}, track}]
	switch {
	case r == nil:
		return notFound("no import of yours is under way under that name")
	case r.told.Stage == "writing":
		return problem(KindConflict, 409, "Too late", "the import is being written already. Undo what it does by another change")
	}
	r.cancelled = true
	return nil
}
