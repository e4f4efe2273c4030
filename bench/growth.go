package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"time"

	"ableroster/demo"
	"ableroster/internal/change"
	"ableroster/internal/changing"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/operation/roles"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// sizes are those of the growth table, in users.
var sizes = []int{1_000, 100_000, 1_000_000}

// wide is an application with 200 things to see in a grid, and a role of it
// that up to 20,000 users hold through their teams.
func wide(users int) []change.Operation {
	ops := []change.Operation{&roles.AddApplication{Key: "yard-forms", Label: "Yard forms", State: fact.StateLive,
		Actions: []fact.Action{{Key: "read"}, {Key: "create"}, {Key: "update"}, {Key: "release"}}}}
	ops = append(ops, &roles.AddResource{Application: "yard-forms", Path: "forms"})
	for i := range 48 {
		ops = append(ops, &roles.AddResource{Application: "yard-forms", Path: fmt.Sprintf("forms/form-%02d", i)})
	}
	ops = append(ops, &roles.AddRole{Application: "yard-forms", Key: "filler", Label: "Form filler"},
		&roles.AddPermission{Role: "yard-forms/filler", Application: "yard-forms", Actions: []string{"read", "create"}, Pattern: "forms/form-1*"})
	for i := range min(max(8, users/40), 180) { // some 80 members each, and those of the teams below
		ops = append(ops, &roles.Grant{Role: "yard-forms/filler", Group: change.GroupRef(fmt.Sprintf("team-%d-crew", i))})
	}
	return ops
}

// widen adds what wide describes, unless it is there.
func (k *kept) widen(users int) error {
	if _, there := k.ledger.Head().FindApplication("yard-forms"); there {
		return nil
	}
	return k.commit(wide(users))
}

// growth measures how questions and previews grow with the organisation.
func growth(ctx context.Context, database string) ([]line, error) {
	var all []*kept
	for _, n := range sizes {
		k, err := lasting(ctx, database, n)
		if err != nil {
			return nil, err
		}
		defer k.drop()
		if err := k.widen(n); err != nil {
			return nil, err
		}
		all = append(all, k)
	}
	var out []line
	add := func(what, note string, n, each int, ask func(k *kept, users int) task) error {
		tasks := make([]task, len(sizes))
		for i, k := range all {
			tasks[i] = ask(k, sizes[i])
		}
		samples, err := byTurns(n, tasks...)
		if err != nil {
			return fmt.Errorf("%s: %w", what, err)
		}
		for _, s := range samples {
			for i := range s {
				s[i] /= time.Duration(each)
			}
		}
		for _, i := range []int{1, 2} {
			out = append(out, line{fmt.Sprintf("%s, %s users against %s", what, thousands(sizes[i]), thousands(sizes[i-1])),
				samples[i].String(), samples[i-1].String(), ratio(samples[i].p50(), samples[i-1].p50()), note})
		}
		return nil
	}
	rng := rand.New(rand.NewPCG(11, 12))
	somebody := func(users int) string { return demo.UserName(rng.IntN(users)) }
	now := func(k *kept) *seeing.View { return k.service.Now(ctx, k.admin) }
	steps := []func() error{
		func() error {
			return add("one check in the core", "aim: at most 3 from 100,000 to 1,000,000", 4000, batch, func(k *kept, users int) task {
				a := &asker{s: k.ledger.Head(), questions: checkQuestions(k.ledger.Head(), users, 200_000)}
				return a.task()
			})
		},
		func() error {
			return add("access of one user, with all ways", "", 500, 1, func(k *kept, users int) task {
				return task{do: func() error {
					id, _ := k.ledger.Head().FindUser(somebody(users))
					questions.Access(now(k), id)
					return nil
				}}
			})
		},
		func() error {
			return add("holders of one permission, first page", "the count is exact", 20, 1, func(k *kept, _ int) task {
				return task{do: func() error {
					l, err := questions.Holders(now(k), questions.HolderSearch{Application: "yard-forms", Action: "create", Path: "forms/form-17"})
					if err == nil && (l.Total < 100 || len(l.Holders) != 50) {
						err = fmt.Errorf("%d holders", l.Total)
					}
					return err
				}}
			})
		},
		func() error {
			return add("a grid of 50 users × 200 permissions", "", 20, 1, func(k *kept, _ int) task {
				return task{do: func() error {
					g, err := questions.Grid(now(k), "yard-forms", lists.UserSearch{Limit: 50}, nil)
					if err == nil && (len(g.Columns) < 200 || len(g.Rows) != 51) {
						err = fmt.Errorf("%d × %d", len(g.Rows), len(g.Columns))
					}
					return err
				}}
			})
		},
		func() error {
			return add("a list of users, first page by name", "", 20, 1, func(k *kept, _ int) task {
				return task{do: func() error { _, err := lists.Users(now(k), lists.UserSearch{Limit: 50}); return err }}
			})
		},
		func() error {
			return add("preview of one grant", "aim: at most 1.5 from 10,000 to 1,000,000", 500, 1, func(k *kept, users int) task {
				return task{do: func() error {
					return k.preview(fmt.Sprintf(`{"op":"grant","role":"crane-control/lock-keeper","user":%q,"until":"2030-01-01T00:00:00Z"}`, somebody(users)))
				}}
			})
		},
		func() error {
			return add("preview of a permission more for a role that up to 20,000 hold", "1,000 hold it where there are no more", 5, 1, func(k *kept, _ int) task {
				return task{do: func() error {
					return k.preview(`{"op":"add_permission","role":"yard-forms/filler","application":"yard-forms","actions":["update"],"pattern":"forms/form-3*"}`)
				}}
			})
		},
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return out, err
		}
	}
	return out, nil
}

func (k *kept) preview(op string) error {
	_, err := changing.Change(context.Background(), k.service, k.admin, wire.ChangeRequest{Reason: "measuring", Operations: []json.RawMessage{json.RawMessage(op)}}, changing.How{DryRun: true})
	return err
}

// thousands writes a number with commas.
func thousands(n int) string {
	if n < 1000 {
		return fmt.Sprint(n)
	}
	return fmt.Sprintf("%s,%03d", thousands(n/1000), n%1000)
}
