package changing

import (
	"math/rand/v2"
	"slices"
	"testing"

	"ableroster/internal/calendar"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

// Effects that differ only in when they end are one, and lose nobody on the way: each user
// stands in the effects that they stood in, those for whom it ends earlier are known, and
// what begins at another time, or is something else, stays apart.
func TestEffectsThatDifferOnlyInTheirEndAreOne(t *testing.T) {
	rng := rand.New(rand.NewPCG(12, 7))
	together := 0
	for range 500 {
		var all []effect.Effect
		for i := range 8 {
			e := effect.Effect{Users: []fact.UserID{fact.UserID(2*i + 1), fact.UserID(2*i + 2)}}
			when := calendar.Window{From: calendar.Instant(rng.IntN(2)), Until: calendar.Instant(10 * rng.IntN(3))}
			for range 1 + rng.IntN(2) {
				e.Gained = append(e.Gained, query.Entitlement{Application: 2, Action: []string{"read", "update"}[rng.IntN(2)], Target: "/", When: calendar.Intervals{when}})
			}
			all = append(all, e)
		}
		got := mergeAlike(all)
		shown := 0
		for _, m := range got {
			shown += len(m.Users)
			if len(m.Users) > 2 {
				together++
			}
			for _, id := range m.Users {
				was := all[(int(id)-1)/2]
				same := func(a, b query.Entitlement) bool {
					return a.Action == b.Action && a.Target == b.Target && a.When[0].From == b.When[0].From
				}
				if !slices.EqualFunc(was.Gained, m.Gained, same) {
					t.Fatalf("%v is shown as %v", was.Gained, m.Gained)
				}
				if m.early[id] != (was.Gained[0].When[0].Until != m.Gained[0].When[0].Until) || endOf(was) > endOf(m.Effect) {
					t.Fatalf("%v ends at %v, early %v", m.Gained, was.Gained, m.early[id])
				}
			}
		}
		if shown != 16 {
			t.Fatalf("%d of 16 users are shown", shown)
		}
	}
	if together < 100 {
		t.Errorf("only %d effects were of several classes", together)
	}
}

// However many there are of them, they are put together in one go: a preview over everybody
// of whom each has a last day of their own keeps nobody waiting.
func TestManyEffectsAreOneInOneGo(t *testing.T) {
	var all []effect.Effect
	for i := range 50_000 {
		all = append(all, effect.Effect{Users: []fact.UserID{fact.UserID(i + 1)},
			Gained: []query.Entitlement{{Application: 2, Action: "read", Target: "/", When: calendar.Intervals{{From: 1, Until: calendar.Instant(10 + i)}}}}})
	}
	got := mergeAlike(all)
	if len(got) != 1 || len(got[0].Users) != len(all) || len(got[0].early) != len(all)-1 || got[0].early[fact.UserID(len(all))] {
		t.Errorf("%d effects, the first of %d users", len(got), len(got[0].Users))
	}
}
