package ledger_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/testkit"

	"github.com/jackc/pgx/v5"
)

// The engine and a recursive query over the same rows give equal answers.
func TestTheEngineAgreesWithASQLRival(t *testing.T) {
	testkit.Long(t)
	l, pool := testkit.Ledger(t, testkit.DemoDatabase(t)+"&jit=off") // compiling the query takes longer than running it
	s := l.Head()
	now := time.Now().UTC()
	at := calendar.At(time.Date(now.Year(), now.Month(), now.Day(), 12, 0, 0, 0, time.UTC))
	rng := rand.New(rand.NewPCG(41, 42))
	var users []fact.UserID
	for u := range s.Users() {
		users = append(users, u.ID)
	}
	type target struct {
		app          fact.ApplicationID
		key          string
		action, path string
	}
	var targets []target
	for a := range s.Applications() {
		for _, r := range s.Resources(a.ID) {
			for _, x := range a.Actions {
				if a.ID == fact.AbleRoster {
					continue
				}
				targets = append(targets, target{a.ID, a.Key, x.Key, r.Path})
				if rng.IntN(3) == 0 {
					targets = append(targets, target{a.ID, a.Key, x.Key, patterns.Join(r.Path, []string{"2026-11", "dredging-2026-a"}[rng.IntN(2)])})
				}
			}
		}
	}
	const questions, together = 10_000, 500
	allowed := 0
	for range questions / together {
		var b pgx.Batch
		var want []bool
		var asked []access.Question
		for range together {
			u, x := users[rng.IntN(len(users))], targets[rng.IntN(len(targets))]
			q := access.Question{User: u.String(), Application: x.key, Action: x.action, Path: x.path, At: at}
			d, err := s.Check(q)
			if err != nil {
				t.Fatal(err)
			}
			want, asked = append(want, d.Allowed), append(asked, q)
			b.Queue(demo.Rival, uint32(u), uint32(x.app), x.action, x.path, int64(at))
		}
		answers := pool.SendBatch(ctx, &b)
		for i := range want {
			var got bool
			if err := answers.QueryRow().Scan(&got); err != nil {
				t.Fatal(err)
			}
			if got != want[i] && s.Effective(mustUser(t, s, asked[i].User), at) {
				t.Fatalf("%+v: the engine says %v, the query %v", asked[i], want[i], got)
			}
			if got {
				allowed++
			}
		}
		if err := answers.Close(); err != nil {
			t.Fatal(err)
		}
	}
	if allowed < questions/50 {
		t.Errorf("only %d of %d were allowed: the rest is too easy", allowed, questions)
	}
}

func mustUser(t *testing.T, s *access.Snapshot, ref string) fact.UserID {
	t.Helper()
	id, ok := s.FindUser(ref)
	if !ok {
		t.Fatal(ref)
	}
	return id
}
