package revisions

import "fmt"

// Unfit is a revision that cannot be taken over as it is.
type Unfit struct {
	Revision int64
	Cause    error
}

func (e *Unfit) Error() string { return fmt.Sprintf("revision %d: %s", e.Revision, e.Cause) }

func (e *Unfit) Unwrap() error { return e.Cause }

// Unreadable is a stored operation that this program cannot read: the ledger is there, and
// something in it is not as it was written.
type Unreadable struct {
	Revision int64
	Position int
	Cause    error
}

func (u *Unreadable) Error() string {
	return fmt.Sprintf("revision %d: operation %d cannot be read: %v", u.Revision, u.Position, u.Cause)
}

func (u *Unreadable) Unwrap() error { return u.Cause }
