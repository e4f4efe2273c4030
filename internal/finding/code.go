package finding

import (
	"ableroster/internal/access"
)

// Code names a kind of finding.
type Code string

// The kinds, those that could do harm first.
const (
	PastEnd          Code = "user_past_end"
	WildcardInFence  Code = "wildcard_passes_fence"
	AccountUnused    Code = "account_unused"
	AlmostEverybody  Code = "role_held_by_almost_all"
	Direct           Code = "direct_assignment"
	Doubled          Code = "assignment_doubled"
	Over             Code = "assignment_over"
	NothingMatches   Code = "permission_matches_nothing"
	Unreached        Code = "resource_unreached"
	HoldsNothing     Code = "user_without_access"
	RoleEmpty        Code = "role_without_permissions"
	RoleUnheld       Code = "role_unheld"
	RoleSingle       Code = "role_single_holder"
	RoleAlike        Code = "role_near_duplicate"
	RoleUnowned      Code = "role_unowned"
	ApplicationAlone Code = "application_unowned"
	GroupEmpty       Code = "group_empty"
)

// About says what a kind of finding is and why it matters.
type About struct {
	Code  Code
	Title string // of many of them
	Why   string
}

// All are the kinds in their order.
var All = []About{
	{PastEnd, "Users past their end date", "They can do nothing any more, but nobody has said that they have gone: what they own and decide has no one, and moving the date would bring all of it back."},
	{WildcardInFence, "Wildcards that pass a fence", "A fence keeps out what was written for something wider. A pattern with a star inside it lets in whatever is registered there later, without anybody deciding it."},
	{AccountUnused, "Accounts not used for 90 days", "Nobody would notice if somebody else used it."},
	{AlmostEverybody, "Roles held by almost all", "Given one by one, it will be forgotten for the next newcomer. A default rule gives it to everybody and takes it back by itself."},
	{Direct, "Direct assignments where groups are wanted", "The application asks for its roles to be given through groups: a role given to one person stays when they move on."},
	{Doubled, "Assignments that a group already gives", "Taking the person out of the group would seem to take the role, and would not."},
	{Over, "Assignments whose window is over", "They give nothing, and make every list longer."},
	{NothingMatches, "Permissions that no registered resource matches", "They give nothing today, perhaps by a mistyped path; and whatever is registered there later is open to their holders at once."},
	{Unreached, "Resources no role reaches", "Nobody can use it: it was forgotten when the roles were made, or it is no longer needed."},
	{HoldsNothing, "Active users who hold nothing", "They have what everybody has and no more: somebody forgot to give them their roles, or to let them depart."},
	{RoleEmpty, "Roles without permissions", "Whoever is given one believes to have been given something."},
	{RoleUnheld, "Roles nobody holds", "It is not needed, or those who need it do without."},
	{RoleSingle, "Roles with one holder", "When that person is away, nobody can do it; and a right that one person has is easily overlooked."},
	{RoleAlike, "Roles that are nearly the same", "Nobody knows which to give, and a change to one is forgotten in the other."},
	{RoleUnowned, "Roles nobody answers for", "Nobody can say who should hold it, and requests that ask its owner are stuck."},
	{ApplicationAlone, "Applications nobody answers for", "Nobody can say what its roles should give, and requests that ask its owner are stuck."},
	{GroupEmpty, "Groups without members that give something", "Whoever is added next gets what was given to it, perhaps long ago and for somebody else."},
}

// AboutOf is what there is to say of a kind, or nil.
func AboutOf(c Code) *About {
	for i := range All {
		if All[i].Code == c {
			return &All[i]
		}
	}
	return nil
}

// Finding is one thing that looks wrong. What is not meant is zero.
type Finding struct {
	Code        Code
	User        access.UserID
	Group       access.GroupID
	Role        access.RoleID
	Other       access.RoleID // of two roles that are alike
	Application access.ApplicationID
	Path        string // of a resource, or a pattern
	Permission  access.PermissionID
	Fence       access.FenceID
	Assignment  access.AssignmentID
	Count       int // of users, where it is about so many; of days, where about time
}

// Key names a finding: equal today and tomorrow for what is wrong in the same
// place.
func (f *Finding) Key() string {
	key := string(f.Code)
	for _, part := range []string{f.User.String(), f.Group.String(), f.Role.String(), f.Other.String(), f.Application.String(),
		f.Permission.String(), f.Fence.String(), f.Assignment.String(), f.Path} {
		if part != "" {
			key += ":" + part
		}
	}
	return key
}
