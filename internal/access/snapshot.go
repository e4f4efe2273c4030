package access

import (
	"strings"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/filter"
	"ableroster/internal/paged"
	"ableroster/internal/patterns"
)

// Snapshot is the compiled facts at one revision. It is immutable, answers
// every question, and may be read by any number of goroutines.
type Snapshot struct {
	Revision int64
	At       calendar.Instant // when that revision was made

	organisation Organisation
	zone         *time.Location

	users        paged.Table[userRec]
	groups       paged.Table[groupRec]
	memberships  paged.Table[membershipRow]
	applications paged.Table[applicationRec]
	resources    paged.Table[resourceRec]
	fences       paged.Table[fenceRec]
	roles        paged.Table[roleRec]
	inclusions   paged.Table[inclusionRec]
	permissions  paged.Table[permissionRec]
	assignments  paged.Table[assignmentRow]

	userByName       paged.Index
	groupByKey       paged.Index
	applicationByKey paged.Index
	roleByKey        paged.Index // "application/key", organisation roles "key"

	records recordTables

	ruled  []GroupID // the groups that choose members by a filter
	active int       // users whose status is active
	erased int       // users whose personal values were erased
	next   counters
}

// counters are the next free numbers of each kind.
type counters struct {
	User, Group, Membership, Application, Resource, Fence, Role, Inclusion, Permission, Assignment uint32
	Kept                                                                                           [maxRecordKinds]uint32
}

// The records: a fact and what is found from it. Slices in a record are never
// written in place: an older snapshot may share them.
type (
	userRec struct {
		name       shortName // as it is looked up
		active     bool      // as in the fact, as are the next three
		person     bool
		start, end calendar.Date
		links
		fact    *User
		touched int64 // revision that last changed the user or what is given to them directly
	}
	groupRec struct {
		above    links // what is given to it and to every group it always lies in
		winding  bool  // it lies in more at times, or did
		given    []link
		parents  []link
		children []GroupID // those that lie in it directly
		fact     *Group
		rule     filter.Expression // compiled from its filter, or nil
		members  paged.Table[MembershipID]
		touched  int64
	}
	applicationRec struct {
		fact      *Application
		resources []ResourceID
		byPath    paged.Index
		open      []ResourceID // those of its resources that are
		retired   int          // of its resources
		fences    []FenceID
		fits      *fits
		touched   int64
	}
	resourceRec struct {
		fact  *Resource
		place int // its place among the application's resources
	}
	fenceRec struct{ fact *Fence }
	roleRec  struct {
		fact        *Role
		includes    []InclusionID
		includedBy  []InclusionID
		permissions []PermissionID
		holders     paged.Table[AssignmentID]
		closure     []RoleID // the active roles whose permissions it gives, itself first
		rules       []rule   // those permissions, compiled
		touched     int64
	}
	inclusionRec  struct{ fact *Inclusion }
	permissionRec struct{ fact *Permission }
)

// state is the fact, and what checks look at of it.
func (u *userRec) state(f *User) {
	u.fact = f
	u.active, u.person, u.start, u.end = f.Status == Active, f.UserKind == Person, f.Start, f.End
}

// rule is a permission compiled for checks.
type rule struct {
	app     ApplicationID
	actions uint64 // by place among the application's actions
	pattern string
	literal bool // the pattern has no star
	own     bool
	id      PermissionID
}

// covers is Covers, quicker for patterns without stars.
func (r *rule) covers(path string) bool {
	if !r.literal {
		return patterns.Covers(r.pattern, path)
	}
	n := len(r.pattern)
	return len(path) >= n && path[:n] == r.pattern && (len(path) == n || path[n] == '/') || r.pattern == patterns.Root
}

// mostActions bounds what an application declares: a bit each in a rule.
const mostActions = 64

// actionPlace is an action's place among those an application declares.
func (a *Application) actionPlace(action string) (int, bool) {
	for i := range a.Actions {
		if a.Actions[i].Key == action {
			return i, true
		}
	}
	return -1, false
}

func (s *Snapshot) compile(p *Permission) rule {
	r := rule{app: p.Application, pattern: p.Pattern, literal: !strings.Contains(p.Pattern, "*"), own: p.Own, id: p.ID}
	app := s.Application(p.Application)
	for _, a := range p.Actions {
		if a == AllActions {
			r.actions = ^uint64(0)
		} else if place, ok := app.actionPlace(a); ok {
			r.actions |= 1 << place
		}
	}
	return r
}

// Empty is the snapshot before the first revision: the two built-in groups
// and the application able-roster, which no operation makes.
func Empty() *Snapshot {
	s := &Snapshot{zone: time.UTC, organisation: Organisation{TimeZone: "UTC"}}
	s.next = counters{1, 1, 1, 1, 1, 1, 1, 1, 1, 1, [maxRecordKinds]uint32{}}
	for i := range s.next.Kept {
		s.next.Kept[i] = 1
	}
	d := s.Next()
	builtin(d)
	d.Revision = 0
	return d.Seal(0, 0)
}

// Organisation is its name and time zone.
func (s *Snapshot) Organisation() Organisation { return s.organisation }

