package rules

import (
	"time"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() {
	change.Register(&SetOrganisation{}, "Set the name and the time zone of the organisation")
}

// SetOrganisation gives the organisation its name and time zone.
type SetOrganisation struct {
	Name     string `json:"name"`
	TimeZone string `json:"time_zone" doc:"IANA name; days begin in it"`
}

// Verb implements change.Operation.
func (*SetOrganisation) Verb() string { return "set_organisation" }

// ApplyTo implements change.Operation.
func (o SetOrganisation) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "update the settings") {
		return
	}
	if m := fact.CheckLabel(o.Name, 200); m != "" || o.Name == "" {
		d.Fault("name", "must be a text of at most 200 bytes")
	}
	if _, err := time.LoadLocation(o.TimeZone); err != nil || o.TimeZone == "" || o.TimeZone == "Local" {
		d.Fault("time_zone", "“%s” is not a time zone such as Europe/Lisbon", o.TimeZone)
		return
	}
	f := d.Organisation()
	f.Name, f.TimeZone = o.Name, o.TimeZone
	if d.Organisation() == f {
		d.Note(change.AlreadySo, 0)
		return
	}
	d.Put(&f)
	return settled
}

// Sentence implements change.Operation.
func (o *SetOrganisation) Sentence(*access.Snapshot, change.Names) string {
	return "Named the organisation " + o.Name + ", with days in " + o.TimeZone
}
