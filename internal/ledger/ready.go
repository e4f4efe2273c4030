package ledger

import (
	"errors"
	"fmt"
	"time"

	"ableroster/internal/ledger/revisions"
)

// notice is a revision that was heard of, and when.
type notice struct {
	revision int64
	when     time.Time
}

// How old the head may be, and how long a revision that was heard of may take to be
// published here, before this program says that it is not ready.
const (
	oldAfter    = 5 * time.Second
	behindAfter = time.Second
)

// NotReady says why calls are better sent to another program: this one cannot follow the
// database, is behind it, or the database takes no changes. A blank text says that it is
// ready. What it knows it goes on answering all the same.
func (l *Ledger) NotReady() string {
	n := l.noticed.Load()
	trouble := l.trouble.Load()
	switch head := l.Head().Revision; {
	case l.Lost() != "":
		return l.Lost()
	case trouble != nil && errors.As(*trouble, new(*revisions.Unfit)):
		return "it cannot take over what others committed: " + (*trouble).Error()
	case l.WrongTime() != "":
		return l.WrongTime()
	case l.Age() > oldAfter:
		return fmt.Sprintf("it cannot follow the database: what it answers is %.0f s old", l.Age().Seconds())
	case l.readOnly.Load():
		return "the database takes no changes: it is read-only"
	case n != nil && n.revision > head && time.Since(n.when) > behindAfter:
		return fmt.Sprintf("it is behind: at revision %d of %d", head, n.revision)
	}
	return ""
}
