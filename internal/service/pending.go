package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/review"
	"ableroster/internal/saved"
	"ableroster/wire"
)

// mostPassedOn bounds the operations of a pending change: each list tries what waits.
const mostPassedOn = 200

func pendingChangeID(n int64) string { return "pending-change-" + strconv.FormatInt(n, 10) }

// AddPendingChange passes a part of a change, which the caller may not make, on to who may.
func (d *Service) AddPendingChange(ctx context.Context, c Caller, in wire.PendingChangeRequest) (wire.PendingChange, error) {
	if c.User == 0 || d.Saved == nil {
		return wire.PendingChange{}, Refused("nobody passes nothing on")
	}
	v := d.Now(ctx, c)
	ops, places, faults := decodeLines(in.Lines)
	if f := checkReason(in.Reason, false); f != nil {
		faults = append(faults, *f)
	}
	if len(ops) > mostPassedOn {
		faults = append(faults, wire.Fault{Place: "/lines", Message: fmt.Sprintf("has more than %d operations", mostPassedOn)})
	}
	if len(faults) > 0 {
		return wire.PendingChange{}, Invalid("nothing was passed on", faults...)
	}
	t := v.try(ops)
	faults = v.faults(t.draft, func(f change.Fault) wire.Fault { return wire.Fault{Place: places[f.Operation] + under(f.Field)} })
	switch {
	case len(faults) > 0:
	case len(t.draft.Changes()) == 0:
		faults = append(faults, wire.Fault{Place: "/lines", Message: "all of this is so already"})
	case t.by(v.rights()) && !t.draft.NeedsSecond(c.User, v.at):
		faults = append(faults, wire.Fault{Place: "/lines", Message: "you may make all of this yourself"})
	}
	p := saved.PendingChange{Author: c.User, Reason: strings.TrimSpace(in.Reason)}
	if in.To != "" {
		id, err := v.FindReadable(in.To)
		switch {
		case err != nil:
			faults = append(faults, wire.Fault{Place: "/to", Message: fmt.Sprintf("there is no user “%s”", in.To), DidYouMean: v.near(fact.FactUser, in.To)})
		case len(faults) == 0 && !(v.today.MaySignIn(id, v.at) && t.by(change.AuthorityOf(v.today, id, v.at))):
			faults = append(faults, wire.Fault{Place: "/to", Message: v.UserName(id) + " may not make it either"})
		}
		p.Receiver = id
	}
	if len(faults) > 0 {
		return wire.PendingChange{}, Invalid("nothing was passed on", faults...)
	}
	raw, err := json.Marshal(in.Lines)
	if err != nil {
		return wire.PendingChange{}, err
	}
	p.Lines, p.Said = raw, v.wordsOf(t)
	for _, op := range t.ops {
		p.Subjects = append(p.Subjects, change.SubjectsOf(op)...)
	}
	switch err := d.Saved.PutPendingChange(ctx, &p); {
	case errors.Is(err, saved.ErrTooMany):
		return wire.PendingChange{}, Invalid("nothing was passed on", wire.Fault{Message: fmt.Sprintf("%d pending changes of yours wait already: withdraw one", saved.MostWaiting)})
	case err != nil:
		return wire.PendingChange{}, ledger.Unavailable(err)
	}
	return v.pendingChange(&p), nil
}

func under(field string) string {
	if field == "" {
		return ""
	}
	return "/" + field
}

// decodeLines are the operations of the lines of a pending change, in order, and where each
// stands in what was sent.
func decodeLines(lines []wire.PendingLine) (ops []change.Operation, places []string, faults []wire.Fault) {
	for i, l := range lines {
		for k, raw := range l.Operations {
			place := fmt.Sprintf("/lines/%d/operations/%d", i, k)
			op, wrong := change.DecodeOperation(raw)
			for _, f := range wrong {
				faults = append(faults, decodeFault(place+under(f.Field), f))
			}
			ops, places = append(ops, op), append(places, place)
		}
	}
	return ops, places, faults
}

// pendingChange draws one for the caller.
func (v *View) pendingChange(p *saved.PendingChange) wire.PendingChange {
	out := wire.PendingChange{ID: pendingChangeID(p.ID), Author: v.personRef(p.Author), Reason: p.Reason, State: string(p.State), Answer: p.Answer, Revision: p.Revision,
		Lines: []wire.PendingLine{}, Sentences: []string{}, CreatedAt: p.Created, EndedAt: p.Ended}
	if p.Receiver != 0 {
		to := v.personRef(p.Receiver)
		out.To = &to
	}
	if p.EndedBy != 0 {
		by := v.personRef(p.EndedBy)
		out.EndedBy = &by
	}
	if p.State != saved.PendingWaiting {
		if p.Author == v.caller.User {
			out.Sentences = p.Said
		}
		return out
	}
	_ = json.Unmarshal(p.Lines, &out.Lines) // written by AddPendingChange
	ops, _, _ := decodeLines(out.Lines)
	t := v.try(ops)
	if len(t.draft.Faults) > 0 {
		out.Trouble = t.draft.Faults[0].Message
		return out
	}
	out.Sentences = v.wordsOf(t)
	return out
}

