// Package prepared holds a large change ready beside the head, while others go on making
// changes. The change was judged on a snapshot once; instead of being applied to every later
// one, which takes as long as it is large, it has the small changes that were made meanwhile
// applied to what it makes (Follow). Where the order of the two makes no difference, the
// outcome is that of making it last, and it becomes the next revision at once (Number).
//
// What makes a difference is told: ErrModel and ErrClash, and Moved. Pure, as the core.
package prepared

import (
	"errors"
	"maps"
	"math"
	"reflect"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

// Provisional is the revision that a change speaks of as its own until it has one.
const Provisional = math.MaxInt64 / 2

// Why a change that was prepared has to be judged again.
var (
	ErrModel = errors.New("what it was judged by was changed: roles, groups, rules, applications or the rights of its author")
	ErrClash = errors.New("somebody else changed what it changes")
)

// Change is one that was judged, on its way to be the newest revision. It belongs to one
// goroutine.
type Change struct {
	Changes []access.RowChange // of it alone

	author fact.UserID
	ids    access.IDs
	before *access.Snapshot // what others leave, up to its revision
	after  *access.Snapshot // what it leaves then
	until  calendar.Instant // the first end of what it gives, 0 for none

	facts map[place]bool             // that it changes
	users map[fact.UserID]bool       // that it changes or speaks of
	own   map[fact.UserID]*fact.User // whose own facts it changes, as they were
	given map[held]bool              // what of whom it gives or takes
	idle  map[fact.UserID]bool       // of whom something was so already
	moved map[fact.UserID]bool       // whom others gave or took something meanwhile
}

type place struct {
	kind fact.FactKind
	row  uint32
}

// held is a role or a group of a user.
type held struct {
	user  fact.UserID
	role  fact.RoleID
	group fact.GroupID
}

// Applying applies the operations of a change that is to be prepared, and notes whom they
// speak of.
type Applying struct {
	Draft *change.Draft
	users map[fact.UserID]bool
	idle  map[fact.UserID]bool
	n     int
}

// Begin begins a change on a snapshot. It leaves numbers free for what others make meanwhile.
func Begin(s *access.Snapshot) *Applying {
	a := Resume(s)
	a.Draft.LeaveIDs(leaves)
	return a
}

// Resume begins a change that was begun elsewhere, and took its numbers there.
func Resume(s *access.Snapshot) *Applying {
	d := change.NewDraft(s)
	d.Revision = Provisional
	return &Applying{Draft: d, users: map[fact.UserID]bool{}, idle: map[fact.UserID]bool{}}
}

// leaves is how many numbers of a kind others may take while a change is prepared.
const leaves = 1 << 16

// Apply applies the next operation, and is the operation settled.
func (a *Applying) Apply(op change.Operation, at calendar.Instant) change.Operation {
	noted := len(a.Draft.Notes)
	settled := a.Draft.Apply(a.n, op, at)
	a.n++
	speaksOf(settled, func(id fact.UserID) {
		a.users[id] = true
		if len(a.Draft.Notes) > noted { // it was so already, and may be so no more
			a.idle[id] = true
		}
	})
	return settled
}

// Of makes a change ready whose draft is finished, without a fault. The draft is not to be
// used for another change. ok is false for a change that cannot wait beside others, since it
// changes more than users, what they are given themselves, and new units and employment types.
func Of(a *Applying) (c *Change, ok bool) {
	d := a.Draft
	base := d.Base()
	c = &Change{Changes: d.Changes(), author: d.Author, ids: d.Took(), before: base, after: d.Seal(base.Revision, base.At),
		facts: map[place]bool{}, users: a.users, own: map[fact.UserID]*fact.User{}, given: map[held]bool{}, idle: a.idle, moved: map[fact.UserID]bool{}}
	for _, x := range c.Changes {
		for _, f := range []fact.Fact{x.Before, x.After} {
			if f == nil {
				continue
			}
			c.facts[place{f.Kind(), f.Row()}] = true
			id, plain := whose(f)
			if !plain && newPlace(x) {
				continue
			}
			if !plain {
				return nil, false
			}
			c.users[id] = true
			c.given[heldBy(f)] = true
			switch f := f.(type) {
			case interface{ Ends() calendar.Instant }:
				c.end(calendar.Window{Until: f.Ends()})
			case *fact.Assignment:
				c.end(f.Window)
			case *fact.Membership:
				c.end(f.Window)
			}
		}
		if u, is := x.After.(*fact.User); is {
			was, _ := x.Before.(*fact.User)
			c.own[u.ID] = was
		}
	}
	return c, true
}

// newPlace says whether a fact is a unit or an employment type that was not there, of which nothing
// is said but what it is called: it bears on nobody but whom the change puts there.
func newPlace(x access.RowChange) bool {
	if x.Before != nil {
		return false
	}
	switch f := x.After.(type) {
	case *fact.Unit:
		return f.Head == 0 && f.Custom == ""
	case *fact.EmploymentType:
		return !f.Closed && !f.External && f.MaxDays == 0
	}
	return false
}

// end notes that something ends: once it has, the operation that gives it is a fault.
func (c *Change) end(w calendar.Window) {
	if w.Until != 0 && (c.until == 0 || w.Until < c.until) {
		c.until = w.Until
	}
}

// whose says to whom a fact belongs; plain is false for those that are of no user alone.
func whose(f fact.Fact) (id fact.UserID, plain bool) {
	switch f := f.(type) {
	case *fact.User:
		return f.ID, true
	case fact.OfUser:
		return f.Whose(), true
	case interface{ Beside() fact.UserID }:
		id := f.Beside()
		return id, id != 0
	case *fact.Assignment:
		return f.Assignee.User, f.Assignee.User != 0
	case *fact.Membership:
		return f.Member.User, f.Member.User != 0
	}
	return 0, false
}

// harmless are the operations of users, of what is given to them, and of workflows.
var harmless = []string{"add_user", "update_user", "erase_user", "add_position", "end_position", "add_absence", "end_absence", "add_substitute", "end_substitute", "open_access", "close_access", "set_legal_hold", "end_legal_hold", "extend_contract", "grant", "revoke", "share_role", "end_shares", "add_member", "remove_member", "hand_over",
	"request_role", "withdraw_request", "decide_request", "open_round", "decide_items", "sign_off", "settle_pending_removal",
	"set_aside_finding", "take_up_finding", "erase_reason"}

// MayBear says whether operations may alter what others are judged by: all but those of users,
// of what is given to them, and of workflows.
func MayBear(ops []change.Operation) bool {
	for _, op := range ops {
		if !slices.Contains(harmless, op.Verb()) {
			return true
		}
	}
	return false
}

// heldBy is what a fact gives to a user, blank for one that gives nothing.
func heldBy(f fact.Fact) held {
	switch f := f.(type) {
	case *fact.Assignment:
		return held{f.Assignee.User, f.Role, 0}
	case *fact.Membership:
		return held{f.Member.User, 0, f.Group}
	}
	return held{}
}

// model says whether a fact bears on how others are judged: all but what belongs to a user
// and the records of workflows.
func model(f fact.Fact) bool {
	if _, plain := whose(f); plain {
		return false
	}
	switch f.Kind() {
	case fact.FactOrganisation, fact.FactGroup, fact.FactMembership, fact.FactApplication, fact.FactResource, fact.FactFence, fact.FactRole,
		fact.FactInclusion, fact.FactPermission, fact.FactAssignment, fact.FactDefault, fact.FactSoDRule, fact.FactExpectation, fact.FactAttribute, fact.FactFreeze, fact.FactUnit, fact.FactMachineAccount, fact.FactEmploymentType:
		return true
	}
	return false
}

// speaksOf calls yield for the users that an operation speaks of.
func speaksOf(op change.Operation, yield func(fact.UserID)) {
	for _, id := range change.SubjectsOf(op) {
		if n, ok := fact.ParseID("user", id); ok {
			yield(fact.UserID(n))
		}
	}
}

// Revision is up to which revision the changes of others are in it.
func (c *Change) Revision() int64 { return c.after.Revision }

// After is the snapshot that it leaves.
func (c *Change) After() *access.Snapshot { return c.after }

// Follow takes in the next revision of others, which apply applies to a snapshot: to what was
// before it, and to what this change makes. An error says that the change has to be judged
// again, and is the same for everybody who follows the same revisions.
func (c *Change) Follow(apply func(*access.Snapshot) (*change.Draft, error), ops []change.Operation, revision int64, at calendar.Instant) error {
	before, err := apply(c.before)
	if err != nil {
		return err
	}
	concerned := map[fact.UserID]bool{}
	for _, op := range ops {
		speaksOf(op, func(id fact.UserID) { concerned[id] = true })
	}
	for _, x := range before.Changes() {
		for _, f := range []fact.Fact{x.Before, x.After} {
			if f == nil {
				continue
			}
			if err := c.bears(f, concerned); err != nil {
				return err
			}
		}
	}
	if concerned[c.author] {
		return ErrModel
	}
	after, err := apply(c.after)
	if err != nil || !sameChanges(before.Changes(), after.Changes()) {
		return ErrClash
	}
	for id := range concerned {
		if c.users[id] {
			c.moved[id] = true
		}
	}
	c.before, c.after = before.Seal(revision, at), after.Seal(revision, at)
	return nil
}

// bears looks at a fact that others changed.
func (c *Change) bears(f fact.Fact, concerned map[fact.UserID]bool) error {
	switch id, plain := whose(f); {
	case model(f):
		return ErrModel
	case c.facts[place{f.Kind(), f.Row()}]:
		return ErrClash
	case !plain || !c.users[id]:
		if plain {
			concerned[id] = true
		}
		return nil
	default:
		concerned[id] = true
		was, changed := c.own[id]
		_, own := f.(*fact.User)
		if own || c.given[heldBy(f)] || c.idle[id] || changed && (was == nil || !sameStanding(was, c.after.User(id))) {
			return ErrClash
		}
		return nil
	}
}

// sameChanges says whether others do the same with this change and without it.
func sameChanges(a, b []access.RowChange) bool {
	return slices.EqualFunc(a, b, func(x, y access.RowChange) bool { return reflect.DeepEqual(x, y) })
}

// sameStanding says whether somebody may be given as before: what they may hold, and whether
// they may hold anything, goes by these.
func sameStanding(a, b *fact.User) bool {
	return a.Status == b.Status && a.Unit == b.Unit && a.UserKind == b.UserKind && a.Erased == b.Erased
}

// Fits says whether the change may become the next revision after a snapshot, at an instant:
// the numbers it took are still free, and nothing that it gives has ended.
func (c *Change) Fits(s *access.Snapshot, at calendar.Instant) error {
	if !c.ids.Free(s) || c.until != 0 && c.until <= at {
		return ErrClash
	}
	return nil
}

// Moved are the users it changes or speaks of whom others gave something, or took it from,
// since it was judged, in order.
func (c *Change) Moved() []fact.UserID { return slices.Sorted(maps.Keys(c.moved)) }

// Again is what it does to those who moved, as a draft upon the newest snapshot, to be judged
// anew.
func (c *Change) Again(s *access.Snapshot, ready func(*change.Draft)) *change.Draft {
	d := change.NewDraft(s)
	d.Author = c.author
	ready(d)
	if len(c.moved) == 0 {
		return d
	}
	for _, x := range c.Changes {
		if newPlace(x) {
			d.Put(x.After)
			continue
		}
		f := x.After
		if f == nil {
			f = x.Before
		}
		if id, _ := whose(f); !c.moved[id] {
			continue
		}
		if x.After != nil {
			d.Put(x.After)
		} else {
			d.End(x.Before)
		}
	}
	return d
}

// Number makes it a revision: the snapshot that it leaves. The change is not to be used any
// more.
func (c *Change) Number(revision int64, at calendar.Instant) *access.Snapshot {
	c.after.Number(c.Changes, maps.Keys(c.users), Provisional, revision, at)
	b := c.after.Next()
	return b.Seal(revision, at)
}
