package access

import (
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// Question asks whether a user may do an action on a path at an instant. An
// empty User is nobody signed in. User and Application are names, keys or ids.
type Question struct {
	User        string
	Application string
	Action      string
	Path        string
	At          calendar.Instant
	Nowhere     bool   // of no resource that is registered: Path is any
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
	var a Asked
	if err := s.Resolve(&q, &a); err != nil {
		return Decision{}, err
	}
	return s.Answer(&q, &a), nil
}

// Asked is a question with its names resolved.
type Asked struct {
	User   fact.UserID
	u      *UserEntry // the user's, nil for nobody
	App    fact.ApplicationID
	Rec    *ApplicationEntry // nil for an application that is unknown
	Action askedAction
	Path   string
	Known  bool // the path is registered or below an open resource
	place  int  // of the resource among the application's, -1 unless registered
	At     calendar.Instant
	Owns   bool
}

// askedAction is an action and its place among those of the application, -1
// until it is known to be declared.
type askedAction struct {
	Key   string
	Place int
}

// Bit is the action's place as a bit of a rule. It must be declared.
func (a askedAction) Bit() uint64 { return 1 << a.Place }

// Found says whether the user a question names is there.
func (a *Asked) Found() bool { return a.u != nil }

// Resolve puts what the names of a question stand for into a, which is empty. A malformed
// path is an error.
func (s *Snapshot) Resolve(q *Question, a *Asked) error {
	a.Action.Key, a.Action.Place, a.Path, a.place, a.At = q.Action, -1, q.Path, -1, q.At
	var sought soughtUser
	if q.User != "" {
		sought.seek(s, q.User)
	}
	if err := patterns.CheckPath(q.Path); err != nil {
		return err
	}
	app, known := s.FindApplication(q.Application)
	if known {
		a.App, a.Rec = app, s.ApplicationTable.At(int(app))
	}
	if q.User != "" {
		sought.fetch(s)
	}
	if known {
		s.target(a)
		a.Known = a.Known && !q.Nowhere
	}
	if q.User != "" {
		a.User, a.u = sought.found(s)
	}
	return nil
}

// Answer answers a question whose names are resolved.
func (s *Snapshot) Answer(q *Question, a *Asked) Decision {
	if a.Rec == nil {
		return denied(ApplicationUnknown)
	}
	stance := s.Stance(a.Rec.Fact, a.User, a.u != nil, q.At)
	if stance == LetsNobody {
		return denied(ApplicationNotLive)
	}
	if q.User != "" {
		if a.u == nil {
			return denied(UserUnknown)
		}
		if !s.Counts(a.u, q.At) {
			return denied(UserInactive)
		}
		a.Owns = q.Owner != "" && s.isCalled(a.User, q.Owner)
	}
	d := s.Judge(a)
	if !d.Allowed && stance == LetsAll && a.User != 0 {
		return Decision{true, Rehearsal}
	}
	return d
}

// stance is how an application answers about somebody, before any facts about
// their access: as its state, and for a draft its trial group, say.
type stance uint8

const (
	LetsNobody stance = iota
	asIfLive
	LetsAll // that are signed in and effective
)

// Stance is how an application answers about somebody; known says whether they are a user.
func (s *Snapshot) Stance(app *fact.Application, user fact.UserID, known bool, at calendar.Instant) stance {
	switch app.State {
	case fact.StateLive:
		return asIfLive
	case fact.StateRehearsal:
		return LetsAll
	case fact.StateDraft:
		if known && app.Trial != 0 && s.IsMember(user, app.Trial, at) {
			return asIfLive
		}
	}
	return LetsNobody
}

// AllowedLive says whether a user, on nothing of their own, might do something
// if the application were live.
func (s *Snapshot) AllowedLive(id fact.UserID, app fact.ApplicationID, action, path string, at calendar.Instant) bool {
	a := Asked{User: id, u: s.UserTable.At(int(id)), App: app, Rec: s.ApplicationTable.At(int(app)), Action: askedAction{action, -1}, Path: path, At: at}
	s.target(&a)
	return s.Effective(id, at) && s.Judge(&a).Allowed
}

// target finds what a question is about in its application: resource and action.
func (s *Snapshot) target(a *Asked) {
	a.place, a.Known = s.Known(a.Rec, a.Path)
	a.Action.Place, _ = ActionPlace(a.Rec.Fact, a.Action.Key)
}

// Judge answers about an effective user, or nobody, as if the application were
// live.
func (s *Snapshot) Judge(a *Asked) Decision {
	switch {
	case !a.Known:
		return denied(ResourceUnknown)
	case a.Action.Place < 0:
		return denied(ActionUnknown)
	}
	m, sure := MissNone, false
	if a.place >= 0 {
		m, sure = s.byFit(a)
	}
	if !sure {
		m = s.nearest(a)
	}
	switch {
	case m == HoldsNow:
		return Decision{true, Granted}
	case a.User == 0:
		return denied(NotSignedIn)
	}
	return denied(MissReasons[m])
}

// isCalled says whether a text is a user's name or id.
func (s *Snapshot) isCalled(id fact.UserID, text string) bool {
	if n, ok := fact.ParseID("user", text); ok {
		return fact.UserID(n) == id
	}
	return s.UserTable.At(int(id)).isNamed(fact.Fold(text))
}

// nearest is how the chain that comes nearest fails: holdsNow when one holds.
// A chain's code is the greatest of its misses, the answer the least of all
// chains': so each group counts by the least miss on any way to it.
func (s *Snapshot) nearest(a *Asked) Miss {
	best := s.nearestOf(s.GroupTable.At(int(fact.PublicGroup)).Given, HoldsNow, MissNone, a)
	if a.User == 0 || best == HoldsNow {
		return best
	}
	u := a.u
	if best = s.nearestOf(u.Given(), HoldsNow, best, a); best == HoldsNow {
		return best
	}
	if u.Person {
		if best = s.nearestOf(s.GroupTable.At(int(fact.AllUsersGroup)).Given, HoldsNow, best, a); best == HoldsNow {
			return best
		}
	}
	// Groups by the least miss on the way to them: first all that are reached
	// now, then those through a membership that has not begun, then ended.
	var buf [24]reachedGroup
	reached := s.reachUp(buf[:0], u.Groups(), HoldsNow, a.At)
	for i := 0; i < len(reached); i++ {
		reached = s.reachUp(reached, s.GroupTable.At(int(reached[i].id)).Parents, reached[i].miss, a.At)
	}
	for _, level := range [...]Miss{HoldsNow, missNotYet, missEnded} {
		if level >= best {
			break
		}
		for _, g := range reached {
			if g.miss == level {
				if best = s.nearestOf(s.GroupTable.At(int(g.id)).Given, level, best, a); best == HoldsNow {
					return best
				}
			}
		}
	}
	return best
}

// reachedGroup is a group on the way up, with the least miss on a way to it.
type reachedGroup struct {
	id   fact.GroupID
	miss Miss
}

// reachUp adds the groups that memberships lead to. A group found again with a
// lesser miss is added again: what lies above it is reached by that one too.
func (s *Snapshot) reachUp(out []reachedGroup, via []Link, from Miss, at calendar.Instant) []reachedGroup {
next:
	for _, j := range via {
		m := from
		if !j.Plain() {
			m = max(m, MissOf(s.WindowOf(j), at))
		}
		id := j.Group()
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
func (s *Snapshot) nearestOf(all []Link, from, best Miss, a *Asked) Miss {
	for i := range all {
		if from >= best {
			return best
		}
		g := &all[i]
		role := s.RoleTable.At(int(g.Role()))
		bounds := Miss(0xff) // looked up when it matters
		for k := range role.Rules {
			r := &role.Rules[k]
			if r.App != a.App || r.Actions&a.Action.Bit() == 0 || !r.Covers(a.Path) {
				continue
			}
			m := from
			if !g.Plain() {
				if bounds == 0xff {
					l := s.LimitsOf(*g)
					bounds = l.Miss(a)
				}
				m = max(m, bounds)
			}
			if r.Own && !a.Owns {
				m = max(m, MissOwner)
			}
			if m < best && len(a.Rec.Fences) > 0 && s.Fenced(a.Rec, r.Pattern, a.Action.Key, a.Path) {
				m = MissFence
			}
			if best = min(best, m); best == HoldsNow {
				return best
			}
		}
	}
	return best
}

// Miss is how an assignment fails what is asked, permissions aside.
func (l *Limits) Miss(a *Asked) Miss {
	m := MissOf(l.Window, a.At)
	if l.Schedule != nil && !l.Schedule.Holds(a.At) {
		m = max(m, MissSchedule)
	}
	if !fact.InScope(l.Scopes, a.App, a.Path) {
		m = max(m, missScope)
	}
	return m
}

// Fits says whether a permission's action and pattern fit what is asked,
// whatever else fails.
func Fits(p *fact.Permission, a *Asked) bool {
	return p.Application == a.App && Gives(p, a.Action.Key) && patterns.Covers(p.Pattern, a.Path)
}

// Gives says whether a permission is for an action.
func Gives(p *fact.Permission, action string) bool {
	for _, x := range p.Actions {
		if x == action || x == fact.AllActions {
			return true
		}
	}
	return false
}
