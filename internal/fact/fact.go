package fact

import "ableroster/internal/calendar"

// The facts. Each is one row of the ledger with a lifetime; a snapshot holds
// those that are open at its revision. A fact is never altered: an update puts
// a new one with the same id in its place.

// FactKind names a kind of fact as its table does.
type FactKind string

// The kinds of facts.
const (
	FactOrganisation FactKind = "organisation"
	FactUser         FactKind = "user"
	FactGroup        FactKind = "group"
	FactMembership   FactKind = "membership"
	FactApplication  FactKind = "application"
	FactResource     FactKind = "resource"
	FactRole         FactKind = "role"
	FactInclusion    FactKind = "inclusion"
	FactPermission   FactKind = "permission"
	FactAssignment   FactKind = "assignment"
	FactFence        FactKind = "fence"
)

// FactKinds are all of them, each after those it refers to.
var FactKinds = []FactKind{FactOrganisation, FactUser, FactGroup, FactMembership, FactApplication,
	FactResource, FactFence, FactRole, FactInclusion, FactPermission, FactAssignment}

// Fact is one of the types below.
type Fact interface {
	Kind() FactKind
	Row() uint32 // the number of its id
}

// Organisation is the one fact about the whole: its name and the time zone in
// which days begin.
type Organisation struct {
	Name     string
	TimeZone string
	SignIn   GroupID // whose members alone may sign in, or 0: everybody who has a password or a token
	Second   SecondPerson
	References
	ReviewMoves bool // what whoever changes unit was given by hand is put before their manager
}

// UserKind tells people from machine accounts.
type UserKind string

// The kinds of users.
const (
	Person  UserKind = "person"
	Service UserKind = "service"
)

// Status is where a user is in their time with the organisation.
type Status string

// The statuses. Only active users are effective.
const (
	Invited   Status = "invited"
	Active    Status = "active"
	Suspended Status = "suspended"
	Departed  Status = "departed"
)

// Personal are the values about a user that can be erased.
type Personal struct {
	UserName    string `json:"user_name,omitempty"`
	DisplayName string `json:"display_name,omitempty" flag:"name" doc:"display name"`
	Email       string `json:"email,omitempty" doc:"e-mail address"`
	More        Values `json:"more,omitempty" set:"service"` // of declared attributes that are personal
}

// User is one person or one machine account. What is not in Personal is a
// fact: kept for ever, and the only kind that may give access.
type User struct {
	ID UserID
	Personal
	UserKind UserKind
	Status   Status
	Manager  UserID
	UserFacts
	Custom Values // of declared attributes that are facts
	Erased bool   // the personal values were, on request

	// Digest stands for Personal in the ledger; set by the ledger.
	Digest [32]byte
}

// Group is users and other groups.
type Group struct {
	ID          GroupID
	Key         string
	Label       string
	Description string
	Unit        string
	Owner       UserID // the user responsible for it, or 0
	Filter      string // over users' facts: whom it chooses beside its listed members; or nothing
	HeldWithin  string // the unit within which alone somebody may be in it; blank: anywhere
}

// Member is what a membership puts into a group: a user or a group.
type Member struct {
	User  UserID
	Group GroupID
}

// Membership puts a member into a group for a time.
type Membership struct {
	ID     MembershipID
	Group  GroupID
	Member Member
	Window calendar.Window
	Rule   DefaultID // the default rule that gives it, or 0
	Opened int64     // the revision that opened it

	Position bool // a position of the member gives it, where the group's filter chooses them
}

// ByHand says whether somebody put the member there: no default rule, and no position.
func (m *Membership) ByHand() bool { return m.Rule == 0 && !m.Position }

// State is where an application is in its life.
type State string

// The states of an application.
const (
	StateDraft     State = "draft"     // nobody is let in, but the trial group
	StateRehearsal State = "rehearsal" // everybody signed in is; what live would deny is counted
	StateLive      State = "live"
	StateRetired   State = "retired"
)

// Action is a word an application declares.
type Action struct {
	Key         string `json:"key"`
	Label       string `json:"label,omitempty"`
	Description string `json:"description,omitempty"`
}

// Application is something that protects resources.
type Application struct {
	ID          ApplicationID
	Key         string
	Label       string
	Description string
	State       State
	Actions     []Action
	Owner       UserID  // the user responsible for it, or 0
	Trial       GroupID // whose members are judged as if it were live while it is a draft
	Direct      Direct  // whether its roles are given to users themselves
}

// Direct says whether an application's roles may be given to users themselves,
// instead of to groups. What was asked for and approved, and what a default rule
// gives, is always welcome.
type Direct string

