package service

import (
	"strings"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation"
	"ableroster/internal/request"
	"ableroster/wire"
)

// Owned is what a user answers for, of what the caller may read: what is to be
// handed over when they depart.
func (v *View) Owned(id fact.UserID) wire.Owned {
	out := wire.Owned{Basis: v.basis(), Applications: []wire.Ref{}, Roles: []wire.Ref{}, Groups: []wire.Ref{}, Expectations: []wire.Ref{}, People: []wire.Ref{}}
	for a := range v.Snapshot.Applications() {
		if a.Owner == id && v.readsApplication(a.ID) {
			out.Applications = append(out.Applications, v.applicationRef(a.ID, false))
		}
	}
	for r := range v.Snapshot.Roles() {
		if r.Owner == id && !r.Retired && v.readsRole(r.ID) {
			out.Roles = append(out.Roles, v.roleRef(r.ID, false))
		}
	}
	for g := range v.Snapshot.Groups() {
		if g.Owner == id && v.readsGroup(g.ID) {
			out.Groups = append(out.Groups, v.groupRef(g.ID, false))
		}
	}
	for _, f := range v.Snapshot.Expectations() {
		if f.Owner == id && !f.Ended && v.readsSettings() {
			out.Expectations = append(out.Expectations, wire.Ref{ID: f.ID.String(), Key: f.Key, Label: f.Label})
		}
	}
	for u := range v.Snapshot.Users() {
		if u.Manager == id && u.Status != fact.Departed && v.readsUser(u.ID) {
			out.People = append(out.People, v.userRef(u.ID))
		}
	}
	for _, r := range request.Requests(v.Snapshot) {
		if r.State == request.Waiting && r.Beneficiary == id && v.readsRequest(r) {
			out.Waiting++
		}
	}
	return out
}

// FindReadable finds a user the caller may read.
func (v *View) FindReadable(ref string) (fact.UserID, error) {
	id, ok := v.FindUser(ref)
	if !ok || !v.readsUser(id) {
		return 0, v.missing(fact.FactUser, ref)
	}
	return id, nil
}

// handOver says, of whoever departs by a change, what they answered for: it has
// nobody now, but for what the change itself hands over.
func (v *View) handOver(ops []change.Operation) []wire.Note {
	var out []wire.Note
	for i, op := range ops {
		o, ok := op.(*operation.UpdateUser)
		if !ok || o.Status == nil || *o.Status != fact.Departed {
			continue
		}
		id, ok := v.FindUser(string(o.User))
		if !ok || !v.readsUser(id) {
			continue
		}
		var words []string
		left := v.Owned(id)
		for _, x := range []struct {
			what string
			all  []wire.Ref
		}{{"application", left.Applications}, {"role", left.Roles}, {"group", left.Groups}, {"expectation", left.Expectations}} {
			for _, r := range x.all {
				words = append(words, "the "+x.what+" "+r.Label)
			}
		}
		if n := len(left.People); n > 0 {
			words = append(words, fact.Count(n, "user")+" as manager")
		}
		if left.Waiting > 0 {
			words = append(words, fact.Count(left.Waiting, "request")+" that waits for a role")
		}
		if len(words) > 0 {
			out = append(out, wire.Note{Operation: i, Code: "to_hand_over", Message: v.UserName(id) + " leaves behind: " + strings.Join(words, ", ") + "."})
		}
	}
	return out
}
