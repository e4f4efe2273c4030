// Package wire holds what goes over the network: the JSON bodies of the API,
// shared by the service that writes them and the client that reads them. It
// has types alone.
package wire

import (
	"time"
)

// Ref names a thing: by its id, by the name or key people type, and by what
// they call it. One outside the caller's part has none of them.
type Ref struct {
	ID      string `json:"id,omitempty"`
	Key     string `json:"key,omitempty" doc:"user name, or key"`
	Label   string `json:"label"`
	Outside bool   `json:"outside,omitempty" doc:"outside the caller's part: only that it exists is said"`
}

// Basis says what an answer was drawn from.
type Basis struct {
	Revision int64     `json:"revision" doc:"the revision the answer stands on"`
	At       time.Time `json:"at" doc:"the instant that was judged"`
	AsOf     bool      `json:"as_of,omitempty" doc:"the instant is in the past: read only"`
}

// User is a user with their attributes.
type User struct {
	ID             string `json:"id"`
	UserName       string `json:"user_name"`
	DisplayName    string `json:"display_name"`
	Email          string `json:"email,omitempty"`
	Kind           string `json:"kind" enum:"person,service"`
	Status         string `json:"status" enum:"invited,active,suspended,departed"`
	Effective      bool   `json:"effective" doc:"active and inside start and end date at the instant judged"`
	Unit           string `json:"unit,omitempty"`
	Title          string `json:"title,omitempty"`
	Manager        *Ref   `json:"manager,omitempty"`
	EmploymentType string `json:"employment_type,omitempty"`
	Company        string `json:"company,omitempty"`
	Location       string `json:"location,omitempty"`
	StartDate      string `json:"start_date,omitempty"`
	EndDate        string `json:"end_date,omitempty"`

	Custom map[string]string `json:"custom,omitempty" doc:"values of declared attributes, by key"`
}

// UserList is a page of users.
type UserList struct {
	Basis
	Users []User `json:"users"`
	Total int    `json:"total" doc:"how many there are in all, of those the caller may read"`
	Next  string `json:"next,omitempty" doc:"cursor of the next page"`
}

// UserDetail is one user with what was given to them directly.
type UserDetail struct {
	Basis
	User
	Groups      []Membership `json:"groups" doc:"memberships, those reached through other groups after the direct ones"`
	Assignments []Assignment `json:"assignments" doc:"roles assigned to the user itself"`
	Positions   []Position   `json:"positions,omitempty" doc:"places that they have for a time, beside their own"`
	Absences    []Absence    `json:"absences,omitempty" doc:"their leaves of absence"`
	Substitutes []Substitute `json:"substitutes,omitempty" doc:"who decides in their place, and when"`
	StandsInFor []Ref        `json:"stands_in_for,omitempty" doc:"in whose place they decide now or later"`
	MergedInto  *Ref         `json:"merged_into,omitempty" doc:"the record of the same person that stayed"`
	MergedFrom  []Ref        `json:"merged_from,omitempty" doc:"records of the same person that were merged into this one"`
	Closed      bool         `json:"closed,omitempty" doc:"they have access only while somebody has opened it"`
	Opening     *Opening     `json:"opening,omitempty" doc:"the newest opening of closed access"`
	Sources     []Source     `json:"sources,omitempty" doc:"which of their attributes come from elsewhere"`
	LegalHold   *LegalHold   `json:"legal_hold,omitempty" doc:"what keeps them from being erased, for who may read settings"`
}

// Source is where an attribute of a user comes from.
type Source struct {
	Attribute   string `json:"attribute" doc:"its key"`
	Account     Ref    `json:"account" doc:"the machine account"`
	Overridable bool   `json:"overridable,omitempty" doc:"it may be changed here all the same"`
}

// LegalHold keeps a user from being erased.
type LegalHold struct {
	LastDay string `json:"last_day" format:"date"`
	Given   *Given `json:"given,omitempty" doc:"who set it, when and why"`
}

