package people_test

import (
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
)

// Whoever is under legal hold is not erased until its last day is over, or it is ended.
func TestAHoldKeepsFromErasing(t *testing.T) {
	gone := fact.Departed
	held := made(t, laws.Port(t), "2026-03-01", &people.UpdateUser{User: "ines.halloran", Status: &gone}, &people.SetLegalHold{User: "ines.halloran", Until: day(t, "2026-04-30")})
	erases := &people.EraseUser{User: "ines.halloran"}
	for name, x := range map[string]struct {
		of   *access.Snapshot
		on   string
		op   change.Operation
		says string
	}{
		"erased meanwhile":             {held, "2026-03-02", erases, "ines.halloran is under legal hold"},
		"erased on the last day":       {held, "2026-04-30", erases, "ines.halloran is under legal hold"},
		"erased once it is over":       {held, "2026-05-01", erases, ""},
		"erased once it is ended":      {made(t, held, "2026-03-03", &people.EndLegalHold{User: "ines.halloran"}), "2026-03-04", erases, ""},
		"another last day":             {held, "2026-03-02", &people.SetLegalHold{User: "ines.halloran", Until: day(t, "2027-04-30")}, ""},
		"a last day that is over":      {held, "2026-03-02", &people.SetLegalHold{User: "tomas.brandt", Until: day(t, "2026-03-01")}, "is over already"},
		"a last day too far ahead":     {held, "2026-03-02", &people.SetLegalHold{User: "tomas.brandt", Until: day(t, "2037-03-01")}, "more than ten years"},
		"no last day":                  {held, "2026-03-02", &people.SetLegalHold{User: "tomas.brandt"}, "last_day is missing"},
		"a hold that is not there":     {held, "2026-03-02", &people.EndLegalHold{User: "tomas.brandt"}, "is under no legal hold"},
		"a hold of who was erased":     {made(t, held, "2026-05-02", erases), "2026-05-03", &people.SetLegalHold{User: "user-3", Until: day(t, "2027-04-30")}, "was erased already"},
		"a hold of who is still there": {held, "2026-03-02", &people.SetLegalHold{User: "tomas.brandt", Until: day(t, "2026-03-02")}, ""},
	} {
		d := change.NewDraft(x.of)
		d.Apply(0, x.op, day(t, x.on).Begins(x.of.Zone()))
		got := ""
		for _, f := range d.Faults {
			got += f.Error() + "; "
		}
		if (x.says == "") != (got == "") || !strings.Contains(got, x.says) {
			t.Errorf("%s: %q, want …%s…", name, got, x.says)
		}
	}
}
