package main

import (
	"fmt"
	"slices"
	"time"
)

// sample is the times of one thing done many times.
type sample []time.Duration

func (s sample) quantile(q float64) time.Duration {
	sorted := slices.Sorted(slices.Values(s))
	return sorted[min(len(sorted)-1, int(q*float64(len(sorted))))]
}

func (s sample) p50() time.Duration { return s.quantile(0.50) }
func (s sample) p99() time.Duration { return s.quantile(0.99) }

func (s sample) String() string { return fmt.Sprintf("%s / %s", short(s.p50()), short(s.p99())) }

func short(d time.Duration) string {
	switch {
	case d < time.Microsecond:
		return fmt.Sprintf("%d ns", d)
	case d < time.Millisecond:
		return fmt.Sprintf("%.1f µs", float64(d)/1e3)
	}
	return fmt.Sprintf("%.2f ms", float64(d)/1e6)
}

func ratio(a, b time.Duration) string { return fmt.Sprintf("%.2f", float64(a)/float64(b)) }

// task is what a sample is taken of; before makes ready, untimed.
type task struct {
	before func()
	do     func() error
}

// byTurns takes a sample of n of each task, one of each in turn, so that the
// machine's moods fall on all.
func byTurns(n int, tasks ...task) ([]sample, error) {
	out := make([]sample, len(tasks))
	for range n {
		for i, t := range tasks {
			if t.before != nil {
				t.before()
			}
			began := time.Now()
			if err := t.do(); err != nil {
				return nil, err
			}
			out[i] = append(out[i], time.Since(began))
		}
	}
	return out, nil
}

// inTurn takes a sample of a and one of b.
func inTurn(n int, a, b func() error) (sa, sb sample, err error) {
	all, err := byTurns(n, task{do: a}, task{do: b})
	if err != nil {
		return nil, nil, err
	}
	return all[0], all[1], nil
}
