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

// inTurn takes two samples of n each, one of a and one of b by turns, so that
// the machine's moods fall on both.
func inTurn(n int, a, b func() error) (sa, sb sample, err error) {
	for range n {
		for i, f := range []func() error{a, b} {
			began := time.Now()
			if err := f(); err != nil {
				return nil, nil, err
			}
			took := time.Since(began)
			if i == 0 {
				sa = append(sa, took)
			} else {
				sb = append(sb, took)
			}
		}
	}
	return sa, sb, nil
}
