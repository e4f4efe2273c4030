package seeing

import (
	"context"
	"crypto/ed25519"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/finding"
	"ableroster/internal/jobs"
	"ableroster/internal/ledger"
	"ableroster/internal/record"
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
	// Usage counts what rehearsals let through; nil where nothing is counted.
	Usage *usage.Counts

	// Decided hears of each check, by application and reason; nil hears nothing.
	Decided func(application, reason string)

	// SigningKey is what heads of the ledger are signed with; nil where they are not.
	SigningKey ed25519.PrivateKey

	// Accounts are when those who can sign in last did; nil where nobody can.
	Accounts func(context.Context) (finding.Accounts, error)

	// Saved keeps views and mappings; nil where nothing is saved.
	Saved *saved.Store

	// Jobs keeps the files that are sent to change something by; nil where none is taken.
	Jobs *jobs.Jobs

	rolls   rolls
	pages   pages
	Rounds  Rounds
	Reports reports
	Broken  broken
	Telling telling
}

// Warm makes ready what the first list would otherwise wait for, and lets go of
// what older lists were drawn from. It is called now and then.
func (d *Service) Warm() {
	d.rolls.refresh(d.Ledger.Head())
	d.Reports.letGo(calendar.At(d.Clock()))
}

// Caller is who asks, and through what.
type Caller struct {
	User fact.UserID
	Via  string // console, api …

	// For is whom a machine account acts for, 0 for nobody. It is told what it may see itself,
	// and changes what both may.
	For fact.UserID
}

// Author is who a change of the caller's is by.
func (c Caller) Author() fact.UserID {
	if c.For != 0 {
		return c.For
	}
	return c.User
}

// Outside is what stands for everything the caller may not see.
const Outside = "outside your part"

// View is one caller's sight of one snapshot. What they may see is judged by
// today's rights, whatever the day looked at.
type View struct {
	snapshot *access.Snapshot // of the instant looked at
	Ctx      context.Context
	Service  *Service
	Caller   Caller
	At       calendar.Instant
	Past     bool
	today    *access.Snapshot
	head     *access.Snapshot // whose facts give the caller's rights
	before   *access.Snapshot // what a change started from: whoever it takes out of sight keeps their name in its words
	Auth     *change.Authority
	Known    map[fact.UserID]bool // see withKnownUsers
	Mine     bool                 // whoever gave something is met too: see Mine
	page     *kept                // what the page is drawn from that was asked for; nil for the head, or a past day
	decided  [8]decided           // the last applications that Decides was asked about, and what it said
	nDecided int
	tells    map[string]int // what a refusal told the caller that they may not see, and how often
}

// Rights are what the caller may do, compiled when first asked for: a decision
// for an application needs one of them, not all.
func (v *View) Rights() *change.Authority {
	if v.Auth == nil {
		v.Auth = change.AuthorityOf(v.head, v.Caller.User, calendar.At(v.Service.Clock()))
	}
	return v.Auth
}

// AuthorsRights are what the author of a change of the caller's may do, on what it is judged on:
// see JudgeBy.
func (v *View) AuthorsRights() *change.Authority {
	if v.Caller.For == 0 {
		return v.Rights()
	}
	return change.AuthorityOf(v.today, v.Caller.For, v.At)
}

// decided is whether the caller may evaluate access to an application.
type decided struct {
	app fact.ApplicationID
	may bool
}

// Decides says whether the caller may evaluate access to an application. Many questions of one
// call are mostly about few.
func (v *View) Decides(app fact.ApplicationID) bool {
	for i := range min(v.nDecided, len(v.decided)) {
		if v.decided[i].app == app {
			return v.decided[i].may
		}
	}
	may := v.mayEvaluate(app)
	v.decided[v.nDecided%len(v.decided)] = decided{app, may}
	v.nDecided++
	return may
}

func (v *View) mayEvaluate(app fact.ApplicationID) bool {
	return v.head.AllowedLive(v.Caller.User, fact.AbleRoster, access.ActEvaluate, v.today.ApplicationPath(app), calendar.At(v.Service.Clock()))
}

// LooksAfter says whether the caller may read the whole ledger, by one decision: their rights
// need not be compiled for it.
func (v *View) LooksAfter() bool {
	return v.head.AllowedLive(v.Caller.User, fact.AbleRoster, access.ActRead, "ledger", calendar.At(v.Service.Clock()))
}

// Now is the caller's view of the present.
func (d *Service) Now(ctx context.Context, c Caller) *View {
	head := d.Ledger.Head()
	at := calendar.At(d.Clock())
	return (&View{snapshot: head, Ctx: ctx, Service: d, Caller: c, At: at, today: head, head: head}).turned()
}

