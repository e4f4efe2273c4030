package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/ledger"
	"ableroster/internal/saved"
	"ableroster/wire"
)

// mostPassedOn bounds the operations of a part: each list tries what waits.
const mostPassedOn = 200

func partID(n int64) string { return "part-" + strconv.FormatInt(n, 10) }

// PassOn passes a part of a change, which the caller may not make, on to who may.
func (d *Desk) PassOn(ctx context.Context, c Caller, in wire.PartRequest) (wire.Part, error) {
	if c.User == 0 || d.Saved == nil {
		return wire.Part{}, Refused("nobody passes nothing on")
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
		return wire.Part{}, Invalid("nothing was passed on", faults...)
	}
	t := v.try(ops)
	faults = v.faults(t.draft, func(f access.Fault) wire.Fault { return wire.Fault{Place: places[f.Operation] + under(f.Field)} })
	switch {
	case len(faults) > 0:
	case len(t.draft.Changes()) == 0:
		faults = append(faults, wire.Fault{Place: "/lines", Message: "all of this is so already"})
	case t.by(v.rights()) && !t.draft.NeedsSecond(c.User, v.at):
		faults = append(faults, wire.Fault{Place: "/lines", Message: "you may make all of this yourself"})
	}
	p := saved.Part{Author: c.User, Reason: strings.TrimSpace(in.Reason)}
	if in.To != "" {
		id, err := v.FindReadable(in.To)
		switch {
		case err != nil:
			faults = append(faults, wire.Fault{Place: "/to", Message: fmt.Sprintf("there is no user “%s”", in.To), DidYouMean: v.near(access.FactUser, in.To)})
		case len(faults) == 0 && !(v.today.MaySignIn(id, v.at) && t.by(v.today.Authority(id, v.at))):
			faults = append(faults, wire.Fault{Place: "/to", Message: v.UserName(id) + " may not make it either"})
		}
		p.Receiver = id
	}
	if len(faults) > 0 {
		return wire.Part{}, Invalid("nothing was passed on", faults...)
	}
	raw, err := json.Marshal(in.Lines)
	if err != nil {
		return wire.Part{}, err
	}
	p.Lines, p.Said = raw, v.wordsOf(t)
	for _, op := range t.ops {
		p.Subjects = append(p.Subjects, access.SubjectsOf(op)...)
	}
	switch err := d.Saved.PutPart(ctx, &p); {
	case errors.Is(err, saved.ErrTooMany):
		return wire.Part{}, Invalid("nothing was passed on", wire.Fault{Message: fmt.Sprintf("%d parts of yours wait already: withdraw one", saved.MostWaiting)})
	case err != nil:
		return wire.Part{}, ledger.Unavailable(err)
	}
	return v.part(&p), nil
}

func under(field string) string {
	if field == "" {
		return ""
	}
	return "/" + field
}

// decodeLines are the operations of the lines of a part, in order, and where each
// stands in what was sent.
func decodeLines(lines []wire.PartLine) (ops []access.Operation, places []string, faults []wire.Fault) {
	for i, l := range lines {
		for k, raw := range l.Operations {
			place := fmt.Sprintf("/lines/%d/operations/%d", i, k)
			op, wrong := access.DecodeOperation(raw)
			for _, f := range wrong {
				faults = append(faults, decodeFault(place+under(f.Field), f))
			}
			ops, places = append(ops, op), append(places, place)
		}
	}
	return ops, places, faults
}

