package mailing

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/jobs"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/signin"
)

// People are reminded 14, 7 and 1 days before the last day of what was given to them, counted
// in days of the organisation, over a change of the clocks and a leap day too.
func TestWhoIsReminded(t *testing.T) {
	lisbon, err := time.LoadLocation("Europe/Lisbon")
	if err != nil {
		t.Fatal(err)
	}
	email := "ines.halloran@larkhaven.example"
	for last, days := range map[string][]string{
		"2026-11-02": {"2026-10-19", "2026-10-26", "2026-11-01"}, // clocks go back on 25 October
		"2028-03-01": {"2028-02-16", "2028-02-23", "2028-02-29"}, // a leap year
		"2027-04-01": {"2027-03-18", "2027-03-25", "2027-03-31"}, // clocks go forward on 28 March
	} {
		day, err := time.ParseInLocation(time.DateOnly, last, lisbon)
		if err != nil {
			t.Fatal(err)
		}
		s := laws.Port(t, &people.UpdateUser{User: "ines.halloran", Email: &email},
			&roles.Grant{Role: "berths/scheduler", User: "ines.halloran", Window: calendar.Window{Until: calendar.At(day.AddDate(0, 0, 1))}},
			&roles.Grant{Role: "berths/scheduler", User: "hedvika.venables", Window: calendar.Window{Until: calendar.At(day.AddDate(0, 0, 1))}}) // who has no address
		var told []string
		for d := day.AddDate(0, 0, -30); !d.After(day.AddDate(0, 0, 3)); d = d.AddDate(0, 0, 1) {
			if ids := remindedOn(s, calendar.DateOf(d)); len(ids) == 1 && s.User(ids[0]).UserName == "ines.halloran" {
				told = append(told, d.Format(time.DateOnly))
			} else if len(ids) > 0 {
				t.Errorf("%v are reminded", ids)
			}
		}
		if !slices.Equal(told, days) {
			t.Errorf("of %s on %v, want %v", last, told, days)
		}
	}
}

// Who is accountable for a machine account is reminded that its last token ends.
func TestWhoIsRemindedOfTokens(t *testing.T) {
	email := "tomas.brandt@larkhaven.example"
	s := laws.Port(t, &people.UpdateUser{User: "tomas.brandt", Email: &email}, &people.SetMachineAccount{User: "berth-board", Purpose: "x", Accountable: []change.UserRef{"tomas.brandt", "marta.quill"}})
	board, _ := s.FindUser("berth-board")
	ends := time.Date(2027, 3, 29, 12, 0, 0, 0, time.UTC)
	for days, want := range map[int]int{15: 0, 14: 1, 13: 0, 7: 1, 1: 1, 0: 0} {
		if got := remindedOfTokens(s, map[fact.UserID]signin.GoodTokens{board: {Good: 1, Ends: &ends}}, calendar.DateOf(ends)-calendar.Date(days)); len(got) != want {
			t.Errorf("%d days before: %v", days, got)
		}
	}
	if got := remindedOfTokens(s, map[fact.UserID]signin.GoodTokens{board: {Good: 1}, 1: {Good: 1, Ends: &ends}}, calendar.DateOf(ends)-7); len(got) > 0 {
		t.Errorf("of tokens without an end, and of people's: %v", got)
	}
}

// Who is accountable for a machine account is told that a file of it was refused, and how much is
// wrong; what is wrong may name people, and is not mailed.
func TestWhoIsToldOfRefusedImports(t *testing.T) {
	email := "tomas.brandt@larkhaven.example"
	s := laws.Port(t, &people.UpdateUser{User: "tomas.brandt", Email: &email}, &people.SetMachineAccount{User: "berth-board", Purpose: "x", Accountable: []change.UserRef{"tomas.brandt", "marta.quill"}})
	board, _ := s.FindUser("berth-board")
	tomas, _ := s.FindUser("tomas.brandt")
	bad := &jobs.Upload{Owner: board, Kind: "users", Options: []byte(`{"file":"night.csv"}`), Answer: &jobs.Answer{Problem: []byte(`{"faults":[{"message":"Ana Ferro is there twice"},{"message":"y"}]}`)}}
	whole := &jobs.Upload{Owner: board, Kind: "groups", Options: []byte(`{}`)}
	if got := remindedOfImports(s, []*jobs.Upload{bad, whole, {Owner: tomas}}); !slices.Equal(got, []fact.UserID{tomas}) {
		t.Errorf("%v are told", got)
	}
	if got := fmt.Sprint(importLines(s, []*jobs.Upload{bad, whole})); got != "[{berth-board night.csv 2 faults } {berth-board a file of groups refused }]" {
		t.Error(got)
	}
}

// Nobody is mailed who has no address, has departed, is a machine, or was erased.
func TestWhoIsMailed(t *testing.T) {
	for name, x := range map[string]struct {
		u    *fact.User
		want bool
	}{
		"a person":   {&fact.User{Personal: fact.Personal{Email: "a@b.example"}, UserKind: fact.Person, Status: fact.Active}, true},
		"nobody":     {nil, false},
		"no address": {&fact.User{UserKind: fact.Person}, false},
		"a machine":  {&fact.User{Personal: fact.Personal{Email: "a@b.example"}, UserKind: fact.Service}, false},
		"departed":   {&fact.User{Personal: fact.Personal{Email: "a@b.example"}, UserKind: fact.Person, Status: fact.Departed}, false},
		"erased":     {&fact.User{Personal: fact.Personal{Email: "a@b.example"}, UserKind: fact.Person, Erased: true}, false},
	} {
		if got := unsendable(x.u) == ""; got != x.want {
			t.Errorf("%s: %v", name, got)
		}
	}
}

// Who decides on the items of a review is told once it is opened, also by a move.
func TestWhoIsToldOfReviews(t *testing.T) {
	unit := "finance"
	s := laws.Port(t, &rules.SetMoveReviews{On: true}, &roles.Grant{Role: "berths/scheduler", User: "ines.halloran"})
	before := s.Revision
	d := change.NewDraft(s)
	d.Apply(0, &people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Unit: &unit}}, 9)
	if d.Finish(); len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	s = d.Seal(before+1, 9)
	ines, _ := s.FindUser("ines.halloran")
	for name, x := range map[string]struct {
		after, upTo int64
		want        []fact.UserID
	}{"when it is opened": {before, before + 1, []fact.UserID{s.User(ines).Manager}}, "before": {before - 1, before, nil}, "later": {before + 1, before + 9, nil}} {
		if got := reviewers(s, x.after, x.upTo, 10); !slices.Equal(got, x.want) {
			t.Errorf("%s: %v are told, want %v", name, got, x.want)
		}
	}
}
