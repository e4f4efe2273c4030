// Package desk holds the use cases: it knows who is asking, cuts every answer
// to what they may see, and makes every change. Interfaces translate to and
// from it and decide nothing themselves.
package service

import (
	"context"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/finding"
	"ableroster/internal/ledger"
	"ableroster/internal/request"
	"ableroster/internal/review"
	"ableroster/internal/saved"
	"ableroster/internal/usage"
	"ableroster/wire"
)

// Service serves the use cases over one ledger.
type Service struct {
	Ledger *ledger.Ledger
	// Clock tells the instant that questions without one are judged at.
	Clock func() time.Time
	// Tally counts what rehearsals let through; nil where nothing is counted.
	Usage *usage.Counts

	// Accounts are when those who can sign in last did; nil where nobody can.
	Accounts func(context.Context) (finding.Accounts, error)

	// Saved keeps views and mappings; nil where nothing is saved.
	Saved *saved.Store

	imports imports
	rolls   rolls
	rounds  rounds
	reports reports
	broken  broken
	telling telling
}

// Warm makes ready what the first list would otherwise wait for, and lets go of
// what older lists were drawn from. It is called now and then.
func (d *Service) Warm() {
	d.rolls.refresh(d.Ledger.Head())
	d.reports.letGo(calendar.At(d.Clock()))
}

// Caller is who asks, and through what.
type Caller struct {
	User fact.UserID
	Via  string // console, api …
}

// Outside is what stands for everything the caller may not see.
const Outside = "outside your part"

// View is one caller's sight of one snapshot. What they may see is judged by
// today's rights, whatever the day looked at.
type View struct {
	*access.Snapshot
	ctx     context.Context
	service *Service
	caller  Caller
	at      calendar.Instant
	past    bool
	today   *access.Snapshot
	head    *access.Snapshot // whose facts give the caller's rights
	before  *access.Snapshot // what a change started from: whoever it takes out of sight keeps their name in its words
	auth    *change.Authority
	known   map[fact.UserID]bool // see withKnownUsers
	mine    bool                 // whoever gave something is met too: see Mine
	tells   map[string]int       // what a refusal told the caller that they may not see, and how often
}

// rights are what the caller may do, compiled when first asked for: a decision
// for an application needs one of them, not all.
func (v *View) rights() *change.Authority {
	if v.auth == nil {
		v.auth = change.AuthorityOf(v.head, v.caller.User, calendar.At(v.service.Clock()))
	}
	return v.auth
}

// decides says whether the caller may evaluate access to an application.
func (v *View) decides(app fact.ApplicationID) bool {
	return v.head.AllowedLive(v.caller.User, fact.AbleRoster, access.ActEvaluate, v.today.ApplicationPath(app), calendar.At(v.service.Clock()))
}

// Now is the caller's view of the present.
func (d *Service) Now(ctx context.Context, c Caller) *View {
	head := d.Ledger.Head()
	at := calendar.At(d.Clock())
	return &View{Snapshot: head, ctx: ctx, service: d, caller: c, at: at, today: head, head: head}
}

// AsOf is the caller's view of a past instant; the zero time is now. An
// instant in the future judges the present facts then. Whoever may read nobody but
// themselves, and asks for decisions about nothing, needs no more of an old day than
// their own slice of it.
func (d *Service) AsOf(ctx context.Context, c Caller, at time.Time) (*View, error) {
	v := d.Now(ctx, c)
	if !at.IsZero() && !v.Reads() && len(v.rights().Reach(access.ActEvaluate)) == 0 {
		return d.AsOfAbout(ctx, c, at, c.User.String())
	}
	return d.AsOfWhole(ctx, c, at)
}

// AsOfWhole is AsOf with all the facts of the instant: for what somebody may have to do
// with though they may read nobody, such as requests and reviews.
func (d *Service) AsOfWhole(ctx context.Context, c Caller, at time.Time) (*View, error) {
	v := d.Now(ctx, c)
	if at.IsZero() {
		return v, nil
	}
	s, err := d.Ledger.At(ctx, calendar.At(at))
	return v.in(s, at), err
}

// AsOfAbout is AsOf with the facts about one user alone, or about nobody signed in:
// what the caller may be told of them is looked at by what is asked.
func (d *Service) AsOfAbout(ctx context.Context, c Caller, at time.Time, user string) (*View, error) {
	v := d.Now(ctx, c)
	if at.IsZero() {
		return v, nil
	}
	id, _ := v.today.FindUser(user)
	s, err := d.Ledger.Slice(ctx, calendar.At(at), id)
	return v.in(s, at), err
}

// AsOfUser is AsOf for questions about one user alone: an old day loads only
// their slice.
func (d *Service) AsOfUser(ctx context.Context, c Caller, at time.Time, user string) (*View, fact.UserID, error) {
	v := d.Now(ctx, c)
	id, ok := v.today.FindUser(user)
	if !ok || !v.rights().MayReadUser(v.today, id) {
		return nil, 0, v.missing(fact.FactUser, user)
	}
	if at.IsZero() {
		return v, id, nil
	}
	s, err := d.Ledger.Slice(ctx, calendar.At(at), id)
	if err != nil {
		return nil, 0, err
	}
	if s.User(id) == nil {
		return nil, 0, notFound("%s was not in the register on %s", v.userRef(id).Label, at.Format(time.DateOnly))
	}
	return v.in(s, at), id, nil
}

