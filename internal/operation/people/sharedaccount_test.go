package people_test

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/finding"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/record"
)

// by makes a change as somebody who has no right but those of taking part; wrong are its faults, and what
// they lack.
func by(t *testing.T, s *access.Snapshot, who string, at calendar.Instant, ops ...change.Operation) (after *access.Snapshot, wrong string) {
	t.Helper()
	d := change.NewDraft(s)
	d.Author, _ = s.FindUser(who)
	d.May = func(string, string) bool { return false }
	d.Visible = func(fact.FactKind, uint32) bool { return false }
	for i, op := range ops {
		d.Apply(i, op, at)
	}
	d.Finish()
	var out []string
	for _, f := range d.Faults {
		out = append(out, f.Error())
	}
	for _, n := range d.Needs {
		out = append(out, "may not "+n.What)
	}
	if len(out) > 0 {
		return s, strings.Join(out, "; ")
	}
	return d.Seal(d.Revision, at), ""
}

// An account goes round: it is checked out by who may, for as long as it may, by one at a time; it is
// returned, its secret is changed, and only then is it used again. Whoever takes no part knows of none.
func TestASharedAccountGoesRound(t *testing.T) {
	const account = "berth-board"
	s := laws.Port(t, &people.SetMachineAccount{User: account, Purpose: "Moves berths", Accountable: []change.UserRef{"marta.quill", "tomas.brandt"}},
		&roles.AddGroup{Key: "watch"}, &roles.AddMember{Group: "watch", User: "ines.halloran"}, &roles.AddMember{Group: "watch", User: "hedvika.venables"})
	s = made(t, s, "2026-03-01", &people.SetSharedAccount{User: account, Custodian: "tomas.brandt", Group: "watch", MaxHours: 4, Emergency: true})
	noon := day(t, "2026-03-02").Begins(s.Zone()) + calendar.Days(1)/2
	hour := calendar.Days(1) / 24
	id, _ := s.FindUser(account)
	for i, x := range []struct {
		who  string
		at   calendar.Instant
		op   change.Operation
		says string // why not; blank: it is done
	}{
		{"marta.quill", noon, &people.CheckOutAccount{User: account}, "there is no user"}, // who sees none, as here, learns of none
		{"ines.halloran", noon, &people.CheckOutAccount{User: account, Until: noon + 5*hour}, "for 4 hours at most"},
		{"ines.halloran", noon, &people.CheckOutAccount{User: account, Until: noon - hour}, "is not later than now"},
		{"ines.halloran", noon, &people.ReturnAccount{User: account}, "there is no user"}, // she has it not
		{"ines.halloran", noon, &people.CheckOutAccount{User: account, Until: noon + hour}, ""},
		{"hedvika.venables", noon + hour/2, &people.CheckOutAccount{User: account}, "is checked out already"},
		{"hedvika.venables", noon + hour/2, &people.ReturnAccount{User: account}, "there is no user"},
		{"tomas.brandt", noon + hour/2, &people.ConfirmRotation{User: account}, "was not returned since"},
		{"ines.halloran", noon + 2*hour, &people.ReturnAccount{User: account}, ""},
		{"ines.halloran", noon + 2*hour, &people.ConfirmRotation{User: account}, "there is no user"},
		{"hedvika.venables", noon + 3*hour, &people.CheckOutAccount{User: account}, "was not changed since it was last used"},
		{"tomas.brandt", noon + 4*hour, &people.ConfirmRotation{User: account}, ""},
		{"tomas.brandt", noon + 4*hour, &people.RecordAccountTest{User: account}, ""},
		{"hedvika.venables", noon + 5*hour, &people.CheckOutAccount{User: account}, ""},
		{"tomas.brandt", noon + 6*hour, &people.ReturnAccount{User: account}, ""},
		{"tomas.brandt", noon + 6*hour, &people.EndSharedAccount{User: account}, "there is no user"},
	} {
		after, wrong := by(t, s, x.who, x.at, x.op)
		if x.says == "" && wrong != "" || !strings.Contains(wrong, x.says) {
			t.Fatalf("%d: %s: %q", i, x.op.Verb(), wrong)
		}
		if s = after; x.says == "" && x.op.Verb() == "check_out_account" && record.CheckOut(s, id).Until > x.at+4*hour {
			t.Errorf("%d: %+v", i, record.CheckOut(s, id))
		}
	}
	if got := record.SharedAccount(s, id); got.Tested != day(t, "2026-03-02") {
		t.Errorf("%+v", got)
	}
	codes := func(at calendar.Instant) (out []finding.Code) {
		for _, f := range finding.Look(s, at, nil).Findings {
			if f.User == id && f.Code != finding.HoldsNothing {
				out = append(out, f.Code)
			}
		}
		return out
	}
	if got := codes(noon + 7*hour); len(got) > 0 {
		t.Errorf("at once: %v", got)
	}
	if got := codes(noon + 31*hour); !slices.Equal(got, []finding.Code{finding.SecretUsed}) {
		t.Errorf("a day later: %v", got)
	}
	if got := codes(noon + calendar.Days(181)); !slices.Equal(got, []finding.Code{finding.SecretUsed, finding.Untested}) {
		t.Errorf("half a year later: %v", got)
	}
	s = made(t, s, "2026-03-05", &people.ConfirmRotation{User: account}, &people.CheckOutAccount{User: account})
	if got := codes(day(t, "2026-03-06").Begins(s.Zone())); !slices.Equal(got, []finding.Code{finding.Overdue}) {
		t.Errorf("not returned: %v", got)
	}
	if got := wrongs(t, s, "2026-03-06", &people.EndSharedAccount{User: account}); !strings.Contains(got, "it is returned first") {
		t.Error(got)
	}
	// Whoever keeps it departs: their manager does, or else the head of their unit, or nobody.
	departed := fact.Departed
	s = made(t, s, "2026-03-06", &people.SetSharedAccount{User: account, Custodian: "ines.halloran", Group: "watch"})
	s = made(t, s, "2026-03-07", &people.UpdateUser{User: "ines.halloran", Status: &departed})
	if tomas, _ := s.FindUser("tomas.brandt"); record.SharedAccount(s, id).Custodian != tomas || record.SharedAccount(s, id).Tested == 0 {
		t.Errorf("%+v", record.SharedAccount(s, id))
	}
}

func TestWhatASharedAccountNeeds(t *testing.T) {
	s := laws.Port(t)
	for says, op := range map[string]*people.SetSharedAccount{
		"is a person":                {User: "ines.halloran", Custodian: "tomas.brandt", Group: "pilots"},
		"say first what berth-board": {User: "berth-board", Custodian: "tomas.brandt", Group: "pilots"},
		"bounds nobody":              {User: "berth-board", Custodian: "tomas.brandt", Group: "all-users"},
		"no person who is there":     {User: "berth-board", Custodian: "berth-board", Group: "pilots"},
		"number of hours":            {User: "berth-board", Custodian: "tomas.brandt", Group: "pilots", MaxHours: 1000},
		"there is no group":          {User: "berth-board", Custodian: "tomas.brandt", Group: "pilts"},
	} {
		if got := wrongs(t, s, "2026-03-01", op); !strings.Contains(got, says) {
			t.Errorf("%s: %s", says, got)
		}
	}
}
