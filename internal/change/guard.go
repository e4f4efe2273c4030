package change

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
)

// Rail is a guard rail a draft runs into.
type Rail struct {
	Code     RailCode
	Users    []fact.UserID // who is meant, nobody as 0
	Share    float64       // of the users who count, where it is a share
	Passable bool          // with an acknowledgement that names the code
	SoDRule  *fact.SoDRule // which one would come about

	Expectation *fact.Expectation  // which one would be broken
	Application fact.ApplicationID // which one is meant
	State       fact.State         // that it would have
}

// of is what of a preview is about users that are seen; nobody signed in always is.
func (p Preview) of(sees func(fact.UserID) bool) Preview {
	if sees == nil {
		return p
	}
	hidden := func(id fact.UserID) bool { return id != 0 && !sees(id) }
	out := Preview{Touched: slices.DeleteFunc(slices.Clone(p.Touched), hidden)}
	for _, e := range p.Effects {
		if e.Users = slices.DeleteFunc(slices.Clone(e.Users), hidden); len(e.Users) > 0 {
			out.Effects = append(out.Effects, e)
		}
	}
	return out
}

// activeOf is how many active users are seen.
func activeOf(s *access.Snapshot, sees func(fact.UserID) bool) float64 {
	if sees == nil {
		return float64(s.ActiveUsers)
	}
	n := 0
	for u := range s.Users() {
		if u.Status == fact.Active && sees(u.ID) {
			n++
		}
	}
	return float64(n)
}

// RailCode names a guard rail, and its acknowledgement.
type RailCode string

// The guard rails.
const (
	LastAdministrator  RailCode = "last_administrator"
	OwnAccessLowered   RailCode = "own_access_lowered"
	GainForEverybody   RailCode = "gain_for_everybody"
	AdministeringGain  RailCode = "administering_gain"
	WideGain           RailCode = "wide_gain"
	ViolationPrevented RailCode = "violation_prevented"
	ViolationWarned    RailCode = "violation_warned"
	ExpectationBroken  RailCode = "expectation_broken"
	ExpectationWarned  RailCode = "expectation_warned"
	WideLoss           RailCode = "wide_loss"
	LeavingLive        RailCode = "leaving_live"
	DirectAssignment   RailCode = "direct_assignment"

	ApplicationDepends RailCode = "application_depends"
	NeedsSecondPerson  RailCode = "second_person"
)

// RailCodes are all of them.
var RailCodes = []RailCode{LastAdministrator, OwnAccessLowered, GainForEverybody, AdministeringGain, WideGain, ViolationPrevented, ViolationWarned,
	ExpectationBroken, ExpectationWarned, WideLoss, LeavingLive, DirectAssignment, ApplicationDepends, NeedsSecondPerson}

const (
	wideShare = 0.20 // of all active users gaining at once
	wideLeast = 20   // and at least so many

	lossShare = 0.20 // of those who have anything in an application losing all of it
	lossLeast = 5    // and at least so many
)

// GuardRails are those a draft by a caller runs into, given its preview. sees says whom
// the caller knows of, nil for all: but for the last administrator, no rail tells of
// others, not even that they are there.
func (d *Draft) GuardRails(caller fact.UserID, p Preview, from calendar.Instant, sees func(fact.UserID) bool) []Rail {
	var out []Rail
	p = p.of(sees)
	if !administered(&d.Snapshot, from) {
		if last := Administrators(d.Base(), from); len(last) > 0 {
			out = append(out, Rail{Code: LastAdministrator, Users: last})
		}
	}
	out = append(out, d.secondPersonRails(caller, p, from)...)
	var gains, everybody, admins []fact.UserID
	for _, e := range p.Effects {
		for _, l := range e.Lost {
			if caller != 0 && l.Application == fact.AbleRoster && slices.Contains(e.Users, caller) {
				out = append(out, Rail{Code: OwnAccessLowered, Users: []fact.UserID{caller}, Passable: true})
				break
			}
		}
		if len(e.Gained) == 0 {
			continue
		}
		gains = append(gains, e.Users...)
		if slices.Contains(e.Users, 0) {
			everybody = []fact.UserID{0}
		}
		for _, g := range e.Gained {
			if g.Application == fact.AbleRoster && (g.Action == access.ActAssign || g.Action == access.ActUpdate || g.Action == access.ActCreate) {
				admins = append(admins, e.Users...)
				break
			}
		}
	}
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *fact.Assignment:
			if c.Before == nil && f.Assignee.Group == fact.AllUsersGroup {
				everybody = []fact.UserID{0}
			}
		case *fact.Default: // for whoever arrives later, too
			if old, _ := c.Before.(*fact.Default); f.Everybody && !f.Ended && (old == nil || !old.Everybody || !slices.Equal(old.Roles, f.Roles) || !slices.Equal(old.Groups, f.Groups)) {
				everybody = []fact.UserID{0}
			}
			if !f.Ended && d.administering(f) && len(admins) == 0 {
				admins = append(admins, 0)
			}
		}
	}
	if everybody != nil {
		out = append(out, Rail{Code: GainForEverybody, Users: everybody, Passable: true})
	}
	if len(admins) > 0 {
		out = append(out, Rail{Code: AdministeringGain, Users: admins, Passable: true})
	}
	out = append(out, d.sodRuleRails(p.Touched, from)...)
	out = append(out, d.expectationRails(p, from, sees)...)
	out = append(out, d.lossRails(p, from, sees)...)
	out = append(out, d.dependenceRails(p)...)
	out = append(out, d.describedRails()...)
	if r := wideGain(gains, d.present(gains), activeOf(d.Base(), sees)); everybody == nil && r != nil {
		out = append(out, *r)
	}
	return out
}

