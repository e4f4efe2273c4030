package fact

import (
	"slices"

	"ableroster/internal/filter"
)

// FactTeamRule is the kind of team rules, and FactTeam that of teams.
var (
	FactTeamRule = RecordKind("team_rule")
	FactTeam     = RecordKind("team")
)

// MostTeamRules bounds how many there have been, and MostTeams how many teams of one owner.
const (
	MostTeamRules = 200
	MostTeams     = 100
)

// TeamRule lets somebody open teams, which are groups, and manage them: invite people into them, and
// give them roles.
type TeamRule struct {
	Lifetime
	ID          TeamRuleID `json:"-"`
	Key         string     `json:"key"`
	Label       string     `json:"label"`
	Description string     `json:"description,omitempty"`
	Filter      string     `json:"filter"`            // over users' facts: who may open a team
	Roles       []RoleID   `json:"roles,omitempty"`   // what the owner of a team may give to it
	People      string     `json:"people,omitempty"`  // the unit whose people its owner may see, and add; blank: nobody beside whom they may see
	Invites     bool       `json:"invites,omitempty"` // its owner may invite people who have no account yet
	Guests      Newcomer   `json:"guests,omitzero"`   // what is said of those
	Sponsor     UserID     `json:"sponsor,omitempty"` // whom those report to, or 0
	MaxMembers  int        `json:"max_members"`       // how many may be in one team
	Ended       bool       `json:"ended,omitempty"`   // no team is opened or managed by it any more

	expression filter.Expression // the filter compiled
}

// Says whether the rule says all that another says.
func (f *TeamRule) Says(other *TeamRule) bool {
	return f.Key == other.Key && f.Label == other.Label && f.Description == other.Description && f.Filter == other.Filter && slices.Equal(f.Roles, other.Roles) &&
		f.People == other.People && f.Invites == other.Invites && f.Guests == other.Guests && f.Sponsor == other.Sponsor && f.MaxMembers == other.MaxMembers && f.Ended == other.Ended
}

// Compile makes the rule ready to choose: a snapshot does that with each it takes in.
func (f *TeamRule) Compile() { f.expression = CompileRule(f.Filter) }

// Chooses says whether a user may open teams, and manage those they own.
func (f *TeamRule) Chooses(u *User) bool {
	return !f.Ended && u != nil && u.UserKind == Person && u.Status != Departed && f.expression != nil && MatchesRule(f.expression, u)
}

// Kind and Row identify it.
func (*TeamRule) Kind() FactKind { return FactTeamRule }
func (f *TeamRule) Row() uint32  { return uint32(f.ID) }

// Name and Over implement access.Keyed.
func (f *TeamRule) Name() string { return f.Key }
func (f *TeamRule) Over() bool   { return f.Ended }

// Team makes a group a team: its owner manages it, as the rule says.
type Team struct {
	Lifetime
	Group GroupID    `json:"-"`
	Rule  TeamRuleID `json:"rule"`
	Ended bool       `json:"ended,omitempty"` // it was closed
}

// Kind and Row identify it.
func (*Team) Kind() FactKind { return FactTeam }
func (f *Team) Row() uint32  { return uint32(f.Group) }

// Name and Over implement access.Keyed.
func (f *Team) Name() string { return f.Group.String() }
func (f *Team) Over() bool   { return f.Ended }
