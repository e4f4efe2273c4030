package near

import (
	"slices"
	"testing"
)

func TestWhatMayHaveBeenMeant(t *testing.T) {
	names := []string{"grant", "revoke", "add_user", "add_group", "update_user", "up"}
	for given, want := range map[string][]string{
		"grnt":        {"grant"},
		"revoek":      {"revoke"},
		"add_usr":     {"add_user"},
		"add_grup":    {"add_group"},
		"sing":        nil,
		"-":           nil,
		"":            nil,
		"update_usre": {"update_user"},
		"u":           nil,
	} {
		if got := Of(given, names); !slices.Equal(got, want) {
			t.Errorf("%q: %q, want %q", given, got, want)
		}
	}
	if got := Words("grnt", names); got != ": did you mean grant?" {
		t.Error(got)
	}
	n := To("reader")
	n.Add("reading")
	n.Meant("berths/reader")
	if got := n.Nearest(); len(got) == 0 || got[0] != "berths/reader" {
		t.Error(got)
	}
}
