package lists

import (
	"slices"
	"strings"
	"time"

	"ableroster/internal/fact"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// TokensOf is what the tokens of an account are: how many are good, and when the last ends.
type TokensOf struct {
	Good int
	Ends *time.Time
}

// MachineAccounts are the machine accounts that the caller may read, but for departed ones
// today; tokens are theirs, nil on a past day.
func MachineAccounts(v *seeing.View, tokens map[fact.UserID]TokensOf) (wire.MachineAccountList, error) {
	out := wire.MachineAccountList{Basis: v.Basis(), Accounts: []wire.MachineAccount{}}
	var used map[fact.UserID]time.Time
	if v.Service.Accounts != nil && !v.Past {
		all, err := v.Service.Accounts(v.Ctx)
		if err != nil {
			return out, err
		}
		used = map[fact.UserID]time.Time{}
		for id, at := range all {
			used[id] = at.Time()
		}
	}
	for u := range v.Uncut().Users() {
		if u.UserKind != fact.Service || u.Status == fact.Departed || !v.ReadsUser(u.ID) {
			continue
		}
		x := wire.MachineAccount{User: v.UserRef(u.ID), Unit: u.Unit, Status: string(u.Status), Accountable: []wire.Ref{}, Tokens: tokens[u.ID].Good, TokenEnds: tokens[u.ID].Ends}
		if at, ok := used[u.ID]; ok {
			x.LastUsed = &at
		}
		if f := record.MachineAccount(v.Uncut(), u.ID); f != nil {
			x.Purpose, x.SecretAt, x.ActsForUsers, x.Given = f.Purpose, f.SecretAt, f.ActsFor, &wire.Given{Revision: f.Opened}
			if x.Attributes, x.Overridable, x.Filter = f.Attributes, f.Overridable, f.Filter; f.Filter != "" {
				x.FilterWords = v.Uncut().FilterWords(f.Filter)
			}
			for _, by := range f.Accountable {
				x.Accountable = append(x.Accountable, v.UserRef(by))
			}
			if f.Application != 0 {
				app := v.ApplicationRef(f.Application, false)
				x.Application = &app
			}
		}
		out.Accounts = append(out.Accounts, x)
	}
	slices.SortFunc(out.Accounts, func(a, b wire.MachineAccount) int { return strings.Compare(a.User.Label, b.User.Label) })
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Accounts {
			if out.Accounts[i].Given != nil {
				g(&out.Accounts[i].Given)
			}
		}
	})
	return out, nil
}
