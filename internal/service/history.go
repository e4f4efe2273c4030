package service

import (
	"cmp"
	"context"
	"encoding/base64"
	"slices"
	"strconv"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/request"
	"ableroster/internal/review"
	"ableroster/wire"
)

// Past chooses revisions of the ledger.
type Past struct {
	User, Role, Group string // only those that speak of this one
	AsOf              time.Time
	Cursor            string
	Limit             int
	Number            int64
	After, Operations int // of each revision, so many operations after the first so many; mostListed by default
}

// mostListed is how many operations of a revision a list tells.
const mostListed = 25

// History are revisions the caller may read, newest first. The whole ledger
// needs "read" on it; the history of one user only "read" on them.
func (d *Service) History(ctx context.Context, c Caller, q Past) (wire.RevisionList, error) {
	v := d.Now(ctx, c)
	out := wire.RevisionList{Basis: v.basis(), Revisions: []wire.Revision{}}
	f := ledger.HistoryFilter{Number: q.Number, After: q.After, Operations: cmp.Or(q.Operations, mostListed)}
	for _, x := range []struct {
		given string
		kind  fact.FactKind
		find  func(string) (uint32, bool)
	}{
		{q.User, fact.FactUser, func(s string) (uint32, bool) { id, ok := v.FindUser(s); return uint32(id), ok }},
		{q.Role, fact.FactRole, func(s string) (uint32, bool) { id, ok := v.FindRole(s); return uint32(id), ok }},
		{q.Group, fact.FactGroup, func(s string) (uint32, bool) { id, ok := v.FindGroup(s); return uint32(id), ok }},
	} {
		if x.given == "" {
			continue
		}
		row, ok := x.find(x.given)
		if !ok || !v.reads(x.kind, row) {
			return out, v.missing(x.kind, x.given)
		}
		f.Subject = append(f.Subject, subjectID(change.Subject{Kind: x.kind, Row: row}))
	}
	if f.Subject == nil && !v.readsLedger() {
		if q.Number != 0 {
			return out, notFound("there is no revision %d", q.Number)
		}
		return out, Refused("the whole ledger is outside your part; ask for the history of one user you may see")
	}
	if !q.AsOf.IsZero() {
		n, _, err := d.Ledger.RevisionAt(ctx, calendar.At(q.AsOf))
		if err != nil {
			return out, err
		}
		f.AtMost = n
		out.Revision, out.At, out.AsOf = n, q.AsOf.UTC(), true
	}
	if q.Cursor != "" {
		raw, err := base64.RawURLEncoding.DecodeString(q.Cursor)
		if err == nil {
			f.Before, err = strconv.ParseInt(string(raw), 10, 64)
		}
		if err != nil || f.Before < 1 {
			return out, Invalid("the cursor is not one this service gave", wire.Fault{Place: "cursor", Message: "is malformed; begin again without one"})
		}
	}
	if q.Limit <= 0 {
		q.Limit = 50
	}
	revs, err := d.Ledger.History(ctx, f, q.Limit+1)
	if err != nil {
		return out, err
	}
	if len(revs) > q.Limit {
		revs = revs[:q.Limit]
		out.Next = base64.RawURLEncoding.EncodeToString([]byte(strconv.FormatInt(revs[q.Limit-1].Revision, 10)))
	}
	for _, r := range revs {
		out.Revisions = append(out.Revisions, v.revision(r, f.Subject...))
	}
	if q.Number != 0 && len(out.Revisions) == 0 {
		return out, notFound("there is no revision %d", q.Number)
	}
	return out, nil
}

// revision shows a revision; with subjects only the operations that speak of
// one of them. Operations that name what the caller may not see are "outside
// your part".
func (v *View) revision(r ledger.Revision, subjects ...string) wire.Revision {
	out := wire.Revision{Revision: r.Revision, At: r.At.Time(), RecordedAt: r.Recorded.Time(), Claimed: r.Claimed,
		Via: r.Via, Reason: r.Reason, Hash: r.Hash, Sentences: []string{}}
	if r.Author != 0 {
		by := v.userRef(r.Author)
		out.By = &by
	}
	hidden := false
	out.More = r.More
	speaks := func(op change.Operation) bool { return overlap(change.SubjectsOf(op), subjects) }
	all := len(subjects) == 0 || !slices.ContainsFunc(r.Operations, speaks) // see ledger.Filter
	for _, op := range r.Operations {
		if !all && !speaks(op) {
			continue
		}
		if !v.readsOperation(op) { // once: how many would tell something too
			hidden = true
			continue
		}
		out.Sentences = append(out.Sentences, op.Sentence(v.today, v))
		if raw, err := change.EncodeOperation(op); err == nil {
			out.Operations = append(out.Operations, raw)
		}
	}
	if hidden {
		out.Sentences = append(out.Sentences, "Something "+Outside)
	}
	return out
}

// readsOperation says whether the caller may know of all that an operation speaks of:
// of a decision on a request, and of a sign-off, also of what it gave and took.
func (v *View) readsOperation(op change.Operation) bool {
	for _, id := range change.SubjectsOf(op) {
		if !v.readsID(id) {
			return false
		}
	}
	switch o := op.(type) {
	case *request.DecideRequest:
		n, _ := fact.ParseID("request", string(o.Request))
		r := request.RequestOf(v.today, request.RequestID(n))
		return r != nil && v.readsUser(r.Beneficiary) && v.readsRole(r.Role)
	case *review.SignOff:
		return v.readsLedger()
	}
	return true
}

func overlap(a, b []string) bool {
	for _, x := range a {
		for _, y := range b {
			if x == y {
				return true
			}
		}
	}
	return false
}

// readsID says whether the caller may know of a thing by its id.
func (v *View) readsID(id string) bool {
	for _, k := range []fact.FactKind{fact.FactUser, fact.FactGroup, fact.FactRole, fact.FactApplication} {
		if n, ok := fact.ParseID(string(k), id); ok {
			return v.reads(k, n)
		}
	}
	return true
}

// Verify verifies the whole ledger; it needs "read" on it.
func (d *Service) Verify(ctx context.Context, c Caller) (wire.Verification, error) {
	if v := d.Now(ctx, c); !v.readsLedger() {
		return wire.Verification{}, Refused("the ledger is outside your part")
	}
	r, err := d.Ledger.Verify(ctx)
	return wire.Verification{Verified: r.First == 0, Revision: r.Revisions, Hash: r.Hash, First: r.First, Fault: r.Fault}, err
}
