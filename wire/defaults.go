package wire

import "time"

// Default is a rule that gives roles and groups to everybody, or to whom its
// filter chooses.
type Default struct {
	ID          string    `json:"id"`
	Key         string    `json:"key"`
	Label       string    `json:"label"`
	Description string    `json:"description,omitempty"`
	Everybody   bool      `json:"everybody,omitempty" doc:"for every person"`
	Filter      string    `json:"filter,omitempty" doc:"over users' facts, when not for everybody"`
	FilterWords string    `json:"filter_words,omitempty" doc:"the filter in plain words"`
	Roles       []Ref     `json:"roles"`
	Groups      []Ref     `json:"groups"`
	Ended       bool      `json:"ended,omitempty" doc:"it gives nothing any more"`
	Words       string    `json:"words" doc:"whom it gives what, in plain words"`
	UserCount   int       `json:"user_count" doc:"users it gives to now, of those the caller may read"`
	Since       time.Time `json:"since" doc:"when it was last changed"`
	Given       *Given    `json:"given,omitempty" doc:"who last changed it, and why"`
}

// DefaultList is all default rules, to whoever may read the settings.
type DefaultList struct {
	Basis
	Defaults []Default `json:"defaults"`
}

// NewUserPreview is what a new user of some attributes would have on the first day,
// and why.
type NewUserPreview struct {
	Basis
	Rules  []Ref         `json:"rules" doc:"the default rules that would choose the user"`
	Roles  []NewUserRole `json:"roles"`
	Groups []Membership  `json:"groups"`
	Lines  []AccessLine  `json:"lines"`
}

// NewUserRole is a role a new user would hold, with the shortest way to it.
type NewUserRole struct {
	Role Ref  `json:"role"`
	Path Path `json:"path"`
}
