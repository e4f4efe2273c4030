// Package review is looking through who holds what, line by line, and deciding
// who keeps it: rounds, their items and decisions. It is pure: a round's items
// follow from a snapshot and an instant, and what it decides it writes into a
// draft.
package review

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/filter"
)

// The kinds of record facts of this package.
var (
	FactRound          = access.RecordKind("round")
	FactDecision       = access.RecordKind("review_decision")
	FactPendingRemoval = access.RecordKind("pending_removal")
)

// Ids are dense numbers; see access.
type (
	RoundID          uint32
	DecisionID       uint32
	PendingRemovalID uint32
)

func (i RoundID) String() string          { return access.IDText(FactRound, uint32(i)) }
func (i PendingRemovalID) String() string { return access.IDText(FactPendingRemoval, uint32(i)) }

// Whose is who reviews a line.
type Whose string

// Who reviews.
const (
	Manager Whose = "manager" // of the user on the line
	Owner   Whose = "owner"   // of the role, or else of its application
	Users   Whose = "users"   // named ones
)

// State is where a round is.
type State string

// The states.
const (
	Open   State = "open"
	Signed State = "signed"
)

// Round is one look through a part of what is held. Its lines are those of the
// instant at which it was opened; the round keeps what they follow from, not the
// lines.
type Round struct {
	access.Lifetime
	ID          RoundID              `json:"-"`
	Key         string               `json:"key"`
	Label       string               `json:"label"`
	Application access.ApplicationID `json:"application,omitempty"` // what is held in it
	Group       access.GroupID       `json:"group,omitempty"`       // or by its members
	Filter      string               `json:"filter,omitempty"`      // or by whom it chooses
	Reviewers   Whose                `json:"reviewers"`
	Named       []access.UserID      `json:"named,omitempty"`
	Opener      access.UserID        `json:"opener"` // reviews what has nobody else
	Fixed       int64                `json:"fixed"`  // the revision whose lines they are
	At          calendar.Instant     `json:"at"`
	State       State                `json:"state"`
}

// Kind and Row identify it.
func (*Round) Kind() access.FactKind { return FactRound }
func (f *Round) Row() uint32         { return uint32(f.ID) }

// Decision is the decision on one item.
type Decision struct {
	access.Lifetime
	ID         DecisionID          `json:"-"`
	Round      RoundID             `json:"round"`
	User       access.UserID       `json:"user"`
	Assignment access.AssignmentID `json:"assignment"`
	Keep       bool                `json:"keep,omitempty"` // else revoke
	By         access.UserID       `json:"by"`
}

// Kind and Row identify it.
func (*Decision) Kind() access.FactKind { return FactDecision }
func (f *Decision) Row() uint32         { return uint32(f.ID) }

// PendingRemoval is a revocation that is not the round's to make: the user holds the
// role through a group or a default rule, whose owner is asked.
type PendingRemoval struct {
	access.Lifetime
	ID         PendingRemovalID    `json:"-"`
	Round      RoundID             `json:"round"`
	User       access.UserID       `json:"user"`
	Role       access.RoleID       `json:"role"`
	Assignment access.AssignmentID `json:"assignment"`
	Group      access.GroupID      `json:"group,omitempty"`
	Default    access.DefaultID    `json:"default,omitempty"`
	Settled    bool                `json:"settled,omitempty"`
	By         access.UserID       `json:"by,omitempty"`
}

// Kind and Row identify it.
func (*PendingRemoval) Kind() access.FactKind { return FactPendingRemoval }
func (f *PendingRemoval) Row() uint32         { return uint32(f.ID) }

// RoundOf is the round under a number, or nil.
func RoundOf(s *access.Snapshot, id RoundID) *Round {
	f, _ := s.RecordFact(FactRound, uint32(id)).(*Round)
	return f
}

// Rounds, Decisions and PendingRemovals are all of them, in order of number.
func Rounds(s *access.Snapshot) []*Round { return access.RecordFactsOf[*Round](s, FactRound) }
func Decisions(s *access.Snapshot) []*Decision {
	return access.RecordFactsOf[*Decision](s, FactDecision)
}
func PendingRemovals(s *access.Snapshot) []*PendingRemoval {
	return access.RecordFactsOf[*PendingRemoval](s, FactPendingRemoval)
}

