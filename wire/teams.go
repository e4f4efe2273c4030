package wire

// TeamRule lets some users open teams and manage them.
type TeamRule struct {
	ID          string `json:"id"`
	Key         string `json:"key"`
	Label       string `json:"label"`
	Description string `json:"description,omitempty"`
	Filter      string `json:"filter,omitempty" doc:"a filter over users' facts: who may open a team; to whoever may read the settings"`
	FilterWords string `json:"filter_words,omitempty" doc:"the filter in words"`
	Roles       []Ref  `json:"roles" doc:"what the owner of a team may give to it"`
	People      string `json:"people,omitempty" doc:"the unit whose people the owner of a team may see, and add"`
	Guests      *Guest `json:"guests,omitempty" doc:"what is said of people whom the owner of a team invites; without it they invite nobody"`
	MaxMembers  int    `json:"max_members" doc:"how many may be in one team"`
	Teams       int    `json:"teams" doc:"how many teams of it are open, of those the caller may read"`
	MayOpen     bool   `json:"may_open,omitempty" doc:"the caller may open a team of it"`
	Ended       bool   `json:"ended,omitempty"`
}

// Guest is what is said of people whom the owner of a team invites.
type Guest struct {
	Unit       string `json:"unit,omitempty"`
	Employment string `json:"employment_type,omitempty"`
	Company    string `json:"company,omitempty"`
	Sponsor    *Ref   `json:"sponsor,omitempty" doc:"whom they report to"`
	Days       int    `json:"days,omitempty" doc:"how many days after they are invited is their last day; without it they have none"`
}

// TeamRuleList is the team rules, to whoever may read the settings; to others, those by which they
// may open teams.
type TeamRuleList struct {
	Basis
	Rules []TeamRule `json:"rules"`
}

// Team is a group that its owner manages by a team rule.
type Team struct {
	Group       Ref          `json:"group"`
	Description string       `json:"description,omitempty"`
	Rule        Ref          `json:"team_rule"`
	Owner       *Ref         `json:"owner,omitempty" doc:"who manages it; none: nobody does now"`
	Rests       string       `json:"rests,omitempty" doc:"why its owner cannot manage it as things are"`
	MaxMembers  int          `json:"max_members" doc:"how many may be in it"`
	Count       int          `json:"member_count,omitempty" doc:"how many were put into it"`
	Members     []TeamMember `json:"members" doc:"by name: of the team asked for, and of those that the caller manages"`
	Roles       []TeamRole   `json:"roles" doc:"what it holds, and what it could be given: as for members"`
	Guests      *Guest       `json:"guests,omitempty" doc:"what is said of people whom its owner invites; without it they invite nobody"`
	Closed      bool         `json:"closed,omitempty"`
	Mine        bool         `json:"mine,omitempty" doc:"the caller manages it"`
	May         []string     `json:"may" enum:"members,invite,roles,edit,close" doc:"what the caller may do with it"`
}

// TeamMember is somebody in a team.
type TeamMember struct {
	User   Ref    `json:"user"`
	Status string `json:"status,omitempty" enum:"invited,active,suspended,departed" doc:"to whoever may read them"`
	Owner  bool   `json:"owner,omitempty" doc:"they manage the team"`
}

// TeamRole is a role that a team holds, or could be given.
type TeamRole struct {
	Role       Ref    `json:"role"`
	Assignment string `json:"assignment,omitempty" doc:"by which the team holds it; without it it does not"`
	Chosen     bool   `json:"chosen,omitempty" doc:"the rule has it: the owner of the team may give and remove it"`
}

// TeamList is the teams, of those the caller may read, owns, or is in.
type TeamList struct {
	Basis
	Teams []Team `json:"teams"`
}