// Membership is a member of a group.
type Membership struct {
	ID            string     `json:"id"`
	Group         Ref        `json:"group"`
	Member        Ref        `json:"member"`
	MemberKind    string     `json:"member_kind" enum:"user,group"`
	Through       *Ref       `json:"through,omitempty" doc:"the group through which it is reached"`
	Rule          string     `json:"rule,omitempty" doc:"the group's filter, where it chose the user: there is no listed membership"`
	Default       *Ref       `json:"default,omitempty" doc:"the default rule that puts the user there"`
	Position      bool       `json:"position,omitempty" doc:"a position of the user puts them there, for its time"`
	From          *time.Time `json:"from,omitempty"`
	Until         *time.Time `json:"until,omitempty"`
	LastDay       string     `json:"last_day,omitempty" format:"date" doc:"the last day, where it ends with one in the organisation's time zone"`
	SinceRevision int64      `json:"since_revision,omitempty"`
}

// Scope limits an assignment to what a pattern covers in an application.
type Scope struct {
	Application Ref    `json:"application"`
	Pattern     string `json:"pattern"`
}

// Schedule is when in the week something holds.
type Schedule struct {
	Days     []string `json:"days" doc:"mon to sun"`
	From     string   `json:"from" doc:"HH:MM on the wall clock of the time zone"`
	Until    string   `json:"until" doc:"at or before from: past midnight, of the day it begins on"`
	TimeZone string   `json:"time_zone" doc:"IANA name"`
	Words    string   `json:"words" doc:"the same in words"`
}

// Assignment is a role held by a user or a group.
type Assignment struct {
	ID           string     `json:"id"`
	Role         Ref        `json:"role"`
	Assignee     Ref        `json:"assignee"`
	AssigneeKind string     `json:"assignee_kind" enum:"user,group"`
	Through      []Ref      `json:"through,omitempty" doc:"roles that include the one asked about, from the assigned one down"`
	From         *time.Time `json:"from,omitempty"`
	Until        *time.Time `json:"until,omitempty"`
	LastDay      string     `json:"last_day,omitempty" format:"date" doc:"the last day, where it ends with one in the organisation's time zone"`
	Scopes       []Scope    `json:"scopes,omitempty" doc:"gives only what one of these covers"`
	Schedule     *Schedule  `json:"schedule,omitempty"`
	Origin       string     `json:"origin" enum:"manual,import,default,request,share"`
	Default      *Ref       `json:"default,omitempty" doc:"the default rule that gives it, and takes it back"`
	SharedBy     *Ref       `json:"shared_by,omitempty" doc:"who shared it"`
	Given        *Given     `json:"given,omitempty"`
}

// Given says who gave something, when and why.
type Given struct {
	Revision int64     `json:"revision"`
	At       time.Time `json:"at"`
	By       *Ref      `json:"by,omitempty"`
	Reason   string    `json:"reason,omitempty"`
}

// Group is a group; members are listed where one group is asked for.
type Group struct {
	Basis
	ID          string       `json:"id"`
	Key         string       `json:"key"`
	Label       string       `json:"label"`
	Description string       `json:"description,omitempty"`
	Unit        string       `json:"unit,omitempty"`
	Filter      string       `json:"filter,omitempty" doc:"over users' facts: whom it chooses beside its listed members"`
	FilterWords string       `json:"filter_words,omitempty" doc:"the filter in plain words"`
	HeldWithin  string       `json:"held_within,omitempty" doc:"the unit within which alone somebody may be in it"`
	Chosen      int          `json:"chosen,omitempty" doc:"how many users the filter chooses, of those the caller may read, where one group is asked for"`
	BuiltIn     bool         `json:"built_in,omitempty"`
	Owner       *Ref         `json:"owner,omitempty" doc:"its owner"`
	Team        bool         `json:"team,omitempty" doc:"its owner manages it as a team"`
	MemberCount int          `json:"member_count" doc:"listed members, users and groups, of those the caller may read"`
	Members     []Membership `json:"members,omitempty"`
	Assignments []Assignment `json:"assignments,omitempty"`
}

