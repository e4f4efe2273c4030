package wire

import "time"

// CalendarEntry is something that begins or ends at an instant to come.
type CalendarEntry struct {
	At          time.Time `json:"at"`
	Day         string    `json:"day" format:"date" doc:"the day it begins on; of what ends, the last day it is there"`
	Kind        string    `json:"kind" enum:"access_begins,access_ends,membership_begins,membership_ends,start_date,end_date,freeze_begins,freeze_ends"`
	User        *Ref      `json:"user,omitempty"`
	Group       *Ref      `json:"group,omitempty"`
	Role        *Ref      `json:"role,omitempty"`
	Application *Ref      `json:"application,omitempty"`
	Label       string    `json:"label,omitempty" doc:"of a freeze"`
	Assignment  string    `json:"assignment,omitempty" doc:"that begins or ends"`
}

// Calendar is what begins and ends in the days to come, in order, of what the caller may read.
type Calendar struct {
	Basis
	Until   time.Time       `json:"until"`
	Entries []CalendarEntry `json:"entries"`
	More    int             `json:"more,omitempty" doc:"entries that are left out after these: ask for fewer days, or a part"`
}
