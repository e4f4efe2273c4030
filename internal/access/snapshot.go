package access

import (
	"strings"
	"sync"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/paged"
	"ableroster/internal/patterns"
)

// Snapshot is the compiled facts at one revision. It is immutable, answers
// every question, and may be read by any number of goroutines.
type Snapshot struct {
	Revision int64
	At       calendar.Instant // when that revision was made

	organisation fact.Organisation
	zone         *time.Location

	// How the facts lie, for those who walk them: to be read, and never written. Only a
	// Builder has the paged.Edit that a table is written with.
	UserTable        paged.Table[UserEntry]
	GroupTable       paged.Table[GroupEntry]
	MembershipTable  paged.Table[MembershipRow]
	ApplicationTable paged.Table[ApplicationEntry]
	ResourceTable    paged.Table[ResourceEntry]
	FenceTable       paged.Table[FenceEntry]
	RoleTable        paged.Table[RoleEntry]
	InclusionTable   paged.Table[InclusionEntry]
	PermissionTable  paged.Table[PermissionEntry]
	AssignmentTable  paged.Table[AssignmentRow]

	userByName       paged.Index
	groupByKey       paged.Index
	applicationByKey paged.Index
	roleByKey        paged.Index // "application/key", organisation roles "key"

	RecordTables recordTables

	memos       *sync.Map      // see Memo
	closedTypes []string       // employment types whose users have access only while it is opened
	Ruled       []fact.GroupID // the groups that choose members by a filter
	ActiveUsers int            // users whose status is active
	erased      int            // users whose personal values were erased
	next        counters
}

// counters are the next free numbers of each kind.
type counters struct {
	User, Group, Membership, Application, Resource, Fence, Role, Inclusion, Permission, Assignment uint32
	Kept                                                                                           [fact.MaxRecordKinds]uint32
}

// The entries of the tables: a fact, and what is found from it. Slices in an entry are
// never written in place: an older snapshot may share them.
type (
	UserEntry struct {
		name       shortName // as it is looked up
		active     bool      // as in the fact, as are the next three
		Person     bool
		limited    bool // is absent at times, or closed: that is looked up
		start, end calendar.Date
		links
		Fact    *fact.User
		Touched int64 // revision that last changed the user or what is given to them directly
	}
	GroupEntry struct {
		Above    links // what is given to it and to every group it always lies in
		Winding  bool  // it lies in more at times, or did
		Given    []Link
		Parents  []Link
		Children []fact.GroupID // those that lie in it directly
		Fact     *fact.Group
		Rule     filter.Expression // compiled from its filter, or nil
		Members  paged.Table[fact.MembershipID]
		Touched  int64
	}
	ApplicationEntry struct {
		Fact      *fact.Application
		Resources []fact.ResourceID
		byPath    paged.Index
		byAddress paged.Index       // see address.go
		Open      []fact.ResourceID // those of its resources that are
		Retired   int               // of its resources
		Fences    []fact.FenceID
		Fits      *fits
		Touched   int64
	}
	ResourceEntry struct {
		Fact  *fact.Resource
		place int // its place among the application's resources
	}
	FenceEntry struct{ Fact *fact.Fence }
	RoleEntry  struct {
		Fact        *fact.Role
		Includes    []fact.InclusionID
		IncludedBy  []fact.InclusionID
		Permissions []fact.PermissionID
		Holders     paged.Table[fact.AssignmentID]
		Closure     []fact.RoleID // the active roles whose permissions it gives, itself first
		Rules       []Rule        // those permissions, compiled
		Touched     int64
	}
	InclusionEntry  struct{ Fact *fact.Inclusion }
	PermissionEntry struct{ Fact *fact.Permission }
)

// state is the fact, and what checks look at of it.
func (u *UserEntry) state(f *fact.User) {
	u.Fact = f
	u.active, u.Person, u.start, u.end = f.Status == fact.Active, f.UserKind == fact.Person, f.Start, f.End
}

