package access

import (
	"ableroster/internal/patterns"

	"ableroster/internal/calendar"
)

// Question asks whether a user may do an action on a path at an instant. An
// empty User is nobody signed in. User and Application are names, keys or ids.
type Question struct {
	User        string
	Application string
	Action      string
	Path        string
	At          calendar.Instant
	Owner       string // the resource's owner by name or id, where one asks about own ones
}

// Decision is the answer with its reason.
type Decision struct {
	Allowed bool
	Reason  Reason
}

func denied(r Reason) Decision { return Decision{Reason: r} }

// Check answers a question. A malformed path is an error, not a denial.
func (s *Snapshot) Check(q Question) (Decision, error) {
	var a asked
	return s.check(&q, &a)
}

// asked is a question with its names resolved.
type asked struct {
	user   UserID
	u      *userRec // the user's, nil for nobody
	app    ApplicationID
	rec    *applicationRec
	action askedAction
	path   string
	known  bool // the path is registered or below an open resource
	place  int  // of the resource among the application's, -1 unless registered
	at     calendar.Instant
	owns   bool
}

// askedAction is an action and its place among those of the application, -1
// until it is known to be declared.
type askedAction struct {
	key   string
	place int
}

func (a askedAction) bit() uint64 { return 1 << a.place }

// check answers a question, and puts what its names stand for into a, empty.
func (s *Snapshot) check(q *Question, a *asked) (Decision, error) {
	a.action.key, a.action.place, a.path, a.place, a.at = q.Action, -1, q.Path, -1, q.At
	var sought soughtUser
	if q.User != "" {
		sought.seek(s, q.User)
	}
	if err := patterns.CheckPath(q.Path); err != nil {
		return Decision{}, err
	}
	var ok bool
	if a.app, ok = s.FindApplication(q.Application); !ok {
		return denied(ApplicationUnknown), nil
	}
	a.rec = s.applications.At(int(a.app))
	app := a.rec.fact
	if q.User != "" {
		sought.fetch(s)
	}
	s.target(a)
	if q.User != "" {
		a.user, a.u = sought.found(s)
	}
	stance := s.stance(app, a.user, a.u != nil, q.At)
	if stance == letsNobody {
		return denied(ApplicationNotLive), nil
	}
	if q.User != "" {
		if a.u == nil {
			return denied(UserUnknown), nil
		}
		if !s.counts(a.u, q.At) {
			return denied(UserInactive), nil
		}
		a.owns = q.Owner != "" && s.isCalled(a.user, q.Owner)
	}
	d := s.judge(a)
	if !d.Allowed && stance == letsAll && a.user != 0 {
		return Decision{true, Rehearsal}, nil
	}
	return d, nil
}

// stance is how an application answers about somebody, before any facts about
// their access: as its state, and for a draft its trial group, say.
type stance uint8

const (
	letsNobody stance = iota
	asIfLive
	letsAll // that are signed in and effective
)

func (s *Snapshot) stance(app *Application, user UserID, known bool, at calendar.Instant) stance {
	switch app.State {
	case StateLive:
		return asIfLive
	case StateRehearsal:
		return letsAll
	case StateDraft:
		if known && app.Trial != 0 && s.isMember(user, app.Trial, at) {
			return asIfLive
		}
	}
	return letsNobody
}

// Menu is where a user may do an action of an application, on anybody's and on
// their own, as the application's state has it. Fields are as in Reach.
func (s *Snapshot) Menu(id UserID, app ApplicationID, action string, at calendar.Instant) (all, own []Area) {
	switch s.stance(s.Application(app), id, id != 0, at) {
	case letsAll:
		if id != 0 {
			if s.Effective(id, at) {
				all = []Area{{Pattern: patterns.Root}}
			}
			return all, nil
		}
	case letsNobody:
		return nil, nil
	}
	return s.Reach(id, app, action, at), s.OwnReach(id, app, action, at)
}

// AllowedLive says whether a user, on nothing of their own, might do something
// if the application were live.
func (s *Snapshot) AllowedLive(id UserID, app ApplicationID, action, path string, at calendar.Instant) bool {
	a := asked{user: id, u: s.users.At(int(id)), app: app, rec: s.applications.At(int(app)), action: askedAction{action, -1}, path: path, at: at}
	s.target(&a)
	return s.Effective(id, at) && s.judge(&a).Allowed
}

// target finds what a question is about in its application: resource and action.
func (s *Snapshot) target(a *asked) {
	a.place, a.known = s.known(a.rec, a.path)
	a.action.place, _ = a.rec.fact.actionPlace(a.action.key)
}

