package patterns_test

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/laws"
	"ableroster/internal/patterns"
)

func TestCovering(t *testing.T) {
	for _, x := range []struct {
		pattern, path string
		want          bool
	}{
		{"/", "/", true},
		{"/", "berths/north-3", true},
		{"berths", "/", false},
		{"berths", "berths", true},
		{"berths", "berths/north-3/schedule", true},
		{"berths", "berthsx", false},
		{"berths", "Berths", false},
		{"berths/north-*", "berths", false},
		{"berths/north-*", "berths/north-3/schedule", true},
		{"berths/north-*", "berths/north-", true},
		{"berths/north-*", "berths/south-1", false},
		{"*", "berths", true},
		{"*", "/", false},
		{"*/north-1", "berths/north-1", true},
		{"*/north-1", "berths/x/north-1", false},
		{"a*b*c", "abc", true},
		{"a*b*c", "aXbYbZc", true},
		{"a*b*c", "acb", false},
		{"*ab", "aab", true},
		{"ab*ba", "aba", false},
	} {
		if got := patterns.Covers(x.pattern, x.path); got != x.want {
			t.Errorf("Covers(%q, %q) = %v", x.pattern, x.path, got)
		}
		if got := laws.CoversNaively(x.pattern, x.path); got != x.want {
			t.Errorf("the oracle: %q covers %q = %v", x.pattern, x.path, got)
		}
	}
}

func TestContaining(t *testing.T) {
	for _, x := range []struct {
		outer, inner string
		want         bool
	}{
		{"/", "*", true},
		{"*", "/", false},
		{"*", "berths", true},
		{"*", "north-*", true},
		{"north-*", "*", false},
		{"north-*", "north-*", true},
		{"north-*", "north-1*", true},
		{"north-1", "north-*", false},
		{"berths", "berths/*/x", true},
		{"berths/*", "berths", false},
		{"a*c", "ab*bc", true},
	} {
		if got := patterns.Contains(x.outer, x.inner); got != x.want {
			t.Errorf("Contains(%q, %q) = %v", x.outer, x.inner, got)
		}
	}
}

// What contains a pattern covers all that the pattern covers.
func TestContainingImpliesCovering(t *testing.T) {
	c := laws.NewChance(7)
	for range 20_000 {
		outer, inner, path := c.Pattern(), c.Pattern(), c.Path()
		if patterns.Contains(outer, inner) && laws.CoversNaively(inner, path) && !laws.CoversNaively(outer, path) {
			t.Fatalf("%q contains %q, which covers %q, and does not", outer, inner, path)
		}
	}
}

func FuzzPattern(f *testing.F) {
	for _, s := range []string{"/", "berths/north-*", "a//b", "é", "*/*", "..", "\xff", "a*b*c"} {
		f.Add(s, "berths/north-3")
	}
	f.Fuzz(func(t *testing.T, pattern, path string) {
		if patterns.CheckPattern(pattern) != nil || patterns.CheckPath(path) != nil {
			return
		}
		if got, want := patterns.Covers(pattern, path), laws.CoversNaively(pattern, path); got != want {
			t.Errorf("Covers(%q, %q) = %v, naively %v", pattern, path, got, want)
		}
		if !patterns.Contains(pattern, pattern) {
			t.Errorf("%q does not contain itself", pattern)
		}
	})
}

// A meeting of two patterns is in both, and where two patterns have a path in
// common they overlap.
func TestPatternsMeet(t *testing.T) {
	for _, x := range []struct {
		a, b string
		want []string
	}{
		{"/", "berths", []string{"berths"}},
		{"berths", "berths/north-*", []string{"berths/north-*"}},
		{"voyages/2026-*", "voyages/*/plan", []string{"voyages/2026-*/plan"}},
		{"a/north-*", "a/*-1", []string{"a/north-*-1", "a/north-1"}},
		{"a/*o*-1", "a/n*", []string{"a/n*o*-1"}},
		{"a/north-1", "a/south-*", nil},
		{"a", "b", nil},
	} {
		if got := patterns.Meet(x.a, x.b); !slices.Equal(slices.Sorted(slices.Values(got)), x.want) {
			t.Errorf("%s and %s meet in %q", x.a, x.b, got)
		}
	}
	c := laws.NewChance(21)
	segment := func() string { // of few letters, so that they meet often
		out := ""
		for range 1 + c.IntN(5) {
			out += laws.Pick(c, "a", "b", "-", "*")
		}
		return strings.ReplaceAll(out, "**", "*")
	}
	for range 100_000 {
		a, b, path := segment()+"/"+segment(), segment(), strings.ReplaceAll(segment()+"/"+segment()+"/"+segment(), "*", "ab")
		met := slices.ContainsFunc(patterns.Meet(a, b), func(m string) bool { return laws.CoversNaively(m, path) })
		if met != (laws.CoversNaively(a, path) && laws.CoversNaively(b, path)) {
			t.Fatalf("%s and %s meet in %q: covers %s %v", a, b, patterns.Meet(a, b), path, met)
		}
	}
	for range 30_000 {
		a, b, path := c.Pattern(), c.Pattern(), c.Path()
		met := slices.ContainsFunc(patterns.Meet(a, b), func(m string) bool { return laws.CoversNaively(m, path) })
		if met != (laws.CoversNaively(a, path) && laws.CoversNaively(b, path)) {
			t.Fatalf("%s and %s meet in %q: covers %s %v", a, b, patterns.Meet(a, b), path, met)
		}
		if laws.CoversNaively(a, path) && laws.CoversNaively(b, path) && !patterns.Overlap(a, b) {
			t.Fatalf("%s and %s both cover %s and do not overlap", a, b, path)
		}
	}
}