// present is how many of some users are there already: people who arrive with their change
// are no surprise in it.
func (d *Draft) present(users []fact.UserID) (n int) {
	for _, id := range users {
		if d.Base().User(id) != nil {
			n++
		}
	}
	return n
}

// wideGain is the rail of so many users who gain at once, of all who are active; nil for few.
func wideGain(gains []fact.UserID, present int, all float64) *Rail {
	if present < wideLeast || float64(present) < wideShare*all {
		return nil
	}
	return &Rail{Code: WideGain, Users: gains, Share: float64(present) / all, Passable: true}
}

// Counted is what of a draft's effect is counted over everybody, and so has to be counted
// anew where others made changes after it was judged.
type Counted struct {
	gains     []fact.UserID
	present   int
	everybody bool
}

// Count counts it.
func (d *Draft) Count(p Preview, sees func(fact.UserID) bool) Counted {
	var c Counted
	for _, e := range p.of(sees).Effects {
		if len(e.Gained) > 0 {
			c.gains = append(c.gains, e.Users...)
		}
	}
	c.present, c.everybody = d.present(c.gains), slices.Contains(c.gains, 0)
	return c
}

// RailsAgain are the guard rails that a change runs into by now: base is the newest snapshot,
// and after what the change leaves upon it.
func (c Counted) RailsAgain(base, after *access.Snapshot, from calendar.Instant, sees func(fact.UserID) bool) (out []Rail) {
	if !administered(after, from) {
		if last := Administrators(base, from); len(last) > 0 {
			out = append(out, Rail{Code: LastAdministrator, Users: last})
		}
	}
	if r := wideGain(c.gains, c.present, activeOf(base, sees)); !c.everybody && r != nil {
		out = append(out, *r)
	}
	return out
}

// sodRuleRails are one for each SoD rule that would come about.
func (d *Draft) sodRuleRails(touched []fact.UserID, from calendar.Instant) []Rail {
	var out []Rail
	for _, b := range d.NewViolations(touched, from) {
		i := slices.IndexFunc(out, func(r Rail) bool { return r.SoDRule == b.SoDRule })
		if i < 0 {
			r := Rail{Code: ViolationWarned, SoDRule: b.SoDRule, Passable: true}
			if b.SoDRule.Prevent {
				r.Code, r.Passable = ViolationPrevented, false
			}
			i = len(out)
			out = append(out, r)
		}
		out[i].Users = append(out[i].Users, b.User)
	}
	return out
}

// expectationRails are one for each expectation that would be broken.
func (d *Draft) expectationRails(p Preview, from calendar.Instant, sees func(fact.UserID) bool) []Rail {
	var out []Rail
	for _, b := range d.NewlyBroken(p, from) {
		if sees != nil && b.User != 0 && !sees(b.User) {
			continue
		}
		i := len(out) - 1 // they come in order of expectation
		if i < 0 || out[i].Expectation != b.Expectation {
			r := Rail{Code: ExpectationWarned, Expectation: b.Expectation, Application: b.Expectation.Application, Passable: true}
			if b.Expectation.Blocking {
				r.Code, r.Passable = ExpectationBroken, false
			}
			i = len(out)
			out = append(out, r)
		}
		out[i].Users = append(out[i].Users, b.User)
	}
	return out
}

