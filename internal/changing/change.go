package changing

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/ledger"
	_ "ableroster/internal/operation"
	"ableroster/internal/pace"
	"ableroster/internal/seeing"
	"ableroster/internal/workflows"
	"ableroster/wire"
)

// mostOperations bounds one change made by hand; imports have their own bound.
const mostOperations = 2000

// How says how a change is to be made.
type How struct {
	DryRun bool   // only say what it would do
	Key    string // the caller's idempotency key, or nothing
	Cursor string // the page of the preview, and how many effects it has
	Limit  int
}

// Change makes a change, or says what it would do.
func Change(ctx context.Context, d *seeing.Service, c seeing.Caller, req wire.ChangeRequest, how How) (wire.ChangeResult, error) {
	if !how.DryRun {
		how.Cursor = ""
	}
	ops, faults := decode(req.Operations, d.Ledger.Head().Zone())
	if len(req.Operations) == 0 {
		faults = append(faults, wire.Fault{Place: "/operations", Message: "is empty: there is nothing to do"})
	}
	if len(req.Operations) > mostOperations {
		faults = append(faults, wire.Fault{Place: "/operations", Message: fmt.Sprintf("has more than %d operations", mostOperations)})
	}
	if err := nameReasons(ctx, d, ops); err != nil {
		return wire.ChangeResult{}, err
	}
	faults = append(faults, CheckWhy(d, req.Reason, req.Reference, how.DryRun)...)
	faults = append(append(faults, acknowledgements(req.Acknowledge)...), actingFaults(c, req)...)
	place := func(f change.Fault) wire.Fault { return wire.Fault{Place: seeing.PlaceOf(f.Operation, f.Field)} }
	if len(faults) > 0 {
		if len(req.Operations) <= mostOperations && !slices.Contains(ops, nil) {
			faults = append(faults, FaultsOf(d.Now(ctx, c), ops, place)...)
		}
		return wire.ChangeResult{}, seeing.Invalid("nothing was changed", faults...)
	}
	faults, err := workflows.CheckItems(d.Now(ctx, c), ops)
	if err != nil {
		return wire.ChangeResult{}, err
	}
	if len(faults) > 0 {
		return wire.ChangeResult{}, seeing.Invalid("nothing was changed", faults...)
	}
	body, err := json.Marshal(req)
	if err != nil {
		return wire.ChangeResult{}, err
	}
	pending, seconded, faults, err := makes(d.Now(ctx, c), req.PendingChanges, req.Operations)
	if err != nil {
		return wire.ChangeResult{}, err
	}
	if len(faults) > 0 {
		return wire.ChangeResult{}, seeing.Invalid("nothing was changed", faults...)
	}
	req.Reference = referred(d.Now(ctx, c), ops, req.Reference)
	digest := sha256.Sum256(body)
	if c.For != 0 && how.Key != "" { // a key is the account's, whomever it acts for
		how.Key = c.User.String() + " " + how.Key
	}
	out, err := Make(ctx, d, c, Wanted{
		Change:      ledger.Change{Author: c.Author(), Via: c.Via, Reason: req.Reason, Reference: req.Reference, Operations: ops, Key: how.Key, Request: digest[:]},
		How:         how,
		basedOn:     req.BasedOn,
		Acknowledge: req.Acknowledge,
		Place:       place,
		seconded:    seconded,
	})
	var refused *wire.Problem
	switch {
	case err == nil && !how.DryRun:
		made(ctx, d, c, pending, &out)
	case errors.As(err, &refused) && refused.Status == 403 && how.DryRun && c.For == 0:
		refused.Split = split(d.Now(ctx, c), ops)
	}
	return out, err
}

// Wanted is a change on its way, whatever it came from.
type Wanted struct {
	ledger.Change
	How
	basedOn     int64
	Acknowledge []string
	Place       func(change.Fault) wire.Fault // where in what was sent a fault lies
	seconded    bool                          // somebody else, who may make it too, prepared all of it
	counted     effect.Counted                // what it does to all of them, where it is large
	rights      *change.Authority             // by which it was judged then
	Quiet       bool                          // says what it does in numbers, not operation by operation
}

