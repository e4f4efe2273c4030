package wire

import "time"

// SecurityEvent is a line of the security log.
type SecurityEvent struct {
	At      time.Time `json:"at"`
	Event   string    `json:"event" doc:"what was done, in words: signed in, sign-in failed, sign-in link made …"`
	By      *Ref      `json:"by,omitempty" doc:"who did it; none where nobody had shown who they are, or for the host"`
	User    *Ref      `json:"user,omitempty" doc:"whom it is about"`
	Address string    `json:"address,omitempty" doc:"where it came from"`
}

// SecurityLog is a page of the security log, newest first.
type SecurityLog struct {
	Basis
	Events []SecurityEvent `json:"events"`
	Next   string          `json:"next,omitempty"`
}
