package desk

import (
	"context"
	"fmt"

	"ableroster/internal/access"
	"ableroster/internal/ledger"
	"ableroster/wire"
)

// UserRef names a user within what the caller may see.
func (v *View) UserRef(id access.UserID) wire.Ref { return v.userRef(id) }

// Me is who the caller is and what the console may offer them.
func (v *View) Me() wire.Me {
	o := v.Organisation()
	out := wire.Me{User: v.userRef(v.caller.User), Zone: o.TimeZone, Name: o.Name, Now: v.at.Time(), Revision: v.Revision, May: map[string]bool{}}
	if o.SignIn != 0 {
		g := v.groupRef(o.SignIn, false)
		out.SignIn = &g
	}
	for _, a := range []string{access.ActRead, access.ActCreate, access.ActUpdate, access.ActAssign} {
		reach := v.rights().Reach(a)
		for _, register := range []string{"users", "groups", "applications", "roles", "ledger", "settings", "reviews"} {
			for _, p := range reach {
				// anywhere in that register, or in all of it
				if access.Covers(p.Pattern, register) || access.Covers(register, p.Pattern) {
					out.May[register+"."+a] = true
				}
			}
		}
	}
	if revs, err := v.desk.Ledger.Reasons(v.ctx, []int64{1}); err == nil {
		if r, ok := revs[1]; ok {
			out.Since = instant(r.At)
		}
	}
	return out
}

// MayActFor finds a user whose password or tokens the caller may set: they
// need "update" there, and must hold all rights in Able Roster that the user
// holds, for they could then act as them.
func (v *View) MayActFor(ref string) (access.UserID, error) {
	id, ok := v.FindUser(ref)
	if !ok || !v.readsUser(id) {
		return 0, v.missing(access.FactUser, ref)
	}
	if id == v.caller.User {
		return 0, Refused("change your own password under your own name, with the current one")
	}
	if !v.rights().May(access.ActUpdate, v.UserPath(id)) {
		return 0, Refused("you may not update %s", v.UserName(id))
	}
	if !v.rights().HoldsAllOf(id, v.at) {
		return 0, Refused("%s holds rights in Able Roster that you do not: you may not act for them", v.UserName(id))
	}
	return id, nil
}

// AdministratorRole is the role made for the first administrator.
const AdministratorRole = "access-administrator"

func administratorOperations(key string) []access.Operation {
	return []access.Operation{
		&access.AddRole{Key: key, Label: "Access administrator",
			Description: "May see and change everything in Able Roster."},
		&access.AddPermission{Role: access.RoleRef(key), Application: "able-roster", Actions: []string{access.AllActions}, Pattern: access.Root},
	}
}

// SetUp makes the first revision: the organisation, its first user, and the
// role that lets them administer. It commits only onto an empty ledger.
func (d *Desk) SetUp(ctx context.Context, in wire.SetUpRequest) (wire.ChangeResult, access.UserID, error) {
	ops := append([]access.Operation{
		&access.SetOrganisation{Name: in.Organisation, TimeZone: in.TimeZone},
		&access.AddUser{Personal: access.Personal{UserName: in.UserName, DisplayName: in.DisplayName}},
	}, administratorOperations(AdministratorRole)...)
	ops = append(ops, &access.Grant{Role: AdministratorRole, User: access.UserRef(in.UserName)})
	fields := []string{"/organisation or /time_zone", "/user_name", "/", "/", "/"}
	done, err := d.Ledger.Commit(ctx, &ledger.Change{Via: "set-up", Reason: "Setting up", Operations: ops},
		func(draft *access.Draft, _ access.Instant) error {
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
func (d *Desk) Recover(ctx context.Context, user string) (wire.ChangeResult, access.UserID, error) {
	head := d.Ledger.Head()
	id, ok := head.FindUser(user)
	if !ok {
		return wire.ChangeResult{}, 0, notFound("there is no user “%s”", user)
	}
	var ops []access.Operation
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
		ops = append(ops, &access.SetSignIn{})
	}
	active, none := access.Active, access.Date(0)
	ops = append(ops, &access.UpdateUser{User: access.UserRef(id.String()), Status: &active, Start: &none, End: &none},
		&access.Grant{Role: access.RoleRef(key), User: access.UserRef(id.String())})
	done, err := d.Ledger.Commit(ctx, &ledger.Change{Via: "recovery on the host", Reason: "Recovery of administration on the host", Operations: ops},
		func(draft *access.Draft, _ access.Instant) error {
			if len(draft.Faults) > 0 {
				return Invalid("nothing was changed", wire.Fault{Place: "/", Message: draft.Faults[0].Error()})
			}
			return nil
		})
	return wire.ChangeResult{Revision: done.Revision, Unchanged: done.Unchanged}, id, err
}
