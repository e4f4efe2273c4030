package wire

import "time"

// Freeze is a time in which access is changed by those alone who are let through.
type Freeze struct {
	ID              string    `json:"id"`
	Key             string    `json:"key"`
	Label           string    `json:"label"`
	Why             string    `json:"why"`
	From            time.Time `json:"from,omitzero" doc:"none: always"`
	Until           time.Time `json:"until" doc:"when it ends, exclusive"`
	LastDay         string    `json:"last_day,omitempty" format:"date" doc:"the last day, where it ends with one in the organisation's time zone"`
	Applications    []Ref     `json:"applications,omitempty" doc:"what may not be changed: access to these; none, and no units: all"`
	Units           []string  `json:"units,omitempty" doc:"and that of people in these units and below"`
	LetThrough      []Ref     `json:"let_through,omitempty" doc:"who may change it all the same"`
	LetThroughGroup *Ref      `json:"let_through_group,omitempty"`
	State           string    `json:"state" enum:"standing,coming,over,ended" doc:"ended: by somebody; over: by its time"`
	Passable        bool      `json:"passable,omitempty" doc:"the caller is let through"`
	Given           *Given    `json:"given,omitempty" doc:"who last changed it, and why"`
}

// FreezeList is all freezes, to whoever may read the settings.
type FreezeList struct {
	Basis
	Freezes []Freeze `json:"freezes"`
}
