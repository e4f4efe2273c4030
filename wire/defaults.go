package wire

import "time"

// Default is a rule that gives roles and groups to everybody, or to whom its
// filter chooses.
type Default struct {
	ID          string `json:"id"`
	Key         string `json:"key"`
	Label       string `json:"label"`
	Description string `json:"description,omitempty"`
	Everybody   bool   `json:"everybody,omitempty" doc:"for every person"`
	Filter      string `json:"filter,omitempty" doc:"over users' facts, when not for everybody"`
	FilterWords string `json:"filter_words,omitempty" doc:"the filter in plain words"`
	Roles       []Ref  `json:"roles"`
	Groups      []Ref  `json:"groups"`
	Ended       bool   `json:"ended,omitempty" doc:"it gives nothing any more"`

	Owner       *Ref       `json:"owner,omitempty" doc:"the user responsible for it"`
	Order       int        `json:"order" doc:"rules of a lower order come first"`
	Final       bool       `json:"final,omitempty" doc:"whom it chooses is given nothing by the rules after it"`
	From        *time.Time `json:"from,omitempty" doc:"when it begins to give"`
	Until       *time.Time `json:"until,omitempty" doc:"when it ends giving"`
	LastDay     string     `json:"last_day,omitempty" format:"date" doc:"the last day on which it gives, where it ends with one in the organisation's time zone"`
	Scopes      []Scope    `json:"scopes,omitempty" doc:"what its roles give only; an attribute in braces stands for the user's value"`
	AfterDays   int        `json:"after_days,omitempty" doc:"what it gives begins so many days after the user's first day"`
	LastsDays   int        `json:"lasts_days,omitempty" doc:"and lasts so many days"`
	OverlapDays int        `json:"overlap_days,omitempty" doc:"whoever moves keeps what it gave at the old place for so many days"`

	Words     string    `json:"words" doc:"whom it gives what, in plain words"`
	UserCount int       `json:"user_count" doc:"users it gives to now, of those the caller may read"`
	Since     time.Time `json:"since" doc:"when it was last changed"`
	Given     *Given    `json:"given,omitempty" doc:"who last changed it, and why"`
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
