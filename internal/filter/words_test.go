package filter

import (
	"strings"
	"testing"
)

// A filter in words says what it chooses, and in the same way wherever it stands.
func TestFiltersInWords(t *testing.T) {
	for text, want := range map[string]string{
		`within eq "marine"`: "in Marine and below",
		`within eq "marine/pilotage" and title eq "Pilot"`: "in Marine / Pilotage and below and with title “Pilot”",
		`within ne "marine"`: "outside Marine",
		`unit eq "finance"`:  "in Finance itself",
		`employment_type eq "contractor" or title co "temp"`:  "with employment type “contractor” or with title containing “temp”",
		`within eq "gate" and (title eq "A" or title eq "B")`: "in Gate and below and (with title “A” or with title “B”)",
		`not (within eq "gate")`:                              "not (in Gate and below)",
		`end_date lt "2027-01-01"`:                            "with end date before “2027-01-01”",
		`manager pr`:                                          "with a manager",
		`locker eq null`:                                      "without a locker",
		`pilot eq true`:                                       "with pilot",
		`grade ge 7`:                                          "with grade at least 7",
	} {
		e, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		if got := Words(e, func(a string) string { return strings.ReplaceAll(a, "_", " ") }); got != want {
			t.Errorf("%s: %s, want %s", text, got, want)
		}
	}
}
