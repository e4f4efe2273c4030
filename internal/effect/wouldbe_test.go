package effect_test

import (
	"fmt"
	"slices"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/rules"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

// What is expected of a would-be user holds exactly where it would hold of the same user, once they
// are there; and a change breaks it that has it hold no more.
func TestWhatIsExpectedOfANewUserIsWhatTheyWillHave(t *testing.T) {
	broken, held, brought := 0, 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		from := calendar.At(c.Day0)
		for i := range 10 {
			o := c.Expectation().(*rules.SetExpectation)
			o.Key, o.User, o.Group, o.Except, o.Nobody = fmt.Sprint("expected-", i), "", "", false, false
			o.WouldBe = fact.WouldBe{UserFacts: fact.UserFacts{Unit: c.Unit(), Title: "Hand", Employment: laws.Pick(c, "", "staff", "contractor")}}
			if d := laws.DraftOf(s, o); len(d.Faults) == 0 {
				s = d.Seal(d.Revision, s.At+1)
			}
		}
		about := func(s *access.Snapshot) (out []*fact.Expectation) {
			for _, f := range record.Expectations(s) {
				if f.Of.WouldBe.Given() && !f.Ended {
					out = append(out, f)
				}
			}
			return out
		}
		breaks := func(s *access.Snapshot, f *fact.Expectation) bool {
			t.Helper()
			d := laws.DraftOf(s, &people.AddUser{Personal: fact.Personal{UserName: "newcomer"}, UserFacts: f.Of.WouldBe.UserFacts})
			if len(d.Faults) > 0 {
				return f.May
			}
			id, _ := d.FindUser("newcomer")
			same := *f
			same.Of = fact.Subjects{User: id}
			return slices.ContainsFunc(query.BrokenBy(&d.Snapshot, &same, from), func(b query.Broken) bool { return b.When.Holds(from) })
		}
		for _, f := range about(s) {
			got, want := len(change.BrokenBy(s, f, from)) > 0, breaks(s, f)
			if got != want {
				t.Fatalf("%+v is broken: %v, once they are there: %v", f, got, want)
			}
			if want {
				broken++
			} else {
				held++
			}
		}
		for range 100 {
			d, ok := c.Change(s, 2)
			if !ok || len(d.Changes()) == 0 {
				continue
			}
			found := effect.NewlyBroken(d, effect.Of(d, from), from)
			for _, f := range about(&d.Snapshot) {
				if record.Expectation(d.Base(), f.ID) != f {
					continue
				}
				got := slices.ContainsFunc(found, func(b query.Broken) bool { return b.Expectation == f })
				if want := !breaks(s, f) && breaks(&d.Snapshot, f); got != want {
					t.Fatalf("%+v: told %v, want %v, by %v", f, got, want, d.Changes())
				} else if want {
					brought++
				}
			}
			s = d.Seal(d.Revision, s.At+1)
		}
	})
	if broken < 20 || held < 20 || brought < 4 {
		t.Errorf("%d broken, %d held, %d brought about", broken, held, brought)
	}
}

// What is said of a would-be user is checked as of one who is added, and moves with the unit.
func TestAnExpectationOfANewUserFollowsTheirUnit(t *testing.T) {
	port := laws.Port(t, &people.AddUnit{Path: "quays", Label: "Quays"})
	set := func(w fact.UserFacts) *rules.SetExpectation {
		return &rules.SetExpectation{Key: "expected", WouldBe: fact.WouldBe{UserFacts: w}, Application: "berths", Action: "read", Pattern: "board", May: true}
	}
	for want, w := range map[string]fact.UserFacts{
		"would_be/unit":     {Unit: "quay"},
		"would_be/title":    {Title: string(make([]byte, 300))},
		"would_be/end_date": {Start: 20000, End: 19000},
	} {
		if d := laws.DraftOf(port, set(w)); len(d.Faults) == 0 || d.Faults[0].Field != want {
			t.Errorf("%+v: %+v, want a fault at %s", w, d.Faults, want)
		}
	}
	d := laws.DraftOf(port, set(fact.UserFacts{Unit: "quays"}), &people.MoveUnit{Unit: "quays", To: "moorings"})
	if len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	id, _ := record.FindExpectation(&d.Snapshot, "expected")
	if f := record.Expectation(&d.Snapshot, id); f.Of.WouldBe.Unit != "moorings" || change.ExpectationWords(f, &d.Snapshot, nil) != "A new user (unit moorings) may read board in "+d.Application(f.Application).Label {
		t.Errorf("%+v: %s", f, change.ExpectationWords(f, &d.Snapshot, nil))
	}
	if d := laws.DraftOf(d.Seal(2, 2), &people.EndUnit{Unit: "moorings"}); len(d.Faults) == 0 {
		t.Error("the unit ends under it")
	}
}

// Expectations are about so many different new users, and no more; what was expected before there
// was a bound is replayed.
func TestExpectationsAreAboutSomeDifferentNewUsers(t *testing.T) {
	s := laws.Port(t)
	of := func(i int) *rules.SetExpectation {
		return &rules.SetExpectation{Key: fmt.Sprint("of-", i), WouldBe: fact.WouldBe{UserFacts: fact.UserFacts{Title: fmt.Sprint("Hand ", i)}}, Application: "able-roster", Action: "read", Pattern: "/"}
	}
	d := change.NewDraft(s)
	for i := range fact.MostWouldBe {
		d.Apply(i, of(i), s.At)
	}
	if len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	again := of(3)
	again.Key = "once-more"
	if d.Apply(fact.MostWouldBe, again, s.At); len(d.Faults) > 0 {
		t.Errorf("one more about the same: %v", &d.Faults[0])
	}
	d.Replays = true
	if d.Apply(fact.MostWouldBe, of(fact.MostWouldBe), s.At); len(d.Faults) > 0 {
		t.Errorf("replayed: %v", &d.Faults[0])
	}
	d.Replays = false
	if d.Apply(fact.MostWouldBe, of(fact.MostWouldBe+1), s.At); len(d.Faults) != 1 || d.Faults[0].Field != "would_be" {
		t.Errorf("one too many: %v", d.Faults)
	}
}
