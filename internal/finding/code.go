package finding

import "ableroster/internal/fact"

// Code names a kind of finding.
type Code string

// The kinds, those that could do harm first.
const (
	PastEnd          Code = "user_past_end"
	WildcardInFence  Code = "wildcard_passes_fence"
	AccountUnused    Code = "account_unused"
	Unaccounted      Code = "account_unaccounted"
	Overdue          Code = "account_overdue"
	SecretUsed       Code = "account_secret_used"
	Untested         Code = "account_untested"
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
	TeamUnmanaged    Code = "team_unmanaged"
)

// About says what a kind of finding is and why it matters.
type About struct {
	Code  Code
	Title string // of many of them
	Why   string
}

// All are the kinds in their order.
var All = []About{
	{PastEnd, "Users past their end date", "They have no access any more, but are not marked as departed. What they own has no active owner, and moving the date would bring all access back."},
	{WildcardInFence, "Wildcards that pass a fence", "A fence keeps out permissions that were written for something wider. A pattern with a star passes it, also for resources that are registered later."},
	{AccountUnused, "Accounts not used for 90 days", "Nobody would notice if somebody else used it."},
	{Unaccounted, "Machine accounts without two people who are accountable for them", "When its secret leaks, or it must be stopped, nobody knows what it is for."},
	{Overdue, "Shared accounts that were not returned in time", "Somebody still knows the secret, and nobody else can use the account."},
	{SecretUsed, "Shared accounts whose secret was not changed after use", "Whoever used it could use it again, and nobody would know."},
	{Untested, "Emergency accounts not tested for 180 days", "In the emergency they may turn out not to work."},
	{AlmostEverybody, "Roles held by almost all", "Given one by one, it is easily forgotten for the next new user. A default rule gives it to everybody and removes it by itself."},
	{Direct, "Direct assignments where groups are wanted", "The application's roles are to be given through groups: a role given to one user stays when they change jobs."},
	{Doubled, "Assignments that a group already gives", "Removing the user from the group would not remove the role."},
	{Over, "Assignments whose window is over", "They give no access, and make every list longer."},
	{NothingMatches, "Permissions that no registered resource matches", "They give no access today, perhaps because of a mistyped path. Resources that are registered there later are open to their holders at once."},
	{Unreached, "Resources no role reaches", "Nobody can use it: it was forgotten, or it is no longer needed."},
	{HoldsNothing, "Active users who hold nothing", "They have only what everybody has: their roles were forgotten, or they should be marked as departed."},
	{RoleEmpty, "Roles without permissions", "Holders believe that the role gives them access."},
	{RoleUnheld, "Roles nobody holds", "It is not needed, or it was not given to those who need it."},
	{RoleSingle, "Roles with one holder", "When that user is away, nobody can do it; and access that one user has is easily overlooked."},
	{RoleAlike, "Roles that are nearly the same", "Nobody knows which one to grant, and changes to one are forgotten in the other."},
	{RoleUnowned, "Roles without an owner", "Nobody decides who should hold it, and requests that need its owner are stuck."},
	{ApplicationAlone, "Applications without an owner", "Nobody decides what its roles should give, and requests that need its owner are stuck."},
	{GroupEmpty, "Groups without members that give something", "The next member gets what was given to the group, perhaps long ago and for somebody else."},
	{TeamUnmanaged, "Teams that nobody manages", "Its members keep what it gives, and nobody asks whether they still need it."},
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
	User        fact.UserID
	Group       fact.GroupID
	Role        fact.RoleID
	Other       fact.RoleID // of two roles that are alike
	Application fact.ApplicationID
	Path        string // of a resource, or a pattern
	Permission  fact.PermissionID
	Fence       fact.FenceID
	Assignment  fact.AssignmentID
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
