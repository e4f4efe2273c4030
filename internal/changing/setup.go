package changing

import (
	"context"
	"fmt"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/patterns"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

func administratorOperations(key string) []change.Operation {
	return []change.Operation{
		&roles.AddRole{Key: key, Label: "Access administrator",
			Description: "May see and change everything in Able Roster."},
		&roles.AddPermission{Role: change.RoleRef(key), Application: "able-roster", Actions: []string{fact.AllActions}, Pattern: patterns.Root},
	}
}

// SetUp makes the first revision: the organisation, its first user, and the
// role that lets them administer. It commits only onto an empty ledger.
func SetUp(ctx context.Context, d *seeing.Service, in wire.SetUpRequest) (wire.ChangeResult, fact.UserID, error) {
	ops := append([]change.Operation{
		&rules.SetOrganisation{Name: in.Organisation, TimeZone: in.TimeZone},
		&people.AddUser{Personal: fact.Personal{UserName: in.UserName, DisplayName: in.DisplayName}},
	}, administratorOperations(questions.AdministratorRole)...)
	ops = append(ops, &roles.Grant{Role: questions.AdministratorRole, User: change.UserRef(in.UserName)})
	fields := []string{"/organisation or /time_zone", "/user_name", "/", "/", "/"}
	done, err := d.Ledger.Commit(ctx, &ledger.Change{Via: "set-up", Reason: "Setting up", Operations: ops},
		func(draft *change.Draft, _ calendar.Instant) error {
			if draft.Base().Revision != 0 {
				return seeing.Refused("Able Roster has been set up already")
			}
			var out []wire.Fault
			for _, f := range draft.Faults {
				out = append(out, wire.Fault{Place: fields[f.Operation], Message: f.Message})
			}
			if len(out) > 0 {
				return seeing.Invalid("nothing was set up", out...)
			}
			return nil
		})
	if err != nil {
		return wire.ChangeResult{}, 0, err
	}
	id, _ := done.Draft.FindUser(in.UserName)
	return wire.ChangeResult{Revision: done.Revision, At: seeing.Instant(done.At), Sentences: []string{"Able Roster is set up"}}, id, nil
}

// Recover makes a user an administrator again, from the host: the recorded way
// back in. The user is made active, without an end date, and given the role.
func Recover(ctx context.Context, d *seeing.Service, user string) (wire.ChangeResult, fact.UserID, error) {
	head := d.Ledger.Head()
	id, ok := head.FindUser(user)
	if !ok {
		return wire.ChangeResult{}, 0, seeing.NotFound("there is no user “%s”", user)
	}
	var ops []change.Operation
	// The usual role, or one like it where that was retired: a key is never
	// used twice. A permission it has lost is put back.
	key := questions.AdministratorRole
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
		key = fmt.Sprintf("%s-%d", questions.AdministratorRole, n)
	}
	if head.Organisation().SignIn != 0 {
		ops = append(ops, &rules.SetSignIn{})
	}
	active, none := fact.Active, calendar.Date(0)
	ops = append(ops, &people.UpdateUser{User: change.UserRef(id.String()), Status: &active, UserEdits: fact.UserEdits{Start: &none, End: &none}},
		&roles.Grant{Role: change.RoleRef(key), User: change.UserRef(id.String())})
	done, err := d.Ledger.Commit(ctx, &ledger.Change{Via: "recovery on the host", Reason: "Recovery of administration on the host", Operations: ops},
		func(draft *change.Draft, _ calendar.Instant) error {
			if len(draft.Faults) > 0 {
				return seeing.Invalid("nothing was changed", wire.Fault{Place: "/", Message: draft.Faults[0].Error()})
			}
			return nil
		})
	return wire.ChangeResult{Revision: done.Revision, Unchanged: done.Unchanged}, id, err
}
