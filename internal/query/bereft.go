package query

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Bereft says of one user after another whether they held anything in an application from an
// instant on, and whether they hold nothing there any more. A copy of one that was not asked yet
// remembers for itself: each goroutine has its own.
type Bereft struct {
	Before, After *access.Snapshot
	Changes       []access.RowChange // that led from the one to the other, where they are known
	App           fact.ApplicationID
	From          calendar.Instant

	held, holds Anything
	bears       *Bearing // where one key says both
	key         []byte
	known       map[string]loss
}

type loss struct{ held, lost bool }

// Is says whether one held something, and whether they lost all of it.
func (x *Bereft) Is(id fact.UserID) (held, lost bool) {
	if x.known == nil {
		x.known = map[string]loss{}
		x.held, x.holds = Anything{S: x.Before, App: x.App, From: x.From}, Anything{S: x.After, App: x.App, From: x.From}
		if groupsAlone(x.Changes) { // what roles permit is the same, too
			x.bears = bearing(map[fact.ApplicationID]bool{x.App: true}, x.Before, x.After)
			x.bears.alike = true
		}
	}
	if x.bears == nil {
		return x.look(id)
	}
	x.key = AppendChange(x.Before, x.After, x.bears, x.key[:0], id, x.From)
	is, known := x.known[string(x.key)]
	if !known {
		is.held, is.lost = x.look(id)
		x.known[string(x.key)] = is
	}
	return is.held, is.lost
}

func (x *Bereft) look(id fact.UserID) (held, lost bool) {
	held = x.held.Held(id)
	return held, held && !x.holds.Held(id)
}
