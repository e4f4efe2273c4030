package changing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"
	"ableroster/internal/lists"
	"ableroster/internal/review"
	"ableroster/internal/saved"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// mostPassedOn bounds the operations of a pending change: each list tries what waits.
const mostPassedOn = 200

func pendingChangeID(n int64) string { return "pending-change-" + strconv.FormatInt(n, 10) }

// AddPendingChange keeps a change that was prepared: to be made at a date, under a name, or
// for somebody else to make.
func AddPendingChange(ctx context.Context, d *seeing.Service, c seeing.Caller, in wire.PendingChangeRequest) (wire.PendingChange, error) {
	if c.User == 0 || d.Saved == nil {
		return wire.PendingChange{}, seeing.Refused("nobody prepares nothing")
	}
	v := d.Now(ctx, c)
	ops, places, faults := decodeLines(in.Lines, d.Ledger.Head().Zone())
	in.Reason, in.Name = strings.TrimSpace(in.Reason), strings.TrimSpace(in.Name)
	faults = append(faults, CheckWhy(d, in.Reason, in.Reference, in.Name != "")...)
	if len(ops) > mostPassedOn {
		faults = append(faults, wire.Fault{Place: "/lines", Message: fmt.Sprintf("has more than %d operations", mostPassedOn)})
	}
	if m := fact.CheckLabel(in.Name, 100); m != "" {
		faults = append(faults, wire.Fault{Place: "/name", Message: m})
	}
	if in.Name != "" && in.At != nil || in.To != "" && (in.Name != "" || in.At != nil) {
		faults = append(faults, wire.Fault{Message: "is passed on (to), kept under a name (name) or made at a date (at): say one of them"})
	}
	if len(faults) > 0 {
		return wire.PendingChange{}, seeing.Invalid("nothing was prepared", faults...)
	}
	p := &saved.PendingChange{Author: c.User, Name: in.Name, Reason: in.Reason, Reference: in.Reference, BasedOn: in.BasedOn}
	t := try(v, ops)
	place := func(f change.Fault) wire.Fault {
		if f.Operation >= len(places) {
			return wire.Fault{Place: "/lines"}
		}
		return wire.Fault{Place: places[f.Operation] + under(f.Field)}
	}
	var err error
	switch {
	case in.At != nil:
		err = date(v, p, t, in, place)
	case in.Name != "":
		p.State = saved.PendingSaved
	default:
		err = passOn(v, p, t, in.To, place)
	}
	if err != nil {
		return wire.PendingChange{}, err
	}
	if p.Lines, err = json.Marshal(in.Lines); err != nil {
		return wire.PendingChange{}, err
	}
	if p.Said = []string{}; len(t.draft.Faults) == 0 {
		p.Said = wordsOf(v, t)
	}
	for _, op := range t.ops {
		p.Subjects = append(p.Subjects, change.SubjectsOf(op)...)
	}
	switch err := d.Saved.PutPendingChange(ctx, p); {
	case errors.Is(err, saved.ErrTooMany):
		return wire.PendingChange{}, seeing.Invalid("nothing was prepared", wire.Fault{Message: fmt.Sprintf("%d pending changes of yours wait already: withdraw one", saved.MostWaiting)})
	case err != nil:
		return wire.PendingChange{}, database.Unavailable(err)
	}
	return pendingChange(v, p), nil
}

