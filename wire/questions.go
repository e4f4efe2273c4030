package wire

import (
	"encoding/json"
	"time"
)

// ChecksRequest asks many questions at once, all answered from one revision.
type ChecksRequest struct {
	Checks []CheckRequest `json:"checks" minItems:"1" maxItems:"1000"`
}

// ChecksAnswer is the answers in the order of the questions.
type ChecksAnswer struct {
	Basis
	Answers []CheckAnswer `json:"answers"`
}

// Holder is somebody who can do something, and through what.
type Holder struct {
	User      Ref        `json:"user"`
	Kind      string     `json:"kind" enum:"user,nobody"`
	Through   string     `json:"through" enum:"direct,default,group,included,all-users,public"`
	Until     *time.Time `json:"until,omitempty"`
	Own       bool       `json:"own,omitempty" doc:"only on what is their own"`
	Scheduled bool       `json:"scheduled,omitempty" doc:"only at some times of the week"`
	Path      Path       `json:"path" doc:"the shortest way"`
}

// HolderList is a page of holders, of those the caller may read.
type HolderList struct {
	Basis
	Holders []Holder `json:"holders"`
	Total   int      `json:"total"`
	Outside bool     `json:"outside,omitempty" doc:"the caller does not see everybody: there may be others"`
	Next    string   `json:"next,omitempty"`
}

// Difference is what one user gained and lost from one instant to another.
type Difference struct {
	User   Ref           `json:"user"`
	Role   string        `json:"role,omitempty" enum:"gained,lost" doc:"where a role was given: whether they came to hold it or ceased to"`
	Gained []Entitlement `json:"gained,omitempty"`
	Lost   []Entitlement `json:"lost,omitempty"`
}

// GainedAndLost is who gained and lost what from one instant to another, by the
// clock as well as by changes.
type GainedAndLost struct {
	From    Basis        `json:"from"`
	To      Basis        `json:"to"`
	Users   []Difference `json:"users" doc:"those who gained or lost anything"`
	Total   int          `json:"total"`
	Gained  int          `json:"gained" doc:"entitlements gained, over all of them"`
	Lost    int          `json:"lost" doc:"entitlements lost, over all of them"`
	Changes []Revision   `json:"changes,omitempty" doc:"for one user: the revisions in between that speak of them, newest first"`
	Next    string       `json:"next,omitempty"`
}

// Span is a time in which a user held something, and through what.
type Span struct {
	From     time.Time  `json:"from"`
	Until    *time.Time `json:"until,omitempty"`
	Own      bool       `json:"own,omitempty"`
	Schedule *Schedule  `json:"schedule,omitempty"`
	Revision int64      `json:"revision" doc:"whose facts held when it began"`
	Paths    []Path     `json:"paths"`
}

// Timeline is from when to when a user held an action on a path.
type PermissionTimeline struct {
	Basis
	User        Ref    `json:"user"`
	Application Ref    `json:"application"`
	Action      string `json:"action"`
	Path        string `json:"path"`
	Spans       []Span `json:"spans"`
}

// WhatIfRequest asks questions under a change that is not made.
type WhatIfRequest struct {
	Operations []json.RawMessage `json:"operations" doc:"as of a change"`
	Checks     []CheckRequest    `json:"checks,omitempty" maxItems:"1000"`
	Access     string            `json:"access,omitempty" doc:"a user whose whole access is wanted"`
	As         string            `json:"as,omitempty" doc:"a user who tries what is in tries, after the change"`
	Tries      []WhatIfTry       `json:"tries,omitempty" maxItems:"50" doc:"changes of which is asked whether that user could make each"`
}

// WhatIfTry is a change that somebody would try to make.
type WhatIfTry struct {
	Operations []json.RawMessage `json:"operations" minItems:"1" maxItems:"50"`
}

// WhatIfTried is whether somebody could make a change.
type WhatIfTried struct {
	Could     bool     `json:"could"`
	Sentences []string `json:"sentences" doc:"what it would do"`
	Why       string   `json:"why,omitempty" doc:"why they could not"`
}

// WhatIfAnswer is what would be answered after the change.
type WhatIfAnswer struct {
	Change  ChangeResult  `json:"change" doc:"what the change would do"`
	Answers []CheckAnswer `json:"answers,omitempty"`
	Access  *Access       `json:"access,omitempty"`
	Tried   []WhatIfTried `json:"tried,omitempty" doc:"in the order of tries"`
}

// Rehearsal is what an application in rehearsal let through that live would
// deny.
type Rehearsal struct {
	Basis
	Application Ref              `json:"application"`
	State       string           `json:"state"`
	Counts      []RehearsalCount `json:"counts" doc:"most often first; at most 1,000"`
	Outside     bool             `json:"outside,omitempty" doc:"the caller does not see everybody: there may be others"`
}

// RehearsalCount is how often a user did something that live would deny.
type RehearsalCount struct {
	User   Ref       `json:"user"`
	Action string    `json:"action"`
	Path   string    `json:"path"`
	Times  int64     `json:"times"`
	Last   time.Time `json:"last_at"`
	Denied bool      `json:"denied" doc:"live would deny it still"`
}
