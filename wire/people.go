package wire

import "time"

// GroupMember is a user who is in a group at an instant, and why.
type GroupMember struct {
	User    Ref        `json:"user"`
	How     string     `json:"how" enum:"listed,group,rule,everybody" doc:"listed in it, in a group that is in it, chosen by a filter, or built in"`
	Through []Ref      `json:"through,omitempty" doc:"the groups in between, the nearest to the user first"`
	Rule    string     `json:"rule,omitempty" doc:"the filter that chose them"`
	From    *time.Time `json:"from,omitempty"`
	Until   *time.Time `json:"until,omitempty" doc:"when the first of the memberships on the way ends"`
	LastDay string     `json:"last_day,omitempty" format:"date" doc:"the last day, where it ends with one in the organisation's time zone"`
}

// GroupMemberList is a page of them, by name.
type GroupMemberList struct {
	Basis
	Members []GroupMember `json:"members"`
	Total   int           `json:"total"`
	Next    string        `json:"next,omitempty"`
}

// UserComparison is what each of two users has that the other has not.
type UserComparison struct {
	Basis
	User       Ref           `json:"user"`
	With       Ref           `json:"with"`
	Roles      []GivenRole   `json:"roles" doc:"roles given to the other directly that the user does not hold so"`
	Groups     []GivenGroup  `json:"groups" doc:"groups the other was put into that the user is not in"`
	OwnRoles   []GivenRole   `json:"own_roles" doc:"and the other way round"`
	OwnGroups  []GivenGroup  `json:"own_groups"`
	Lacks      []Entitlement `json:"lacks" doc:"what the other can do and the user cannot"`
	Has        []Entitlement `json:"has" doc:"what the user can do and the other cannot"`
	Both       int           `json:"both" doc:"things both can do"`
	OutsideToo bool          `json:"outside_too,omitempty" doc:"the caller does not see everything: there may be other differences"`
}

// GivenRole is a role as it was given, and the operation that gives it alike.
type GivenRole struct {
	Assignment Assignment     `json:"assignment"`
	Operation  map[string]any `json:"operation"`
}

// GivenGroup is a group as somebody was put into it, and the operation that does so
// alike.
type GivenGroup struct {
	Membership Membership     `json:"membership"`
	Operation  map[string]any `json:"operation"`
}

// MyAccess is what somebody has, as they see it themselves.
type MyAccess struct {
	User    UserDetail `json:"user"`
	Access  Access     `json:"access"`
	Parts   []string   `json:"parts" doc:"what of the work is theirs, in plain words"`
	Manager *Ref       `json:"manager,omitempty"`
}

// Delegation is a part of the work that was handed to somebody: an assignment of a role
// that gives something in Able Roster.
type Delegation struct {
	Assignment Assignment `json:"assignment"`
	Words      []string   `json:"words" doc:"what it lets them do, in plain words"`
}

// DelegationList is all of them the caller may read, by holder, and the roles there are
// to hand out with.
type DelegationList struct {
	Basis
	Delegations []Delegation     `json:"delegations"`
	Roles       []DelegationRole `json:"roles"`
}

// DelegationRole is a role for delegations.
type DelegationRole struct {
	Role        Ref      `json:"role"`
	Description string   `json:"description,omitempty"`
	Words       []string `json:"words" doc:"what it lets do without scopes"`
}
