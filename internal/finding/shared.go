package finding

import (
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

// UntestedFor is from how many days on an emergency account counts as not tested.
const UntestedFor = 180

// SecretWithin is how many hours its custodian has to change the secret of a returned account.
const SecretWithin = 24

// onShared is what looks wrong with an account that people use in turn; counts are hours, or days since
// a test.
func (r *Report) onShared(id fact.UserID) (out []Finding) {
	f := record.SharedAccount(r.s, id)
	if f == nil || f.Ended {
		return nil
	}
	hours := func(since calendar.Instant) int { return int((r.at - since) / (calendar.Days(1) / 24)) }
	last := record.CheckOut(r.s, id)
	if last.Out() && last.Until <= r.at {
		out = append(out, Finding{Code: Overdue, User: id, Count: hours(last.Until)})
	}
	if last.Due() && hours(last.Returned) >= SecretWithin {
		out = append(out, Finding{Code: SecretUsed, User: id, Count: hours(last.Returned)})
	}
	if f.Emergency {
		today := calendar.DateOf(r.at.Time().In(r.s.Zone()))
		switch since := int(today - f.Tested); {
		case f.Tested == 0:
			out = append(out, Finding{Code: Untested, User: id})
		case since >= UntestedFor:
			out = append(out, Finding{Code: Untested, User: id, Count: since})
		}
	}
	return out
}
