package effect

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

// Rail is a guard rail a draft runs into.
type Rail struct {
	Added    []string // of who is added and looks like somebody: what they are called, in the order of Users
	Code     RailCode
	Users    []fact.UserID // who is meant, nobody as 0
	Share    float64       // of the users who count, where it is a share
	Passable bool          // with an acknowledgement that names the code
	SoDRule  *fact.SoDRule // which one would come about

	Expectation *fact.Expectation  // which one would be broken
	Application fact.ApplicationID // which one is meant
	Freeze      *fact.Freeze       // which one stands
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
	Frozen             RailCode = "freeze"
	LikelySamePerson   RailCode = "likely_same_person"
)

// RailCodes are all of them.
var RailCodes = []RailCode{LastAdministrator, OwnAccessLowered, GainForEverybody, AdministeringGain, WideGain, ViolationPrevented, ViolationWarned,
	ExpectationBroken, ExpectationWarned, WideLoss, LeavingLive, DirectAssignment, ApplicationDepends, NeedsSecondPerson, Frozen, LikelySamePerson}

const (
	wideShare = 0.20 // of all active users gaining at once
	wideLeast = 20   // and at least so many

	lossShare = 0.20 // of those who have anything in an application losing all of it
	lossLeast = 5    // and at least so many
)

// Rails are those a draft by a caller runs into, given its preview. sees says whom
// the caller knows of, nil for all: but for the last administrator, no rail tells of
// others, not even that they are there.
func Rails(d *change.Draft, caller fact.UserID, p Preview, from calendar.Instant, sees func(fact.UserID) bool) []Rail {
	var out []Rail
	p = p.of(sees)
	if !query.Administered(&d.Snapshot, from) {
		if last := query.Administrators(d.Base(), from); len(last) > 0 {
			out = append(out, Rail{Code: LastAdministrator, Users: last})
		}
	}
	out = append(out, secondPersonRails(d, caller, p, from)...)
	out = append(out, frozenRails(d.Base(), caller, from, freezes(d, p, from, sees != nil))...)
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
			if !f.Ended && administering(d, f) && len(admins) == 0 {
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
	out = append(out, sodRuleRails(d, p.Touched, from)...)
	out = append(out, expectationRails(d, p, from, sees)...)
	out = append(out, wideLosses(losses(p), d.Base(), &d.Snapshot, d.Changes(), from, sees)...)
	out = append(out, dependenceRails(d, p, sees)...)
	out = append(out, describedRails(d)...)
	out = append(out, likelyRails(d, sees)...)
	if r := wideGain(gains, present(d, gains), activeOf(d.Base(), sees)); everybody == nil && r != nil {
		out = append(out, *r)
	}
	return out
}

// sodRuleRails are one for each SoD rule that would come about.
func sodRuleRails(d *change.Draft, touched []fact.UserID, from calendar.Instant) []Rail {
	var out []Rail
	for _, b := range NewViolations(d, touched, from) {
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
func expectationRails(d *change.Draft, p Preview, from calendar.Instant, sees func(fact.UserID) bool) []Rail {
	var out []Rail
	for _, b := range NewlyBroken(d, p, from) {
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

// dependenceRails is one for each application that depends on a machine account: it would no
// longer be answered, since the account it asks with loses the right to, or the account that is
// said to work for it departs or is suspended.
func dependenceRails(d *change.Draft, p Preview, sees func(fact.UserID) bool) []Rail {
	lost := worksFor(d, sees)
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

// worksFor are the machine accounts that a draft ends or suspends, of those that are seen, by the
// applications they are said to work for.
func worksFor(d *change.Draft, sees func(fact.UserID) bool) map[fact.ApplicationID][]fact.UserID {
	out := map[fact.ApplicationID][]fact.UserID{}
	for _, c := range d.Changes() {
		before, _ := c.Before.(*fact.User)
		after, _ := c.After.(*fact.User)
		if before == nil || after == nil || before.UserKind != fact.Service || before.Status != fact.Active || after.Status == fact.Active || sees != nil && !sees(after.ID) {
			continue
		}
		m := record.MachineAccount(d.Base(), after.ID)
		if m == nil {
			continue
		}
		if app := d.Application(m.Application); app != nil && app.State != fact.StateRetired {
			out[app.ID] = append(out[app.ID], after.ID)
		}
	}
	return out
}

// describedRails are those about how applications are described and meant to be
// used.
func describedRails(d *change.Draft) []Rail {
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
func administering(d *change.Draft, f *fact.Default) bool {
	for r := range change.DefaultGives(&d.Snapshot, f) {
		for _, p := range d.RolePermissions(r) {
			if p.Application == fact.AbleRoster && (access.Gives(p, access.ActAssign) || access.Gives(p, access.ActUpdate) || access.Gives(p, access.ActCreate)) {
				return true
			}
		}
	}
	return false
}