// Zone is the organisation's time zone.
func (s *Snapshot) Zone() *time.Location { return s.zone }

// User is the fact about a user, or nil.
func (s *Snapshot) User(id UserID) *User {
	if r := s.users.At(int(id)); r != nil {
		return r.fact
	}
	return nil
}

// Group is the fact about a group, or nil.
func (s *Snapshot) Group(id GroupID) *Group {
	if r := s.groups.At(int(id)); r != nil {
		return r.fact
	}
	return nil
}

// Role is the fact about a role, or nil.
func (s *Snapshot) Role(id RoleID) *Role {
	if r := s.roles.At(int(id)); r != nil {
		return r.fact
	}
	return nil
}

// Application is the fact about an application, or nil.
func (s *Snapshot) Application(id ApplicationID) *Application {
	if r := s.applications.At(int(id)); r != nil {
		return r.fact
	}
	return nil
}

// Assignment is the fact, or nil when it is not open.
func (s *Snapshot) Assignment(id AssignmentID) *Assignment {
	if r := s.assignments.At(int(id)); r != nil && r.role != 0 {
		return r.fact(id)
	}
	return nil
}

// Membership is the fact, or nil when it is not open.
func (s *Snapshot) Membership(id MembershipID) *Membership {
	if r := s.memberships.At(int(id)); r != nil && r.group != 0 {
		return r.fact(id)
	}
	return nil
}

// Permission is the fact, or nil when it is not open.
func (s *Snapshot) Permission(id PermissionID) *Permission {
	if r := s.permissions.At(int(id)); r != nil {
		return r.fact
	}
	return nil
}

// FindUser finds a user by name (without case) or by id.
func (s *Snapshot) FindUser(ref string) (UserID, bool) {
	var u soughtUser
	u.seek(s, ref)
	u.fetch(s)
	id, rec := u.found(s)
	return id, rec != nil
}

// FindGroup finds a group by key or by id.
func (s *Snapshot) FindGroup(ref string) (GroupID, bool) {
	if n, ok := ParseID("group", ref); ok {
		return GroupID(n), s.Group(GroupID(n)) != nil
	}
	id, ok := s.groupByKey.Find(ref, func(id uint32) bool { return s.groups.At(int(id)).fact.Key == ref })
	return GroupID(id), ok
}

// FindApplication finds an application by key or by id.
func (s *Snapshot) FindApplication(ref string) (ApplicationID, bool) {
	if n, ok := ParseID("application", ref); ok {
		return ApplicationID(n), s.Application(ApplicationID(n)) != nil
	}
	id, ok := s.applicationByKey.Find(ref, func(id uint32) bool { return s.applications.At(int(id)).fact.Key == ref })
	return ApplicationID(id), ok
}

// FindRole finds a role by its full key ("tariff-ledger/clerk", or "auditor"
// for a role of the organisation) or by id.
func (s *Snapshot) FindRole(ref string) (RoleID, bool) {
	if n, ok := ParseID("role", ref); ok {
		return RoleID(n), s.Role(RoleID(n)) != nil
	}
	id, ok := s.roleByKey.Find(ref, func(id uint32) bool { return s.RoleKey(RoleID(id)) == ref })
	return RoleID(id), ok
}

// RoleKey is the full key of a role: its application's key, "/", its own; a
// role of the organisation has its own key alone.
func (s *Snapshot) RoleKey(id RoleID) string {
	f := s.Role(id)
	if f == nil {
		return ""
	}
	if f.Application == 0 {
		return f.Key
	}
	return s.Application(f.Application).Key + "/" + f.Key
}

// FindResource finds a registered resource by its path, a retired one too.
func (s *Snapshot) FindResource(app ApplicationID, path string) (*Resource, bool) {
	rec := s.applications.At(int(app))
	if rec == nil {
		return nil, false
	}
	if r := s.resourceAt(rec, path); r != nil {
		return r.fact, true
	}
	return nil, false
}

func (s *Snapshot) resourceAt(app *applicationRec, path string) *resourceRec {
	id, ok := app.byPath.Find(path, func(id uint32) bool { return s.resources.At(int(id)).fact.Path == path })
	if !ok {
		return nil
	}
	return s.resources.At(int(id))
}

// known says whether a path is registered or lies below an open resource. A
// retired resource is as unregistered, with all below it, whatever is open
// above it. place is that of a registered one among the application's
// resources, else -1.
func (s *Snapshot) known(app *applicationRec, path string) (place int, ok bool) {
	place = -1
	if r := s.resourceAt(app, path); r != nil {
		if r.fact.Retired {
			return -1, false
		}
		place, ok = r.place, true
	}
	if ok && app.retired == 0 {
		return place, true
	}
	for path != patterns.Root {
		path = patterns.ParentPath(path)
		if r := s.resourceAt(app, path); r != nil {
			if r.fact.Retired {
				return -1, false
			}
			ok = ok || r.fact.Open
		}
	}
	return place, ok
}

func (a *Application) declares(action string) bool {
	_, ok := a.actionPlace(action)
	return ok
}