func (v *View) in(s *access.Snapshot, at time.Time) *View {
	if s == nil {
		return nil
	}
	past := calendar.At(at) < v.at
	w := *v
	w.Snapshot, w.at, w.past = s, calendar.At(at), past
	return &w
}

// JudgedAt is the view's facts, judged at another instant.
func (v *View) JudgedAt(at time.Time) *View {
	w := *v
	w.at = calendar.At(at)
	return &w
}

// Basis says what the view's answers are drawn from.
func (v *View) Basis() wire.Basis { return v.basis() }

func (v *View) basis() wire.Basis {
	return wire.Basis{Revision: v.Revision, At: v.at.Time(), AsOf: v.past}
}

func (v *View) readsUser(id fact.UserID) bool {
	return v.rights().MayReadUser(v.today, id) || v.before != nil && v.before.User(id) != nil && v.rights().MayReadUser(v.before, id)
}

func (v *View) readsGroup(id fact.GroupID) bool {
	return id == fact.PublicGroup || id == fact.AllUsersGroup || v.rights().May(access.ActRead, v.today.GroupPath(id))
}

func (v *View) readsRole(id fact.RoleID) bool {
	return v.rights().May(access.ActRead, v.today.RolePath(id))
}

func (v *View) readsApplication(id fact.ApplicationID) bool {
	return v.rights().May(access.ActRead, v.today.ApplicationPath(id))
}

func (v *View) readsLedger() bool { return v.rights().May(access.ActRead, "ledger") }

// reads says whether the caller may know of a thing.
func (v *View) reads(kind fact.FactKind, row uint32) bool {
	switch kind {
	case fact.FactUser:
		return v.readsUser(fact.UserID(row))
	case fact.FactGroup:
		return v.readsGroup(fact.GroupID(row))
	case fact.FactRole:
		return v.readsRole(fact.RoleID(row))
	case fact.FactApplication:
		return v.readsApplication(fact.ApplicationID(row))
	case fact.FactDefault, fact.FactSoDRule, fact.FactExpectation, finding.FactSetAside, request.FactRoute:
		return v.readsSettings()
	case review.FactPendingRemoval:
		p, _ := v.today.RecordFact(review.FactPendingRemoval, row).(*review.PendingRemoval)
		return p != nil && v.readsPendingRemoval(p)
	case request.FactRequest:
		return v.readsRequest(request.RequestOf(v.today, request.RequestID(row)))
	}
	return true
}

var outside = wire.Ref{Label: Outside, Outside: true}

func label(u *fact.User) string {
	if u.DisplayName != "" {
		return u.DisplayName
	}
	return u.UserName
}

func (v *View) userRef(id fact.UserID) wire.Ref {
	u := v.today.User(id)
	if u == nil || !v.readsUser(id) && !v.known[id] {
		return outside
	}
	return wire.Ref{ID: id.String(), Key: u.UserName, Label: label(u)}
}

// UserName implements access.Names within what the caller may see.
func (v *View) UserName(id fact.UserID) string {
	if id == 0 {
		return "nobody"
	}
	return v.userRef(id).Label
}

// The refs below name a thing of the snapshot looked at; own says that the
// caller looks at their own access, where they may see what gives it.
func (v *View) groupRef(id fact.GroupID, own bool) wire.Ref {
	g := v.Snapshot.Group(id)
	if g == nil {
		g = v.today.Group(id)
	}
	if g == nil || !own && !v.readsGroup(id) {
		return outside
	}
	return wire.Ref{ID: id.String(), Key: g.Key, Label: g.Label}
}

func (v *View) roleRef(id fact.RoleID, own bool) wire.Ref {
	r, key := v.Snapshot.Role(id), v.RoleKey(id)
	if r == nil {
		r, key = v.today.Role(id), v.today.RoleKey(id)
	}
	if r == nil || !own && !v.readsRole(id) {
		return outside
	}
	return wire.Ref{ID: id.String(), Key: key, Label: r.Label}
}

func (v *View) applicationRef(id fact.ApplicationID, own bool) wire.Ref {
	a := v.Snapshot.Application(id)
	if a == nil {
		a = v.today.Application(id)
	}
	if a == nil || !own && !v.readsApplication(id) {
		return outside
	}
	return wire.Ref{ID: id.String(), Key: a.Key, Label: a.Label}
}

func (v *View) memberRef(m fact.Member, own bool) (wire.Ref, string) {
	if m.User != 0 {
		return v.userRef(m.User), "user"
	}
	return v.groupRef(m.Group, own), "group"
}

// instant is one as it is told; none is an open end. What older ledgers put beyond the
// years that can be written is told as the last of them.
func instant(i calendar.Instant) *time.Time {
	t := i.Time()
	if t.IsZero() {
		return nil
	}
	if calendar.CheckTime(t) != nil {
		t = time.Date(9998, 12, 31, 23, 59, 59, 0, time.UTC)
	}
	return &t
}