// lossRails are one for each application in which a large share of those who had
// anything lose all of it.
func (d *Draft) lossRails(p Preview, from calendar.Instant, sees func(fact.UserID) bool) []Rail {
	lost := map[fact.ApplicationID][]fact.UserID{}
	for _, e := range p.Effects {
		apps := map[fact.ApplicationID]bool{}
		for _, l := range e.Lost {
			apps[l.Application] = true
		}
		for app := range apps {
			lost[app] = append(lost[app], e.Users...)
		}
	}
	var out []Rail
	for app, users := range lost {
		if len(users) < lossLeast {
			continue
		}
		had, has := anything{s: d.Base(), app: app, from: from}, anything{s: &d.Snapshot, app: app, from: from}
		users = slices.DeleteFunc(users, func(id fact.UserID) bool { return id == 0 || !had.held(id) || has.held(id) })
		if len(users) < lossLeast {
			continue
		}
		most := int(float64(len(users)) / lossShare)
		all := map[fact.UserID]bool{}
		holdersOf(d.Base(), app, func(id fact.UserID) {
			if id != 0 && len(all) <= most && (sees == nil || sees(id)) && had.held(id) {
				all[id] = true
			}
		})
		if len(all) <= most {
			out = append(out, Rail{Code: WideLoss, Application: app, Users: users, Share: float64(len(users)) / float64(len(all)), Passable: true})
		}
	}
	slices.SortFunc(out, func(a, b Rail) int { return int(a.Application) - int(b.Application) })
	return out
}

// dependenceRails is one for each application that would no longer be answered, since
// the machine account it asks with loses the right to.
func (d *Draft) dependenceRails(p Preview) []Rail {
	lost := map[fact.ApplicationID][]fact.UserID{}
	for _, e := range p.Effects {
		for _, l := range e.Lost {
			if l.Application != fact.AbleRoster || l.Action != access.ActEvaluate {
				continue
			}
			for app := range d.Applications() {
				if app.ID == fact.AbleRoster || app.State == fact.StateRetired || !patterns.Covers(l.Target, d.ApplicationPath(app.ID)) {
					continue
				}
				for _, id := range e.Users {
					if u := d.Base().User(id); u != nil && u.UserKind == fact.Service && !slices.Contains(lost[app.ID], id) {
						lost[app.ID] = append(lost[app.ID], id)
					}
				}
			}
		}
	}
	var out []Rail
	for app := range d.Applications() {
		if users := lost[app.ID]; len(users) > 0 {
			out = append(out, Rail{Code: ApplicationDepends, Application: app.ID, Users: users, Passable: true})
		}
	}
	return out
}

// anything says of one user after another whether they hold anything in an
// application from an instant on.
type anything struct {
	s     *access.Snapshot
	app   fact.ApplicationID
	from  calendar.Instant
	key   []byte
	known map[string]bool // by class of users who hold equally
}

func (a *anything) held(id fact.UserID) bool {
	a.key = query.AppendHolding(a.s, a.key[:0], id, a.from)
	if held, ok := a.known[string(a.key)]; ok {
		return held
	}
	if a.known == nil {
		a.known = map[string]bool{}
	}
	perms := query.PermissionsIn(a.s, id, a.s.HeldRoles(id, access.AnyGroup), map[fact.ApplicationID]bool{a.app: true})
	set := map[query.Line]struct{}{}
	for _, p := range perms {
		query.Lines(a.s, p, set)
	}
	held := false
	for l := range set {
		for _, when := range query.When(a.s, l, perms) {
			held = held || len(when.Within(calendar.Window{From: a.from})) > 0
		}
	}
	a.known[string(a.key)] = held
	return held
}

// describedRails are those about how applications are described and meant to be
// used.
func (d *Draft) describedRails() []Rail {
	var out []Rail
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *fact.Application:
			if old, _ := c.Before.(*fact.Application); old != nil && old.State == fact.StateLive && f.State != fact.StateLive {
				out = append(out, Rail{Code: LeavingLive, Application: f.ID, State: f.State, Passable: true})
			}
		case *fact.Assignment:
			app := d.Application(d.Role(f.Role).Application)
			if c.Before != nil || f.Assignee.User == 0 || f.Origin != fact.Manual && f.Origin != fact.Import || app == nil || app.Direct != fact.DirectWarned {
				continue
			}
			i := slices.IndexFunc(out, func(r Rail) bool { return r.Code == DirectAssignment && r.Application == app.ID })
			if i < 0 {
				i = len(out)
				out = append(out, Rail{Code: DirectAssignment, Application: app.ID, Passable: true})
			}
			out[i].Users = append(out[i].Users, f.Assignee.User)
		}
	}
	return out
}

