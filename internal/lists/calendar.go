package lists

import (
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// CalendarSearch chooses what a calendar shows; blank fields do not narrow.
type CalendarSearch struct {
	Days        int    // how far it reaches
	Unit        string // people and groups of this unit and below
	Application string // access to it alone
	Mine        bool   // the caller's own alone
}

// mostEntries bounds how many entries of a calendar are told: the first ones.
const mostEntries = 2000

// ahead gathers entries of a calendar.
type ahead struct {
	v           *seeing.View
	q           CalendarSearch
	application fact.ApplicationID
	from, until calendar.Instant
	out         []wire.CalendarEntry
}

// Calendar is what begins and ends in the days to come.
func Calendar(v *seeing.View, q CalendarSearch) (wire.Calendar, error) {
	c := ahead{v: v, q: q, from: v.At, until: v.At + calendar.Days(q.Days)}
	out := wire.Calendar{Basis: v.Basis(), Until: c.until.Time(), Entries: []wire.CalendarEntry{}}
	if q.Application != "" {
		id, ok := v.Uncut().FindApplication(q.Application)
		if !ok || !v.ReadsApplication(id) {
			return out, v.Missing(fact.FactApplication, q.Application)
		}
		c.application = id
	}
	if q.Mine {
		if u := v.Uncut().User(v.Caller.User); u != nil {
			c.user(u, true)
		}
	} else {
		everybody := v.Rights().ReadsAllUsers()
		for u := range v.Uncut().Users() {
			if u.Status != fact.Departed && (everybody || v.ReadsUser(u.ID)) && c.within(u.Unit) {
				c.user(u, false)
			}
		}
		for g := range v.Uncut().Groups() {
			if v.ReadsGroup(g.ID) && c.within(g.Unit) {
				c.given(fact.Assignee{Group: g.ID}, false)
			}
		}
		c.freezes()
	}
	slices.SortStableFunc(c.out, func(a, b wire.CalendarEntry) int { return a.At.Compare(b.At) })
	if n := len(c.out); n > mostEntries {
		out.More, c.out = n-mostEntries, c.out[:mostEntries]
	}
	out.Entries = append(out.Entries, c.out...)
	return out, nil
}

func (c *ahead) within(unit string) bool {
	return c.q.Unit == "" || unit != "" && patterns.Covers(c.q.Unit, unit)
}

// edges adds the beginning and the end of a window that lie ahead.
func (c *ahead) edges(w calendar.Window, begins, ends string, entry wire.CalendarEntry) {
	zone := c.v.Zone()
	if w.From > c.from && w.From <= c.until {
		x := entry
		x.At, x.Kind, x.Day = w.From.Time(), begins, calendar.DateOf(w.From.Time().In(zone)).String()
		c.out = append(c.out, x)
	}
	if w.Until > c.from && w.Until <= c.until {
		x := entry
		x.At, x.Kind, x.Day = w.Until.Time(), ends, calendar.DateOf((w.Until - 1).Time().In(zone)).String()
		c.out = append(c.out, x)
	}
}

// user adds what of a user begins and ends; own says that it is the caller's.
func (c *ahead) user(u *fact.User, own bool) {
	c.given(fact.Assignee{User: u.ID}, own)
	if c.application != 0 {
		return
	}
	ref := c.v.UserRef(u.ID)
	if own {
		ref = seeing.RefTo(u)
	}
	for _, m := range c.v.Uncut().MembershipsOf(fact.Member{User: u.ID}) {
		if m.Window == (calendar.Window{}) || !own && !c.v.ReadsGroup(m.Group) {
			continue
		}
		group := c.v.GroupRef(m.Group, own)
		c.edges(m.Window, "membership_begins", "membership_ends", wire.CalendarEntry{User: &ref, Group: &group})
	}
	var w calendar.Window
	if u.Start != 0 {
		w.From = u.Start.Begins(c.v.Zone())
	}
	if u.End != 0 {
		w.Until = (u.End + 1).Begins(c.v.Zone())
	}
	c.edges(w, "start_date", "end_date", wire.CalendarEntry{User: &ref})
}

// given adds what of the access of a user or a group begins and ends.
func (c *ahead) given(to fact.Assignee, own bool) {
	for _, l := range c.v.Uncut().GivenTo(to) {
		if l.Plain() || l.ByRule() {
			continue
		}
		a := c.v.Uncut().Assignment(l.Assignment())
		if a == nil || a.Window == (calendar.Window{}) || !own && !c.v.ReadsRole(a.Role) || c.application != 0 && !query.RoleReaches(c.v.Uncut(), a.Role, c.application) {
			continue
		}
		role := c.v.RoleRef(a.Role, own)
		entry := wire.CalendarEntry{Role: &role, Assignment: a.ID.String()}
		if app := c.v.Uncut().Role(a.Role).Application; app != 0 {
			ref := c.v.ApplicationRef(app, true)
			entry.Application = &ref
		}
		if to.User != 0 {
			ref := c.v.UserRef(to.User)
			entry.User = &ref
		} else {
			ref := c.v.GroupRef(to.Group, own)
			entry.Group = &ref
		}
		c.edges(a.Window, "access_begins", "access_ends", entry)
	}
}

func (c *ahead) freezes() {
	if !c.v.ReadsSettings() {
		return
	}
	for _, f := range c.v.Uncut().Freezes() {
		if !f.Ended && (c.application == 0 || f.All() || slices.Contains(f.Applications, c.application)) {
			c.edges(f.Window, "freeze_begins", "freeze_ends", wire.CalendarEntry{Label: f.Label})
		}
	}
}
