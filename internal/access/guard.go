package access

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

// Rail is a guard rail a draft runs into.
type Rail struct {
	Code     RailCode
	Users    []UserID // who is meant, nobody as 0
	Share    float64  // of the users who count, where it is a share
	Passable bool     // with an acknowledgement that names the code
	SoDRule  *SoDRule // which one would come about

	Expectation *Expectation  // which one would be broken
	Application ApplicationID // which one is meant
	State       State         // that it would have
}

// of is what of a preview is about users that are seen; nobody signed in always is.
func (p Preview) of(sees func(UserID) bool) Preview {
	if sees == nil {
		return p
	}
	hidden := func(id UserID) bool { return id != 0 && !sees(id) }
	out := Preview{Touched: slices.DeleteFunc(slices.Clone(p.Touched), hidden)}
	for _, e := range p.Effects {
		if e.Users = slices.DeleteFunc(slices.Clone(e.Users), hidden); len(e.Users) > 0 {
			out.Effects = append(out.Effects, e)
		}
	}
	return out
}

// activeOf is how many active users are seen.
func (s *Snapshot) activeOf(sees func(UserID) bool) float64 {
	if sees == nil {
		return float64(s.active)
	}
	n := 0
	for u := range s.Users() {
		if u.Status == Active && sees(u.ID) {
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
func (d *Draft) GuardRails(caller UserID, p Preview, from calendar.Instant, sees func(UserID) bool) []Rail {
	var out []Rail
	p = p.of(sees)
	if !d.administered(from) {
		if last := d.base.administrators(from); len(last) > 0 {
			out = append(out, Rail{Code: LastAdministrator, Users: last})
		}
	}
	out = append(out, d.secondPersonRails(caller, p, from)...)
	var gains, everybody, admins []UserID
	for _, e := range p.Effects {
		for _, l := range e.Lost {
			if caller != 0 && l.Application == AbleRoster && slices.Contains(e.Users, caller) {
				out = append(out, Rail{Code: OwnAccessLowered, Users: []UserID{caller}, Passable: true})
				break
			}
		}
		if len(e.Gained) == 0 {
			continue
		}
		gains = append(gains, e.Users...)
		if slices.Contains(e.Users, 0) {
			everybody = []UserID{0}
		}
		for _, g := range e.Gained {
			if g.Application == AbleRoster && (g.Action == ActAssign || g.Action == ActUpdate || g.Action == ActCreate) {
				admins = append(admins, e.Users...)
				break
			}
		}
	}
	for _, c := range d.Changes() {
		switch f := c.After.(type) {
		case *Assignment:
			if c.Before == nil && f.Assignee.Group == AllUsersGroup {
				everybody = []UserID{0}
			}
		case *Default: // for whoever arrives later, too
			if old, _ := c.Before.(*Default); f.Everybody && !f.Ended && (old == nil || !old.Everybody || !slices.Equal(old.Roles, f.Roles) || !slices.Equal(old.Groups, f.Groups)) {
				everybody = []UserID{0}
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
	// People who arrive with their change are no surprise in it.
	present := 0
	for _, id := range gains {
		if d.base.User(id) != nil {
			present++
		}
	}
	if all := d.base.activeOf(sees); everybody == nil && present >= wideLeast && float64(present) >= wideShare*all {
		out = append(out, Rail{Code: WideGain, Users: gains, Share: float64(present) / all, Passable: true})
	}
	return out
}

// sodRuleRails are one for each SoD rule that would come about.
func (d *Draft) sodRuleRails(touched []UserID, from calendar.Instant) []Rail {
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
func (d *Draft) expectationRails(p Preview, from calendar.Instant, sees func(UserID) bool) []Rail {
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
func (d *Draft) lossRails(p Preview, from calendar.Instant, sees func(UserID) bool) []Rail {
	lost := map[ApplicationID][]UserID{}
	for _, e := range p.Effects {
		apps := map[ApplicationID]bool{}
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
		had, has := anything{s: d.base, app: app, from: from}, anything{s: &d.Snapshot, app: app, from: from}
		users = slices.DeleteFunc(users, func(id UserID) bool { return id == 0 || !had.held(id) || has.held(id) })
		if len(users) < lossLeast {
			continue
		}
		most := int(float64(len(users)) / lossShare)
		all := map[UserID]bool{}
		d.base.holdersOf(app, func(id UserID) {
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
	lost := map[ApplicationID][]UserID{}
	for _, e := range p.Effects {
		for _, l := range e.Lost {
			if l.Application != AbleRoster || l.Action != ActEvaluate {
				continue
			}
			for app := range d.Applications() {
				if app.ID == AbleRoster || app.State == StateRetired || !patterns.Covers(l.Target, d.ApplicationPath(app.ID)) {
					continue
				}
				for _, id := range e.Users {
					if u := d.base.User(id); u != nil && u.UserKind == Service && !slices.Contains(lost[app.ID], id) {
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
	s     *Snapshot
	app   ApplicationID
	from  calendar.Instant
	key   []byte
	known map[string]bool // by class of users who hold equally
}

func (a *anything) held(id UserID) bool {
	a.key = a.s.appendHolding(a.key[:0], id, a.from)
	if held, ok := a.known[string(a.key)]; ok {
		return held
	}
	if a.known == nil {
		a.known = map[string]bool{}
	}
	perms := a.s.permissionsIn(id, a.s.heldRoles(id, anyGroup), map[ApplicationID]bool{a.app: true})
	set := map[line]struct{}{}
	for _, p := range perms {
		a.s.lines(p, set)
	}
	held := false
	for l := range set {
		for _, when := range a.s.when(l, perms) {
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
		case *Application:
			if old, _ := c.Before.(*Application); old != nil && old.State == StateLive && f.State != StateLive {
				out = append(out, Rail{Code: LeavingLive, Application: f.ID, State: f.State, Passable: true})
			}
		case *Assignment:
			app := d.Application(d.Role(f.Role).Application)
			if c.Before != nil || f.Assignee.User == 0 || f.Origin != Manual && f.Origin != Import || app == nil || app.Direct != DirectWarned {
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
func (d *Draft) administering(f *Default) bool {
	for r := range d.defaultGives(f) {
		for _, p := range d.RolePermissions(r) {
			if p.Application == AbleRoster && (p.gives(ActAssign) || p.gives(ActUpdate) || p.gives(ActCreate)) {
				return true
			}
		}
	}
	return false
}

// administrators are the active persons without an end date who may do
// everything in Able Roster through no window.
func (s *Snapshot) administrators(at calendar.Instant) []UserID {
	var out []UserID
	s.eachAdministrator(at, func(id UserID) bool {
		out = append(out, id)
		return true
	})
	return out
}

// administered says whether there is one.
func (s *Snapshot) administered(at calendar.Instant) bool {
	found := false
	s.eachAdministrator(at, func(UserID) bool {
		found = true
		return false
	})
	return found
}

// eachAdministrator calls yield for each, once, until it says to stop.
func (s *Snapshot) eachAdministrator(at calendar.Instant, yield func(UserID) bool) {
	s.eachGiven(func(p *Permission) bool {
		return p.Application == AbleRoster && p.Pattern == patterns.Root && p.gives(ActAssign)
	}, func(id UserID) bool { return !s.isAdministrator(id, at) || yield(id) })
}

// EachActor calls yield once for each user some role may let change something in
// Able Roster, at some time and somewhere, until it says to stop.
func (s *Snapshot) EachActor(yield func(UserID) bool) {
	s.eachGiven(func(p *Permission) bool {
		return p.Application == AbleRoster && !p.Own && (p.gives(ActAssign) || p.gives(ActUpdate) || p.gives(ActCreate))
	}, yield)
}

// eachGiven calls yield once for each user who holds, at any time, a role with a
// permission that is wanted, until it says to stop.
func (s *Snapshot) eachGiven(want func(*Permission) bool, yield func(UserID) bool) {
	seen, stop := map[UserID]bool{}, false
	for i := range s.roles.Len() {
		rec := s.roles.At(i)
		if rec == nil || rec.fact == nil || rec.fact.Retired {
			continue
		}
		for _, p := range rec.permissions {
			if !want(s.permissions.At(int(p)).fact) {
				continue
			}
			s.holdersBelow(RoleID(i), func(id UserID) {
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

func (s *Snapshot) isAdministrator(id UserID, at calendar.Instant) bool {
	u := s.User(id)
	if u.UserKind != Person || u.End != 0 || !s.Effective(id, at) {
		return false
	}
	if only := s.organisation.SignIn; only != 0 && !s.groupIntervals(id)[only].Always() {
		return false
	}
	chains, _ := s.chains(id, at, nil, func(p *Permission) bool {
		return p.Application == AbleRoster && p.Pattern == patterns.Root && !p.Own &&
			p.gives(ActAssign) && p.gives(ActUpdate) && p.gives(ActCreate) && p.gives(ActRead)
	})
	for _, c := range chains {
		if t := s.Assignment(c.Assignment).bounds(); c.Window == (calendar.Window{}) && !c.Never && t.String() == "" {
			return true
		}
	}
	return false
}

// PeopleIn calls yield for each effective user who holds anything in an
// application at an instant or later.
func (s *Snapshot) PeopleIn(app ApplicationID, at calendar.Instant, yield func(UserID)) {
	seen := map[UserID]bool{}
	a := anything{s: s, app: app, from: at}
	s.holdersOf(app, func(id UserID) {
		if id != 0 && !seen[id] {
			seen[id] = true
			if s.Effective(id, at) && a.held(id) {
				yield(id)
			}
		}
	})
}
