package mailing

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/jobs"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// refusedImports are the files of the last day that machine accounts sent and that were refused, of
// the accounts somebody is accountable for: nobody sits before these.
func (m *Mailing) refusedImports(ctx context.Context, mine []*fact.MachineAccount) []*jobs.Upload {
	if len(mine) == 0 || m.Service.Jobs == nil {
		return nil
	}
	var accounts []fact.UserID
	for _, f := range mine {
		accounts = append(accounts, f.User)
	}
	all, err := m.Service.Jobs.RefusedOf(ctx, accounts)
	if err != nil {
		return nil // the rest is told without
	}
	return all
}

// remindedOfImports are the people who are accountable for the accounts that sent them.
func remindedOfImports(s *access.Snapshot, refused []*jobs.Upload) (out []fact.UserID) {
	for _, u := range refused {
		f := record.MachineAccount(s, u.Owner)
		if f == nil {
			continue
		}
		for _, by := range f.Accountable {
			if unsendable(s.User(by)) == "" && !slices.Contains(out, by) {
				out = append(out, by)
			}
		}
	}
	return out
}

// importLines tell of them: the account, the file, and how much is wrong with it. What is wrong may
// name people whom the reader may not see: that lies where the account gets it.
func importLines(s *access.Snapshot, refused []*jobs.Upload) (out []line) {
	for _, u := range refused {
		why := "refused"
		var p wire.Problem
		if u.Answer != nil && json.Unmarshal(u.Answer.Problem, &p) == nil && len(p.Faults) > 0 {
			why = fact.Count(len(p.Faults), "fault")
		}
		var said struct {
			File string `json:"file"`
		}
		_ = json.Unmarshal(u.Options, &said) // none, where they were erased
		out = append(out, line{seeing.Label(s.User(u.Owner)), cmp.Or(said.File, "a file of "+u.Kind), why, ""})
	}
	return out
}
