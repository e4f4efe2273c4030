package prepared_test

import (
	"encoding/json"
	"reflect"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/prepared"
	"ableroster/internal/review"
)

// applied is a change that was applied to a snapshot, as the ledger would keep it.
type applied struct {
	draft *change.Draft
	ops   []change.Operation
	at    calendar.Instant
}

// again applies it to another snapshot, with the numbers it took.
func (a *applied) again(s *access.Snapshot, at calendar.Instant) *change.Draft {
	d := change.NewDraft(s)
	d.Replays = true
	d.TakeIDs(a.draft.Took())
	for i, op := range a.ops {
		d.Apply(i, op, at)
	}
	d.Finish()
	return d
}

// apply applies random operations, those that do not fit left out: of users and of what they
// are given, and others too if any is set.
func apply(c *laws.Chance, d *change.Draft, do func(int, change.Operation, calendar.Instant) change.Operation, most int, at calendar.Instant, any bool) (a applied, ok bool) {
	a = applied{draft: d, at: at}
	for range 1 + c.IntN(most) {
		op := c.Operation()
		for !any && !ofUsers(op) {
			op = c.Operation()
		}
		unit := laws.Pick(c, "quay", "quay/night", "yard")
		switch c.IntN(12) { // new places, and somebody who goes there
		case 0:
			op = &people.AddUnit{Path: unit}
		case 1:
			op = &people.SetEmploymentType{Key: laws.Pick(c, "hand", "mate")}
		case 2:
			op = &people.UpdateUser{User: c.User(), UserEdits: fact.UserEdits{Unit: &unit}}
		}
		settled := do(len(a.ops), op, at)
		if len(d.Faults) > 0 {
			return a, false
		}
		a.ops = append(a.ops, settled)
	}
	d.Finish()
	return a, len(d.Faults) == 0 && len(d.Changes()) > 0
}

func ofUsers(op change.Operation) bool {
	switch op := op.(type) {
	case *roles.Grant:
		return op.User != ""
	case *roles.AddMember:
		return op.User != ""
	case *people.AddUser, *people.UpdateUser, *roles.Revoke, *roles.RemoveMember:
		return true
	}
	return false
}

// A change that was prepared on an older snapshot, and followed what others did, leaves what
// the same operations leave that are applied last of all; or it is told that it does not.
func TestAPreparedChangeIsTheSameAsOneMadeLast(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	told := map[string]int{}
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 150 {
			begun := prepared.Begin(s)
			large, ok := apply(c, begun.Draft, func(_ int, op change.Operation, at calendar.Instant) change.Operation { return begun.Apply(op, at) }, 4, s.At+1, c.IntN(10) == 0)
			if !ok {
				continue
			}
			p, ok := prepared.Of(begun)
			if !ok {
				told["not such a change"]++
				continue
			}
			head, err := s, error(nil)
			for range 1 + c.IntN(3) {
				d := change.NewDraft(head)
				small, ok := apply(c, d, d.Apply, 2, head.At+1, c.IntN(10) == 0)
				if !ok {
					continue
				}
				at := small.at
				head = small.draft.Seal(small.draft.Revision, at)
				err = p.Follow(func(s *access.Snapshot) (*change.Draft, error) {
					d := small.again(s, at)
					if len(d.Faults) > 0 {
						return nil, &d.Faults[0]
					}
					return d, nil
				}, small.ops, head.Revision, at)
				if err != nil {
					told[err.Error()]++
					break
				}
			}
			if err == nil {
				err = p.Fits(head, head.At+1)
			}
			if err != nil {
				continue
			}
			last := large.again(head, head.At+1)
			if len(last.Faults) > 0 {
				t.Fatalf("made last it is refused: %v\n%v", &last.Faults[0], large.ops)
			}
			if a, b := p.Changes, last.Changes(); len(a) != len(b) {
				t.Fatalf("it changes %s and made last %s, by %s", written(a), written(b), written(large.ops))
			}
			told["followed"]++
			for _, x := range p.Changes {
				switch {
				case x.After == nil:
				case x.After.Kind() == review.FactRound:
					told["opened a review"]++
				case x.After.Kind() == fact.FactUnit && head != s:
					told["made a unit beside others"]++
				case x.After.Kind() == fact.FactEmploymentType && head != s:
					told["made an employment type beside others"]++
				}
			}
			if head != s {
				told["followed others"]++
			}
			if len(p.Moved()) > 0 {
				told["moved"]++
			}
			got := p.Number(last.Revision, head.At+1)
			same(t, c, got, last.Seal(last.Revision, head.At+1))
		}
	})
	for what, least := range map[string]int{"followed": 100, "followed others": 40, "opened a review": 10, "made a unit beside others": 10, "made an employment type beside others": 10, "moved": 5, prepared.ErrModel.Error(): 20, prepared.ErrClash.Error(): 5, "not such a change": 20} {
		if told[what] < least {
			t.Errorf("“%s” was tried %d times, and %d are wanted", what, told[what], least)
		}
	}
	t.Log(told)
}

// same holds two snapshots to hold the same facts, and to give the same answers.
func same(t *testing.T, c *laws.Chance, a, b *access.Snapshot) {
	t.Helper()
	if a.Revision != b.Revision || a.At != b.At || a.ActiveUsers != b.ActiveUsers || a.Erased() != b.Erased() {
		t.Fatalf("revision %d at %v and %d at %v", a.Revision, a.At, b.Revision, b.At)
	}
	for _, kind := range fact.FactKinds {
		most := max(a.Next().Free(kind), b.Next().Free(kind))
		for row := range most {
			if x, y := a.Fact(kind, row), b.Fact(kind, row); !reflect.DeepEqual(x, y) {
				t.Fatalf("%s %d: %+v and %+v", kind, row, x, y)
			}
		}
	}
	for i := range max(a.UserTable.Len(), b.UserTable.Len()) {
		x, y := a.UserTable.At(i), b.UserTable.At(i)
		if x != nil && y != nil && x.Touched != y.Touched {
			t.Fatalf("user %d was last touched by %d and by %d", i, x.Touched, y.Touched)
		}
	}
	for range 50 {
		q := c.Question()
		x, err := a.Check(q)
		y, err2 := b.Check(q)
		if !reflect.DeepEqual(x, y) || (err == nil) != (err2 == nil) {
			t.Fatalf("%+v: %+v and %+v", q, x, y)
		}
	}
}

func written(v any) string {
	raw, err := json.Marshal(v)
	if err != nil {
		return err.Error()
	}
	return string(raw)
}
