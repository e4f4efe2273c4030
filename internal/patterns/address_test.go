package patterns_test

import (
	"strings"
	"testing"

	"ableroster/internal/patterns"
)

func TestAddressesAreReadOneWayOrRefused(t *testing.T) {
	for text, want := range map[string]patterns.Address{
		"/":                            {},
		"/moorings":                    {Segments: []string{"moorings"}},
		"/moorings/":                   {Segments: []string{"moorings"}},
		"/moorings/{berth}/log":        {Segments: []string{"moorings", "{berth}", "log"}},
		"POST /moorings":               {Method: "POST", Segments: []string{"moorings"}},
		"POST /moorings assign":        {Method: "POST", Segments: []string{"moorings"}, Action: "assign"},
		"/moorings assign":             {Segments: []string{"moorings"}, Action: "assign"},
		"https://Berths.Example/a%20b": {Host: "https://berths.example", Segments: []string{"a b"}},
	} {
		got, err := patterns.ParseAddress(text)
		if err != nil || got.Method != want.Method || got.Host != want.Host || got.Action != want.Action || strings.Join(got.Segments, "|") != strings.Join(want.Segments, "|") {
			t.Errorf("%q: %+v, %v", text, got, err)
		}
	}
	for _, text := range []string{"", "moorings", "GET", "get /moorings", "/a b c", "/a//b", "/a/../b", "/a/./b", "/%2e%2e/b", "/a%2fb", "/a%5Cb", "/a%zz", "/a%ff", "/a%00", "/a?b", "/a#b", "//a", "/x{a}", "/{}", "/{a}{b}", "/{{a}}", "ftp://a/b", "https:///b", "https://u@h/b", "https://{h}/b", "/" + strings.Repeat("a/", 17)} {
		if got, err := patterns.ParseAddress(text); err == nil {
			t.Errorf("%q is read as %+v", text, got)
		}
	}
	for _, text := range []string{"", "a", "//host/a", "/a/../b", "/a/%2e%2e/b", "/a//b", "/a%2fb", "mailto:a@b", "https:a", "https://u:p@h/a", "javascript:alert(1)", "/a%0a"} {
		if host, segments, err := patterns.ParseServed(text); err == nil {
			t.Errorf("%q is asked about as %q %q", text, host, segments)
		}
	}
	for text, want := range map[string]string{"/": "", "/a/": "a", "/a?x=/../b": "a", "/a#/b": "a", "https://H/a/b": "https://h a|b", "/a%20b": "a b"} {
		host, segments, err := patterns.ParseServed(text)
		if got := strings.TrimSpace(host + " " + strings.Join(segments, "|")); err != nil || got != want {
			t.Errorf("%q: %q, %v", text, got, err)
		}
	}
}