// administering says whether a default rule gives a right to change things in
// Able Roster.
func (d *Draft) administering(f *fact.Default) bool {
	for r := range DefaultGives(&d.Snapshot, f) {
		for _, p := range d.RolePermissions(r) {
			if p.Application == fact.AbleRoster && (access.Gives(p, access.ActAssign) || access.Gives(p, access.ActUpdate) || access.Gives(p, access.ActCreate)) {
				return true
			}
		}
	}
	return false
}

// Administrators are the active persons without an end date who may do
// everything in Able Roster through no window.
func Administrators(s *access.Snapshot, at calendar.Instant) []fact.UserID {
	var out []fact.UserID
	eachAdministrator(s, at, func(id fact.UserID) bool {
		out = append(out, id)
		return true
	})
	return out
}

// administered says whether there is one.
func administered(s *access.Snapshot, at calendar.Instant) bool {
	found := false
	eachAdministrator(s, at, func(fact.UserID) bool {
		found = true
		return false
	})
	return found
}

// eachAdministrator calls yield for each, once, until it says to stop.
func eachAdministrator(s *access.Snapshot, at calendar.Instant, yield func(fact.UserID) bool) {
	eachGiven(s, func(p *fact.Permission) bool {
		return p.Application == fact.AbleRoster && p.Pattern == patterns.Root && access.Gives(p, access.ActAssign)
	}, func(id fact.UserID) bool { return !isAdministrator(s, id, at) || yield(id) })
}

// EachActor calls yield once for each user some role may let change something in
// Able Roster, at some time and somewhere, until it says to stop.
func EachActor(s *access.Snapshot, yield func(fact.UserID) bool) {
	eachGiven(s, func(p *fact.Permission) bool {
		return p.Application == fact.AbleRoster && !p.Own && (access.Gives(p, access.ActAssign) || access.Gives(p, access.ActUpdate) || access.Gives(p, access.ActCreate))
	}, yield)
}

// eachGiven calls yield once for each user who holds, at any time, a role with a
// permission that is wanted, until it says to stop.
func eachGiven(s *access.Snapshot, want func(*fact.Permission) bool, yield func(fact.UserID) bool) {
	seen, stop := map[fact.UserID]bool{}, false
	for i := range s.RoleTable.Len() {
		rec := s.RoleTable.At(i)
		if rec == nil || rec.Fact == nil || rec.Fact.Retired {
			continue
		}
		for _, p := range rec.Permissions {
			if !want(s.PermissionTable.At(int(p)).Fact) {
				continue
			}
			s.HoldersBelow(fact.RoleID(i), func(id fact.UserID) {
				if !stop && id != 0 && !seen[id] {
					seen[id] = true
					stop = !yield(id)
				}
			})
			if stop {
				return
			}
			break
		}
	}
}

func isAdministrator(s *access.Snapshot, id fact.UserID, at calendar.Instant) bool {
	u := s.User(id)
	if u.UserKind != fact.Person || u.End != 0 || !s.Effective(id, at) {
		return false
	}
	if only := s.Organisation().SignIn; only != 0 && !s.GroupIntervals(id)[only].Always() {
		return false
	}
	chains, _ := query.Chains(s, id, at, nil, func(p *fact.Permission) bool {
		return p.Application == fact.AbleRoster && p.Pattern == patterns.Root && !p.Own &&
			access.Gives(p, access.ActAssign) && access.Gives(p, access.ActUpdate) && access.Gives(p, access.ActCreate) && access.Gives(p, access.ActRead)
	})
	for _, c := range chains {
		if t := access.BoundsOf(s.Assignment(c.Assignment)); c.Window == (calendar.Window{}) && !c.Never && t.String() == "" {
			return true
		}
	}
	return false
}

// PeopleIn calls yield for each effective user who holds anything in an
// application at an instant or later.
func PeopleIn(s *access.Snapshot, app fact.ApplicationID, at calendar.Instant, yield func(fact.UserID)) {
	seen := map[fact.UserID]bool{}
	a := anything{s: s, app: app, from: at}
	holdersOf(s, app, func(id fact.UserID) {
		if id != 0 && !seen[id] {
			seen[id] = true
			if s.Effective(id, at) && a.held(id) {
				yield(id)
			}
		}
	})
}