// judge answers about an effective user, or nobody, as if the application were
// live.
func (s *Snapshot) judge(a *asked) Decision {
	switch {
	case !a.known:
		return denied(ResourceUnknown)
	case a.action.place < 0:
		return denied(ActionUnknown)
	}
	m, sure := missNone, false
	if a.place >= 0 {
		m, sure = s.byFit(a)
	}
	if !sure {
		m = s.nearest(a)
	}
	switch {
	case m == holdsNow:
		return Decision{true, Granted}
	case a.user == 0:
		return denied(NotSignedIn)
	}
	return denied(missReasons[m])
}

// isCalled says whether a text is a user's name or id.
func (s *Snapshot) isCalled(id UserID, text string) bool {
	if n, ok := ParseID("user", text); ok {
		return UserID(n) == id
	}
	return s.users.At(int(id)).isNamed(fold(text))
}

// nearest is how the chain that comes nearest fails: holdsNow when one holds.
// A chain's code is the greatest of its misses, the answer the least of all
// chains': so each group counts by the least miss on any way to it.
func (s *Snapshot) nearest(a *asked) miss {
	best := s.nearestOf(s.groups.At(int(PublicGroup)).given, holdsNow, missNone, a)
	if a.user == 0 || best == holdsNow {
		return best
	}
	u := a.u
	if best = s.nearestOf(u.given(), holdsNow, best, a); best == holdsNow {
		return best
	}
	if u.person {
		if best = s.nearestOf(s.groups.At(int(AllUsersGroup)).given, holdsNow, best, a); best == holdsNow {
			return best
		}
	}
	// Groups by the least miss on the way to them: first all that are reached
	// now, then those through a membership that has not begun, then ended.
	var buf [24]reachedGroup
	reached := s.reachUp(buf[:0], u.groups(), holdsNow, a.at)
	for i := 0; i < len(reached); i++ {
		reached = s.reachUp(reached, s.groups.At(int(reached[i].id)).parents, reached[i].miss, a.at)
	}
	for _, level := range [...]miss{holdsNow, missNotYet, missEnded} {
		if level >= best {
			break
		}
		for _, g := range reached {
			if g.miss == level {
				if best = s.nearestOf(s.groups.At(int(g.id)).given, level, best, a); best == holdsNow {
					return best
				}
			}
		}
	}
	return best
}

// reachedGroup is a group on the way up, with the least miss on a way to it.
type reachedGroup struct {
	id   GroupID
	miss miss
}

// reachUp adds the groups that memberships lead to. A group found again with a
// lesser miss is added again: what lies above it is reached by that one too.
func (s *Snapshot) reachUp(out []reachedGroup, via []link, from miss, at calendar.Instant) []reachedGroup {
next:
	for _, j := range via {
		m := from
		if !j.plain() {
			m = max(m, missOf(s.windowOf(j), at))
		}
		id := j.group()
		for i := range out {
			if out[i].id == id && out[i].miss <= m {
				continue next
			}
		}
		out = append(out, reachedGroup{id, m})
	}
	return out
}

// nearestOf is the least of best and what assignments, reached with a miss,
// come to.
func (s *Snapshot) nearestOf(all []link, from, best miss, a *asked) miss {
	for i := range all {
		if from >= best {
			return best
		}
		g := &all[i]
		role := s.roles.At(int(g.role()))
		bounds := miss(0xff) // looked up when it matters
		for k := range role.rules {
			r := &role.rules[k]
			if r.app != a.app || r.actions&a.action.bit() == 0 || !r.covers(a.path) {
				continue
			}
			m := from
			if !g.plain() {
				if bounds == 0xff {
					l := s.limitsOf(*g)
					bounds = l.miss(a)
				}
				m = max(m, bounds)
			}
			if r.own && !a.owns {
				m = max(m, missOwner)
			}
			if m < best && len(a.rec.fences) > 0 && s.fenced(a.rec, r.pattern, a.action.key, a.path) {
				m = missFence
			}
			if best = min(best, m); best == holdsNow {
				return best
			}
		}
	}
	return best
}

// miss is how an assignment fails what is asked, permissions aside.
func (l *limits) miss(a *asked) miss {
	m := missOf(l.window, a.at)
	if l.schedule != nil && !l.schedule.Holds(a.at) {
		m = max(m, missSchedule)
	}
	if !inScope(l.scopes, a.app, a.path) {
		m = max(m, missScope)
	}
	return m
}

// fits says whether a permission's action and pattern fit what is asked,
// whatever else fails.
func (p *Permission) fits(a *asked) bool {
	return p.Application == a.app && p.gives(a.action.key) && patterns.Covers(p.Pattern, a.path)
}

func (p *Permission) gives(action string) bool {
	for _, x := range p.Actions {
		if x == action || x == AllActions {
			return true
		}
	}
	return false
}