// passOn is a change that its author may not make, for somebody who may.
func passOn(v *seeing.View, p *saved.PendingChange, t trial, to string, place func(change.Fault) wire.Fault) error {
	faults := faultsIn(v, t.draft, place)
	switch {
	case len(faults) > 0:
	case len(t.draft.Changes()) == 0:
		faults = append(faults, wire.Fault{Place: "/lines", Message: "all of this is so already"})
	case t.by(v.Rights()) && !effect.NeedsSecond(t.draft, v.Caller.User, v.At) && !effect.FrozenFor(t.draft, v.Caller.User, v.At):
		faults = append(faults, wire.Fault{Place: "/lines", Message: "you may make all of this yourself"})
	}
	if to != "" {
		id, err := lists.FindReadable(v, to)
		switch {
		case err != nil:
			faults = append(faults, wire.Fault{Place: "/to", Message: fmt.Sprintf("there is no user “%s”", to), DidYouMean: v.Near(fact.FactUser, to)})
		case len(faults) == 0 && !(v.UncutToday().MaySignIn(id, v.At) && t.by(change.AuthorityOf(v.UncutToday(), id, v.At))):
			faults = append(faults, wire.Fault{Place: "/to", Message: v.UserName(id) + " may not make it either"})
		}
		p.Receiver = id
	}
	if len(faults) > 0 {
		return seeing.Invalid("nothing was passed on", faults...)
	}
	return nil
}

func under(field string) string {
	if field == "" {
		return ""
	}
	return "/" + field
}

// decodeLines are the operations of the lines of a pending change, in order, and where each
// stands in what was sent.
func decodeLines(lines []wire.PendingLine, zone *time.Location) (ops []change.Operation, places []string, faults []wire.Fault) {
	for i, l := range lines {
		for k, raw := range l.Operations {
			place := fmt.Sprintf("/lines/%d/operations/%d", i, k)
			op, wrong := decodeOne(raw, zone)
			for _, f := range wrong {
				faults = append(faults, decodeFault(place+under(f.Field), f))
			}
			ops, places = append(ops, op), append(places, place)
		}
	}
	return ops, places, faults
}

// pendingChange draws one for the caller.
func pendingChange(v *seeing.View, p *saved.PendingChange) wire.PendingChange {
	out := wire.PendingChange{ID: pendingChangeID(p.ID), Author: personRef(v, p.Author), Name: p.Name, Due: p.Due, Reason: p.Reason, Reference: p.Reference, State: string(p.State), Answer: p.Answer, Revision: p.Revision,
		Lines: []wire.PendingLine{}, Sentences: []string{}, CreatedAt: p.Created, EndedAt: p.Ended}
	if p.Receiver != 0 {
		to := personRef(v, p.Receiver)
		out.To = &to
	}
	if p.EndedBy != 0 {
		by := personRef(v, p.EndedBy)
		out.EndedBy = &by
	}
	if !p.State.Waits() {
		if p.Author == v.Caller.User {
			out.Sentences = p.Said
		}
		return out
	}
	_ = json.Unmarshal(p.Lines, &out.Lines) // written by AddPendingChange
	ops, _, _ := decodeLines(out.Lines, v.Zone())
	t := try(v, ops)
	if len(t.draft.Faults) > 0 {
		out.Trouble = t.draft.Faults[0].Message
		return out
	}
	out.Sentences = wordsOf(v, t)
	return out
}

// wordsOf says what was tried, in the words of the view's caller.
func wordsOf(v *seeing.View, t trial) []string {
	w := *v
	w.ShowChange(v.UncutToday(), &t.draft.Snapshot)
	out := []string{}
	for _, op := range t.ops {
		out = append(out, change.ToDo(op, w.Uncut(), &w))
	}
	return out
}

// personRef names whoever passed a change on, or is to make it, to the other one.
func personRef(v *seeing.View, id fact.UserID) wire.Ref {
	if u := v.UncutToday().User(id); u != nil {
		return seeing.RefTo(u)
	}
	return wire.Ref{Label: seeing.Outside}
}

// mayMake says whether a pending change waits for the caller.
func mayMake(v *seeing.View, p *saved.PendingChange) bool {
	switch {
	case p.State.Own():
		return p.Author == v.Caller.User
	case p.State != saved.PendingWaiting || p.Author == v.Caller.User:
		return false
	case p.Receiver != 0:
		return p.Receiver == v.Caller.User
	}
	var lines []wire.PendingLine
	_ = json.Unmarshal(p.Lines, &lines) // written by AddPendingChange
	ops, _, faults := decodeLines(lines, v.Zone())
	return len(faults) == 0 && v.Acts() && tryOn(v, v.UncutToday(), ops, v.Rights().May).by(v.Rights())
}

