package effect_test

import (
	"fmt"
	"slices"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
)

// What is a share of all is counted anew over what others made since: those who lose all they
// had in an application are few of many when the change is judged, and many of few when it is
// published; and the other way round. So are those who gain.
func TestSharesAreCountedAnew(t *testing.T) {
	const holders = 41
	user := func(i int) change.UserRef { return change.UserRef(fmt.Sprintf("clerk.%d", i)) }
	var more []change.Operation
	for i := range holders {
		more = append(more, &people.AddUser{Personal: fact.Personal{UserName: string(user(i))}}, &roles.Grant{Role: "tariffs/releaser", User: user(i)})
	}
	port := laws.Port(t, more...)
	revoked := func(from, to int) (ops []change.Operation) {
		for i := from; i < to; i++ {
			ops = append(ops, &roles.Revoke{Role: "tariffs/releaser", User: user(i)})
		}
		return ops
	}
	granted := func(n int) (ops []change.Operation) {
		for i := range n {
			ops = append(ops, &people.AddUser{Personal: fact.Personal{UserName: fmt.Sprintf("new.%d", i)}}, &roles.Grant{Role: "tariffs/releaser", User: change.UserRef(fmt.Sprintf("new.%d", i))})
		}
		return ops
	}
	gained := func(from, to int) (ops []change.Operation) {
		for i := from; i < to; i++ {
			ops = append(ops, &roles.Grant{Role: "berths/reader", User: user(i)})
		}
		return ops
	}
	departed := func(from, to int) (ops []change.Operation) {
		gone := fact.Departed
		for i := from; i < to; i++ {
			ops = append(ops, &people.UpdateUser{User: user(i), Status: &gone})
		}
		return ops
	}
	for name, x := range map[string]struct {
		ops, others   []change.Operation
		first, second []effect.RailCode
	}{
		"nobody did anything":            {revoked(0, 7), nil, nil, nil},
		"others took it from more":       {revoked(0, 7), revoked(7, 20), nil, []effect.RailCode{effect.WideLoss}},
		"others gave it to more":         {revoked(0, 9), granted(30), []effect.RailCode{effect.WideLoss}, nil},
		"others took it from the same":   {revoked(0, 7), revoked(0, 7), nil, nil},
		"a fifth gains when some leave":  {gained(0, 8), nil, nil, nil},
		"more gain than a fifth of less": {gained(0, 21), departed(30, 41), []effect.RailCode{effect.WideGain}, []effect.RailCode{effect.WideGain}},
	} {
		d := laws.DraftOf(port, x.ops...)
		p := effect.Of(d, 2)
		var rails []effect.RailCode
		for _, r := range effect.Rails(d, 0, p, 2, nil) {
			rails = append(rails, r.Code)
		}
		if !slices.Equal(rails, x.first) {
			t.Errorf("%s: at first %v, want %v", name, rails, x.first)
		}
		count := effect.Count(d, p, 2, nil)
		base := port
		if len(x.others) > 0 {
			others := laws.DraftOf(port, x.others...)
			if len(others.Faults) > 0 {
				t.Fatal(&others.Faults[0])
			}
			base = others.Seal(2, 2)
		}
		var after *access.Snapshot
		var ops []change.Operation
		for _, op := range x.ops { // but what others did already
			if len(laws.DraftOf(base, op).Faults) == 0 {
				ops = append(ops, op)
			}
		}
		after = laws.DraftOf(base, ops...).Seal(3, 3)
		rails = nil
		for _, r := range count.RailsAgain(base, after, 3, nil) {
			rails = append(rails, r.Code)
		}
		if !slices.Equal(rails, x.second) {
			t.Errorf("%s: then %v, want %v", name, rails, x.second)
		}
	}
}
