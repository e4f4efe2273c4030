package laws_test

import (
	"testing"

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
		if got := coversNaively(x.pattern, x.path); got != x.want {
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
	c := newChance(7)
	for range 20_000 {
		outer, inner, path := c.pattern(), c.pattern(), c.path()
		if patterns.Contains(outer, inner) && coversNaively(inner, path) && !coversNaively(outer, path) {
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
		if got, want := patterns.Covers(pattern, path), coversNaively(pattern, path); got != want {
			t.Errorf("Covers(%q, %q) = %v, naively %v", pattern, path, got, want)
		}
		if !patterns.Contains(pattern, pattern) {
			t.Errorf("%q does not contain itself", pattern)
		}
	})
}