// GroupList is all groups the caller may read.
type GroupList struct {
	Basis
	Groups []Group `json:"groups"`
}

// Action is a word an application declares.
type Action struct {
	Key         string `json:"key"`
	Label       string `json:"label,omitempty"`
	Description string `json:"description,omitempty"`
}

// Resource is a node of an application's tree.
type Resource struct {
	ID          string   `json:"id"`
	Path        string   `json:"path"`
	Kind        string   `json:"kind,omitempty"`
	Label       string   `json:"label,omitempty"`
	Description string   `json:"description,omitempty"`
	Open        bool     `json:"open,omitempty"`
	Retired     bool     `json:"retired,omitempty" doc:"as unregistered, with all below it"`
	Addresses   []string `json:"addresses,omitempty"`
}

// Fence keeps a pattern from permissions written for something wider.
type Fence struct {
	ID      string   `json:"id"`
	Pattern string   `json:"pattern"`
	Actions []string `json:"actions"`
	Why     string   `json:"why,omitempty"`
}

// Application is an application; its resources where one is asked for.
type Application struct {
	Basis
	ID          string     `json:"id"`
	Key         string     `json:"key"`
	Label       string     `json:"label"`
	Description string     `json:"description,omitempty"`
	State       string     `json:"state" enum:"draft,rehearsal,live,retired"`
	TrialGroup  *Ref       `json:"trial_group,omitempty" doc:"judged as if it were live while it is a draft"`
	Owner       *Ref       `json:"owner,omitempty" doc:"its owner"`
	Direct      string     `json:"direct_assignments,omitempty" enum:"warned,refused" doc:"whether its roles are given to users themselves; none: they are welcome to"`
	Actions     []Action   `json:"actions"`
	Resources   []Resource `json:"resources,omitempty"`
	Fences      []Fence    `json:"fences,omitempty"`
}

// ApplicationList is all applications the caller may read.
type ApplicationList struct {
	Basis
	Applications []Application `json:"applications"`
}

// Permission lets a role do actions on what a pattern covers.
type Permission struct {
	ID          string   `json:"id"`
	Role        Ref      `json:"role" doc:"the role that carries it: the one asked about or one it includes"`
	Application Ref      `json:"application"`
	Actions     []string `json:"actions"`
	Pattern     string   `json:"pattern"`
	Own         bool     `json:"own,omitempty" doc:"only where the resource's owner is the user"`
}

// Role is a role; permissions and holders where one is asked for.
type Role struct {
	Basis
	ID          string       `json:"id"`
	Key         string       `json:"key" doc:"application/key, or the key of a role of the organisation"`
	Label       string       `json:"label"`
	Description string       `json:"description,omitempty"`
	Application *Ref         `json:"application,omitempty"`
	Retired     bool         `json:"retired,omitempty"`
	Owner       *Ref         `json:"owner,omitempty" doc:"its owner; the application's owner where none is given"`
	Risk        string       `json:"risk,omitempty" enum:"low,medium,high" doc:"how much harm it could do in wrong hands"`
	MaxDays     int          `json:"max_days,omitempty" doc:"days an assignment of it may last at most; 0: without end"`
	HeldWithin  string       `json:"held_within,omitempty" doc:"the unit within which alone it may be held"`
	MaxShares   int          `json:"max_shares,omitempty" doc:"with how many users it may be shared within one resource at most; 0: it is not shareable"`
	Requestable bool         `json:"requestable,omitempty" doc:"it is requestable"`
	Includes    []Ref        `json:"includes" doc:"directly included roles"`
	IncludedBy  []Ref        `json:"included_by" doc:"roles that include it directly"`
	HolderCount int          `json:"holder_count" doc:"assignments made of it directly, of those the caller may read"`
	Permissions []Permission `json:"permissions,omitempty" doc:"its own and those of what it includes"`
	Holders     []Assignment `json:"holders,omitempty" doc:"assignments of it and of roles that include it"`
}

// RoleList is all roles the caller may read.
type RoleList struct {
	Basis
	Roles []Role `json:"roles"`
}

