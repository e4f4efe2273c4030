package main

import (
	"context"
	"fmt"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/rules"
)

// measurePeople measures, of an organisation of 100,000 users, what adding somebody costs under
// 200 default rules against none, and how long it takes to find one who looks like them.
func measurePeople(context.Context, string) ([]line, error) {
	s, err := snapshot(100_000)
	if err != nil {
		return nil, err
	}
	at := calendar.At(time.Now())
	made := func(s *access.Snapshot, ops ...change.Operation) (*change.Draft, error) {
		d := change.NewDraft(s)
		for i, op := range ops {
			d.Apply(i, op, at)
		}
		if d.Finish(); len(d.Faults) > 0 {
			return nil, &d.Faults[0]
		}
		return d, nil
	}
	var added []change.Operation
	for i := range 200 {
		added = append(added, &rules.AddDefault{Key: fmt.Sprintf("rule-%d", i), Filter: fmt.Sprintf(`title eq "Nobody %d" and within eq "marine"`, i), Roles: []change.RoleRef{"crane-control/observer"}, Order: i})
	}
	d, err := made(s, added...)
	if err != nil {
		return nil, err
	}
	ruled := d.Seal(d.Revision, at)
	n := 0
	adding := func(s *access.Snapshot) func() error {
		return func() error {
			n++
			d, err := made(s, &people.AddUser{Personal: fact.Personal{UserName: fmt.Sprintf("newcomer.%d", n), DisplayName: "Ana Newcomer"}, UserFacts: fact.UserFacts{Unit: "marine"}})
			if err != nil {
				return err
			}
			effect.Of(d, at)
			return nil
		}
	}
	under, without, err := inTurn(200, adding(ruled), adding(s))
	if err != nil {
		return nil, err
	}
	like := func(name string) func() error {
		return func() error {
			d, err := made(s, &people.AddUser{Personal: fact.Personal{UserName: "newcomer.like", DisplayName: name, Email: "newcomer@elsewhere.example"}, UserFacts: fact.UserFacts{Unit: "marine", Start: 20_000}})
			if err != nil {
				return err
			}
			effect.Rails(d, 0, effect.Of(d, at), at, nil)
			return nil
		}
	}
	machine := func() error {
		d, err := made(s, &people.AddUser{Personal: fact.Personal{UserName: "newcomer.machine"}, UserKind: fact.Service, UserFacts: fact.UserFacts{Unit: "marine"}})
		if err != nil {
			return err
		}
		effect.Rails(d, 0, effect.Of(d, at), at, nil)
		return nil
	}
	looked, unlooked, err := inTurn(30, like("Ana Newcomer"), machine)
	if err != nil {
		return nil, err
	}
	return []line{
		{"a user added under 200 default rules, against none, 100,000 users", under.String(), without.String(), ratio(under.p50(), without.p50()), "aim: 2"},
		{"who looks like them looked for among 100,000, against a machine account, for which nobody is", looked.String(), unlooked.String(), ratio(looked.p50(), unlooked.p50()), "aim: 50 ms more"},
	}, nil
}
