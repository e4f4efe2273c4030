package main

import (
	"context"
	"fmt"
	"time"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/jobs"
	"ableroster/internal/mailing"
	"ableroster/internal/operation/people"
)

// measureMails measures what it costs a change that as many mails follow from it as it adds users,
// while a service looks for such changes all the time; and how long until the mails are queued.
func measureMails(ctx context.Context, database string) ([]line, error) {
	const users, turns = 10_000, 5
	k, err := keep(ctx, database, 1_000)
	if err != nil {
		return nil, err
	}
	defer k.drop()
	if err := jobs.Migrate(ctx, k.pool, k.log); err != nil {
		return nil, err
	}
	queue, err := jobs.Open(k.pool, k.log)
	if err != nil {
		return nil, err
	}
	k.service.Jobs = queue
	m := &mailing.Mailing{Service: k.service, DigestAfter: time.Minute}
	if err := m.Follow(ctx); err != nil { // from here on
		return nil, err
	}
	following, end := context.WithCancel(ctx)
	done := make(chan error, 1)
	go func() {
		for following.Err() == nil {
			if err := m.Follow(following); err != nil && following.Err() == nil {
				done <- err
				return
			}
			time.Sleep(10 * time.Millisecond)
		}
		done <- nil
	}()
	looked := func() (upTo int64, err error) { // at which revision
		err = k.pool.QueryRow(ctx, "select revision from mail_reach").Scan(&upTo)
		return upTo, err
	}
	made := 0
	var waited sample
	add := func(status fact.Status) func() error {
		return func() error {
			ops := make([]change.Operation, users)
			for i := range ops {
				made++
				ops[i] = &people.AddUser{Personal: fact.Personal{UserName: fmt.Sprintf("newcomer.%d", made), Email: fmt.Sprintf("newcomer.%d@larkhaven.example", made)},
					Status: status, UserFacts: fact.UserFacts{Unit: "marine"}}
			}
			return k.commit(ops)
		}
	}
	// What came of the turn before is waited for, so that it costs this one nothing.
	await := func(mails bool) error {
		began, head := time.Now(), k.ledger.Head().Revision
		for {
			n, err := looked()
			if err != nil {
				return err
			}
			select {
			case err := <-done:
				return err
			default:
			}
			if n >= head {
				if mails {
					waited = append(waited, time.Since(began))
				}
				return nil
			}
			time.Sleep(time.Millisecond)
		}
	}
	var with, without sample
	for range turns {
		for _, t := range []struct {
			into   *sample
			status fact.Status
		}{{&with, fact.Invited}, {&without, fact.Active}} {
			began := time.Now()
			if err := add(t.status)(); err != nil {
				end()
				return nil, err
			}
			*t.into = append(*t.into, time.Since(began))
			if err := await(t.status == fact.Invited); err != nil {
				end()
				return nil, err
			}
		}
	}
	end()
	if err := <-done; err != nil {
		return nil, err
	}
	more := with.p50() - without.p50()
	return []line{
		{"10,000 users added with a mail each by one change, against 10,000 without", with.String(), without.String(), ratio(with.p50(), without.p50()), fmt.Sprintf("aim: 50 ms more; %s", more.Round(time.Millisecond))},
		{"until those mails were queued, after the answer", waited.String(), "", "", ""},
	}, nil
}