// Step is one box of a path.
type Step struct {
	Kind        string     `json:"kind" enum:"user,nobody,group,role,included_role,permission"`
	Ref                    // what it is
	From        *time.Time `json:"from,omitempty" doc:"of the membership or the assignment that leads here"`
	Until       *time.Time `json:"until,omitempty"`
	Rule        string     `json:"rule,omitempty" doc:"the group's filter, where it chose the user"`
	Assignment  string     `json:"assignment,omitempty"`
	Origin      string     `json:"origin,omitempty"`
	Default     *Ref       `json:"default,omitempty" doc:"the default rule that gives the role or the place in the group"`
	Given       *Given     `json:"given,omitempty"`
	Application *Ref       `json:"application,omitempty"`
	Actions     []string   `json:"actions,omitempty"`
	Pattern     string     `json:"pattern,omitempty"`
	Own         bool       `json:"own,omitempty"`
	Scopes      []Scope    `json:"scopes,omitempty"`
	Schedule    *Schedule  `json:"schedule,omitempty"`
}

// Path is the chain of facts from a user to a permission.
type Path struct {
	Steps []Step     `json:"steps"`
	From  *time.Time `json:"from,omitempty" doc:"when the whole chain begins to hold"`
	Until *time.Time `json:"until,omitempty"`
	Fails string     `json:"fails,omitempty" doc:"why it does not hold: a reason code"`
}

// CheckRequest asks whether a user may do an action on a path.
type CheckRequest struct {
	User        string     `json:"user,omitempty" doc:"user name or id"`
	Nobody      bool       `json:"nobody,omitempty" doc:"instead of a user: nobody signed in"`
	Application string     `json:"application" doc:"key or id"`
	Action      string     `json:"action,omitempty"`
	Path        string     `json:"path,omitempty"`
	Method      string     `json:"method,omitempty" doc:"instead of action and path, with address: the HTTP method of a call"`
	Address     string     `json:"address,omitempty" maxLength:"2000" doc:"the address it is made at, a URL or its path: the addresses of resources that are registered say what it comes to"`
	At          *time.Time `json:"at,omitempty" doc:"the instant to judge, by the present facts"`
	Explain     bool       `json:"explain,omitempty" doc:"with all paths"`
	Probe       bool       `json:"probe,omitempty" doc:"only to draw a menu or a button: it is not counted as a use"`
	Properties  Properties `json:"properties,omitzero" doc:"of the resource"`
}

// Properties are what an application knows of a resource it asks about.
type Properties struct {
	Owner string `json:"owner,omitempty" doc:"user name or id: for permissions on one's own"`
}

// CheckAnswer is the decision with its reason.
type CheckAnswer struct {
	Allowed bool   `json:"allowed"`
	Reason  string `json:"reason" doc:"a code of a closed list"`
	Message string `json:"message" doc:"a plain sentence"`
	Basis
	Action      string `json:"action,omitempty" doc:"asked by address: what it comes to"`
	Path        string `json:"path,omitempty" doc:"asked by address: what it comes to"`
	Paths       []Path `json:"paths,omitempty" doc:"why, or what came near; shortest first"`
	More        bool   `json:"more,omitempty" doc:"there are more paths than listed"`
	Cure        []Ref  `json:"cure,omitempty" doc:"when denied: roles that would give it, the narrowest first"`
	Requestable []Ref  `json:"requestable,omitempty" doc:"when denied: the requestable roles that would allow it"`
}

// AccessLine is actions on a pattern that a user has, and why.
type AccessLine struct {
	Application Ref        `json:"application"`
	Actions     []string   `json:"actions"`
	Pattern     string     `json:"pattern"`
	Through     string     `json:"through" enum:"direct,default,group,included,all-users,public" doc:"of the shortest path"`
	Now         bool       `json:"now" doc:"false: begins later"`
	From        *time.Time `json:"from,omitempty"`
	Until       *time.Time `json:"until,omitempty"`
	Own         bool       `json:"own,omitempty" doc:"only on what is their own"`
	Schedule    *Schedule  `json:"schedule,omitempty" doc:"only at these times of the week"`
	Fences      []string   `json:"fences,omitempty" doc:"patterns of fences that keep some of the actions from part of it"`
	When        []Window   `json:"when,omitempty" doc:"each time it holds, where there are several"`
	Ended       bool       `json:"ended,omitempty" doc:"it holds no more, and will not again as things are: the account has ended"`
	Paths       []Path     `json:"paths"`
	More        bool       `json:"more,omitempty" doc:"there are more ways than are listed; of each assignment that gives it at least one is"`
}

