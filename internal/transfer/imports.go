package transfer

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/jobs"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// kind is a kind of file that something can be changed by.
type kind struct {
	may  func(*seeing.View) error // refuses whoever may do nothing of it, before it is read
	work func(context.Context, *seeing.Service, seeing.Caller, Import) (wire.ChangeResult, error)
}

// needs are actions and registers by turns.
func needs(pairs ...string) func(*seeing.View) error {
	return func(v *seeing.View) error { return mayImport(v, pairs...) }
}

// kinds are those there are, by the name that an import says.
var kinds = map[string]kind{
	"users":       {needs(access.ActCreate, "users", access.ActUpdate, "users", access.ActAssign, "users", access.ActUpdate, "groups"), importUsers},
	"groups":      {needs(access.ActCreate, "groups", access.ActUpdate, "groups"), importGroups},
	"memberships": {needs(access.ActUpdate, "groups"), importMemberships},
	"assignments": {needs(access.ActAssign, "roles"), importAssignments},
	"roster_file": {mayLoad, loadRosterFile},
}

func mayLoad(v *seeing.View) error {
	if !v.SeesAll() {
		return seeing.Refused("you may not load a roster file: it is held against everything, and you do not see everything")
	}
	return nil
}

// Send keeps a file of a kind that a caller sends, and has it worked: it goes on when they
// go away. Under its name they find it again.
func Send(ctx context.Context, d *seeing.Service, c seeing.Caller, kind, name string, in Import, body io.Reader) (*jobs.Upload, error) {
	if err := kinds[kind].may(d.Now(ctx, c)); err != nil {
		return nil, err
	}
	options, err := json.Marshal(in)
	if err != nil {
		return nil, err
	}
	u := &jobs.Upload{Owner: c.User, Via: c.Via, Name: name, Kind: kind, Options: options, Epoch: d.Ledger.Epoch(), Revision: d.Ledger.Head().Revision}
	switch err := d.Jobs.Receive(ctx, u, body); {
	case errors.Is(err, jobs.ErrUnderWay):
		return nil, seeing.Problem(seeing.KindConflict, 409, "Under way", "an import under that name is under way: choose another name")
	case errors.Is(err, jobs.ErrTooMany):
		return nil, seeing.Problem(seeing.KindTooMany, 429, "Too many", "five imports of yours are under way: wait for one of them to end, or cancel one")
	case errors.Is(err, jobs.ErrCancelled):
		return nil, cancelled
	case err != nil:
		return nil, err
	}
	return u, nil
}

var cancelled = seeing.Problem(seeing.KindConflict, 409, "Cancelled", "the import was cancelled: nothing was changed")

// Work makes the change that a file was sent for, or says what it would do. Where the ledger
// was put back meanwhile, it is not made.
func Work(ctx context.Context, d *seeing.Service, u *jobs.Upload, content []byte, run *jobs.Run) (wire.ChangeResult, error) {
	var in Import
	if err := json.Unmarshal(u.Options, &in); err != nil {
		return wire.ChangeResult{}, err
	}
	if u.Epoch != d.Ledger.Epoch() {
		return wire.ChangeResult{}, seeing.Problem(seeing.KindConflict, 409, "Cancelled", "nothing was changed: the ledger was restored after the file was sent. Send it again")
	}
	if !d.Ledger.WaitFor(ctx, u.Revision) { // what whoever sent it had seen
		return wire.ChangeResult{}, ctx.Err()
	}
	in.Content, in.stage = content, run.Stage
	if in.Key == "" { // it may be worked again by another service, and is made once
		in.Key = fmt.Sprintf("import %d", u.ID)
	}
	out, err := kinds[u.Kind].work(ctx, d, seeing.Caller{User: u.Owner, Via: u.Via}, in)
	if errors.Is(err, jobs.ErrCancelled) {
		err = cancelled
	}
	return out, err
}

// optionsOf is what a caller said of a file they sent.
func optionsOf(u *jobs.Upload) (in Import) {
	_ = json.Unmarshal(u.Options, &in) // none, where they were erased
	return in
}

// Told is an upload as its owner is told of it; whole with what came of it.
func Told(u *jobs.Upload, whole bool) (wire.Import, error) {
	in := optionsOf(u)
	out := wire.Import{Name: u.Name, Kind: u.Kind, File: in.File, DryRun: in.DryRun, State: string(u.State), Stage: u.Progress.Stage,
		Done: u.Progress.Done, Of: u.Progress.Of, SecondsLeft: u.Progress.SecondsLeft, Sent: u.Sent, Ended: u.Ended}
	if u.State.Ended() {
		out.Stage, out.SecondsLeft = "", 0
	}
	if u.Answer == nil {
		return out, nil
	}
	if !in.DryRun {
		out.Revision = u.Answer.Revision
	}
	if !whole {
		return out, nil
	}
	if u.Answer.Problem != nil {
		out.Problem = &wire.Problem{}
		return out, json.Unmarshal(u.Answer.Problem, out.Problem)
	}
	out.Result = &wire.ChangeResult{}
	return out, json.Unmarshal(u.Answer.Result, out.Result)
}

// Imports are the caller's own.
func Imports(ctx context.Context, d *seeing.Service, c seeing.Caller) (wire.ImportList, error) {
	out := wire.ImportList{Imports: []wire.Import{}}
	all, err := d.Jobs.Of(ctx, c.User)
	for _, u := range all {
		told, err := Told(u, false)
		if err != nil {
			return out, err
		}
		out.Imports = append(out.Imports, told)
	}
	return out, err
}

var noImport = seeing.NotFound("no import of yours has that name, or it ended more than a day ago")

// OneImport is one of the caller's own.
func OneImport(ctx context.Context, d *seeing.Service, c seeing.Caller, name string) (wire.Import, error) {
	u, err := d.Jobs.Named(ctx, c.User, name)
	if errors.Is(err, jobs.ErrUnknown) {
		return wire.Import{}, noImport
	}
	if err != nil {
		return wire.Import{}, err
	}
	return Told(u, true)
}

// cancelWait is how long cancelling waits for what becomes of an import.
const cancelWait = 10 * time.Second

// CancelImport cancels an import of the caller's own, and says what became of it: one that
// is being published already cannot be cancelled any more.
func CancelImport(ctx context.Context, d *seeing.Service, c seeing.Caller, name string) error {
	u, err := d.Jobs.Cancel(ctx, c.User, name, cancelWait)
	switch {
	case errors.Is(err, jobs.ErrUnknown):
		if u, err := d.Jobs.Named(ctx, c.User, name); err == nil && u.State == jobs.Cancelled {
			return nil
		} else if err == nil {
			return tooLate(u)
		}
		return noImport
	case err != nil:
		return err
	case u.State == jobs.Cancelled:
		return nil
	}
	return tooLate(u)
}

func tooLate(u *jobs.Upload) error {
	switch {
	case u.State == jobs.Done && u.Answer != nil && u.Answer.Revision > 0 && !optionsOf(u).DryRun:
		return seeing.Problem(seeing.KindConflict, 409, "Too late", "the import was made already, as revision %d. Undo what it did by another change", u.Answer.Revision)
	case u.State.Ended():
		return seeing.Problem(seeing.KindConflict, 409, "Too late", "the import has ended already")
	}
	return seeing.Problem(seeing.KindConflict, 409, "Too late", "the import is being published already. Undo what it does by another change")
}
