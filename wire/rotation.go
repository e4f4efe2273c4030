package wire

import "time"

// RotationRequest asks for a new token of a machine account in the place of those it has.
type RotationRequest struct {
	Label       string `json:"label,omitempty" maxLength:"200" doc:"in the place of those of this label; none: of all it has"`
	Days        int    `json:"days,omitempty" minimum:"0" maximum:"366" doc:"how long the new one lasts; 90 by default"`
	OverlapDays *int   `json:"overlap_days,omitempty" minimum:"0" maximum:"90" doc:"how long those of before are good beside it; 7 by default"`
}

// Rotation is a new token, and when those of before end.
type Rotation struct {
	Token  Token     `json:"token" doc:"with its secret, told now and never again"`
	Ending int       `json:"ending" doc:"how many tokens of before end by ends_at that would have lasted longer"`
	EndsAt time.Time `json:"ends_at"`
}