// Window is from an instant until another, either end open.
type Window struct {
	From  *time.Time `json:"from,omitempty"`
	Until *time.Time `json:"until,omitempty"`
}

// Access is all a user can do.
type Access struct {
	Basis
	User         Ref          `json:"user"`
	Effective    bool         `json:"effective"`
	Things       int          `json:"things" doc:"entitlements held at the instant"`
	Applications int          `json:"applications" doc:"in so many applications"`
	EndingSoon   int          `json:"ending_soon" doc:"of them, ending within 14 days"`
	Lines        []AccessLine `json:"lines"`
}

// Menu is what a user may do in one application, for applications to draw
// their menus with.
type Menu struct {
	Basis
	Application string                `json:"application"`
	Actions     map[string][]MenuPart `json:"actions" doc:"for each declared action where the user may do it"`
}

// MenuPart is all that a pattern covers, less some.
type MenuPart struct {
	Pattern string   `json:"pattern"`
	Except  []string `json:"except,omitempty" doc:"patterns of fences that are not passed"`
	Own     bool     `json:"own,omitempty" doc:"only on what is their own"`
}

// Grid is users × permissions of one application.
type Grid struct {
	Basis
	Application Ref          `json:"application"`
	Columns     []GridColumn `json:"columns"`
	Rows        []GridRow    `json:"rows"`
	Total       int          `json:"total" doc:"users in all, of those the caller may read"`
	Next        string       `json:"next,omitempty"`
}

// GridColumn is one action on one resource.
type GridColumn struct {
	Path   string `json:"path"`
	Label  string `json:"label"`
	Action string `json:"action"`
}

// GridRow is one user, or nobody signed in.
type GridRow struct {
	User  Ref        `json:"user"`
	Kind  string     `json:"kind" enum:"user,nobody,would_be"`
	Cells []GridCell `json:"cells"`
}

// GridCell is the mark of one cell, blank where it is not allowed.
type GridCell struct {
	Mark      string     `json:"mark,omitempty" enum:"direct,default,group,included,all-users,public"`
	Until     *time.Time `json:"until,omitempty"`
	Own       bool       `json:"own,omitempty" doc:"only on their own"`
	Scheduled bool       `json:"scheduled,omitempty" doc:"only at some times of the week"`
	Fenced    bool       `json:"fenced,omitempty" doc:"not allowed, for a fence alone"`
}

// Entitlement is an action on a resource, and when.
type Entitlement struct {
	Application Ref        `json:"application"`
	Action      string     `json:"action"`
	Target      string     `json:"target"`
	Own         bool       `json:"own,omitempty" doc:"only on what is their own"`
	Schedule    *Schedule  `json:"schedule,omitempty" doc:"only at these times of the week"`
	From        *time.Time `json:"from,omitempty" doc:"when it begins first"`
	Until       *time.Time `json:"until,omitempty" doc:"when that ends"`
	When        []Window   `json:"when,omitempty" doc:"each time it holds, where there are several"`
}

// SearchResults is what the find-anything box offers.
type SearchResults struct {
	Basis
	Hits []Hit `json:"hits"`
}

// Hit is one thing found.
type Hit struct {
	Kind string `json:"kind" enum:"user,group,application,role"`
	Ref
	Hint string `json:"hint,omitempty"`
}

// AssignmentList is a page of assignments.
type AssignmentList struct {
	Basis
	Assignments []Assignment `json:"assignments"`
	Total       int          `json:"total"`
	Next        string       `json:"next,omitempty"`
}
