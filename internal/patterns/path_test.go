package patterns_test

import (
	"strings"
	"testing"

	"ableroster/internal/patterns"
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
		for _, check := range []func(string) error{patterns.CheckPath, patterns.CheckPattern} {
			if err := check(x.path); err == nil || !strings.Contains(err.Error(), x.says) {
				t.Errorf("%q: %v, want something with %q", x.path, err, x.says)
			}
		}
	}
	if err := patterns.CheckPath("berths/north-*"); err == nil || !strings.Contains(err.Error(), "only patterns may") {
		t.Errorf("a star in a path: %v", err)
	}
}

func TestPathsAndPatternsThatAreGood(t *testing.T) {
	for _, p := range []string{"/", "berths", "Berths", "berths/Nº 3 (north)", "é", "...", "a@b", strings.Repeat("a", 200), strings.TrimSuffix(strings.Repeat("a/", 16), "/")} {
		if err := patterns.CheckPath(p); err != nil {
			t.Errorf("%q: %v", p, err)
		}
	}
	for _, p := range []string{"*", "berths/north-*", "*/*", "a*b*c"} {
		if err := patterns.CheckPattern(p); err != nil {
			t.Errorf("%q: %v", p, err)
		}
	}
}
