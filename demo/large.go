package demo

import (
	"fmt"
	"math/rand/v2"
	"time"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
)

// Large makes organisations of any size for measurements, of the same stuff as
// the port: its applications and roles, its groups repeated for every berth of
// a coast, and so many users. The operations come in portions.
func Large(users int, yield func([]change.Operation) error) error {
	rng := rand.New(rand.NewPCG(7420, uint64(users)))
	g := &generator{rng: rng, clock: rng, zone: time.UTC, until: time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC), taken: map[string]bool{}}
	g.start = g.until.AddDate(0, 0, -days)
	if err := yield(g.applicationsOnly()); err != nil {
		return err
	}
	teams := max(8, users/40)
	var ops []change.Operation
	flush := func(force bool) error {
		if len(ops) == 0 || !force && len(ops) < 20_000 {
			return nil
		}
		out := ops
		ops = nil
		return yield(out)
	}
	ops = append(ops, &people.AddUnit{Path: "customs", Label: "Customs liaison"})
	granted := everyRole()
	for i := range teams {
		key := change.GroupRef(fmt.Sprintf("team-%d-crew", i))
		ops = append(ops, &roles.AddGroup{Key: string(key), Unit: units[i%len(units)].path})
		for range 1 + rng.IntN(3) {
			ops = append(ops, &roles.Grant{Role: granted[rng.IntN(len(granted))], Group: key})
		}
		if i > 0 && i%10 != 0 { // every tenth stands over the nine after it
			ops = append(ops, &roles.AddMember{Group: change.GroupRef(fmt.Sprintf("team-%d-crew", i-i%10)), Member: key})
		}
		if err := flush(false); err != nil {
			return err
		}
	}
	for i := range users {
		u := units[rng.IntN(len(units))]
		name := UserName(i)
		ops = append(ops, &people.AddUser{UserFacts: fact.UserFacts{Unit: u.path, Title: u.titles[rng.IntN(len(u.titles))]},
			Personal: fact.Personal{UserName: name, DisplayName: givenNames[i%len(givenNames)] + " " + familyNames[i/len(givenNames)%len(familyNames)]}})
		for range 2 {
			ops = append(ops, &roles.AddMember{Group: change.GroupRef(fmt.Sprintf("team-%d-crew", rng.IntN(teams))), User: change.UserRef(name)})
		}
		for range 5 {
			ops = append(ops, &roles.Grant{Role: granted[rng.IntN(len(granted))], User: change.UserRef(name)})
		}
		if err := flush(false); err != nil {
			return err
		}
	}
	return flush(true)
}

// UserName is the name of the i-th user of a large organisation.
func UserName(i int) string { return fmt.Sprintf("crew.%07d", i) }

// everyRole is every role of every application.
func everyRole() []change.RoleRef {
	var out []change.RoleRef
	for _, a := range applications {
		for _, r := range a.roles {
			out = append(out, change.RoleRef(a.key+"/"+r.key))
		}
	}
	return out
}

// applicationsOnly describes the applications of the port as operations.
func (g *generator) applicationsOnly() []change.Operation {
	g.describe()
	var out []change.Operation
	for _, c := range g.out {
		for _, op := range c.Operations {
			switch op := op.(type) {
			case *roles.AddGroup, *roles.AddMember:
				continue
			case *roles.Grant: // to the port's own groups, which are not there
				if op.Group != "" && op.Group != "public" && op.Group != "all-users" {
					continue
				}
			}
			out = append(out, op)
		}
	}
	return out
}
