package seeing

import (
	"sync"
	"time"

	"ableroster/wire"
)

// imports are those under way, by who runs them and under what name: a file of a
// hundred thousand lines takes a while, and whoever sent it wants to see how far it
// is and to be able to stop it.
type imports struct {
	Mu   sync.Mutex
	Runs map[ImportName]*importRun
}

// ImportName is by what an import under way is found: whose it is, and how they called it.
type ImportName struct {
	Caller Caller
	Track  string
}

type importRun struct {
	all       *imports
	name      ImportName
	Told      wire.ImportProgress
	Cancelled bool
	began     time.Time // with what it is at
}

// Phases are how many imports are at what.
func (i *imports) Phases() map[string]int {
	i.Mu.Lock()
	defer i.Mu.Unlock()
	out := map[string]int{}
	for _, r := range i.Runs {
		out[r.Told.Stage]++
	}
	return out
}

// Begin notes an import; one without a name is not told of.
func (i *imports) Begin(c Caller, track string) (*importRun, error) {
	r := &importRun{all: i, name: ImportName{Caller{User: c.User}, track}}
	if track == "" {
		return r, nil
	}
	i.Mu.Lock()
	defer i.Mu.Unlock()
	if i.Runs[r.name] != nil {
		return nil, Problem(KindConflict, 409, "Under way", "an import under that name is under way: choose another name")
	}
	if i.Runs == nil {
		i.Runs = map[ImportName]*importRun{}
	}
	i.Runs[r.name] = r
	return r, nil
}

// End forgets an import.
func (i *imports) End(r *importRun) {
	i.Mu.Lock()
	defer i.Mu.Unlock()
	if i.Runs[r.name] == r {
		delete(i.Runs, r.name)
	}
}

// Stage tells how far it is; an error says that it is to stop.
func (r *importRun) Stage(what string, done, of int) error {
	r.all.Mu.Lock()
	defer r.all.Mu.Unlock()
	if what != r.Told.Stage {
		r.began = time.Now()
	}
	r.Told = wire.ImportProgress{Stage: what, Done: done, Of: of}
	if 0 < done && done < of {
		left := time.Since(r.began) * time.Duration(of-done) / time.Duration(done)
		r.Told.SecondsLeft = int(left/time.Second) + 1
	}
	if r.Cancelled {
		return Problem(KindConflict, 409, "Cancelled", "the import was cancelled: nothing was changed")
	}
	return nil
}
