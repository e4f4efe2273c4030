package main

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"ableroster/demo"
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/changing"
	"ableroster/internal/effect"
	"ableroster/internal/operation/rules"
	"ableroster/internal/review"
	"ableroster/internal/workflows"
	"ableroster/wire"
)

// measureWorkflows measures, of an organisation of 100,000 users, the preview of a
// default rule over all of them and the items of a round over 100,000 of what
// they hold.
func measureWorkflows(ctx context.Context, database string) ([]line, error) {
	s, err := snapshot(100_000)
	if err != nil {
		return nil, err
	}
	small, err := snapshot(1_000)
	if err != nil {
		return nil, err
	}
	at := calendar.At(time.Now())
	rule := func(s *access.Snapshot) func() error {
		return func() error {
			d := change.NewDraft(s)
			d.Apply(0, &rules.AddDefault{Key: "everybody", Everybody: true, Roles: []change.RoleRef{"crane-control/lock-keeper"}}, at)
			d.Finish()
			if len(d.Faults) > 0 {
				return &d.Faults[0]
			}
			if p := effect.Of(d, at); len(p.Effects) == 0 {
				return fmt.Errorf("nobody gains by it")
			}
			return nil
		}
	}
	ruled, ruledSmall, err := inTurn(3, rule(s), rule(small))
	if err != nil {
		return nil, err
	}
	n := 0
	lines := func(s *access.Snapshot, count *int) func() error {
		return func() error {
			r := review.Round{Filter: "title pr or not (title pr)", Reviewers: review.Manager, At: at}
			all := r.Items(s)
			if count != nil {
				*count = len(all)
			}
			return nil
		}
	}
	opened, openedSmall, err := inTurn(3, lines(s, &n), lines(small, nil))
	if err != nil {
		return nil, err
	}
	out := []line{
		{"preview of a default rule over 100,000 users, against 1,000", ruled.String(), ruledSmall.String(), ratio(ruled.p50(), ruledSmall.p50()), "aim: 2 s"},
		{fmt.Sprintf("the items of a round, %d of them, against those of 1,000 users", n), opened.String(), openedSmall.String(), ratio(opened.p50(), openedSmall.p50()), "aim: 10 s for 100,000"},
	}
	more, err := atTheService(ctx, database)
	return append(out, more...), err
}

// atTheService measures what people wait for, with 100,000 users: a round opened and
// read, a page of its lines, asking and withdrawing, and Today; each against a row
// read by its key.
func atTheService(ctx context.Context, database string) ([]line, error) {
	k, err := keep(ctx, database, 100_000)
	if err != nil {
		return nil, err
	}
	defer k.drop()
	change := func(ops ...string) (wire.ChangeResult, error) {
		var raw []json.RawMessage
		for _, op := range ops {
			raw = append(raw, json.RawMessage(op))
		}
		return changing.Change(ctx, k.service, k.admin, wire.ChangeRequest{Reason: "measuring", Operations: raw}, changing.How{})
	}
	other := demo.UserName(7)
	if _, err := change(`{"op":"set_route","key":"measured","steps":[{"whose":"users","users":["`+other+`"]}]}`,
		`{"op":"make_requestable","role":"seasonal-helper","route":"measured","words":"help for a season"}`); err != nil {
		return nil, err
	}
	key := fmt.Sprintf("measured-%d", time.Now().UnixNano())
	began := time.Now()
	if _, err := change(fmt.Sprintf(`{"op":"open_round","key":%q,"filter":"unit eq \"marine/pilotage\"","reviewers":"users","users":[%q]}`, key, demo.Administrator)); err != nil {
		return nil, err
	}
	round, err := workflows.Round(k.service.Now(ctx, k.admin), key)
	if err != nil {
		return nil, err
	}
	opened := time.Since(began)
	bare := func() error {
		var n int64
		return k.pool.QueryRow(ctx, "select revision from revision where revision = 1").Scan(&n)
	}
	asking := func() error {
		r, err := change(`{"op":"request_role","role":"seasonal-helper"}`)
		if err != nil {
			return err
		}
		id, _, _ := strings.Cut(r.Notes[0].Message, " ")
		_, err = change(fmt.Sprintf(`{"op":"withdraw_request","request":%q}`, id))
		return err
	}
	out := []line{{fmt.Sprintf("a round of %d lines opened and first read, 100,000 users", round.Items), short(opened), "", "", "aim: 10 s"}}
	for _, x := range []struct {
		what string
		do   func() error
	}{
		{"a page of its lines", func() error {
			_, err := workflows.RoundItems(k.service.Now(ctx, k.admin), key, workflows.LineSearch{Mine: true, Limit: 100})
			return err
		}},
		{"Today", func() error { workflows.Today(k.service.Now(ctx, k.admin)); return nil }},
		{"asking for a role, and withdrawing", asking},
	} {
		ours, against, err := inTurn(100, x.do, bare)
		if err != nil {
			return nil, err
		}
		out = append(out, line{x.what + ", 100,000 users, against a row by its key", fmt.Sprintf("%s / %s", ours, short(ours.quantile(0.95))), against.String(), ratio(ours.p50(), against.p50()), "third: p95; aim: 50 ms"})
	}
	return out, nil
}