// PendingChanges are those that wait for the caller, and those they prepared.
func PendingChanges(ctx context.Context, d *seeing.Service, c seeing.Caller) (wire.PendingChangeList, error) {
	v := d.Now(ctx, c)
	out := wire.PendingChangeList{Basis: v.Basis(), ToMake: []wire.PendingChange{}, Mine: []wire.PendingChange{}}
	if c.User == 0 || d.Saved == nil {
		return out, nil
	}
	waiting, err := d.Saved.WaitingChanges(ctx)
	if err != nil {
		return out, database.Unavailable(err)
	}
	for i := range waiting {
		if mayMake(v, &waiting[i]) {
			out.ToMake = append(out.ToMake, pendingChange(v, &waiting[i]))
		}
	}
	out.ToMake = append(out.ToMake, removals(v)...)
	own, err := d.Saved.PendingChangesOf(ctx, c.User, d.Clock().Add(-saved.PendingShown))
	if err != nil {
		return out, database.Unavailable(err)
	}
	for i := range slices.Backward(own) {
		out.Mine = append(out.Mine, pendingChange(v, &own[i]))
	}
	return out, nil
}

// findPendingChange is one under its id that fits, or the answer for one that is not there.
func findPendingChange(v *seeing.View, given string, fits func(*saved.PendingChange) bool) (*saved.PendingChange, error) {
	missing := seeing.NotFound("no pending change “%s” waits for you", given)
	n, err := strconv.ParseInt(strings.TrimPrefix(given, "pending-change-"), 10, 64)
	if err != nil || v.Caller.User == 0 || v.Service.Saved == nil {
		return nil, missing
	}
	p, err := v.Service.Saved.PendingChange(v.Ctx, n)
	if err != nil {
		return nil, database.Unavailable(err)
	}
	if p == nil || !fits(p) {
		return nil, missing
	}
	return p, nil
}

// RefusePendingChange sends a pending change back to who passed it on, with why.
func RefusePendingChange(ctx context.Context, d *seeing.Service, c seeing.Caller, id, why string) error {
	v := d.Now(ctx, c)
	if strings.TrimSpace(why) == "" {
		return seeing.Invalid("nothing was refused", wire.Fault{Place: "/why", Message: "is missing: say why, for whoever passed it on"})
	}
	if p := findRemoval(v, id); p != nil {
		return settleRemoval(ctx, d, c, p, why)
	}
	p, err := findPendingChange(v, id, func(p *saved.PendingChange) bool { return mayMake(v, p) })
	if err != nil {
		return err
	}
	return endPendingChange(ctx, d, c, p, saved.PendingRefused, why)
}

// WithdrawPendingChange withdraws a change that the caller prepared.
func WithdrawPendingChange(ctx context.Context, d *seeing.Service, c seeing.Caller, id string) error {
	p, err := findPendingChange(d.Now(ctx, c), id, func(p *saved.PendingChange) bool { return p.Author == c.User && p.State.Waits() })
	if err != nil {
		return err
	}
	return endPendingChange(ctx, d, c, p, saved.PendingWithdrawn, "")
}

func endPendingChange(ctx context.Context, d *seeing.Service, c seeing.Caller, p *saved.PendingChange, state saved.PendingState, why string) error {
	ended, err := d.Saved.EndPendingChange(ctx, p.ID, state, c.User, strings.TrimSpace(why), 0)
	if err == nil && !ended {
		return seeing.Problem(seeing.KindConflict, 409, "Not waiting any more", "%s was ended meanwhile, or is being made at its date: look once more", pendingChangeID(p.ID))
	}
	return database.Unavailable(err)
}