// wordsOf says what was tried, in the words of the view's caller.
func (v *View) wordsOf(t trial) []string {
	w := *v
	w.Snapshot, w.before = &t.draft.Snapshot, v.today
	w.today = w.Snapshot
	out := []string{}
	for _, op := range t.ops {
		out = append(out, op.Sentence(w.Snapshot, &w))
	}
	return out
}

// personRef names whoever passed a change on, or is to make it, to the other one.
func (v *View) personRef(id fact.UserID) wire.Ref {
	if u := v.today.User(id); u != nil {
		return wire.Ref{ID: id.String(), Key: u.UserName, Label: label(u)}
	}
	return wire.Ref{Label: Outside}
}

// mayMake says whether a pending change waits for the caller.
func (v *View) mayMake(p *saved.PendingChange) bool {
	switch {
	case p.State != saved.PendingWaiting || p.Author == v.caller.User:
		return false
	case p.Receiver != 0:
		return p.Receiver == v.caller.User
	}
	var lines []wire.PendingLine
	_ = json.Unmarshal(p.Lines, &lines) // written by AddPendingChange
	ops, _, faults := decodeLines(lines)
	return len(faults) == 0 && v.Acts() && v.tryOn(v.today, ops, v.rights().May).by(v.rights())
}

// Reads says whether the caller may read anything beside themselves.
func (v *View) Reads() bool { return len(v.rights().Reach(access.ActRead)) > 0 }

// Acts says whether the caller may change anything at all in Able Roster.
func (v *View) Acts() bool {
	return slices.ContainsFunc([]string{access.ActAssign, access.ActUpdate, access.ActCreate}, func(a string) bool { return len(v.rights().Reach(a)) > 0 })
}

// PendingChanges are those that wait for the caller, and those they passed on.
func (d *Service) PendingChanges(ctx context.Context, c Caller) (wire.PendingChangeList, error) {
	v := d.Now(ctx, c)
	out := wire.PendingChangeList{Basis: v.basis(), ToMake: []wire.PendingChange{}, Mine: []wire.PendingChange{}}
	if c.User == 0 || d.Saved == nil {
		return out, nil
	}
	waiting, err := d.Saved.WaitingChanges(ctx)
	if err != nil {
		return out, ledger.Unavailable(err)
	}
	for i := range waiting {
		if v.mayMake(&waiting[i]) {
			out.ToMake = append(out.ToMake, v.pendingChange(&waiting[i]))
		}
	}
	out.ToMake = append(out.ToMake, v.removals()...)
	own, err := d.Saved.PendingChangesOf(ctx, c.User, d.Clock().Add(-saved.PendingShown))
	if err != nil {
		return out, ledger.Unavailable(err)
	}
	for i := range slices.Backward(own) {
		out.Mine = append(out.Mine, v.pendingChange(&own[i]))
	}
	return out, nil
}

// findPendingChange is one under its id that fits, or the answer for one that is not there.
func (v *View) findPendingChange(given string, fits func(*saved.PendingChange) bool) (*saved.PendingChange, error) {
	missing := notFound("no pending change “%s” waits for you", given)
	n, err := strconv.ParseInt(strings.TrimPrefix(given, "pending-change-"), 10, 64)
	if err != nil || v.caller.User == 0 || v.service.Saved == nil {
		return nil, missing
	}
	p, err := v.service.Saved.PendingChange(v.ctx, n)
	if err != nil {
		return nil, ledger.Unavailable(err)
	}
	if p == nil || !fits(p) {
		return nil, missing
	}
	return p, nil
}

// RefusePendingChange sends a pending change back to who passed it on, with why.
func (d *Service) RefusePendingChange(ctx context.Context, c Caller, id, why string) error {
	v := d.Now(ctx, c)
	if strings.TrimSpace(why) == "" {
		return Invalid("nothing was refused", wire.Fault{Place: "/why", Message: "is missing: say why, for whoever passed it on"})
	}
	if p := v.findRemoval(id); p != nil {
		return d.settleRemoval(ctx, c, p, why)
	}
	p, err := v.findPendingChange(id, v.mayMake)
	if err != nil {
		return err
	}
	return d.endPendingChange(ctx, c, p, saved.PendingRefused, why)
}

