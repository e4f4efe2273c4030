package people

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

func init() {
	change.Register(&SetLegalHold{}, "Keep a user from being erased until a day is over; another day takes the place of the one before")
	change.Register(&EndLegalHold{}, "Let a user be erased again, before the last day of their legal hold")
}

// mostHeld bounds for how long a hold stands: who asked for it looks again within that time.
const mostHeld = 10 * 366

// SetLegalHold keeps a user from being erased. Their history does not tell of it, for whoever reads
// it may be whom an inquiry is about: the ledger does, and their page to who may read settings.
type SetLegalHold struct {
	User  change.UserRef `json:"user" subject:"no" doc:"user name or id"`
	Until calendar.Date  `json:"last_day" flag:"until" doc:"its last day, YYYY-MM-DD; within ten years"`
}

// Verb implements change.Operation.
func (*SetLegalHold) Verb() string { return "set_legal_hold" }

// ApplyTo implements change.Operation.
func (o SetLegalHold) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleUser("user", &o.User)
	if !ok || !d.Need(access.ActUpdate, "settings", "set legal holds") {
		return
	}
	today := calendar.DateOf(d.At().Time().In(d.Zone()))
	switch {
	case o.Until == 0:
		d.Fault("last_day", "is missing")
		return
	case o.Until < today:
		d.Judged("last_day", "is over already")
	case o.Until > today+mostHeld:
		d.Judged("last_day", "is more than ten years ahead")
	}
	if d.User(id).Erased {
		d.Judged("user", "was erased already")
	}
	if old := record.LegalHold(&d.Snapshot, id); old != nil && old.Until == o.Until {
		d.Note(change.AlreadySo, old.Since())
		return
	}
	d.Put(&fact.LegalHold{User: id, Until: o.Until})
	return settled
}

// Sentence implements change.Operation.
func (o *SetLegalHold) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Put " + n.UserName(id) + " under legal hold until the end of " + o.Until.Words()
}

// EndLegalHold ends a hold before its last day.
type EndLegalHold struct {
	User change.UserRef `json:"user" subject:"no" doc:"user name or id"`
}

// Verb implements change.Operation.
func (*EndLegalHold) Verb() string { return "end_legal_hold" }

// ApplyTo implements change.Operation.
func (o EndLegalHold) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleUser("user", &o.User)
	if !ok || !d.Need(access.ActUpdate, "settings", "end legal holds") {
		return
	}
	f := record.LegalHold(&d.Snapshot, id)
	if f == nil {
		d.Fault("user", "%s is under no legal hold", d.User(id).UserName)
		return
	}
	d.End(f)
	return settled
}

// Sentence implements change.Operation.
func (o *EndLegalHold) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Ended the legal hold of " + n.UserName(id)
}
