// Package review is looking through who holds what, line by line, and deciding
// who keeps it: rounds, their items and decisions. It is pure: a round's items
// follow from a snapshot and an instant, and what it decides it writes into a
// draft.
package review

import (
	"cmp"
	"iter"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/held"
	"ableroster/internal/query"
)

// The kinds of record facts of this package.
var (
	FactRound          = fact.RecordKind("round")
	FactDecision       = fact.RecordKind("review_decision")
	FactPendingRemoval = fact.RecordKind("pending_removal")
)

// Ids are dense numbers; see access.
type (
	RoundID          uint32
	DecisionID       uint32
	PendingRemovalID uint32
)

func (i RoundID) String() string          { return fact.IDText(FactRound, uint32(i)) }
func (i PendingRemovalID) String() string { return fact.IDText(FactPendingRemoval, uint32(i)) }

// Whose is who reviews a line.
type Whose string

// Who reviews.
const (
	Manager Whose = "manager"   // of the user on the line
	Head    Whose = "unit_head" // of the user's unit, or the nearest one above that has one
	Owner   Whose = "owner"     // of the role, or else of its application
	Users   Whose = "users"     // named ones
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
	fact.Lifetime
	ID          RoundID            `json:"-"`
	Key         string             `json:"key"`
	Label       string             `json:"label"`
	Application fact.ApplicationID `json:"application,omitempty"` // what is held in it
	Group       fact.GroupID       `json:"group,omitempty"`       // or by its members
	Filter      string             `json:"filter,omitempty"`      // or by whom it chooses
	People      []fact.UserID      `json:"people,omitempty"`      // or by these
	ByHand      bool               `json:"by_hand,omitempty"`     // only what somebody gave them, and no rule
	Reviewers   Whose              `json:"reviewers"`
	Named       []fact.UserID      `json:"named,omitempty"`
	Opener      fact.UserID        `json:"opener"` // reviews what has nobody else
	Fixed       int64              `json:"fixed"`  // the revision whose lines they are
	At          calendar.Instant   `json:"at"`
	State       State              `json:"state"`

	// Of a round that a move opened, Moved is who moved, and Lines are its items: those it has for good.
	Moved fact.UserID `json:"moved,omitempty"`
	Lines []Item      `json:"lines,omitempty"`
}

// Kind and Row identify it.
func (*Round) Kind() fact.FactKind { return FactRound }
func (f *Round) Row() uint32       { return uint32(f.ID) }

// Beside is whom the round alone is about, 0 for several: a change that opens it may wait beside
// others; see package prepared.
func (f *Round) Beside() fact.UserID { return f.Moved }

// Decision is the decision on one item.
type Decision struct {
	fact.Lifetime
	ID         DecisionID        `json:"-"`
	Round      RoundID           `json:"round"`
	User       fact.UserID       `json:"user"`
	Assignment fact.AssignmentID `json:"assignment"`
	Keep       bool              `json:"keep,omitempty"` // else revoke
	By         fact.UserID       `json:"by"`
	For        fact.UserID       `json:"for,omitempty"` // in whose place
}

// Kind and Row identify it.
func (*Decision) Kind() fact.FactKind { return FactDecision }
func (f *Decision) Row() uint32       { return uint32(f.ID) }

// PendingRemoval is a revocation that is not the round's to make: the user holds the
// role through a group or a default rule, whose owner is asked.
type PendingRemoval struct {
	fact.Lifetime
	ID         PendingRemovalID  `json:"-"`
	Round      RoundID           `json:"round"`
	User       fact.UserID       `json:"user"`
	Role       fact.RoleID       `json:"role"`
	Assignment fact.AssignmentID `json:"assignment"`
	Group      fact.GroupID      `json:"group,omitempty"`
	Default    fact.DefaultID    `json:"default,omitempty"`
	Settled    bool              `json:"settled,omitempty"`
	By         fact.UserID       `json:"by,omitempty"`
	For        fact.UserID       `json:"for,omitempty"` // in whose place
}

// Kind and Row identify it.
func (*PendingRemoval) Kind() fact.FactKind { return FactPendingRemoval }
func (f *PendingRemoval) Row() uint32       { return uint32(f.ID) }

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
	User       fact.UserID       `json:"user"`
	Assignment fact.AssignmentID `json:"assignment"`
}

// Line is a user who held a role through one assignment when the round opened.
type Item struct {
	ItemKey
	Role    fact.RoleID      `json:"role"`
	Group   fact.GroupID     `json:"group,omitempty"`   // that holds it, when not the user
	Default fact.DefaultID   `json:"default,omitempty"` // the default rule that gives it, or the place in the group
	Since   int64            `json:"since"`             // the revision that opened the assignment
	Until   calendar.Instant `json:"until,omitempty"`   // when it ends by itself, or 0

	// What is shared within one resource is one line: Shared is the resource, and With are the
	// others with whom the role is shared there.
	Shared *fact.Scope `json:"shared,omitempty"`
	With   []ItemKey   `json:"with,omitempty"`
}

// Keys are the user on a line with the assignment, and the others with whom the same is shared.
func (l *Item) Keys() iter.Seq[ItemKey] {
	return func(yield func(ItemKey) bool) {
		if yield(l.ItemKey) {
			for _, k := range l.With {
				if !yield(k) {
					return
				}
			}
		}
	}
}

// Direct says whether the round itself may take it back.
func (l *Item) Direct() bool { return l.Group == 0 && l.Default == 0 }

