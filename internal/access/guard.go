package access

import "slices"

// Rail is a guard rail a draft runs into.
type Rail struct {
	Code     RailCode
	Users    []UserID  // who is meant, nobody as 0
	Share    float64   // of the users who count, where it is a share
	Passable bool      // with an acknowledgement that names the code
	Conflict *Conflict // which one would come about
}

// RailCode names a guard rail, and its acknowledgement.
type RailCode string

// The guard rails.
const (
	LastAdministrator RailCode = "last_administrator"
	OwnAccessLowered  RailCode = "own_access_lowered"
	GainForEverybody  RailCode = "gain_for_everybody"
	AdministeringGain RailCode = "administering_gain"
	WideGain          RailCode = "wide_gain"
	ConflictPrevented RailCode = "conflict_prevented"
	ConflictWarned    RailCode = "conflict_warned"
)

const (
	wideShare = 0.20 // of all active users gaining at once
	wideLeast = 20   // and at least so many
)

// GuardRails are those a draft by a caller runs into, given its preview.
func (d *Draft) GuardRails(caller UserID, p Preview, from Instant) []Rail {
	var out []Rail
	if !d.administered(from) {
		if last := d.base.administrators(from); len(last) > 0 {
			out = append(out, Rail{Code: LastAdministrator, Users: last})
		}
	}
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
	out = append(out, d.conflictRails(p.Touched, from)...)
	// People who arrive with their change are no surprise in it.
	present := 0
	for _, id := range gains {
		if d.base.User(id) != nil {
			present++
		}
	}
	if all := float64(d.base.active); present >= wideLeast && float64(present) >= wideShare*all {
		out = append(out, Rail{Code: WideGain, Users: gains, Share: float64(present) / all, Passable: true})
	}
	return out
}

// conflictRails are one for each conflict that would come about.
func (d *Draft) conflictRails(touched []UserID, from Instant) []Rail {
	var out []Rail
	for _, b := range d.NewBreaches(touched, from) {
		i := slices.IndexFunc(out, func(r Rail) bool { return r.Conflict == b.Conflict })
		if i < 0 {
			r := Rail{Code: ConflictWarned, Conflict: b.Conflict, Passable: true}
			if b.Conflict.Prevent {
				r.Code, r.Passable = ConflictPrevented, false
			}
			i = len(out)
			out = append(out, r)
		}
		out[i].Users = append(out[i].Users, b.User)
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
func (s *Snapshot) administrators(at Instant) []UserID {
	var out []UserID
	s.eachAdministrator(at, func(id UserID) bool {
		out = append(out, id)
		return true
	})
	return out
}

// administered says whether there is one.
func (s *Snapshot) administered(at Instant) bool {
	found := false
	s.eachAdministrator(at, func(UserID) bool {
		found = true
		return false
	})
	return found
}

// eachAdministrator calls yield for each, once, until it says to stop.
func (s *Snapshot) eachAdministrator(at Instant, yield func(UserID) bool) {
	seen, stop := map[UserID]bool{}, false
	for i := range s.roles.Len() {
		rec := s.roles.At(i)
		if rec == nil || rec.fact == nil || rec.fact.Retired {
			continue
		}
		for _, p := range rec.permissions {
			f := s.permissions.At(int(p)).fact
			if f.Application != AbleRoster || f.Pattern != Root || !f.gives(ActAssign) {
				continue
			}
			s.holdersBelow(RoleID(i), func(id UserID) {
				if !stop && id != 0 && !seen[id] {
					seen[id] = true
					stop = s.administers(id, at) && !yield(id)
				}
			})
			if stop {
				return
			}
		}
	}
}

func (s *Snapshot) administers(id UserID, at Instant) bool {
	u := s.User(id)
	if u.UserKind != Person || u.End != 0 || !s.Effective(id, at) {
		return false
	}
	chains, _ := s.chains(id, at, nil, func(p *Permission) bool {
		return p.Application == AbleRoster && p.Pattern == Root && !p.Own &&
			p.gives(ActAssign) && p.gives(ActUpdate) && p.gives(ActCreate) && p.gives(ActRead)
	})
	for _, c := range chains {
		if t := s.Assignment(c.Assignment).terms(); c.Window == (Window{}) && !c.Never && t.String() == "" {
			return true
		}
	}
	return false
}
