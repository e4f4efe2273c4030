package lists

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/record"
	"ableroster/internal/request"
	"ableroster/internal/review"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Owned is what a user answers for, of what the caller may read: what is to be
// handed over when they depart.
func Owned(v *seeing.View, id fact.UserID) wire.Owned {
	out := wire.Owned{Basis: v.Basis(), Applications: []wire.Ref{}, Roles: []wire.Ref{}, Groups: []wire.Ref{}, Expectations: []wire.Ref{}, People: []wire.Ref{},
		Units: []wire.Ref{}, Defaults: []wire.Ref{}, Machines: []wire.Ref{}, Routes: []wire.Ref{}, Reviews: []wire.Ref{}, Shared: []wire.Ref{}, Rules: []wire.Ref{}, StandsInFor: []wire.Ref{}}
	for a := range v.Uncut().Applications() {
		if a.Owner == id && v.ReadsApplication(a.ID) {
			out.Applications = append(out.Applications, v.ApplicationRef(a.ID, false))
		}
	}
	for r := range v.Uncut().Roles() {
		if r.Owner == id && !r.Retired && v.ReadsRole(r.ID) {
			out.Roles = append(out.Roles, v.RoleRef(r.ID, false))
		}
	}
	for g := range v.Uncut().Groups() {
		if g.Owner == id && v.ReadsGroup(g.ID) {
			out.Groups = append(out.Groups, v.GroupRef(g.ID, false))
		}
	}
	for _, f := range record.Expectations(v.Uncut()) {
		if f.Owner == id && !f.Ended && v.ReadsSettings() {
			out.Expectations = append(out.Expectations, wire.Ref{ID: f.ID.String(), Key: f.Key, Label: f.Label})
		}
	}
	for _, f := range record.Defaults(v.Uncut()) {
		if f.Owner == id && !f.Ended && v.ReadsSettings() {
			out.Defaults = append(out.Defaults, wire.Ref{ID: f.ID.String(), Key: f.Key, Label: f.Label})
		}
	}
	for u := range v.Uncut().Users() {
		if u.Manager == id && u.Status != fact.Departed && v.ReadsUser(u.ID) {
			out.People = append(out.People, v.UserRef(u.ID))
		}
	}
	for _, f := range v.Uncut().Units() {
		if f.Head == id && !f.Ended && v.ReadsUnit(f.Path) {
			out.Units = append(out.Units, wire.Ref{ID: f.ID.String(), Key: f.Path, Label: f.Label})
		}
	}
	for _, f := range record.AccountableFor(v.Uncut(), id) {
		if v.ReadsUser(f.User) {
			out.Machines = append(out.Machines, v.UserRef(f.User))
		}
	}
	for _, f := range request.Routes(v.Uncut()) {
		if v.ReadsSettings() && slices.ContainsFunc(f.Steps, func(s request.Step) bool { return slices.Contains(s.Users, id) }) {
			out.Routes = append(out.Routes, wire.Ref{ID: f.ID.String(), Key: f.Key, Label: f.Label})
		}
	}
	for _, r := range review.Rounds(v.Uncut()) {
		if r.State == review.Open && (r.Opener == id || slices.Contains(r.Named, id)) && v.Rights().May(access.ActRead, "reviews") {
			out.Reviews = append(out.Reviews, wire.Ref{ID: r.ID.String(), Key: r.Key, Label: r.Label})
		}
	}
	for _, f := range record.KeptBy(v.Uncut(), id) {
		if v.ReadsUser(f.User) {
			out.Shared = append(out.Shared, v.UserRef(f.User))
		}
	}
	if v.ReadsSettings() {
		for _, f := range record.SponsoredBySignUp(v.Uncut(), id) {
			out.Rules = append(out.Rules, wire.Ref{ID: f.ID.String(), Key: f.Domain, Label: f.Domain})
		}
		for _, f := range record.SponsoredByTeamRule(v.Uncut(), id) {
			out.Rules = append(out.Rules, wire.Ref{ID: f.ID.String(), Key: f.Key, Label: f.Label})
		}
	}
	for _, of := range held.EverStandsInFor(v.Uncut(), id, v.At) {
		if v.ReadsUser(of) {
			out.StandsInFor = append(out.StandsInFor, v.UserRef(of))
		}
	}
	for _, r := range request.Requests(v.Uncut()) {
		if v.ReadsRequest(r) && slices.Contains(r.Deciders(v.Uncut(), v.At), id) {
			out.Deciding++
		}
		if r.State == request.Waiting && r.Beneficiary == id && v.ReadsRequest(r) {
			out.Waiting++
		}
	}
	return out
}

// FindReadable finds a user the caller may read.
func FindReadable(v *seeing.View, ref string) (fact.UserID, error) {
	id, ok := v.Uncut().FindUser(ref)
	if !ok || !v.ReadsUser(id) {
		return 0, v.Missing(fact.FactUser, ref)
	}
	return id, nil
}