// Lines are those of a round, from the snapshot at the instant it opened, in
// order of user and role. What everybody has is not reviewed one by one.
func (r *Round) Items(s *access.Snapshot) []Item {
	if r.Moved != 0 {
		return r.Lines
	}
	var out []Item
	in := r.users(s)
	var inApp map[fact.RoleID]bool
	if r.Application != 0 {
		inApp = map[fact.RoleID]bool{}
		for role := range s.Roles() {
			inApp[role.ID] = query.RoleReaches(s, role.ID, r.Application)
		}
	}
	for u := range s.Users() {
		if in(u) && s.Effective(u.ID, r.At) {
			out = r.itemsOf(s, u.ID, inApp, out)
		}
	}
	return sortedItems(out)
}

// itemsOf adds those of one user.
func (r *Round) itemsOf(s *access.Snapshot, user fact.UserID, inApp map[fact.RoleID]bool, out []Item) []Item {
	query.EachAssignment(s, user, r.At, func(a *fact.Assignment) {
		if a.Assignee.Group == fact.PublicGroup || a.Assignee.Group == fact.AllUsersGroup || inApp != nil && !inApp[a.Role] {
			return
		}
		l := Item{ItemKey: ItemKey{user, a.ID}, Role: a.Role, Group: a.Assignee.Group, Default: a.Rule, Since: a.Opened, Until: a.Window.Until}
		if l.Group != 0 {
			l.Default = query.DefaultInto(s, user, l.Group)
		}
		if a.Origin == fact.ByShare {
			l.Shared = &a.Scopes[0]
		}
		if r.ByHand && (l.Default != 0 || l.Group != 0 && !listedIn(s, user, l.Group)) {
			return
		}
		out = append(out, l)
	})
	return out
}

func sortedItems(out []Item) []Item {
	slices.SortFunc(out, func(a, b Item) int {
		return cmp.Or(cmp.Compare(a.User, b.User), cmp.Compare(a.Role, b.Role), cmp.Compare(a.Assignment, b.Assignment))
	})
	return together(slices.CompactFunc(out, func(a, b Item) bool { return a.ItemKey == b.ItemKey }))
}

// together makes one line of what is shared within a resource.
func together(all []Item) []Item {
	type share struct {
		role fact.RoleID
		in   fact.Scope
	}
	first := map[share]int{}
	out := all[:0]
	for _, l := range all {
		if l.Shared != nil {
			k := share{l.Role, *l.Shared}
			if i, ok := first[k]; ok {
				out[i].With = append(out[i].With, l.ItemKey)
				continue
			}
			first[k] = len(out)
		}
		out = append(out, l)
	}
	return out
}

// users says whom a round looks at.
func (r *Round) users(s *access.Snapshot) func(*fact.User) bool {
	switch {
	case r.Group != 0:
		members := held.MembersNow(s, r.Group, r.At)
		return func(u *fact.User) bool { return members[u.ID] }
	case len(r.People) > 0:
		return func(u *fact.User) bool { return slices.Contains(r.People, u.ID) }
	case r.Filter != "":
		e, err := filter.Parse(r.Filter)
		return func(u *fact.User) bool { return err == nil && fact.MatchesRule(e, u) }
	}
	return func(*fact.User) bool { return true }
}

// listedIn says whether somebody put a user into a group by hand.
func listedIn(s *access.Snapshot, user fact.UserID, group fact.GroupID) bool {
	return slices.ContainsFunc(s.MembershipsOf(fact.Member{User: user}), func(m *fact.Membership) bool { return m.Group == group && m.ByHand() })
}

// eachReviewer calls yield for each of those who decide on a line as things are
// now, never the user on it: those the round names and, with in whose place, who stands in for
// them, or else whoever opened it. What is shared with several is for the owner of the role, where
// a round asks managers or heads of units.
func (r *Round) eachReviewer(s *access.Snapshot, user fact.UserID, role fact.RoleID, shared bool, at calendar.Instant, yield func(id, of fact.UserID)) {
	any := false
	one := func(id, of fact.UserID) {
		if id != user && s.Effective(id, at) {
			any = true
			yield(id, of)
		}
	}
	try := func(id fact.UserID) {
		if id == 0 || id == user {
			return
		}
		one(id, 0)
		for _, by := range held.SubstitutesOf(s, id, at) {
			one(by, id)
		}
	}
	who := r.Reviewers
	if shared && (who == Manager || who == Head) {
		who = Owner
	}
	switch who {
	case Manager:
		if u := s.User(user); u != nil {
			try(u.Manager)
			if r.Moved != 0 && !any { // nobody opened it who could stand in for them
				try(s.HeadOf(u.Unit, user))
			}
			if r.Moved != 0 && !any {
				try(s.OwnerOf(role))
			}
		}
	case Head:
		if u := s.User(user); u != nil {
			try(s.HeadOf(u.Unit, user))
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
func (r *Round) ReviewersOf(s *access.Snapshot, l *Item, at calendar.Instant) []fact.UserID {
	var out []fact.UserID
	for k := range l.Keys() {
		r.eachReviewer(s, k.User, l.Role, l.Shared != nil, at, func(id, _ fact.UserID) {
			if !slices.Contains(out, id) {
				out = append(out, id)
			}
		})
	}
	return out
}

// Reviews says whether somebody decides on a line as things are now.
func (r *Round) Reviews(s *access.Snapshot, by, user fact.UserID, role fact.RoleID, shared bool, at calendar.Instant) bool {
	_, reviews := r.placeOf(s, by, user, role, shared, at)
	return reviews
}

// placeOf is in whose place somebody decides on a line as things are now: 0 for their own.
func (r *Round) placeOf(s *access.Snapshot, by, user fact.UserID, role fact.RoleID, shared bool, at calendar.Instant) (of fact.UserID, reviews bool) {
	r.eachReviewer(s, user, role, shared, at, func(id, place fact.UserID) {
		if id == by && (!reviews || place == 0) {
			of, reviews = place, true
		}
	})
	return of, reviews
}
