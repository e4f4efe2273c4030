package service

import (
	"context"
	"fmt"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/operation"
	"ableroster/internal/patterns"
	"ableroster/wire"
)

// UserRef names a user within what the caller may see.
func (v *View) UserRef(id fact.UserID) wire.Ref { return v.userRef(id) }

// Me is who the caller is and what the console may offer them.
func (v *View) Me() wire.Me {
	o := v.Organisation()
	out := wire.Me{User: v.userRef(v.caller.User), Zone: o.TimeZone, Name: o.Name, Now: v.at.Time(), Revision: v.Revision, May: map[string]bool{}}
	if v.rights().May(access.ActUpdate, "settings") {
		out.Second = &wire.SecondPerson{OwnGains: o.Second.OwnGains, HighRisk: o.Second.HighRisk, Safeguards: o.Second.Safeguards}
	}
	if o.SignIn != 0 {
		g := v.groupRef(o.SignIn, false)
		out.SignIn = &g
	}
	for _, a := range []string{access.ActRead, access.ActCreate, access.ActUpdate, access.ActAssign} {
		reach := v.rights().Reach(a)
		for _, register := range []string{"users", "groups", "applications", "roles", "ledger", "settings", "reviews"} {
			for _, p := range reach {
				// anywhere in that register, or in all of it
				if patterns.Covers(p.Pattern, register) || patterns.Covers(register, p.Pattern) {
					out.May[register+"."+a] = true
				}
			}
		}
	}
	if revs, err := v.service.Ledger.Reasons(v.ctx, []int64{1}); err == nil {
		if r, ok := revs[1]; ok {
			out.Since = instant(r.At)
		}
	}
	return out
}

// IDOf is the user a reference is to, or 0.
func (v *View) IDOf(r wire.Ref) fact.UserID {
	n, _ := fact.ParseID("user", r.ID)
	return fact.UserID(n)
}

// SignInFor finds a user whom the caller may help to sign in, by a link or, for a
// machine account, a token: they need "update" there, and must hold all that the user
// may do to others, now or later, for they could then act as them. powers are the texts
// of that.
func (v *View) SignInFor(ref string) (id fact.UserID, powers []string, err error) {
	id, ok := v.FindUser(ref)
	if !ok || !v.readsUser(id) {
		return 0, nil, v.missing(fact.FactUser, ref)
	}
	if id == v.caller.User {
		return 0, nil, Refused("you are signed in already: change your password under your own name")
	}
	if !v.rights().May(access.ActUpdate, v.UserPath(id)) {
		return 0, nil, Refused("you may not update %s", v.UserName(id))
	}
	for _, p := range change.Powers(v.today, id, v.at) {
		if !v.rights().Covers(p) {
			return 0, nil, Refused("%s has rights in Able Roster, or decides on requests, now or later, that you do not: somebody who has them must help", v.UserName(id))
		}
		powers = append(powers, p.Text)
	}
	return id, powers, nil
}

// Standing is what users and makers of their passwords hold, by today's facts.
type Standing struct{ *Service }

// Revision implements signin.Standing.
func (s Standing) Revision() int64 { return s.Ledger.Head().Revision }

// Powers implements signin.Standing.
func (s Standing) Powers(user, other fact.UserID) (all, lacking []string) {
	head, at := s.Ledger.Head(), calendar.At(s.Clock())
	rights := change.AuthorityOf(head, other, at)
	for _, p := range change.Powers(head, user, at) {
		all = append(all, p.Text)
		if !rights.Covers(p) {
			lacking = append(lacking, p.Text)
		}
	}
	return all, lacking
}

// AdministratorRole is the role made for the first administrator.
const AdministratorRole = "access-administrator"

func administratorOperations(key string) []change.Operation {
	return []change.Operation{
		&operation.AddRole{Key: key, Label: "Access administrator",
			Description: "May see and change everything in Able Roster."},
		&operation.AddPermission{Role: change.RoleRef(key), Application: "able-roster", Actions: []string{fact.AllActions}, Pattern: patterns.Root},
	}
}

// SetUp makes the first revision: the organisation, its first user, and the
// role that lets them administer. It commits only onto an empty ledger.
func (d *Service) SetUp(ctx context.Context, in wire.SetUpRequest) (wire.ChangeResult, fact.UserID, error) {
	ops := append([]change.Operation{
		&operation.SetOrganisation{Name: in.Organisation, TimeZone: in.TimeZone},
		&operation.AddUser{Personal: fact.Personal{UserName: in.UserName, DisplayName: in.DisplayName}},
	}, administratorOperations(AdministratorRole)...)
	ops = append(ops, &operation.Grant{Role: AdministratorRole, User: change.UserRef(in.UserName)})
	fields := []string{"/organisation or /time_zone", "/user_name", "/", "/", "/"}
	done, err := d.Ledger.Commit(ctx, &ledger.Change{Via: "set-up", Reason: "Setting up", Operations: ops},
		func(draft *change.Draft, _ calendar.Instant) error {
			if draft.Base().Revision != 0 {
				return Refused("Able Roster has been set up already")
			}
			var out []wire.Fault
			for _, f := range draft.Faults {
				out = append(out, wire.Fault{Place: fields[f.Operation], Message: f.Message})
			}
			if len(out) > 0 {
				return Invalid("nothing was set up", out...)
			}
			return nil
		})
	if err != nil {
		return wire.ChangeResult{}, 0, err
	}
	id, _ := done.Draft.FindUser(in.UserName)
	return wire.ChangeResult{Revision: done.Revision, At: instant(done.At), Sentences: []string{"Able Roster is set up"}}, id, nil
}

// Recover makes a user an administrator again, from the host: the recorded way
// back in. The user is made active, without an end date, and given the role.
func (d *Service) Recover(ctx context.Context, user string) (wire.ChangeResult, fact.UserID, error) {
	head := d.Ledger.Head()
	id, ok := head.FindUser(user)
	if !ok {
		return wire.ChangeResult{}, 0, notFound("there is no user “%s”", user)
	}
	var ops []change.Operation
	// The usual role, or one like it where that was retired: a key is never
	// used twice. A permission it has lost is put back.
	key := AdministratorRole
	for n := 2; ; n++ {
		role, found := head.FindRole(key)
		if !found {
			ops = append(ops, administratorOperations(key)...)
			break
		}
		if !head.Role(role).Retired {
			ops = append(ops, administratorOperations(key)[1:]...)
			break
		}
		key = fmt.Sprintf("%s-%d", AdministratorRole, n)
	}
	if head.Organisation().SignIn != 0 {
		ops = append(ops, &operation.SetSignIn{})
	}
	active, none := fact.Active, calendar.Date(0)
	ops = append(ops, &operation.UpdateUser{User: change.UserRef(id.String()), Status: &active, UserEdits: fact.UserEdits{Start: &none, End: &none}},
		&operation.Grant{Role: change.RoleRef(key), User: change.UserRef(id.String())})
	done, err := d.Ledger.Commit(ctx, &ledger.Change{Via: "recovery on the host", Reason: "Recovery of administration on the host", Operations: ops},
		func(draft *change.Draft, _ calendar.Instant) error {
			if len(draft.Faults) > 0 {
				return Invalid("nothing was changed", wire.Fault{Place: "/", Message: draft.Faults[0].Error()})
			}
			return nil
		})
	return wire.ChangeResult{Revision: done.Revision, Unchanged: done.Unchanged}, id, err
}
