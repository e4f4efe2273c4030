package questions

import (
	"cmp"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/ledger/past"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Past chooses revisions of the ledger.
type Past struct {
	User, Role, Group string    // only those that speak of this one
	Reference, Via    string    // only those that refer to this, that were made this way
	By                string    // only those made by this user
	Kinds             []string  // only those with an operation of one of these kinds
	From, Until       time.Time // only those made at this instant or later, and before this one
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
func History(ctx context.Context, d *seeing.Service, c seeing.Caller, q Past) (wire.RevisionList, error) {
	v := d.Now(ctx, c)
	out := wire.RevisionList{Basis: v.Basis(), Revisions: []wire.Revision{}}
	f := revisions.HistoryFilter{Number: q.Number, After: q.After, Operations: cmp.Or(q.Operations, mostListed)}
	for _, x := range []struct {
		given string
		kind  fact.FactKind
		find  func(string) (uint32, bool)
	}{
		{q.User, fact.FactUser, func(s string) (uint32, bool) { id, ok := v.Uncut().FindUser(s); return uint32(id), ok }},
		{q.Role, fact.FactRole, func(s string) (uint32, bool) { id, ok := v.Uncut().FindRole(s); return uint32(id), ok }},
		{q.Group, fact.FactGroup, func(s string) (uint32, bool) { id, ok := v.Uncut().FindGroup(s); return uint32(id), ok }},
	} {
		if x.given == "" {
			continue
		}
		row, ok := x.find(x.given)
		if !ok || !v.ReadsThing(x.kind, row) {
			return out, v.Missing(x.kind, x.given)
		}
		f.Subject = append(f.Subject, seeing.SubjectID(change.Subject{Kind: x.kind, Row: row}))
		if x.kind == fact.FactUser { // and of the records that were merged into it
			for _, id := range record.MergedFrom(v.Uncut(), fact.UserID(row)) {
				if v.ReadsUser(id) {
					f.Subject = append(f.Subject, seeing.SubjectID(change.Subject{Kind: fact.FactUser, Row: uint32(id)}))
				}
			}
		}
	}
	if q.By != "" {
		id, ok := v.Uncut().FindUser(q.By)
		if !ok || !v.ReadsUser(id) {
			return out, v.Missing(fact.FactUser, q.By)
		}
		f.Author = id
	}
	if faults := unknownKinds(q.Kinds); len(faults) > 0 {
		return out, seeing.Invalid("there is nothing of this kind", faults...)
	}
	if len(q.Kinds) > 0 && !v.SeesAll() {
		return out, seeing.Refused("you do not see all that a revision does, and so cannot choose revisions by it")
	}
	f.Reference, f.Via, f.Kinds = q.Reference, q.Via, q.Kinds
	if !q.From.IsZero() {
		f.From = calendar.At(q.From)
	}
	if !q.Until.IsZero() {
		f.Until = calendar.At(q.Until)
	}
	if f.Subject == nil && !v.ReadsLedger() {
		if q.Number != 0 {
			return out, seeing.NotFound("there is no revision %d", q.Number)
		}
		return out, seeing.Refused("the whole ledger is outside your part; ask for the history of one user you may see")
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
			return out, seeing.Invalid("the cursor is not one this service gave", wire.Fault{Place: "cursor", Message: "is malformed; begin again without one"})
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
		out.Revisions = append(out.Revisions, v.RevisionAnswer(r, f.Subject...))
	}
	if q.Number != 0 && len(out.Revisions) == 0 {
		return out, seeing.NotFound("there is no revision %d", q.Number)
	}
	return out, nil
}

// unknownKinds are the faults of kinds of operations that are none.
func unknownKinds(kinds []string) (out []wire.Fault) {
	all := change.Descriptors()
	for _, k := range kinds {
		if !slices.ContainsFunc(all, func(d *change.Descriptor) bool { return d.Verb == k }) {
			out = append(out, wire.Fault{Place: "kind", Message: fmt.Sprintf("“%s” is no kind of operation", k)})
		}
	}
	return out
}

// Head is the head of the ledger as it was at a revision, 0 for the newest; signed, where
// the service has a key. It needs "read" on the ledger.
func Head(ctx context.Context, d *seeing.Service, c seeing.Caller, revision int64) (wire.LedgerHead, error) {
	if v := d.Now(ctx, c); !v.ReadsLedger() {
		return wire.LedgerHead{}, seeing.Refused("the ledger is outside your part")
	}
	h, err := d.Ledger.HeadAt(ctx, revision)
	if errors.Is(err, past.ErrNoRevision) {
		return h, seeing.NotFound("there is no revision %d", revision)
	}
	if err != nil || d.SigningKey == nil {
		return h, err
	}
	return h.Sign(d.SigningKey)
}

// Verify begins to verify the whole ledger, unless that is under way, and says how far it
// is; it needs "read" on it.
func Verify(ctx context.Context, d *seeing.Service, c seeing.Caller) (wire.VerificationRun, error) {
	if v := d.Now(ctx, c); !v.ReadsLedger() {
		return wire.VerificationRun{}, seeing.Refused("the ledger is outside your part")
	}
	return verification(d.Ledger.StartVerifying())
}

// Verified is how far verifying is that was begun last.
func Verified(ctx context.Context, d *seeing.Service, c seeing.Caller) (wire.VerificationRun, error) {
	if v := d.Now(ctx, c); !v.ReadsLedger() {
		return wire.VerificationRun{}, seeing.Refused("the ledger is outside your part")
	}
	run, ok := d.Ledger.LastVerified()
	if !ok {
		return wire.VerificationRun{}, seeing.NotFound("this service has not verified the ledger since it was started")
	}
	return verification(run)
}

func verification(run ledger.VerifyRun) (wire.VerificationRun, error) {
	out := wire.VerificationRun{State: "running", Done: run.Done, Of: run.Of, Began: run.Began}
	if run.Running {
		return out, nil
	}
	if run.Err != nil {
		return out, run.Err
	}
	r := run.Result
	out.State, out.Ended = "ended", &run.Ended
	out.Result = &wire.Verification{Verified: r.First == 0, Revision: r.Revisions, Rows: r.Rows, Mended: r.Mended, Hash: r.Hash, First: r.First, Fault: r.Fault}
	return out, nil
}