// Rule is a permission compiled for checks.
type Rule struct {
	App     fact.ApplicationID
	Actions uint64 // by place among the application's actions
	Pattern string
	literal bool // the pattern has no star
	Own     bool
	id      fact.PermissionID
}

// Covers is Covers, quicker for patterns without stars.
func (r *Rule) Covers(path string) bool {
	if !r.literal {
		return patterns.Covers(r.Pattern, path)
	}
	n := len(r.Pattern)
	return len(path) >= n && path[:n] == r.Pattern && (len(path) == n || path[n] == '/') || r.Pattern == patterns.Root
}

// MostActions bounds what an application declares: a bit each in a rule.
const MostActions = 64

// ActionPlace is an action's place among those an application declares.
func ActionPlace(a *fact.Application, action string) (int, bool) {
	for i := range a.Actions {
		if a.Actions[i].Key == action {
			return i, true
		}
	}
	return -1, false
}

func (s *Snapshot) compile(p *fact.Permission) Rule {
	r := Rule{App: p.Application, Pattern: p.Pattern, literal: !strings.Contains(p.Pattern, "*"), Own: p.Own, id: p.ID}
	app := s.Application(p.Application)
	for _, a := range p.Actions {
		if a == fact.AllActions {
			r.Actions = ^uint64(0)
		} else if place, ok := ActionPlace(app, a); ok {
			r.Actions |= 1 << place
		}
	}
	return r
}

// Empty is the snapshot before the first revision: the two built-in groups
// and the application able-roster, which no operation makes.
func Empty() *Snapshot {
	s := &Snapshot{memos: new(sync.Map), zone: time.UTC, organisation: fact.Organisation{TimeZone: "UTC"}}
	s.next = counters{1, 1, 1, 1, 1, 1, 1, 1, 1, 1, [fact.MaxRecordKinds]uint32{}}
	for i := range s.next.Kept {
		s.next.Kept[i] = 1
	}
	d := s.Next()
	builtin(d)
	d.Revision = 0
	return d.Seal(0, 0)
}

// Memo is what is kept under a key for a whole line of snapshots, each made from the one
// before; it is made when first asked for. It must know by itself what it is of, and may be
// used by several goroutines.
func (s *Snapshot) Memo(key any, made func() any) any {
	if x, ok := s.memos.Load(key); ok {
		return x
	}
	x, _ := s.memos.LoadOrStore(key, made())
	return x
}

// Organisation is its name and time zone.
func (s *Snapshot) Organisation() fact.Organisation { return s.organisation }

// Zone is the organisation's time zone.
func (s *Snapshot) Zone() *time.Location { return s.zone }

// User is the fact about a user, or nil.
func (s *Snapshot) User(id fact.UserID) *fact.User {
	if r := s.UserTable.At(int(id)); r != nil {
		return r.Fact
	}
	return nil
}

// Group is the fact about a group, or nil.
func (s *Snapshot) Group(id fact.GroupID) *fact.Group {
	if r := s.GroupTable.At(int(id)); r != nil {
		return r.Fact
	}
	return nil
}

// Role is the fact about a role, or nil.
func (s *Snapshot) Role(id fact.RoleID) *fact.Role {
	if r := s.RoleTable.At(int(id)); r != nil {
		return r.Fact
	}
	return nil
}

// Application is the fact about an application, or nil.
func (s *Snapshot) Application(id fact.ApplicationID) *fact.Application {
	if r := s.ApplicationTable.At(int(id)); r != nil {
		return r.Fact
	}
	return nil
}

// Assignment is the fact, or nil when it is not open.
func (s *Snapshot) Assignment(id fact.AssignmentID) *fact.Assignment {
	if r := s.AssignmentTable.At(int(id)); r != nil && r.Role != 0 {
		return r.fact(id)
	}
	return nil
}

// Membership is the fact, or nil when it is not open.
func (s *Snapshot) Membership(id fact.MembershipID) *fact.Membership {
	if r := s.MembershipTable.At(int(id)); r != nil && r.group != 0 {
		return r.fact(id)
	}
	return nil
}