// makes finds the pending changes a change says it makes; those the caller made before are
// let through, since a change may be sent twice.
//
// What a pending change asks for must be in the change, operation for operation: whoever passed it
// on is told that it was made.
//
// seconded says that all of the change was prepared by others who may make it too: two
// people stand behind it.
func makes(v *seeing.View, ids []string, made []json.RawMessage) (pending []int64, seconded bool, faults []wire.Fault, err error) {
	if len(ids) == 0 {
		return nil, false, nil, nil
	}
	seconded = true
	left := map[string]int{}
	for _, raw := range made {
		left[sameOperation(raw, v.Zone())]++
	}
	for i, id := range ids {
		if p := findRemoval(v, id); p != nil { // its own operation settles it
			seconded = false
			settle, _ := change.EncodeOperation(&review.SettlePendingRemoval{Removal: review.PendingRemovalRef(id)})
			if left[string(settle)] == 0 {
				faults = append(faults, wire.Fault{Place: fmt.Sprintf("/pending_changes/%d", i), Message: id + " is settled by an operation that is not in this change: make all of it, or refuse it"})
			}
			continue
		}
		p, err := findPendingChange(v, id, func(p *saved.PendingChange) bool {
			return mayMake(v, p) || p.State == saved.PendingMade && p.EndedBy == v.Caller.User
		})
		var none *wire.Problem
		switch {
		case errors.As(err, &none) && none.Status == 404:
			faults = append(faults, wire.Fault{Place: fmt.Sprintf("/pending_changes/%d", i), Message: none.Detail})
		case err != nil:
			return nil, false, nil, err
		case p.State == saved.PendingWaiting && !isIn(p, left, v.Zone()):
			faults = append(faults, wire.Fault{Place: fmt.Sprintf("/pending_changes/%d", i), Message: id + " has operations that are not in this change: make all of it, or refuse it"})
		default:
			pending = append(pending, p.ID)
			seconded = seconded && !p.State.Own() && couldMake(v, p)
		}
	}
	for _, n := range left {
		seconded = seconded && n == 0
	}
	return pending, seconded, faults, nil
}

// couldMake says whether whoever passed a change on could make it, but for the second
// person that it needs.
func couldMake(v *seeing.View, p *saved.PendingChange) bool {
	var lines []wire.PendingLine
	_ = json.Unmarshal(p.Lines, &lines) // written by AddPendingChange
	ops, _, faults := decodeLines(lines, v.Zone())
	return p.Author != v.Caller.User && len(faults) == 0 && v.UncutToday().MaySignIn(p.Author, v.At) && try(v, ops).by(change.AuthorityOf(v.UncutToday(), p.Author, v.At))
}

// isIn takes the operations of a pending change out of those that are made, and says whether all
// of them were there.
func isIn(p *saved.PendingChange, left map[string]int, zone *time.Location) bool {
	var lines []wire.PendingLine
	_ = json.Unmarshal(p.Lines, &lines) // written by AddPendingChange
	for _, l := range lines {
		for _, raw := range l.Operations {
			k := sameOperation(raw, zone)
			if left[k]--; left[k] < 0 {
				return false
			}
		}
	}
	return true
}

// sameOperation is equal for the same operation, however its JSON is written.
func sameOperation(raw json.RawMessage, zone *time.Location) string {
	op, faults := decodeOne(raw, zone)
	if len(faults) > 0 {
		return string(raw)
	}
	same, err := change.EncodeOperation(op)
	if err != nil {
		return string(raw)
	}
	return string(same)
}

// made ends the pending changes that a change made. The change stands whatever comes of
// this: one that could not be ended still waits, and is so already.
func made(ctx context.Context, d *seeing.Service, c seeing.Caller, pending []int64, out *wire.ChangeResult) {
	for _, id := range pending {
		if _, err := d.Saved.EndPendingChange(ctx, id, saved.PendingMade, c.User, "", out.Revision); err != nil {
			out.Notes = append(out.Notes, wire.Note{Code: "pending_change_waits", Message: "This was made, but " + pendingChangeID(id) + " could not be marked so: it still waits on Today."})
		}
	}
}
