package wire

import "time"

// Round is one round of review.
type Round struct {
	ID        string          `json:"id"`
	Key       string          `json:"key"`
	Label     string          `json:"label"`
	Scope     string          `json:"scope" doc:"what it looks at, in plain words"`
	Reviewers string          `json:"reviewers" doc:"who decides, in plain words"`
	State     string          `json:"state" enum:"open,signed"`
	Fixed     int64           `json:"fixed_revision" doc:"the revision whose items it reviews"`
	FixedAt   time.Time       `json:"fixed_at"`
	Opened    *Given          `json:"opened" doc:"when, by whom and why"`
	Signed    *Given          `json:"signed,omitempty"`
	Items     int             `json:"items" doc:"of those the caller may see"`
	Decided   int             `json:"decided" doc:"decided, or ended since: there is nothing left to decide on"`
	ToRevoke  int             `json:"to_revoke"`
	Mine      int             `json:"mine" doc:"items that still wait for the caller"`
	Progress  []RoundProgress `json:"progress,omitempty" doc:"by reviewer, where one round is asked about"`
	MaySign   bool            `json:"may_sign,omitempty"`
}

// RoundProgress is how far one reviewer has come.
type RoundProgress struct {
	Reviewer Ref `json:"reviewer"`
	Items    int `json:"items"`
	Decided  int `json:"decided" doc:"decided, or ended since"`
}

// RoundList is all rounds, open ones first.
type RoundList struct {
	Basis
	Rounds []Round `json:"rounds"`
}

// OneRound is one round.
type OneRound struct {
	Basis
	Round
}

// ReviewItem is a role that a user held through one assignment when the round
// opened.
type ReviewItem struct {
	User        Ref         `json:"user"`
	Unit        string      `json:"unit,omitempty"`
	Title       string      `json:"title,omitempty"`
	Role        Ref         `json:"role"`
	Application *Ref        `json:"application,omitempty"`
	Assignment  string      `json:"assignment"`
	Through     string      `json:"through" enum:"direct,group,default" doc:"what is held through a group or a default rule becomes a pending removal for its owner"`
	Path        Path        `json:"path"`
	Shared      *SharedItem `json:"shared,omitempty" doc:"what is shared within one resource is one item: with whom. It is decided on by naming each who is the caller's"`
	Until       *time.Time  `json:"until,omitempty" doc:"when it ends by itself"`
	Since       *Given      `json:"since" doc:"when it was given, by whom and why"`
	Peers       int         `json:"peers" doc:"how many others of the same unit hold the role too"`
	Unitmates   int         `json:"unitmates" doc:"of so many others in the unit"`
	SoDRules    []string    `json:"sod_rules,omitempty" doc:"SoD rules the user breaks"`
	Gone        bool        `json:"gone,omitempty" doc:"it has ended since"`
	Decision    string      `json:"decision,omitempty" enum:"keep,revoke"`
	Decided     *Given      `json:"decided,omitempty" doc:"when, by whom and why"`
	For         *Ref        `json:"for,omitempty" doc:"in whose place it was decided"`
	Mine        bool        `json:"mine,omitempty" doc:"the caller may decide on it"`
}

// SharedItem is a role that is shared within one resource.
type SharedItem struct {
	Path     string       `json:"path"`
	Resource string       `json:"resource,omitempty" doc:"what the resource is called"`
	With     []SharedWith `json:"with" doc:"of those the caller may see on it"`
}

// SharedWith is one user with whom it is shared.
type SharedWith struct {
	User       Ref    `json:"user"`
	Assignment string `json:"assignment"`
	Mine       bool   `json:"mine,omitempty" doc:"the caller may decide on it"`
	Gone       bool   `json:"gone,omitempty" doc:"it has ended since"`
}

// ReviewItemList is a page of the items of a round.
type ReviewItemList struct {
	Basis
	Items []ReviewItem `json:"items"`
	Total int          `json:"total"`
	Next  string       `json:"next,omitempty"`
}