// What an organisation can say about direct assignments.
const (
	DirectWelcome Direct = ""        // the same as to groups
	DirectWarned  Direct = "warned"  // with an acknowledgement
	DirectRefused Direct = "refused" // through groups alone
)

// Resource is a node in an application's tree, named by its path.
type Resource struct {
	ID          ResourceID
	Application ApplicationID
	Path        string
	NodeKind    string // in the owner's own words
	Label       string
	Description string
	Open        bool // what lies below need not be registered
	Retired     bool // as unregistered, with all below it
	Addresses   []string
}

// Fence marks what a pattern covers as not reached, for its actions, by
// permissions written for something wider.
type Fence struct {
	ID          FenceID
	Application ApplicationID
	Pattern     string
	Actions     []string
	Reason      string // why it is there, in plain words
}

// Role carries permissions and may include other roles. Application is zero
// for a role of the organisation.
type Role struct {
	ID          RoleID
	Application ApplicationID
	Key         string
	Label       string
	Description string
	Owner       UserID // the user responsible for it, or 0: then the application's owner
	Retired     bool
	Risk        Risk // how much harm whoever holds it could do, or nothing said
	MaxDays     int  // days an assignment of it may last at most; 0: without end

	HeldWithin string // the unit within which alone it may be held; blank: anywhere
	MaxShares  int    // with how many users it may be shared within one resource at most; 0: it is not shareable
}

// Risk is how much harm a role could do in wrong hands.
type Risk string

// The risks of a role.
const (
	RiskUnsaid Risk = ""
	RiskLow    Risk = "low"
	RiskMedium Risk = "medium"
	RiskHigh   Risk = "high"
)

// Inclusion makes holders of Role hold Included too.
type Inclusion struct {
	ID       InclusionID
	Role     RoleID
	Included RoleID
	Opened   int64
}

// AllActions in a permission means all declared actions, later ones too.
const AllActions = "*"

// Permission lets a role do these actions on what this pattern covers.
type Permission struct {
	ID          PermissionID
	Role        RoleID
	Application ApplicationID
	Actions     []string
	Pattern     string
	Own         bool // only on resources whose owner is the user
	Opened      int64
}

// Origin says where an assignment came from.
type Origin string

// The origins an assignment can have.
const (
	Manual    Origin = "manual"
	Import    Origin = "import"
	ByDefault Origin = "default" // a default rule gives it
	ByRequest Origin = "request" // it was asked for and approved
	ByShare   Origin = "share"   // who holds the same shared it, within one resource
)

// Origins are all of them; rows keep the place.
var Origins = []Origin{Manual, Import, ByDefault, ByRequest, ByShare}

// Assignee is who holds a role: a user or a group.
type Assignee = Member

// Assignment says that a user or a group holds a role.
type Assignment struct {
	ID       AssignmentID
	Assignee Assignee
	Role     RoleID
	Window   calendar.Window
	Scopes   []Scope            // gives only what one of them covers; none: all the role gives
	Schedule *calendar.Schedule // or nil
	Origin   Origin
	Rule     DefaultID // the default rule that gives it, or 0
	SharedBy UserID    // who shared it, or 0
	Opened   int64     // the revision that opened it; its reason is the assignment's
}

// Kind and Row identify each fact among its kind.
func (*Organisation) Kind() FactKind { return FactOrganisation }
func (*Organisation) Row() uint32    { return 1 }
func (*User) Kind() FactKind         { return FactUser }
func (f *User) Row() uint32          { return uint32(f.ID) }
func (*Group) Kind() FactKind        { return FactGroup }
func (f *Group) Row() uint32         { return uint32(f.ID) }
func (*Membership) Kind() FactKind   { return FactMembership }
func (f *Membership) Row() uint32    { return uint32(f.ID) }
func (*Application) Kind() FactKind  { return FactApplication }
func (f *Application) Row() uint32   { return uint32(f.ID) }
func (*Resource) Kind() FactKind     { return FactResource }
func (f *Resource) Row() uint32      { return uint32(f.ID) }
func (*Role) Kind() FactKind         { return FactRole }
func (f *Role) Row() uint32          { return uint32(f.ID) }
func (*Inclusion) Kind() FactKind    { return FactInclusion }
func (f *Inclusion) Row() uint32     { return uint32(f.ID) }
func (*Permission) Kind() FactKind   { return FactPermission }
func (f *Permission) Row() uint32    { return uint32(f.ID) }
func (*Assignment) Kind() FactKind   { return FactAssignment }
func (f *Assignment) Row() uint32    { return uint32(f.ID) }
func (*Fence) Kind() FactKind        { return FactFence }
func (f *Fence) Row() uint32         { return uint32(f.ID) }