// WithdrawPendingChange withdraws a change that the caller passed on.
func (d *Service) WithdrawPendingChange(ctx context.Context, c Caller, id string) error {
	p, err := d.Now(ctx, c).findPendingChange(id, func(p *saved.PendingChange) bool { return p.Author == c.User && p.State == saved.PendingWaiting })
	if err != nil {
		return err
	}
	return d.endPendingChange(ctx, c, p, saved.PendingWithdrawn, "")
}

func (d *Service) endPendingChange(ctx context.Context, c Caller, p *saved.PendingChange, state saved.PendingState, why string) error {
	ended, err := d.Saved.EndPendingChange(ctx, p.ID, state, c.User, strings.TrimSpace(why), 0)
	if err == nil && !ended {
		return problem(KindConflict, 409, "Not waiting any more", "%s was ended meanwhile", pendingChangeID(p.ID))
	}
	return ledger.Unavailable(err)
}

// makes finds the pending changes a change says it makes; those the caller made before are
// let through, since a change may be sent twice.
//
// What a pending change asks for must be in the change, operation for operation: whoever passed it
// on is told that it was made.
//
// seconded says that all of the change was prepared by others who may make it too: two
// people stand behind it.
func (v *View) makes(ids []string, made []json.RawMessage) (pending []int64, seconded bool, faults []wire.Fault, err error) {
	if len(ids) == 0 {
		return nil, false, nil, nil
	}
	seconded = true
	left := map[string]int{}
	for _, raw := range made {
		left[sameOperation(raw)]++
	}
	for i, id := range ids {
		if p := v.findRemoval(id); p != nil { // its own operation settles it
			seconded = false
			settle, _ := change.EncodeOperation(&review.SettlePendingRemoval{Removal: review.PendingRemovalRef(id)})
			if left[string(settle)] == 0 {
				faults = append(faults, wire.Fault{Place: fmt.Sprintf("/pending_changes/%d", i), Message: id + " is settled by an operation that is not in this change: make all of it, or refuse it"})
			}
			continue
		}
		p, err := v.findPendingChange(id, func(p *saved.PendingChange) bool {
			return v.mayMake(p) || p.State == saved.PendingMade && p.EndedBy == v.caller.User
		})
		var none *wire.Problem
		switch {
		case errors.As(err, &none) && none.Status == 404:
			faults = append(faults, wire.Fault{Place: fmt.Sprintf("/pending_changes/%d", i), Message: none.Detail})
		case err != nil:
			return nil, false, nil, err
		case p.State == saved.PendingWaiting && !isIn(p, left):
			faults = append(faults, wire.Fault{Place: fmt.Sprintf("/pending_changes/%d", i), Message: id + " has operations that are not in this change: make all of it, or refuse it"})
		default:
			pending = append(pending, p.ID)
			seconded = seconded && v.couldMake(p)
		}
	}
	for _, n := range left {
		seconded = seconded && n == 0
	}
	return pending, seconded, faults, nil
}

// couldMake says whether whoever passed a change on could make it, but for the second
// person that it needs.
func (v *View) couldMake(p *saved.PendingChange) bool {
	var lines []wire.PendingLine
	_ = json.Unmarshal(p.Lines, &lines) // written by AddPendingChange
	ops, _, faults := decodeLines(lines)
	return p.Author != v.caller.User && len(faults) == 0 && v.today.MaySignIn(p.Author, v.at) && v.try(ops).by(change.AuthorityOf(v.today, p.Author, v.at))
}

// isIn takes the operations of a pending change out of those that are made, and says whether all
// of them were there.
func isIn(p *saved.PendingChange, left map[string]int) bool {
	var lines []wire.PendingLine
	_ = json.Unmarshal(p.Lines, &lines) // written by AddPendingChange
	for _, l := range lines {
		for _, raw := range l.Operations {
			k := sameOperation(raw)
			if left[k]--; left[k] < 0 {
				return false
			}
		}
	}
	return true
}

// sameOperation is equal for the same operation, however its JSON is written.
func sameOperation(raw json.RawMessage) string {
	op, faults := change.DecodeOperation(raw)
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
func (d *Service) made(ctx context.Context, c Caller, pending []int64, out *wire.ChangeResult) {
	for _, id := range pending {
		if _, err := d.Saved.EndPendingChange(ctx, id, saved.PendingMade, c.User, "", out.Revision); err != nil {
			out.Notes = append(out.Notes, wire.Note{Code: "pending_change_waits", Message: "This was made, but " + pendingChangeID(id) + " could not be marked so: it still waits on Today."})
		}
	}
}