// part draws one for the caller.
func (v *View) part(p *saved.Part) wire.Part {
	out := wire.Part{ID: partID(p.ID), Author: v.personRef(p.Author), Reason: p.Reason, State: string(p.State), Answer: p.Answer, Revision: p.Revision,
		Lines: []wire.PartLine{}, Sentences: []string{}, CreatedAt: p.Created, EndedAt: p.Ended}
	if p.Receiver != 0 {
		to := v.personRef(p.Receiver)
		out.To = &to
	}
	if p.EndedBy != 0 {
		by := v.personRef(p.EndedBy)
		out.EndedBy = &by
	}
	if p.State != saved.PartWaiting {
		if p.Author == v.caller.User {
			out.Sentences = p.Said
		}
		return out
	}
	_ = json.Unmarshal(p.Lines, &out.Lines) // written by PassOn
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

// personRef names whoever passed a part on, or is to make it, to the other one.
func (v *View) personRef(id access.UserID) wire.Ref {
	if u := v.today.User(id); u != nil {
		return wire.Ref{ID: id.String(), Key: u.UserName, Label: label(u)}
	}
	return wire.Ref{Label: Outside}
}

// mayMake says whether a part waits for the caller.
func (v *View) mayMake(p *saved.Part) bool {
	switch {
	case p.State != saved.PartWaiting || p.Author == v.caller.User:
		return false
	case p.Receiver != 0:
		return p.Receiver == v.caller.User
	}
	var lines []wire.PartLine
	_ = json.Unmarshal(p.Lines, &lines) // written by PassOn
	ops, _, faults := decodeLines(lines)
	return len(faults) == 0 && v.Acts() && v.tryOn(v.today, ops, v.rights().May).by(v.rights())
}

// Reads says whether the caller may read anything beside themselves.
func (v *View) Reads() bool { return len(v.rights().Reach(access.ActRead)) > 0 }

// Acts says whether the caller may change anything at all in Able Roster.
func (v *View) Acts() bool {
	return slices.ContainsFunc([]string{access.ActAssign, access.ActUpdate, access.ActCreate}, func(a string) bool { return len(v.rights().Reach(a)) > 0 })
}

// Parts are the parts that wait for the caller, and those they passed on.
func (d *Desk) Parts(ctx context.Context, c Caller) (wire.PartList, error) {
	v := d.Now(ctx, c)
	out := wire.PartList{Stand: v.stand(), ToMake: []wire.Part{}, Mine: []wire.Part{}}
	if c.User == 0 || d.Saved == nil {
		return out, nil
	}
	waiting, err := d.Saved.WaitingParts(ctx)
	if err != nil {
		return out, ledger.Unavailable(err)
	}
	for i := range waiting {
		if v.mayMake(&waiting[i]) {
			out.ToMake = append(out.ToMake, v.part(&waiting[i]))
		}
	}
	own, err := d.Saved.PartsOf(ctx, c.User, d.Clock().Add(-saved.PartShown))
	if err != nil {
		return out, ledger.Unavailable(err)
	}
	for i := range slices.Backward(own) {
		out.Mine = append(out.Mine, v.part(&own[i]))
	}
	return out, nil
}

// findPart is one under its id that fits, or the answer for one that is not there.
func (v *View) findPart(given string, fits func(*saved.Part) bool) (*saved.Part, error) {
	missing := notFound("there is no part “%s” that waits for you", given)
	n, err := strconv.ParseInt(strings.TrimPrefix(given, "part-"), 10, 64)
	if err != nil || v.caller.User == 0 || v.desk.Saved == nil {
		return nil, missing
	}
	p, err := v.desk.Saved.Part(v.ctx, n)
	if err != nil {
		return nil, ledger.Unavailable(err)
	}
	if p == nil || !fits(p) {
		return nil, missing
	}
	return p, nil
}

// RefusePart sends a part back to who passed it on, with why.
func (d *Desk) RefusePart(ctx context.Context, c Caller, part, why string) error {
	v := d.Now(ctx, c)
	if strings.TrimSpace(why) == "" {
		return Invalid("nothing was refused", wire.Fault{Place: "/why", Message: "is missing: say why, for whoever passed it on"})
	}
	p, err := v.findPart(part, v.mayMake)
	if err != nil {
		return err
	}
	return d.endPart(ctx, c, p, saved.PartRefused, why)
}

// WithdrawPart takes back a part that the caller passed on.
func (d *Desk) WithdrawPart(ctx context.Context, c Caller, part string) error {
	p, err := d.Now(ctx, c).findPart(part, func(p *saved.Part) bool { return p.Author == c.User && p.State == saved.PartWaiting })
	if err != nil {
		return err
	}
	return d.endPart(ctx, c, p, saved.PartWithdrawn, "")
}

func (d *Desk) endPart(ctx context.Context, c Caller, p *saved.Part, state saved.PartState, why string) error {
	ended, err := d.Saved.EndPart(ctx, p.ID, state, c.User, strings.TrimSpace(why), 0)
	if err == nil && !ended {
		return problem(KindConflict, 409, "Not waiting any more", "%s was ended meanwhile", partID(p.ID))
	}
	return ledger.Unavailable(err)
}

// makes finds the parts a change says it makes; those the caller made before are
// let through, since a change may be sent twice.
//
// What a part asks for must be in the change, operation for operation: whoever passed it
// on is told that it was made.
//
// seconded says that all of the change was prepared by others who may make it too: two
// people stand behind it.
func (v *View) makes(ids []string, made []json.RawMessage) (parts []int64, seconded bool, faults []wire.Fault, err error) {
	if len(ids) == 0 {
		return nil, false, nil, nil
	}
	seconded = true
	left := map[string]int{}
	for _, raw := range made {
		left[sameOperation(raw)]++
	}
	for i, id := range ids {
		p, err := v.findPart(id, func(p *saved.Part) bool {
			return v.mayMake(p) || p.State == saved.PartMade && p.EndedBy == v.caller.User
		})
		var none *wire.Problem
		switch {
		case errors.As(err, &none) && none.Status == 404:
			faults = append(faults, wire.Fault{Place: fmt.Sprintf("/parts/%d", i), Message: none.Detail})
		case err != nil:
			return nil, false, nil, err
		case p.State == saved.PartWaiting && !isIn(p, left):
			faults = append(faults, wire.Fault{Place: fmt.Sprintf("/parts/%d", i), Message: id + " asks for something that is not in this change: make all of it, or send it back"})
		default:
			parts = append(parts, p.ID)
			seconded = seconded && v.couldMake(p)
		}
	}
	for _, n := range left {
		seconded = seconded && n == 0
	}
	return parts, seconded, faults, nil
}

// couldMake says whether whoever passed a part on could make it, but for the second
// person that it needs.
func (v *View) couldMake(p *saved.Part) bool {
	var lines []wire.PartLine
	_ = json.Unmarshal(p.Lines, &lines) // written by PassOn
	ops, _, faults := decodeLines(lines)
	return p.Author != v.caller.User && len(faults) == 0 && v.today.MaySignIn(p.Author, v.at) && v.try(ops).by(v.today.Authority(p.Author, v.at))
}

// isIn takes the operations of a part out of those that are made, and says whether all
// of them were there.
func isIn(p *saved.Part, left map[string]int) bool {
	var lines []wire.PartLine
	_ = json.Unmarshal(p.Lines, &lines) // written by PassOn
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
	op, faults := access.DecodeOperation(raw)
	if len(faults) > 0 {
		return string(raw)
	}
	same, err := access.EncodeOperation(op)
	if err != nil {
		return string(raw)
	}
	return string(same)
}

// made ends the parts that a change made. The change stands whatever comes of
// this: a part that could not be ended still waits, and is so already.
func (d *Desk) made(ctx context.Context, c Caller, parts []int64, out *wire.ChangeResult) {
	for _, id := range parts {
		if _, err := d.Saved.EndPart(ctx, id, saved.PartMade, c.User, "", out.Revision); err != nil {
			out.Notes = append(out.Notes, wire.Note{Code: "part_waits", Message: "This was made, but " + partID(id) + " could not be marked so: it still waits on Today."})
		}
	}
}