// Permission is the fact, or nil when it is not open.
func (s *Snapshot) Permission(id fact.PermissionID) *fact.Permission {
	if r := s.PermissionTable.At(int(id)); r != nil {
		return r.Fact
	}
	return nil
}

// FindUser finds a user by name (without case) or by id.
func (s *Snapshot) FindUser(ref string) (fact.UserID, bool) {
	var u soughtUser
	u.seek(s, ref)
	u.fetch(s)
	id, rec := u.found(s)
	return id, rec != nil
}

// FindGroup finds a group by key or by id.
func (s *Snapshot) FindGroup(ref string) (fact.GroupID, bool) {
	if n, ok := fact.ParseID("group", ref); ok {
		return fact.GroupID(n), s.Group(fact.GroupID(n)) != nil
	}
	id, ok := s.groupByKey.Find(ref, func(id uint32) bool { return s.GroupTable.At(int(id)).Fact.Key == ref })
	return fact.GroupID(id), ok
}

// FindApplication finds an application by key or by id.
func (s *Snapshot) FindApplication(ref string) (fact.ApplicationID, bool) {
	if n, ok := fact.ParseID("application", ref); ok {
		return fact.ApplicationID(n), s.Application(fact.ApplicationID(n)) != nil
	}
	id, ok := s.applicationByKey.Find(ref, func(id uint32) bool { return s.ApplicationTable.At(int(id)).Fact.Key == ref })
	return fact.ApplicationID(id), ok
}

// FindRole finds a role by its full key ("tariff-ledger/clerk", or "auditor"
// for a role of the organisation) or by id.
func (s *Snapshot) FindRole(ref string) (fact.RoleID, bool) {
	if n, ok := fact.ParseID("role", ref); ok {
		return fact.RoleID(n), s.Role(fact.RoleID(n)) != nil
	}
	id, ok := s.roleByKey.Find(ref, func(id uint32) bool { return s.RoleKey(fact.RoleID(id)) == ref })
	return fact.RoleID(id), ok
}

// RoleKey is the full key of a role: its application's key, "/", its own; a
// role of the organisation has its own key alone.
func (s *Snapshot) RoleKey(id fact.RoleID) string {
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
func (s *Snapshot) FindResource(app fact.ApplicationID, path string) (*fact.Resource, bool) {
	rec := s.ApplicationTable.At(int(app))
	if rec == nil {
		return nil, false
	}
	if r := s.ResourceAt(rec, path); r != nil {
		return r.Fact, true
	}
	return nil, false
}

// ResourceAt is the entry of a registered resource, nil for a path that is none.
func (s *Snapshot) ResourceAt(app *ApplicationEntry, path string) *ResourceEntry {
	id, ok := app.byPath.Find(path, func(id uint32) bool { return s.ResourceTable.At(int(id)).Fact.Path == path })
	if !ok {
		return nil
	}
	return s.ResourceTable.At(int(id))
}

// Known says whether a path is registered or lies below an open resource. A
// retired resource is as unregistered, with all below it, whatever is open
// above it. place is that of a registered one among the application's
// resources, else -1.
func (s *Snapshot) Known(app *ApplicationEntry, path string) (place int, ok bool) {
	place = -1
	if r := s.ResourceAt(app, path); r != nil {
		if r.Fact.Retired {
			return -1, false
		}
		place, ok = r.place, true
	}
	if ok && app.Retired == 0 {
		return place, true
	}
	for path != patterns.Root {
		path = patterns.ParentPath(path)
		if r := s.ResourceAt(app, path); r != nil {
			if r.Fact.Retired {
				return -1, false
			}
			ok = ok || r.Fact.Open
		}
	}
	return place, ok
}

// Declares says whether an application has an action.
func Declares(a *fact.Application, action string) bool {
	_, ok := ActionPlace(a, action)
	return ok
}
