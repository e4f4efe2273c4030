package access

import (
	"strings"
	"testing"
)

func TestPathsAndPatternsThatAreRefused(t *testing.T) {
	long := strings.Repeat("a", 201)
	for _, x := range []struct{ path, says string }{
		{"", "is empty"},
		{"/berths", "segment 1 is empty"},
		{"berths/", "segment 2 is empty"},
		{"berths//north-1", "segment 2 is empty"},
		{"berths/./north-1", `segment 2 may not be "."`},
		{"berths/..", `segment 2 may not be ".."`},
		{"users/@/7", `segment 2 may not be "@"`},
		{"berths/ north", "begins or ends with a space"},
		{"berths/north ", "begins or ends with a space"},
		{"berths/a\tb", "U+0009"},
		{"berths/a\x00b", "U+0000"},
		{"berths/a\u200bb", "U+200B"},
		{"berths/\xff", "is not valid UTF-8"},
		{"berths/e\u0301", "normal form C"},
		{long, "longer than 200 bytes"},
		{strings.Repeat("a/", 16) + "a", "more than 16 segments"},
	} {
		for _, check := range []func(string) error{CheckPath, CheckPattern} {
			if err := check(x.path); err == nil || !strings.Contains(err.Error(), x.says) {
				t.Errorf("%q: %v, want something with %q", x.path, err, x.says)
			}
		}
	}
	if err := CheckPath("berths/north-*"); err == nil || !strings.Contains(err.Error(), "only patterns may") {
		t.Errorf("a star in a path: %v", err)
	}
}

func TestPathsAndPatternsThatAreGood(t *testing.T) {
	for _, p := range []string{"/", "berths", "Berths", "berths/Nº 3 (north)", "é", "...", "a@b", strings.Repeat("a", 200), strings.TrimSuffix(strings.Repeat("a/", 16), "/")} {
		if err := CheckPath(p); err != nil {
			t.Errorf("%q: %v", p, err)
		}
	}
	for _, p := range []string{"*", "berths/north-*", "*/*", "a*b*c"} {
		if err := CheckPattern(p); err != nil {
			t.Errorf("%q: %v", p, err)
		}
	}
}

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
		if got := Covers(x.pattern, x.path); got != x.want {
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
		if got := Contains(x.outer, x.inner); got != x.want {
			t.Errorf("Contains(%q, %q) = %v", x.outer, x.inner, got)
		}
	}
}

// What contains a pattern covers all that the pattern covers.
func TestContainingImpliesCovering(t *testing.T) {
	c := newChance(7)
	for range 20_000 {
		outer, inner, path := c.pattern(), c.pattern(), c.path()
		if Contains(outer, inner) && coversNaively(inner, path) && !coversNaively(outer, path) {
			t.Fatalf("%q contains %q, which covers %q, and does not", outer, inner, path)
		}
	}
}

func FuzzPattern(f *testing.F) {
	for _, s := range []string{"/", "berths/north-*", "a//b", "é", "*/*", "..", "\xff", "a*b*c"} {
		f.Add(s, "berths/north-3")
	}
	f.Fuzz(func(t *testing.T, pattern, path string) {
		if CheckPattern(pattern) != nil || CheckPath(path) != nil {
			return
		}
		if got, want := Covers(pattern, path), coversNaively(pattern, path); got != want {
			t.Errorf("Covers(%q, %q) = %v, naively %v", pattern, path, got, want)
		}
		if !Contains(pattern, pattern) {
			t.Errorf("%q does not contain itself", pattern)
		}
	})
}
