package questions

import (
	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// ViewAs is what a user, nobody signed in, or somebody who is not
// there yet can do in each application. It shows what the caller may read, and
// nothing else the other might.
func ViewAs(v *seeing.View, user string, newcomer *fact.User, nobody bool) (wire.ViewAs, error) {
	if given := map[bool]int{true: 1}; given[user != ""]+given[newcomer != nil]+given[nobody] != 1 {
		return wire.ViewAs{}, seeing.Invalid("the question cannot be asked", wire.Fault{Place: "user", Message: "name one of a user, a would-be user (would_be) and nobody signed in (nobody=true)"})
	}
	out := wire.ViewAs{Basis: v.Basis(), Kind: "nobody", Who: wire.Ref{Label: "Nobody signed in"}, Effective: true,
		Lines: []wire.AccessLine{}, Applications: []wire.ViewAsApplication{}, Registers: []string{}}
	w, id := v, fact.UserID(0)
	switch {
	case newcomer != nil:
		var err error
		if w, id, err = lists.WouldBe(v, *newcomer); err != nil {
			return out, err
		}
		if where := w.Uncut().UserPath(id); !v.Rights().May(access.ActRead, where) && !v.Rights().May(access.ActCreate, where) {
			return out, seeing.Refused("you may neither see nor add users there")
		}
		out.Kind, out.Who = "would_be", lists.NewUser
	case user != "":
		found, ok := v.Uncut().FindUser(user)
		if !ok || !v.ReadsUser(found) {
			return out, v.Missing(fact.FactUser, user)
		}
		id = found
		out.Kind, out.Who, out.Effective = "user", v.UserRef(id), v.Uncut().Effective(id, v.At)
	}
	out.Outside = !v.SeesAll()
	for _, l := range Access(w, id).Lines {
		if app, _ := v.Uncut().FindApplication(l.Application.ID); app == 0 || !v.ReadsApplication(app) {
			continue
		}
		if out.Kind == "would_be" {
			for k := range l.Paths {
				lists.Unmade(&l.Paths[k])
			}
		}
		out.Lines = append(out.Lines, l)
	}
	for a := range v.Uncut().Applications() {
		if a.ID != fact.AbleRoster && v.ReadsApplication(a.ID) && a.State != fact.StateRetired {
			out.Applications = append(out.Applications, viewAsIn(w, a, id))
		}
	}
	if v.ReadsApplication(fact.AbleRoster) && id != 0 {
		rights := change.AuthorityOf(w.Uncut(), id, w.At)
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

func viewAsIn(v *seeing.View, a *fact.Application, id fact.UserID) wire.ViewAsApplication {
	out := wire.ViewAsApplication{Application: v.ApplicationRef(a.ID, false), State: string(a.State), Shows: []wire.ViewAsOn{}}
	var targets []query.Target
	var on []*fact.Resource
	for _, r := range lists.ResourcesOf(v, a.ID) {
		if r.Retired {
			continue
		}
		on = append(on, r)
		for _, x := range a.Actions {
			targets = append(targets, query.Target{Action: x.Key, Path: r.Path})
		}
	}
	out.Total = len(on)
	cells := query.Cells(v.Uncut(), id, a.ID, v.At, targets)
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
