package seeing

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
)

// A roll made by difference is the one made afresh, and the older one is left
// as it was; users whose names are equal stand in order of id.
func TestARollMadeByDifferenceIsTheOneMadeAfresh(t *testing.T) {
	rng := rand.New(rand.NewPCG(91, 92))
	s := access.Empty()
	commit := func(ops ...change.Operation) {
		t.Helper()
		d := change.NewDraft(s)
		for i, op := range ops {
			d.Apply(i, op, 1)
		}
		if len(d.Faults) > 0 {
			t.Fatal(&d.Faults[0])
		}
		s = d.Seal(d.Revision, s.At+1)
	}
	names := func(r *roll) string {
		out := ""
		for _, x := range r.Rows {
			out += Label(x.User) + " " + x.User.ID.String() + "\n"
		}
		return out
	}
	commit(&rules.SetOrganisation{Name: "Larkhaven", TimeZone: "UTC"}, &roles.AddRole{Key: "clerk", Label: "Clerk"})
	var kept rolls
	var before *roll
	users := 0
	for round := range 120 {
		var ops []change.Operation
		for range rng.IntN(4) {
			name := []string{"Élise", "elise", "Zoë", "Ö", "Marta", "marta"}[rng.IntN(6)]
			switch k := rng.IntN(3); {
			case users > 3 && k == 0:
				ops = append(ops, &people.UpdateUser{User: change.UserRef(fmt.Sprintf("user.%d", rng.IntN(users))), DisplayName: &name})
			default:
				ops = append(ops, &people.AddUser{Personal: fact.Personal{UserName: fmt.Sprintf("user.%d", users), DisplayName: name}})
				users++
			}
		}
		if users > 3 && round%3 == 0 { // what is given to somebody moves nobody
			ops = append(ops, &roles.Grant{Role: "clerk", User: "user.0", Window: calendar.Window{Until: calendar.Instant(round + 10)}})
		}
		was := ""
		if before != nil {
			was = names(before)
		}
		commit(ops...)
		r := kept.get(s, "name", Label)
		if got, want := names(r), names(newRoll(s, Label)); got != want {
			t.Fatalf("round %d: by difference\n%safresh\n%s", round, got, want)
		}
		if before != nil && names(before) != was {
			t.Fatalf("round %d changed the roll before", round)
		}
		if rng.IntN(5) == 0 {
			kept.refresh(s)
		}
		if kept.get(s, "name", Label) != r {
			t.Fatal("the roll was not kept")
		}
		before = r
	}
	if got := len(kept.kept["name"]); got > rollsKept {
		t.Errorf("%d rolls are kept", got)
	}
}
