package fact

import "ableroster/internal/calendar"

// FactFreeze is the kind of freezes.
var FactFreeze = RecordKind("freeze")

// Freeze is a time in which access is changed by those alone who are let through. People
// depart, and access is revoked, at any time.
type Freeze struct {
	Lifetime
	ID    FreezeID `json:"-"`
	Key   string   `json:"key"`
	Label string   `json:"label"`
	Why   string   `json:"why"`
	calendar.Window

	// What may not be changed: access to these applications, and that of people in these
	// units and below. Where neither is named: all.
	Applications []ApplicationID `json:"applications,omitempty"`
	Units        []string        `json:"units,omitempty"`

	// Who may change it all the same, having acknowledged the freeze.
	LetThrough      []UserID `json:"let_through,omitempty"`
	LetThroughGroup GroupID  `json:"let_through_group,omitempty"`

	Ended bool `json:"ended,omitempty"`
}

// Kind and Row identify it.
func (*Freeze) Kind() FactKind { return FactFreeze }
func (f *Freeze) Row() uint32  { return uint32(f.ID) }

// Name and Over implement access.Keyed.
func (f *Freeze) Name() string { return f.Key }
func (f *Freeze) Over() bool   { return f.Ended }

// Stands says whether it stands at an instant.
func (f *Freeze) Stands(at calendar.Instant) bool { return !f.Ended && f.Holds(at) }

// All says whether it is about everything.
func (f *Freeze) All() bool { return len(f.Applications)+len(f.Units) == 0 }
