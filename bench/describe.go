package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/finding"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

// described is a large organisation with an application of 2,000 resources, 8
// actions and 2,000 roles, given to a fifth of the users.
func described(users int) (*access.Snapshot, error) {
	s, err := snapshot(users)
	if err != nil {
		return nil, err
	}
	rng := rand.New(rand.NewPCG(7420, 8))
	actions := []string{"read", "create", "update", "delete", "move", "count", "seal", "open"}
	add := &roles.AddApplication{Key: "shelves", State: fact.StateLive}
	for _, a := range actions {
		add.Actions = append(add.Actions, fact.Action{Key: a})
	}
	ops := []change.Operation{add}
	path := func(i int) string {
		if i%20 == 0 {
			return fmt.Sprintf("aisle-%d", i/20)
		}
		return fmt.Sprintf("aisle-%d/shelf-%d", i/20, i)
	}
	for i := range 2000 {
		ops = append(ops, &roles.AddResource{Application: "shelves", Path: path(i)})
	}
	for i := range 2000 {
		key := change.RoleRef(fmt.Sprintf("shelves/keeper-%d", i))
		ops = append(ops, &roles.AddRole{Key: fmt.Sprintf("keeper-%d", i), Application: "shelves"})
		for range 3 {
			ops = append(ops, &roles.AddPermission{Role: key, Actions: []string{actions[rng.IntN(8)], actions[rng.IntN(8)]}, Pattern: path(rng.IntN(2000))})
		}
		if i > 0 && i%4 == 0 {
			ops = append(ops, &roles.IncludeRole{Role: key, Includes: change.RoleRef(fmt.Sprintf("shelves/keeper-%d", rng.IntN(i)))})
		}
		for range users / 10_000 {
			ops = append(ops, &roles.Grant{Role: key, User: change.UserRef(fact.UserID(1 + rng.IntN(users)).String())})
		}
	}
	return applied(s, ops)
}

func applied(s *access.Snapshot, ops []change.Operation) (*access.Snapshot, error) {
	d := change.NewDraft(s)
	for i, op := range ops {
		d.Apply(i, op, 1)
	}
	if len(d.Faults) > 0 {
		return nil, &d.Faults[0]
	}
	return d.Seal(d.Revision, 1), nil
}

// describing measures coverage and findings over 100,000 users and 2,000 roles,
// afresh and by difference, and what 500 expectations add to judging a change.
func describing(context.Context, string) ([]line, error) {
	const users = 100_000
	s, err := described(users)
	if err != nil {
		return nil, err
	}
	at := calendar.At(time.Now())
	app, _ := s.FindApplication("shelves")
	n := 0
	cover := func() error {
		n = len(query.CoverageOf(s, app, at, nil).Rows)
		return nil
	}
	var report *finding.Report
	look := func() error {
		report = finding.Look(s, at, nil)
		return nil
	}
	if err := look(); err != nil {
		return nil, err
	}
	rng := rand.New(rand.NewPCG(1, 1))
	next := func() error {
		later, err := applied(s, []change.Operation{&roles.Grant{Role: change.RoleRef(fmt.Sprintf("shelves/keeper-%d", rng.IntN(2000))), User: change.UserRef(fact.UserID(1 + rng.IntN(users)).String()), Window: calendar.Window{From: calendar.Instant(1 + rng.IntN(1000))}}})
		if err != nil {
			return err
		}
		report.Next(later, at, nil)
		return nil
	}
	afresh, covered, err := inTurn(5, look, cover)
	if err != nil {
		return nil, err
	}
	again, byDifference, err := inTurn(5, look, next)
	if err != nil {
		return nil, err
	}
	var ops []change.Operation
	for i := range 500 {
		o := &rules.SetExpectation{Key: fmt.Sprintf("kept-%d", i), Application: "shelves", Action: "read", Pattern: fmt.Sprintf("aisle-%d", i%100), May: i%5 == 0, Blocking: true}
		switch i % 3 {
		case 0:
			o.User = change.UserRef(fact.UserID(1 + rng.IntN(users)).String())
		case 1:
			o.Group = change.GroupRef(fmt.Sprintf("team-%d-crew", i))
		default:
			o.Group, o.Except, o.May = change.GroupRef(fmt.Sprintf("team-%d-crew", i)), true, false
		}
		ops = append(ops, o)
	}
	expecting, err := applied(s, ops)
	if err != nil {
		return nil, err
	}
	states := func() error {
		query.BrokenByEach(expecting, record.Expectations(expecting), at)
		return nil
	}
	was := query.BrokenByEach(expecting, record.Expectations(expecting), 0)
	since := func() error {
		later, err := applied(expecting, []change.Operation{&roles.Grant{Role: change.RoleRef(fmt.Sprintf("shelves/keeper-%d", rng.IntN(2000))), User: change.UserRef(fact.UserID(1 + rng.IntN(users)).String())}})
		if err != nil {
			return err
		}
		query.BrokenSince(later, expecting, was)
		return nil
	}
	judge := func(s *access.Snapshot) func() error {
		return func() error {
			d := change.NewDraft(s)
			d.Apply(0, &roles.Grant{Role: change.RoleRef(fmt.Sprintf("shelves/keeper-%d", rng.IntN(2000))), User: change.UserRef(fact.UserID(1 + rng.IntN(users)).String()), Window: calendar.Window{From: calendar.Instant(1 + rng.IntN(1000))}}, at)
			d.Finish()
			p := effect.Of(d, at)
			effect.Rails(d, 1, p, at, nil)
			return nil
		}
	}
	with, without, err := inTurn(400, judge(expecting), judge(s))
	if err != nil {
		return nil, err
	}
	read, followed, err := inTurn(5, states, since)
	if err != nil {
		return nil, err
	}
	return []line{
		{"the state of 500 expectations by difference, after one grant and with it, against afresh", followed.String(), read.String(), ratio(followed.p50(), read.p50()), ""},
		{fmt.Sprintf("findings over %d users and 2,000 roles afresh, against the coverage of %d resources × 8 actions", users, n), afresh.String(), covered.String(), ratio(afresh.p50(), covered.p50()), fmt.Sprintf("aim: 2 s together; %d found", len(report.Findings))},
		{"findings by difference after one grant, against afresh", byDifference.String(), again.String(), ratio(byDifference.p50(), again.p50()), ""},
		{"one grant judged with 500 expectations, against none", with.String(), without.String(), ratio(with.p50(), without.p50()), "aim: at most 5 ms more"},
	}, nil
}
