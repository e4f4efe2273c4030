package mailing

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/finding"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
)

// waitsFor is what has to be done with a shared account, by whom, and since when; blank for nothing.
type waitsFor struct {
	what  string
	by    []fact.UserID
	since calendar.Instant
}

// sharedWaits is what has to be done with a shared account at an instant: whoever has it for too long
// returns it, and its custodian changes its secret, or tests it.
func sharedWaits(s *access.Snapshot, f *fact.SharedAccount, at calendar.Instant) waitsFor {
	last, hour := record.CheckOut(s, f.User), calendar.Days(1)/24
	switch {
	case last.Out() && last.Until <= at:
		return waitsFor{"is to be returned since", []fact.UserID{last.By, f.Custodian}, last.Until}
	case last.Due() && at-last.Returned >= finding.SecretWithin*hour:
		return waitsFor{"was returned: its secret is to be changed since", []fact.UserID{f.Custodian}, last.Returned + finding.SecretWithin*hour}
	case f.Emergency && f.Tested != 0 && at >= (f.Tested+finding.UntestedFor).Begins(s.Zone()):
		return waitsFor{"is to be tested since", []fact.UserID{f.Custodian}, (f.Tested + finding.UntestedFor).Begins(s.Zone())}
	}
	return waitsFor{}
}

// remindedOfShared are the people for whom a shared account waits: once on the day, and each week from
// then on.
func remindedOfShared(s *access.Snapshot, at calendar.Instant) (out []fact.UserID) {
	for _, f := range record.SharedAccounts(s) {
		x := sharedWaits(s, f, at)
		if x.what == "" || (at-x.since)/calendar.Days(1)%7 != 0 {
			continue
		}
		for _, id := range x.by {
			if id != 0 && unsendable(s.User(id)) == "" && !slices.Contains(out, id) {
				out = append(out, id)
			}
		}
	}
	return out
}

// sharedAccountLines tell of the shared accounts that wait for somebody.
func (m *Mailing) sharedAccountLines(s *access.Snapshot, id fact.UserID, at calendar.Instant) (out []line) {
	for _, f := range record.SharedAccounts(s) {
		x := sharedWaits(s, f, at)
		if !slices.Contains(x.by, id) {
			continue
		}
		l := line{"", seeing.Label(s.User(f.User)), x.what + " " + x.since.Time().In(s.Zone()).Format("2 January 2006, 15:04"), m.Base + "/my-access"}
		if last := record.CheckOut(s, f.User); last.Out() && last.By != 0 && last.By != id {
			l.Who = seeing.Label(s.User(last.By))
		}
		out = append(out, l)
	}
	return out
}
