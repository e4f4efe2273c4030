package wire

import "time"

// ExpectationList is all expectations with their state; those that have ended
// last.
type ExpectationList struct {
	Basis
	Expectations []Expectation `json:"expectations"`
	Broken       int           `json:"broken" doc:"how many do not hold, of those in force"`
}

// Expectation is a saved check that must keep holding.
type Expectation struct {
	ID          string            `json:"id"`
	Key         string            `json:"key"`
	Label       string            `json:"label" doc:"a plain sentence"`
	Words       string            `json:"words" doc:"what is checked, in words"`
	Description string            `json:"description,omitempty" doc:"why it must keep holding"`
	User        *Ref              `json:"user,omitempty" doc:"whom it is about: a user"`
	Group       *Ref              `json:"group,omitempty" doc:"each member of a group"`
	Except      bool              `json:"except,omitempty" doc:"everybody but the members of that group"`
	Nobody      bool              `json:"nobody,omitempty" doc:"nobody signed in"`
	WouldBe     map[string]string `json:"would_be,omitempty" doc:"a new user who is like this, on their first day: by the keys of attributes"`
	Application Ref               `json:"application"`
	Action      string            `json:"action"`
	Pattern     string            `json:"pattern"`
	May         bool              `json:"may" doc:"they may, on all of it; else they may not, on any of it"`
	Blocking    bool              `json:"blocking" doc:"what would break it is refused; else it is warned of"`
	Owner       *Ref              `json:"owner,omitempty"`
	Ended       bool              `json:"ended,omitempty"`
	Given       *Given            `json:"given,omitempty" doc:"when, by whom and why it was written as it is"`
	Broken      *Broken           `json:"broken,omitempty" doc:"none: it holds"`
}

// Broken says who breaks an expectation, and since when.
type Broken struct {
	By        []Breaker  `json:"by" doc:"at most 50 of those the caller may read"`
	UserCount int        `json:"user_count" doc:"how many they are, of those the caller may read"`
	Outside   bool       `json:"outside,omitempty" doc:"the caller does not see everybody: others may break it too"`
	Since     *time.Time `json:"since,omitempty" doc:"of the first of those listed"`
	Change    *Given     `json:"change,omitempty" doc:"the revision that broke it; none: it came by the clock, or that is not told of a new user"`
	Written   bool       `json:"written,omitempty" doc:"it did not hold when it was written: the change is that"`
}

// Breaker is somebody who breaks an expectation.
type Breaker struct {
	User  Ref        `json:"user" doc:"without an id: nobody signed in"`
	From  *time.Time `json:"from,omitempty" doc:"none: now"`
	Until *time.Time `json:"until,omitempty"`
}
