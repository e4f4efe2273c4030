package query

import (
	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/patterns"
)

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

// Administered says whether there is one.
func Administered(s *access.Snapshot, at calendar.Instant) bool {
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
	if only := s.Organisation().SignIn; only != 0 && !held.GroupIntervals(s, id)[only].Always() {
		return false
	}
	chains, _ := Chains(s, id, at, nil, func(p *fact.Permission) bool {
		return p.Application == fact.AbleRoster && p.Pattern == patterns.Root && !p.Own &&
			access.Gives(p, access.ActAssign) && access.Gives(p, access.ActUpdate) && access.Gives(p, access.ActCreate) && access.Gives(p, access.ActRead)
	})
	for _, c := range chains {
		if t := fact.BoundsOf(s.Assignment(c.Assignment)); c.Window == (calendar.Window{}) && !c.Never && t.String() == "" {
			return true
		}
	}
	return false
}

// PeopleIn calls yield for each effective user who holds anything in an
// application at an instant or later.
func PeopleIn(s *access.Snapshot, app fact.ApplicationID, at calendar.Instant, yield func(fact.UserID)) {
	seen := map[fact.UserID]bool{}
	a := Anything{S: s, App: app, From: at}
	HoldersIn(s, app, func(id fact.UserID) {
		if id != 0 && !seen[id] {
			seen[id] = true
			if s.Effective(id, at) && a.Held(id) {
				yield(id)
			}
		}
	})
}

// Anything says of one user after another whether they hold anything in an
// application from an instant on.
type Anything struct {
	S     *access.Snapshot
	App   fact.ApplicationID
	From  calendar.Instant
	key   []byte
	bears *Bearing
	known map[string]bool // by class of users who hold equally what bears on it
}

// Held says whether one does.
func (a *Anything) Held(id fact.UserID) bool {
	if a.known == nil {
		a.known, a.bears = map[string]bool{}, BearingIn(a.S, a.App)
	}
	a.key = AppendBearing(a.S, a.bears, a.key[:0], id, a.From)
	if is, ok := a.known[string(a.key)]; ok {
		return is
	}
	perms := PermissionsIn(a.S, id, held.RolesAmong(a.S, id, a.bears.group, a.bears.role), map[fact.ApplicationID]bool{a.App: true})
	set := map[Line]struct{}{}
	for _, p := range perms {
		Lines(a.S, p, set)
	}
	is := false
	for l := range set {
		for _, when := range When(a.S, l, perms) {
			is = is || len(when.Within(calendar.Window{From: a.From})) > 0
		}
	}
	a.known[string(a.key)] = is
	return is
}

// HoldersIn calls add for everybody who holds a permission in an application.
func HoldersIn(s *access.Snapshot, app fact.ApplicationID, add func(fact.UserID)) {
	for i := range s.RoleTable.Len() {
		rec := s.RoleTable.At(i)
		if rec == nil {
			continue
		}
		for _, p := range rec.Permissions {
			if s.PermissionTable.At(int(p)).Fact.Application == app {
				s.HoldersBelow(fact.RoleID(i), add)
				break
			}
		}
	}
}
