package service

import (
	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/wire"
)

// ViewAs is what a user, nobody signed in, or somebody who is not
// there yet can do, as they would meet it. It shows what the caller may read, and
// nothing else the other might.
func (v *View) ViewAs(user string, newcomer *fact.User, nobody bool) (wire.ViewAs, error) {
	if given := map[bool]int{true: 1}; given[user != ""]+given[newcomer != nil]+given[nobody] != 1 {
		return wire.ViewAs{}, Invalid("the question cannot be asked", wire.Fault{Place: "user", Message: "name one of a user, a would-be user (would_be) and nobody signed in (nobody=true)"})
	}
	out := wire.ViewAs{Basis: v.basis(), Kind: "nobody", Who: wire.Ref{Label: "Nobody signed in"}, Effective: true,
		Lines: []wire.AccessLine{}, Applications: []wire.ViewAsApplication{}, Registers: []string{}}
	w, id := v, fact.UserID(0)
	switch {
	case newcomer != nil:
		var err error
		if w, id, err = v.wouldBe(*newcomer); err != nil {
			return out, err
		}
		if where := w.UserPath(id); !v.rights().May(access.ActRead, where) && !v.rights().May(access.ActCreate, where) {
			return out, Refused("you may neither see nor add users there")
		}
		out.Kind, out.Who = "would_be", newUser
	case user != "":
		found, ok := v.FindUser(user)
		if !ok || !v.readsUser(found) {
			return out, v.missing(fact.FactUser, user)
		}
		id = found
		out.Kind, out.Who, out.Effective = "user", v.userRef(id), v.Effective(id, v.at)
	}
	out.Outside = !v.seesAll()
	for _, l := range w.Access(id).Lines {
		if app, _ := v.FindApplication(l.Application.ID); app == 0 || !v.readsApplication(app) {
			continue
		}
		if out.Kind == "would_be" {
			for k := range l.Paths {
				unmade(&l.Paths[k])
			}
		}
		out.Lines = append(out.Lines, l)
	}
	for a := range v.Snapshot.Applications() {
		if a.ID != fact.AbleRoster && v.readsApplication(a.ID) && a.State != fact.StateRetired {
			out.Applications = append(out.Applications, w.viewAsIn(a, id))
		}
	}
	if v.readsApplication(fact.AbleRoster) && id != 0 {
		rights := change.AuthorityOf(w.Snapshot, id, w.at)
		for _, r := range registers {
			for _, p := range rights.Reach(access.ActRead) {
				if patterns.Covers(p.Pattern, r) || patterns.Covers(r, p.Pattern) {
					out.Registers = append(out.Registers, r)
					break
				}
			}
		}
	}
	return out, nil
}

// registers are the parts of Able Roster itself that one may read.
var registers = []string{"users", "groups", "applications", "roles", "requests", "reviews", "ledger", "settings"}

func (v *View) viewAsIn(a *fact.Application, id fact.UserID) wire.ViewAsApplication {
	out := wire.ViewAsApplication{Application: v.applicationRef(a.ID, false), State: string(a.State), Shows: []wire.ViewAsOn{}}
	var targets []query.Target
	var on []*fact.Resource
	for _, r := range v.resourcesOf(a.ID) {
		if r.Retired {
			continue
		}
		on = append(on, r)
		for _, x := range a.Actions {
			targets = append(targets, query.Target{Action: x.Key, Path: r.Path})
		}
	}
	out.Total = len(on)
	cells := query.Cells(v.Snapshot, id, a.ID, v.at, targets)
	for i, r := range on {
		x := wire.ViewAsOn{Path: r.Path, Label: r.Label, Kind: r.NodeKind}
		for k, action := range a.Actions {
			switch c := cells[i*len(a.Actions)+k]; {
			case c.Chain == nil:
				x.Missing = append(x.Missing, action.Key)
			case c.Own:
				x.Own = append(x.Own, action.Key)
			default:
				x.Actions = append(x.Actions, action.Key)
			}
		}
		if len(x.Actions)+len(x.Own) > 0 {
			out.Shows = append(out.Shows, x)
		}
	}
	return out
}
