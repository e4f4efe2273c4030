package access

import (
	"iter"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Number gives the revision that made some changes its number, in a snapshot that holds them
// under another one. The changes are of users and of what users are given alone. It writes
// in place: nobody else may have seen the snapshot, nor one it was made from since they were
// put there. touches are users whom the changes speak of beside those whose facts they are.
func (s *Snapshot) Number(changes []RowChange, touches iter.Seq[fact.UserID], was, revision int64, at calendar.Instant) {
	touched := func(id fact.UserID) {
		if u := s.UserTable.At(int(id)); u != nil && u.Touched == was {
			u.Touched = revision
		}
	}
	for id := range touches {
		touched(id)
	}
	for _, c := range changes {
		for _, f := range []fact.Fact{c.Before, c.After} {
			switch f := f.(type) {
			case *fact.User:
				touched(f.ID)
			case fact.OfUser:
				if touched(f.Whose()); f.Since() == was {
					f.OpenedBy(revision)
				}
			case fact.RecordFact:
				if f.Since() == was {
					f.OpenedBy(revision)
					if m, ok := f.(interface {
						Made(revision int64, at calendar.Instant)
					}); ok {
						m.Made(revision, at)
					}
				}
			case *fact.Assignment:
				touched(f.Assignee.User)
				if r := s.AssignmentTable.At(int(f.ID)); r != nil && r.Opened == was {
					r.Opened = revision
				}
			case *fact.Membership:
				touched(f.Member.User)
				if r := s.MembershipTable.At(int(f.ID)); r != nil && r.Opened == was {
					r.Opened = revision
				}
			}
		}
	}
}
