package lists

import (
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// SharedAccounts are the accounts that people use in turn, of those the caller may read. Who keeps one,
// or may check it out, may know of it and of its custodian; and its custodian of who has it.
func SharedAccounts(v *seeing.View) wire.SharedAccountList {
	out := wire.SharedAccountList{Basis: v.Basis(), Accounts: []wire.SharedAccount{}}
	s, me := v.Uncut(), v.Caller.User
	name := func(id fact.UserID) wire.Ref { return seeing.RefTo(s.User(id)) }
	for _, f := range record.SharedAccounts(s) {
		u, last := s.User(f.User), record.CheckOut(s, f.User)
		keeps, has, reads, uses := me != 0 && f.Custodian == me, me != 0 && last.Out() && last.By == me, v.ReadsUser(f.User), v.Uses(f.User)
		if u.Status == fact.Departed || !reads && !uses {
			continue
		}
		x := wire.SharedAccount{User: v.UserRef(f.User), Group: v.GroupRef(f.Group, false), MaxHours: f.MaxHours, Emergency: f.Emergency, Tested: dayText(f.Tested), State: "free", May: []string{}}
		if m := record.MachineAccount(s, f.User); m != nil {
			if x.Purpose = m.Purpose; reads || keeps || has {
				x.SecretAt = m.SecretAt
			}
		}
		if f.Custodian != 0 {
			custodian := v.UserRef(f.Custodian)
			if uses {
				custodian = name(f.Custodian)
			}
			x.Custodian = &custodian
		}
		if last != nil {
			by := v.UserRef(last.By)
			if (keeps || has) && last.By != 0 {
				by = name(last.By)
			}
			x.HeldBy, x.From, x.Until, x.Returned = &by, seeing.Instant(last.From), seeing.Instant(last.Until), seeing.Instant(last.Returned)
			if reads || keeps || has {
				x.Given = &wire.Given{Revision: last.Opened}
			}
			switch {
			case last.Out() && last.Until <= v.At:
				x.State = "overdue"
			case last.Out():
				x.State = "out"
			case last.Due():
				x.State = "secret_used"
			}
		}
		writes := reads && v.Rights().May(access.ActUpdate, v.Uncut().UserPath(f.User))
		for _, act := range []struct {
			verb string
			may  bool
		}{
			{"check_out", x.State == "free" && uses},
			{"return", last.Out() && (has || keeps || writes)},
			{"confirm_rotation", last.Due() && (keeps || writes)},
			{"record_test", keeps || writes},
			{"edit", writes},
		} {
			if act.may && !v.Past {
				x.May = append(x.May, act.verb)
			}
		}
		out.Accounts = append(out.Accounts, x)
	}
	slices.SortFunc(out.Accounts, func(a, b wire.SharedAccount) int { return strings.Compare(a.User.Label, b.User.Label) })
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Accounts {
			if out.Accounts[i].Given != nil {
				g(&out.Accounts[i].Given)
			}
		}
	})
	return out
}
