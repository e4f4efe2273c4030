package main

import (
	"sync"
	"sync/atomic"
	"time"

	"ableroster/demo"
	"ableroster/wire"
)

// meanwhile is what others do while something large goes on, and how long it takes them.
type meanwhile struct {
	stop            atomic.Bool
	wait            sync.WaitGroup
	mu              sync.Mutex
	changes, checks sample
	failed          error
}

// again does something until the end, with a pause after each time, and keeps how long it took.
func (m *meanwhile) again(s *sample, pause time.Duration, do func(i int) (time.Duration, error)) {
	m.wait.Go(func() {
		for i := 0; !m.stop.Load(); i++ {
			took, err := do(i)
			m.mu.Lock()
			if *s = append(*s, took); err != nil {
				m.failed = err
				m.stop.Store(true)
			}
			m.mu.Unlock()
			time.Sleep(pause)
		}
	})
}

// timed is how long a call takes.
func timed(call func() error) (time.Duration, error) {
	began := time.Now()
	err := call()
	return time.Since(began), err
}

// change grants a user a role and revokes it, again and again.
func (m *meanwhile) change(a *asking, user string) {
	m.again(&m.changes, 5*time.Millisecond, func(i int) (time.Duration, error) {
		op := map[string]any{"op": []string{"grant", "revoke"}[i%2], "role": "seasonal-helper", "user": user}
		return timed(func() error {
			return a.call("POST", "/changes", map[string]any{"reason": "meanwhile", "operations": []any{op}}, nil)
		})
	})
}

// check asks for decisions about one user after another.
func (m *meanwhile) check(a *asking) {
	m.again(&m.checks, 5*time.Millisecond, func(i int) (time.Duration, error) {
		return timed(func() error {
			return a.call("POST", "/check", wire.CheckRequest{User: demo.UserName(i % 1000), Application: "tide-board", Action: "read", Path: "tides"}, nil)
		})
	})
}

// end waits until nobody does anything any more. An error is the last of theirs.
func (m *meanwhile) end() error {
	m.stop.Store(true)
	m.wait.Wait()
	return m.failed
}