// Make judges a change and, unless it is a dry run, commits it.
func Make(ctx context.Context, d *seeing.Service, c seeing.Caller, x Wanted) (wire.ChangeResult, error) {
	v := d.Now(ctx, c)
	out := wire.ChangeResult{DryRun: x.DryRun, Sentences: []string{}}
	if err := d.Telling.Wait(c.User, d.Clock()); err != nil {
		return out, err
	}
	defer func(v *seeing.View) {
		if ctx.Err() == nil { // else the change may be judged still, and its caller is told nothing
			v.Settle()
		}
	}(v)
	// look puts the view where the change is judged: the head may be newer.
	look := func(s *access.Snapshot, at calendar.Instant) {
		v.JudgeBy(s, at)
	}
	judge := func(draft *change.Draft, at calendar.Instant) error {
		look(draft.Base(), at)
		p, err := judge(v, draft, &x)
		out.Preview = p
		return err
	}
	x.Prepare = func(d *change.Draft, at calendar.Instant) {
		look(d.Base(), at)
		prepare(v, d)
	}
	x.Rejudge = func(d *change.Draft, after *access.Snapshot, at calendar.Instant) error {
		look(d.Base(), at)
		return judgeAgain(v, d, after, &x)
	}
	// try applies the operations to what is the head now, outside the ledger's queue.
	try := func() (*change.Draft, []change.Operation, calendar.Instant, error) {
		at := calendar.At(d.Clock())
		draft := change.NewDraft(v.Service.Ledger.Head())
		draft.Author = x.Author
		if len(x.Operations) >= ledger.StagedFrom {
			draft.Calm = pace.GiveWay
		}
		x.Prepare(draft, at)
		settled := make([]change.Operation, len(x.Operations))
		for i, op := range x.Operations {
			if err := x.Watched(i); err != nil {
				return nil, nil, at, err
			}
			settled[i] = draft.Apply(i, op, at)
		}
		draft.Finish()
		return draft, settled, at, nil
	}
	var draft *change.Draft
	if x.DryRun {
		var at calendar.Instant
		var err error
		var settled []change.Operation
		if draft, settled, at, err = try(); err != nil {
			return out, err
		}
		if err := judge(draft, at); err != nil {
			return out, err
		}
		x.Operations = settled
		out.Revision, out.Unchanged = v.UncutToday().Revision, len(draft.Changes()) == 0
	} else {
		if err := plainly(ctx, d, v, &x, try); err != nil {
			return out, err
		}
		done, err := d.Ledger.Commit(ctx, &x.Change, judge)
		switch {
		case errors.Is(err, ledger.ErrKeyReused):
			return out, seeing.Problem(seeing.KindKeyReused, 422, "Idempotency key reused", "%s; use a fresh key", err)
		case err != nil:
			return out, err
		}
		out.Revision, out.At, out.Unchanged, out.Repeated = done.Revision, seeing.Instant(done.At), done.Unchanged, done.Repeated
		draft, x.Operations = done.Draft, done.Operations
	}
	if draft == nil { // repeated: what it did is in the ledger
		return out, repeats(ctx, v, x.Quiet, &out)
	}
	if !x.DryRun && !out.Unchanged && !x.Quiet {
		out.Made = madeBy(x.Operations)
	}
	v.ShowChange(draft.Base(), &draft.Snapshot)
	if workflows.SpeaksOfRequests(x.Operations) {
		v = v.WithKnownUsers()
	}
	if workflows.SpeaksOfReviews(x.Operations) {
		v = workflows.WithReviewed(v, x.Operations)
	}
	if !x.Quiet {
		for _, op := range x.Operations {
			out.Sentences = append(out.Sentences, op.Sentence(v.Uncut(), v))
		}
		out.About = about(v, x.Operations)
	}
	if len(x.Operations) <= mostOperations { // of an import nobody reads so many notes
		out.Notes = append(append(expected(v, draft, x.Operations), violated(v, draft, x.Operations)...), coverNothing(v, x.Operations)...)
	}
	out.Notes = append(append(notes(v, draft), out.Notes...), append(append(workflows.GrownSince(v, x.Operations), workflows.WaitsFor(v, x.Operations)...), handOver(v, x.Operations)...)...)
	out.Notes = append(append(out.Notes, wouldDecide(v, draft)...), wouldReview(v, draft)...)
	return out, nil
}
