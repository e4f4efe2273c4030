package people

import (
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

// succeed has somebody else answer for what whoever departs is accountable for: their manager,
// or else the head of their unit; and own the teams that they owned. Where there is neither, a machine account is left to those
// that are left; whoever they sponsored is suspended, since nobody sponsors them; and nobody who needs a
// sponsor signs up by a rule that names none.
func succeed(d *change.Draft, u *fact.User) {
	succeedAsSubstitute(d, u.ID, 0, nil)
	if f := d.Substitutes(u.ID); len(f.Listed()) > 0 {
		d.Put(&fact.Substitutes{User: u.ID, Made: f.Made})
	}
	accounts, sponsored, rules, kept := record.AccountableFor(&d.Snapshot, u.ID), d.Sponsored(u.ID), record.SponsoredBySignUp(&d.Snapshot, u.ID), record.KeptBy(&d.Snapshot, u.ID)
	teams := record.SponsoredByTeamRule(&d.Snapshot, u.ID)
	var owned []*fact.Group
	for _, t := range record.TeamsOf(&d.Snapshot, u.ID) {
		if !t.Ended {
			owned = append(owned, d.Group(t.Group))
		}
	}
	if len(accounts)+len(sponsored)+len(rules)+len(kept)+len(owned)+len(teams) == 0 {
		return
	}
	to := u.Manager
	if m := d.User(to); m == nil || m.Status == fact.Departed || m.UserKind != fact.Person {
		to = d.HeadOf(u.Unit, u.ID)
	}
	if m := d.User(to); m == nil || m.Status == fact.Departed {
		to = 0
	}
	for _, f := range accounts {
		d.Put(f.Succeeded(u.ID, to))
	}
	for _, f := range kept {
		b := *f
		b.Custodian = to
		d.Put(&b)
	}
	for _, f := range teams {
		b := *f
		if b.Sponsor = to; to != 0 && external(d, d.User(to)) {
			b.Sponsor = 0
		}
		d.Put(&b)
	}
	for _, g := range owned {
		b := *g
		b.Owner = to
		d.Put(&b)
	}
	for _, f := range rules {
		b := *f
		if b.Sponsor = to; to != 0 && external(d, d.User(to)) {
			b.Sponsor = 0
		}
		d.Put(&b)
	}
	for _, x := range sponsored {
		b := *x
		if s := d.User(to); s != nil && s.ID != b.ID && !external(d, s) {
			b.Manager = to
		} else if b.Status != fact.Suspended {
			b.Status = fact.Suspended
		}
		d.Put(&b)
	}
}

func external(d *change.Draft, u *fact.User) bool {
	t := d.EmploymentTypeOf(u)
	return t != nil && t.External
}
