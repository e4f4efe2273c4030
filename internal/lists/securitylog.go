package lists

import (
	"context"
	"strconv"
	"time"

	"ableroster/internal/fact"
	"ableroster/internal/ledger/database"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// SecurityEvent is a line of the security log, as sign-in keeps it.
type SecurityEvent struct {
	ID          int64
	At          time.Time
	Event       string
	Actor, User fact.UserID
	Address     string
}

// SecurityLog is who signed in, who tried to, and who was given a way to sign in, newest first: one's
// own, or of all whom the caller may read, for whoever reads the ledger. read reads
// lines of a user (0 for all) before one (0 for the newest).
func SecurityLog(ctx context.Context, d *seeing.Service, c seeing.Caller, user, cursor string, limit int, read func(user fact.UserID, before int64, limit int) ([]SecurityEvent, error)) (wire.SecurityLog, error) {
	v := d.Now(ctx, c)
	out := wire.SecurityLog{Basis: v.Basis(), Events: []wire.SecurityEvent{}}
	var id fact.UserID
	if user != "" {
		var err error
		if id, err = FindReadable(v, user); err != nil {
			return out, err
		}
	}
	if id != c.User && !v.ReadsLedger() {
		return out, seeing.Refused("the security log is outside your part; ask for your own")
	}
	before := int64(0)
	if cursor != "" {
		n, err := strconv.ParseInt(cursor, 10, 64)
		if err != nil || n < 1 {
			return out, seeing.Invalid("the cursor is not one this service gave", wire.Fault{Place: "cursor", Message: "is malformed; begin again without one"})
		}
		before = n
	}
	limit = seeing.PageSize(limit)
	all, err := read(id, before, limit+1)
	if err != nil {
		return out, database.Unavailable(err)
	}
	if len(all) > limit {
		all = all[:limit]
		out.Next = strconv.FormatInt(all[limit-1].ID, 10)
	}
	for _, e := range all {
		if about := e.User != 0 || e.Actor != 0; about && !(e.User != 0 && v.ReadsUser(e.User)) && !(e.Actor != 0 && v.ReadsUser(e.Actor)) {
			continue // nobody the caller may read
		}
		x := wire.SecurityEvent{At: e.At, Event: e.Event, Address: e.Address}
		if e.User != 0 {
			ref := v.UserRef(e.User)
			x.User = &ref
		}
		if e.Actor != 0 {
			ref := v.UserRef(e.Actor)
			x.By = &ref
		}
		out.Events = append(out.Events, x)
	}
	return out, nil
}