// AsOf is the caller's view of a past instant; the zero time is now. An
// instant in the future judges the present facts then. Whoever may read nobody but
// themselves, and asks for decisions about nothing, needs no more of an old day than
// their own slice of it.
func (d *Service) AsOf(ctx context.Context, c Caller, at time.Time) (*View, error) {
	v := d.Now(ctx, c)
	if !at.IsZero() && !v.Reads() && len(v.Rights().Reach(access.ActEvaluate)) == 0 {
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
	return v.In(s, at), err
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
	return v.In(s, at), err
}

// AsOfUser is AsOf for questions about one user alone: an old day loads only
// their slice.
func (d *Service) AsOfUser(ctx context.Context, c Caller, at time.Time, user string) (*View, fact.UserID, error) {
	v := d.Now(ctx, c)
	id, ok := v.today.FindUser(user)
	if !ok || !v.Rights().MayReadUser(v.today, id) {
		return nil, 0, v.Missing(fact.FactUser, user)
	}
	if at.IsZero() {
		return v, id, nil
	}
	s, err := d.Ledger.Slice(ctx, calendar.At(at), id)
	if err != nil {
		return nil, 0, err
	}
	if s.User(id) == nil {
		return nil, 0, NotFound("%s was not in the register on %s", v.UserRef(id).Label, at.Format(time.DateOnly))
	}
	return v.In(s, at), id, nil
}

// In is the view over the facts of an instant.
func (v *View) In(s *access.Snapshot, at time.Time) *View {
	if s == nil {
		return nil
	}
	past := calendar.At(at) < v.At
	w := *v
	w.snapshot, w.At, w.Past = s, calendar.At(at), past
	return &w
}

// Uncut are the facts looked at, all of them: whoever draws an answer from them cuts it to
// what the caller may see.
func (v *View) Uncut() *access.Snapshot { return v.snapshot }

// UncutToday are the facts of today, or those that a change would leave.
func (v *View) UncutToday() *access.Snapshot { return v.today }

// Zone and Organisation are for everybody.
func (v *View) Zone() *time.Location            { return v.snapshot.Zone() }
func (v *View) Organisation() fact.Organisation { return v.snapshot.Organisation() }

// Show has the view look at other facts: of another day, or with somebody who is not
// there yet.
func (v *View) Show(s *access.Snapshot) { v.snapshot = s }

// ShowDraft has the view look at what a change would leave: those it adds are seen where
// it puts them.
func (v *View) ShowDraft(s *access.Snapshot) { v.snapshot, v.today = s, s }

// ShowChange is ShowDraft, where whoever the change takes out of sight keeps their name
// in its words.
func (v *View) ShowChange(before, after *access.Snapshot) {
	v.before = before
	v.ShowDraft(after)
}

// JudgeBy has the view look at a head, and its caller judged by the rights they have there
// at an instant.
func (v *View) JudgeBy(s *access.Snapshot, at calendar.Instant) {
	if v.Auth == nil || v.snapshot != s || v.At != at {
		v.ShowDraft(s)
		v.At, v.Auth = at, change.AuthorityOf(s, v.Caller.User, at)
	}
}

// JudgedAt is the view's facts, judged at another instant.
func (v *View) JudgedAt(at time.Time) *View {
	w := *v
	w.At = calendar.At(at)
	return &w
}

// Basis says what the view's answers are drawn from.
func (v *View) Basis() wire.Basis {
	return wire.Basis{Revision: v.snapshot.Revision, At: v.At.Time(), AsOf: v.Past}
}

// ReadsUser says whether the caller may read a user.
func (v *View) ReadsUser(id fact.UserID) bool {
	return v.Rights().MayReadUser(v.today, id) || v.before != nil && v.before.User(id) != nil && v.Rights().MayReadUser(v.before, id)
}

// ReadsGroup says whether the caller may read a group: everybody may the built-in ones.
func (v *View) ReadsGroup(id fact.GroupID) bool {
	return id == fact.PublicGroup || id == fact.AllUsersGroup || v.Rights().May(access.ActRead, v.today.GroupPath(id))
}

// ReadsRole says whether the caller may read a role.
func (v *View) ReadsRole(id fact.RoleID) bool {
	return v.Rights().May(access.ActRead, v.today.RolePath(id))
}

// ReadsApplication says whether the caller may read an application.
func (v *View) ReadsApplication(id fact.ApplicationID) bool {
	return v.Rights().May(access.ActRead, v.today.ApplicationPath(id))
}

// ReadsLedger says whether the caller may read the whole ledger.
func (v *View) ReadsLedger() bool { return v.Rights().May(access.ActRead, "ledger") }

// ReadsThing says whether the caller may know of a thing.
func (v *View) ReadsThing(kind fact.FactKind, row uint32) bool {
	switch kind {
	case fact.FactUser:
		return v.ReadsUser(fact.UserID(row))
	case fact.FactGroup:
		return v.ReadsGroup(fact.GroupID(row))
	case fact.FactRole:
		return v.ReadsRole(fact.RoleID(row))
	case fact.FactApplication:
		return v.ReadsApplication(fact.ApplicationID(row))
	case fact.FactDefault, fact.FactSoDRule, fact.FactExpectation, fact.FactFreeze, fact.FactLegalHold, fact.FactSignUpRule, finding.FactSetAside, request.FactRoute:
		return v.ReadsSettings()
	case fact.FactMachineAccount, fact.FactSharedAccount, fact.FactCheckOut, fact.FactPositions, fact.FactAbsences, fact.FactSubstitutes, fact.FactOpening, fact.FactMerged:
		return v.ReadsUser(fact.UserID(row))
	case fact.FactTeamRule:
		return v.ReadsSettings() || record.TeamRule(v.today, fact.TeamRuleID(row)).Chooses(v.today.User(v.Caller.User))
	case fact.FactTeam:
		return v.ReadsGroup(fact.GroupID(row))
	case fact.FactUnit:
		u := v.today.Unit(fact.UnitID(row))
		return u != nil && v.ReadsUnit(u.Path)
	case review.FactPendingRemoval:
		p, _ := v.today.RecordFact(review.FactPendingRemoval, row).(*review.PendingRemoval)
		return p != nil && v.ReadsPendingRemoval(p)
	case request.FactRequest:
		return v.ReadsRequest(request.RequestOf(v.today, request.RequestID(row)))
	}
	return true
}

var outside = wire.Ref{Label: Outside, Outside: true}

// Label is what people call a user.
func Label(u *fact.User) string {
	if u.DisplayName != "" {
		return u.DisplayName
	}
	return u.UserName
}

// UserRef names a user, or says that they are outside the caller's part.
func (v *View) UserRef(id fact.UserID) wire.Ref {
	u := v.today.User(id)
	if u == nil || !v.ReadsUser(id) && !v.Known[id] && !v.Sponsors(u) && !v.Uses(id) {
		return outside
	}
	return RefTo(u)
}

// RefTo names a user, whoever may read them.
func RefTo(u *fact.User) wire.Ref {
	return wire.Ref{ID: u.ID.String(), Key: u.UserName, Label: Label(u)}
}

// Sponsors says whether the caller sponsors a user: who works for another company, or has
// access only while it is opened, and reports to them. They may know of these by name.
func (v *View) Sponsors(u *fact.User) bool {
	if u.Manager != v.Caller.User || u.Manager == 0 || u.Status == fact.Departed {
		return false
	}
	t := v.today.EmploymentTypeOf(u)
	return t != nil && (t.External || t.Closed)
}

// Uses says whether the caller keeps a shared account, has it, or may check it out. They may know of
// it, and of its custodian, whom they ask for the secret.
func (v *View) Uses(account fact.UserID) bool {
	f, me := record.SharedAccount(v.today, account), v.Caller.User
	if f == nil || f.Ended || me == 0 {
		return false
	}
	last := record.CheckOut(v.today, account)
	return f.Custodian == me || last.Out() && last.By == me || v.today.IsMember(me, f.Group, v.At)
}

// UserName implements change.Names within what the caller may see.
func (v *View) UserName(id fact.UserID) string {
	if id == 0 {
		return "nobody"
	}
	return v.UserRef(id).Label
}

// The refs below name a thing of the snapshot looked at; own says that the
// caller looks at their own access, where they may see what gives it.
func (v *View) GroupRef(id fact.GroupID, own bool) wire.Ref {
	g := v.snapshot.Group(id)
	if g == nil {
		g = v.today.Group(id)
	}
	if g == nil || !own && !v.ReadsGroup(id) {
		return outside
	}
	return wire.Ref{ID: id.String(), Key: g.Key, Label: g.Label}
}

// RoleRef names a role; own says that it is among the caller's own access.
func (v *View) RoleRef(id fact.RoleID, own bool) wire.Ref {
	r, key := v.snapshot.Role(id), v.snapshot.RoleKey(id)
	if r == nil {
		r, key = v.today.Role(id), v.today.RoleKey(id)
	}
	if r == nil || !own && !v.ReadsRole(id) {
		return outside
	}
	return wire.Ref{ID: id.String(), Key: key, Label: r.Label}
}

// ApplicationRef names an application; own is as for a role.
func (v *View) ApplicationRef(id fact.ApplicationID, own bool) wire.Ref {
	a := v.snapshot.Application(id)
	if a == nil {
		a = v.today.Application(id)
	}
	if a == nil || !own && !v.ReadsApplication(id) {
		return outside
	}
	return wire.Ref{ID: id.String(), Key: a.Key, Label: a.Label}
}

// MemberRef names a user or a group, and says which.
func (v *View) MemberRef(m fact.Member, own bool) (wire.Ref, string) {
	if m.User != 0 {
		return v.UserRef(m.User), "user"
	}
	return v.GroupRef(m.Group, own), "group"
}

// Instant is one as it is told; none is an open end. What older ledgers put beyond the
// years that can be written is told as the last of them.
func Instant(i calendar.Instant) *time.Time {
	t := i.Time()
	if t.IsZero() {
		return nil
	}
	if calendar.CheckTime(t) != nil {
		t = time.Date(9998, 12, 31, 23, 59, 59, 0, time.UTC)
	}
	return &t
}
