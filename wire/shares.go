package wire

import "time"

// Share is a role that somebody shared with a user within one resource.
type Share struct {
	Assignment  string     `json:"assignment"`
	Application Ref        `json:"application"`
	Path        string     `json:"path" doc:"the one resource"`
	Resource    string     `json:"resource,omitempty" doc:"what the resource is called; none: it is not registered itself"`
	Role        Ref        `json:"role"`
	User        Ref        `json:"user" doc:"with whom it is shared"`
	SharedBy    *Ref       `json:"shared_by,omitempty"`
	From        *time.Time `json:"from,omitempty"`
	Until       *time.Time `json:"until,omitempty"`
	LastDay     string     `json:"last_day,omitempty" format:"date" doc:"the last day, where it ends with one in the organisation's time zone"`
	MayEnd      bool       `json:"may_end,omitempty" doc:"the caller may end it, or whom they act for"`
	Given       *Given     `json:"given,omitempty"`
}

// ShareList is a page of what is shared, in order of application, path and user.
type ShareList struct {
	Basis
	Shares []Share `json:"shares"`
	Total  int     `json:"total"`
	Next   string  `json:"next,omitempty"`
}