// FindRound finds a round by key or id.
func FindRound(s *access.Snapshot, ref string) *Round {
	f, _ := access.FindKeyed[*Round](s, FactRound, ref, access.Same)
	return f
}

// Name and Over implement access.Keyed.
func (f *Round) Name() string { return f.Key }
func (f *Round) Over() bool   { return f.State != Open }

// ItemKey names a line of a round.
type ItemKey struct {
	User       access.UserID
	Assignment access.AssignmentID
}

// Line is a user who held a role through one assignment when the round opened.
type Item struct {
	ItemKey
	Role    access.RoleID
	Group   access.GroupID   // that holds it, when not the user
	Default access.DefaultID // the default rule that gives it, or the place in the group
	Since   int64            // the revision that opened the assignment
	Until   calendar.Instant // when it ends by itself, or 0
}

// Direct says whether the round itself may take it back.
func (l *Item) Direct() bool { return l.Group == 0 && l.Default == 0 }

// Lines are those of a round, from the snapshot at the instant it opened, in
// order of user and role. What everybody has is not reviewed one by one.
func (r *Round) Items(s *access.Snapshot) []Item {
	var out []Item
	in := r.users(s)
	var inApp map[access.RoleID]bool
	if r.Application != 0 {
		inApp = map[access.RoleID]bool{}
		for role := range s.Roles() {
			inApp[role.ID] = s.RoleReaches(role.ID, r.Application)
		}
	}
	for u := range s.Users() {
		if !in(u) || !s.Effective(u.ID, r.At) {
			continue
		}
		s.EachAssignment(u.ID, r.At, func(a *access.Assignment) {
			if a.Assignee.Group == access.PublicGroup || a.Assignee.Group == access.AllUsersGroup || inApp != nil && !inApp[a.Role] {
				return
			}
			l := Item{ItemKey: ItemKey{u.ID, a.ID}, Role: a.Role, Group: a.Assignee.Group, Default: a.Rule, Since: a.Opened, Until: a.Window.Until}
			if l.Group != 0 {
				l.Default = s.DefaultInto(u.ID, l.Group)
			}
			out = append(out, l)
		})
	}
	slices.SortFunc(out, func(a, b Item) int {
		return cmp.Or(cmp.Compare(a.User, b.User), cmp.Compare(a.Role, b.Role), cmp.Compare(a.Assignment, b.Assignment))
	})
	return slices.CompactFunc(out, func(a, b Item) bool { return a.ItemKey == b.ItemKey })
}

// users says whom a round looks at.
func (r *Round) users(s *access.Snapshot) func(*access.User) bool {
	switch {
	case r.Group != 0:
		members := s.MembersNow(r.Group, r.At)
		return func(u *access.User) bool { return members[u.ID] }
	case r.Filter != "":
		e, err := filter.Parse(r.Filter)
		return func(u *access.User) bool { return err == nil && access.MatchesRule(e, u) }
	}
	return func(*access.User) bool { return true }
}

// eachReviewer calls yield for each of those who decide on a line as things are
// now, never the user on it: those the round names, or else whoever opened it.
func (r *Round) eachReviewer(s *access.Snapshot, user access.UserID, role access.RoleID, at calendar.Instant, yield func(access.UserID)) {
	any := false
	try := func(id access.UserID) {
		if id != 0 && id != user && s.Effective(id, at) {
			any = true
			yield(id)
		}
	}
	switch r.Reviewers {
	case Manager:
		if u := s.User(user); u != nil {
			try(u.Manager)
		}
	case Owner:
		try(s.OwnerOf(role))
	case Users:
		for _, id := range r.Named {
			try(id)
		}
	}
	if !any {
		try(r.Opener)
	}
}

// ReviewersOf are who decides on a line as things are now.
func (r *Round) ReviewersOf(s *access.Snapshot, user access.UserID, role access.RoleID, at calendar.Instant) []access.UserID {
	var out []access.UserID
	r.eachReviewer(s, user, role, at, func(id access.UserID) { out = append(out, id) })
	return out
}

// Reviews says whether somebody decides on a line as things are now.
func (r *Round) Reviews(s *access.Snapshot, by, user access.UserID, role access.RoleID, at calendar.Instant) bool {
	found := false
	r.eachReviewer(s, user, role, at, func(id access.UserID) { found = found || id == by })
	return found
}
