package people_test

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
)

func substitute(of, by change.UserRef, start, end calendar.Date) *people.AddSubstitute {
	return &people.AddSubstitute{User: of, Substitute: by, Start: start, End: end}
}

// Somebody stands in from the first of the days to the last, also while the other is away; not
// once either has departed; and whoever takes over from a substitute stands in in their place.
func TestASubstituteStandsInForItsDays(t *testing.T) {
	first, last := day(t, "2026-03-10"), day(t, "2026-03-20")
	gone := fact.Departed
	begun := made(t, laws.Port(t), "2026-03-01", substitute("tomas.brandt", "ines.halloran", first, last))
	tomas, _ := begun.FindUser("tomas.brandt")
	ines, _ := begun.FindUser("ines.halloran")
	marta, _ := begun.FindUser("marta.quill")
	noon := func(on string) calendar.Instant { return day(t, on).Begins(begun.Zone()) + calendar.Days(1)/2 }
	for name, x := range map[string]struct {
		ops  []change.Operation
		at   calendar.Instant
		want []fact.UserID
	}{
		"the day before":              {nil, first.Begins(begun.Zone()) - 1, nil},
		"the first day":               {nil, first.Begins(begun.Zone()), []fact.UserID{ines}},
		"the last day":                {nil, (last + 1).Begins(begun.Zone()) - 1, []fact.UserID{ines}},
		"the day after":               {nil, (last + 1).Begins(begun.Zone()), nil},
		"while the other is away":     {[]change.Operation{&people.AddAbsence{User: "tomas.brandt", Start: first}}, noon("2026-03-15"), []fact.UserID{ines}},
		"while they are away as well": {[]change.Operation{&people.AddAbsence{User: "ines.halloran", Start: first}}, noon("2026-03-15"), nil},
		"ended on a day":              {[]change.Operation{&people.EndSubstitute{User: "tomas.brandt", Number: 1, End: first}}, noon("2026-03-15"), nil},
		"ended":                       {[]change.Operation{&people.EndSubstitute{User: "tomas.brandt", Number: 1}}, noon("2026-03-15"), nil},
		"the other has departed":      {[]change.Operation{&people.UpdateUser{User: "tomas.brandt", Status: &gone}}, noon("2026-03-15"), nil},
		"they have departed":          {[]change.Operation{&people.UpdateUser{User: "ines.halloran", Status: &gone}}, noon("2026-03-15"), nil},
		"taken over":                  {[]change.Operation{&people.HandOver{User: "ines.halloran", To: "marta.quill"}}, noon("2026-03-15"), []fact.UserID{marta}},
		"taken over by the other":     {[]change.Operation{&people.HandOver{User: "ines.halloran", To: "tomas.brandt"}}, noon("2026-03-15"), nil},
		"a second one":                {[]change.Operation{substitute("tomas.brandt", "marta.quill", first, first+9)}, noon("2026-03-15"), []fact.UserID{marta, ines}},
	} {
		s := made(t, begun, "2026-03-02", x.ops...)
		slices.Sort(x.want)
		if got := held.SubstitutesOf(s, tomas, x.at); !slices.Equal(got, x.want) {
			t.Errorf("%s: %v stand in, want %v", name, got, x.want)
		}
		for u := range s.Users() {
			if got, want := slices.Contains(held.StandsInFor(s, u.ID, x.at), tomas), slices.Contains(x.want, u.ID); got != want || held.ActsFor(s, u.ID, tomas, x.at) != (want || u.ID == tomas) {
				t.Errorf("%s: %s stands in: %v", name, u.UserName, got)
			}
		}
	}
}

func TestSubstitutesThatAreRefused(t *testing.T) {
	gone := fact.Departed
	s := made(t, laws.Port(t), "2026-03-01", &people.AddUser{Personal: fact.Personal{UserName: "left.one"}}, &people.UpdateUser{User: "left.one", Status: &gone})
	some := made(t, s, "2026-03-02", substitute("tomas.brandt", "ines.halloran", day(t, "2026-03-10"), day(t, "2026-03-20")))
	for says, x := range map[string]struct {
		s  *access.Snapshot
		op change.Operation
	}{
		"substitute is the same user":                       {s, substitute("tomas.brandt", "tomas.brandt", 30000, 30001)},
		"left.one has departed":                             {s, substitute("tomas.brandt", "left.one", 30000, 30001)},
		"user left.one has departed":                        {s, substitute("left.one", "tomas.brandt", 30000, 30001)},
		"people decide":                                     {s, substitute("tomas.brandt", "berth-board", 30000, 30001)},
		"end_date is missing: a substitute is for a time":   {s, substitute("tomas.brandt", "ines.halloran", 30000, 0)},
		"start_date is missing":                             {s, substitute("tomas.brandt", "ines.halloran", 0, 30000)},
		"end_date is before start_date":                     {s, substitute("tomas.brandt", "ines.halloran", 30001, 30000)},
		"end_date is over already":                          {s, substitute("tomas.brandt", "ines.halloran", 300, 301)},
		"there is no user “nobody”":                         {s, substitute("tomas.brandt", "nobody", 30000, 30001)},
		"number tomas.brandt has no substitute":             {some, &people.EndSubstitute{User: "tomas.brandt", Number: 2}},
		"end_date is before start_date: of one to be ended": {some, &people.EndSubstitute{User: "tomas.brandt", Number: 1, End: day(t, "2026-03-09")}},
	} {
		d := change.NewDraft(x.s)
		d.Apply(0, x.op, day(t, "2026-03-03").Begins(x.s.Zone()))
		want, _, _ := strings.Cut(says, ": of one")
		if len(d.Faults) == 0 || !strings.Contains(d.Faults[0].Error(), want) {
			t.Errorf("%s: %v", says, d.Faults)
		}
	}
}
