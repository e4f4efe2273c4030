package changing

import (
	"context"
	"encoding/json"
	"fmt"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/roles"
	"ableroster/internal/query"
	"ableroster/internal/review"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// removals are the pending changes that sign-offs of reviews left for the caller: roles that
// are held through a group or by a default rule, which a sign-off does not touch.
func removals(v *seeing.View) []wire.PendingChange {
	var out []wire.PendingChange
	var since []int64
	for _, p := range review.PendingRemovals(v.Uncut()) {
		if !p.Settled && v.ReadsPendingRemoval(p) {
			out, since = append(out, removal(v, p)), append(since, p.Since())
		}
	}
	if revs, err := v.Service.Ledger.Reasons(v.Ctx, since); err == nil { // else they have no day
		for i := range out {
			out[i].CreatedAt = revs[since[i]].At.Time()
		}
	}
	return out
}

// removal draws one: its operations take the user out of the group, and settle it. What a
// default rule gives is ended there, by whoever writes the rule; then it is settled.
func removal(v *seeing.View, p *review.PendingRemoval) wire.PendingChange {
	r := review.RoundOf(v.Uncut(), p.Round)
	w := *v
	w.Known = map[fact.UserID]bool{p.User: true}
	user, role := w.UserRef(p.User), w.RoleRef(p.Role, true)
	out := wire.PendingChange{ID: p.ID.String(), Author: v.UserRef(r.Opener), Round: &wire.Ref{ID: r.ID.String(), Key: r.Key, Label: r.Label},
		Reason: fmt.Sprintf("The review %s decided to revoke %s of %s", r.Label, role.Label, user.Label), State: "waiting",
		Lines: []wire.PendingLine{}, Sentences: []string{}}
	settle := change.Operation(&review.SettlePendingRemoval{Removal: review.PendingRemovalRef(p.ID.String())})
	ops := []change.Operation{settle}
	switch a := v.Uncut().Assignment(p.Assignment); {
	case !(&query.Still{S: v.Uncut(), From: v.At}).Holds(p.User, a):
		out.Sentences = []string{fmt.Sprintf("%s no longer holds %s that way: nothing is left to remove", user.Label, role.Label)}
	case p.Default != 0:
		out.Sentences = []string{fmt.Sprintf("Remove %s from %s", role.Label, user.Label)}
		out.Trouble = fmt.Sprintf("it comes by the default rule %s: edit the rule, or what it chooses by; then settle this", w.DefaultRef(p.Default).Label)
	case p.Group != 0:
		g := w.GroupRef(p.Group, true)
		out.Sentences = []string{fmt.Sprintf("Remove %s from the group %s, through which they hold %s", user.Label, g.Label, role.Label)}
		if !listedIn(v, p.User, p.Group) {
			out.Trouble = "they are no listed member of the group: edit its filter, or the groups in it; then settle this"
			break
		}
		ops = []change.Operation{&roles.RemoveMember{Group: change.GroupRef(p.Group.String()), User: change.UserRef(p.User.String())}, settle}
	}
	line := wire.PendingLine{Words: out.Sentences[0]}
	for _, op := range ops {
		raw, err := change.EncodeOperation(op)
		if err != nil {
			continue // an operation of references alone has JSON
		}
		line.Operations = append(line.Operations, json.RawMessage(raw))
	}
	out.Lines = append(out.Lines, line)
	return out
}

// listedIn says whether a user is a listed member of a group, not by a rule.
func listedIn(v *seeing.View, u fact.UserID, g fact.GroupID) bool {
	for _, m := range v.Uncut().MembershipsOf(fact.Member{User: u}) {
		if m.Group == g && m.ByHand() {
			return true
		}
	}
	return false
}

// findRemoval is one that waits for the caller, by its id.
func findRemoval(v *seeing.View, id string) *review.PendingRemoval {
	n, ok := fact.ParseID("pending-removal", id)
	p, _ := v.Uncut().RecordFact(review.FactPendingRemoval, n).(*review.PendingRemoval)
	if !ok || p == nil || p.Settled || !v.ReadsPendingRemoval(p) {
		return nil
	}
	return p
}

// settleRemoval ends one without making it; why is the reason of the change.
func settleRemoval(ctx context.Context, d *seeing.Service, c seeing.Caller, p *review.PendingRemoval, why string) error {
	raw, err := change.EncodeOperation(&review.SettlePendingRemoval{Removal: review.PendingRemovalRef(p.ID.String())})
	if err != nil {
		return err
	}
	_, err = Change(ctx, d, c, wire.ChangeRequest{Operations: []json.RawMessage{raw}, Reason: why}, How{})
	return err
}
