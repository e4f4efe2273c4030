package seeing

import (
	"slices"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/revisions"
	"ableroster/internal/operation/people"
	"ableroster/internal/request"
	"ableroster/internal/review"
	"ableroster/wire"
)

// RevisionAnswer shows a revision; with subjects only the operations that speak of
// one of them. Operations that name what the caller may not see are "outside
// your part".
func (v *View) RevisionAnswer(r revisions.Revision, subjects ...string) wire.Revision {
	out := wire.Revision{Revision: r.Revision, At: r.At.Time(), RecordedAt: r.Recorded.Time(), Claimed: r.Claimed,
		Via: r.Via, Reason: r.Reason, Reference: r.Reference, Hash: r.Hash, Sentences: []string{}}
	if r.Author != 0 {
		by := v.UserRef(r.Author)
		out.By = &by
	}
	if n, ok := fact.ParseID("user", r.Via); ok {
		out.Via = "account"
		if v.ReadsUser(fact.UserID(n)) {
			by := v.UserRef(fact.UserID(n))
			out.Account = &by
		}
	}
	hidden := false
	out.More = r.More
	speaks := func(op change.Operation) bool { return overlap(change.SubjectsOf(op), subjects) }
	all := len(subjects) == 0 || !slices.ContainsFunc(r.Operations, speaks) // see ledger.Filter
	for _, op := range r.Operations {
		if !all && !speaks(op) {
			continue
		}
		if !v.ReadsOperation(op) { // once: how many would tell something too
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

// ReadsOperation says whether the caller may know of all that an operation speaks of:
// of a decision on a request, and of a sign-off, also of what it gave and took; of a legal hold
// that is set or ended as whoever may read settings.
func (v *View) ReadsOperation(op change.Operation) bool {
	for _, id := range change.SubjectsOf(op) {
		if !v.ReadsID(id) {
			return false
		}
	}
	switch o := op.(type) {
	case *request.DecideRequest:
		n, _ := fact.ParseID("request", string(o.Request))
		r := request.RequestOf(v.today, request.RequestID(n))
		return r != nil && v.ReadsUser(r.Beneficiary) && v.ReadsRole(r.Role)
	case *review.SignOff:
		return v.ReadsLedger()
	case *people.SetLegalHold: // whom an inquiry is about is told to few
		return v.ReadsSettings() && v.ReadsID(string(o.User))
	case *people.EndLegalHold:
		return v.ReadsSettings() && v.ReadsID(string(o.User))
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

// ReadsID says whether the caller may know of a thing by its id.
func (v *View) ReadsID(id string) bool {
	for _, k := range []fact.FactKind{fact.FactUser, fact.FactGroup, fact.FactRole, fact.FactApplication} {
		if n, ok := fact.ParseID(string(k), id); ok {
			return v.ReadsThing(k, n)
		}
	}
	return true
}
