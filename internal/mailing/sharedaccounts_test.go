package mailing

import (
	"strings"
	"testing"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
)

// Whoever has a shared account for too long is told, and its custodian; the custodian alone that its secret
// is to be changed, and that it is to be tested: on the first day, and each week from then on.
func TestWhoIsRemindedOfSharedAccounts(t *testing.T) {
	email := "x@larkhaven.example"
	s := laws.Port(t, &people.UpdateUser{User: "tomas.brandt", Email: &email}, &people.UpdateUser{User: "ines.halloran", Email: &email},
		&people.SetMachineAccount{User: "berth-board", Purpose: "x", Accountable: []change.UserRef{"tomas.brandt", "marta.quill"}},
		&people.SetSharedAccount{User: "berth-board", Custodian: "tomas.brandt", Group: "pilots", MaxHours: 2, Emergency: true}, &roles.AddMember{Group: "pilots", User: "ines.halloran"})
	ines, _ := s.FindUser("ines.halloran")
	hour := calendar.Days(1) / 24
	does := func(at calendar.Instant, op change.Operation) {
		t.Helper()
		d := change.NewDraft(s)
		d.Author = ines
		d.Apply(0, op, at)
		if d.Finish(); len(d.Faults) > 0 {
			t.Fatal(&d.Faults[0])
		}
		s = d.Seal(s.Revision+1, at)
	}
	told := func(at calendar.Instant) string {
		var out []string
		for _, id := range remindedOfShared(s, at) {
			m := &Mailing{Base: "https://roster.example"}
			for _, l := range m.sharedAccountLines(s, id, at) {
				out = append(out, s.User(id).UserName+": "+l.Who+" "+l.Why[:strings.Index(l.Why, " since")])
			}
		}
		return strings.Join(out, "; ")
	}
	const start = calendar.Instant(1_800_000_000_000_000)
	says := func(at calendar.Instant, want string) {
		t.Helper()
		if got := told(at); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
	says(start, "")
	does(start, &people.RecordAccountTest{User: "berth-board"})
	does(start, &people.CheckOutAccount{User: "berth-board"})
	says(start+hour, "")
	says(start+3*hour, "ines.halloran:  is to be returned; tomas.brandt: Inês Halloran is to be returned")
	says(start+27*hour, "")
	says(start+(3+7*24)*hour, "ines.halloran:  is to be returned; tomas.brandt: Inês Halloran is to be returned")
	does(start+5*hour, &people.ReturnAccount{User: "berth-board"})
	says(start+6*hour, "")
	says(start+28*hour, "")
	for _, at := range []calendar.Instant{30, 29 + 7*24} {
		says(start+at*hour, "tomas.brandt:  was returned: its secret is to be changed")
	}
	says(start+(30+24)*hour, "")
	does(start+31*hour, &people.ConfirmRotation{User: "berth-board"})
	says(start+calendar.Days(179), "")
	says(start+calendar.Days(180), "tomas.brandt:  is to be tested")
}
