package wire

import "time"

// RoleTimeline is which roles a user held when.
type RoleTimeline struct {
	Basis
	User  Ref            `json:"user"`
	From  time.Time      `json:"from" doc:"when the user came to be known"`
	Roles []TimelineRole `json:"roles"`
}

// TimelineRole is one role and the times it was held.
type TimelineRole struct {
	Role        Ref            `json:"role"`
	Application *Ref           `json:"application,omitempty"`
	Spans       []TimelineSpan `json:"spans"`
}

// TimelineSpan is a time in which a role was held through one assignment.
type TimelineSpan struct {
	From    time.Time  `json:"from"`
	Until   *time.Time `json:"until,omitempty"`
	Way     string     `json:"way" enum:"direct,request,share,default,group"`
	Group   *Ref       `json:"group,omitempty"`
	Default *Ref       `json:"default,omitempty"`
	Given   *Given     `json:"given,omitempty"`
}

// OverTime is how many people had access to an application over time, and through what.
type OverTime struct {
	Basis
	Application Ref             `json:"application"`
	Points      []OverTimePoint `json:"points"`
}

// OverTimePoint is the count at one instant, of those the caller may read: each
// person once, by the plainest way.
type OverTimePoint struct {
	At   time.Time      `json:"at"`
	Ways map[string]int `json:"ways" doc:"direct, request, share, default, group, everybody"`
	All  int            `json:"all"`
}
