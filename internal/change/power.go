package change

import (
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/patterns"
)

// Power is something a user may do to others: what an assignment lets them do in
// Able Roster, now or later, or a role on whose giving they decide. Whoever knows
// their password or their token could do it as them.
type Power struct {
	Text  string // equal for equal powers, of any snapshot
	gives map[string][]patterns.Area
	gain  *RoleGain
}

// duties are what the workflows add to the powers of a user: see OnDuties.
var duties []func(*access.Snapshot, fact.UserID) []RoleGain

// OnDuties has a workflow say on the giving of which roles a user decides, were
// they active. It is called while a program starts; what it is given may be called
// by several goroutines at once.
func OnDuties(f func(*access.Snapshot, fact.UserID) []RoleGain) { duties = append(duties, f) }

// Powers are those of a user from an instant on, whatever their status is now: what
// lies ahead counts, and so does what a suspended user would have again.
func Powers(s *access.Snapshot, id fact.UserID, at calendar.Instant) []Power {
	var out []Power
	seen := map[string]bool{}
	add := func(p Power) {
		if !seen[p.Text] {
			seen[p.Text] = true
			out = append(out, p)
		}
	}
	each := func(all []access.Link) {
		for _, g := range all {
			if s.LimitsOf(g).Window.Over(at) {
				continue
			}
			f := s.Assignment(g.Assignment())
			if gives := administers(s, f); len(gives) > 0 {
				add(Power{Text: givesText(gives), gives: gives})
			}
		}
	}
	u := s.UserTable.At(int(id))
	if u == nil || u.Fact == nil {
		return nil
	}
	each(u.Given())
	for g := range held.GroupIntervals(s, id) {
		each(s.GroupTable.At(int(g)).Given)
	}
	for _, of := range append(held.EverStandsInFor(s, id, at), id) {
		for _, g := range dutiesOf(s, of) {
			add(Power{Text: strings.Join([]string{"decides", g.Role.String(), g.User.String(), g.Within}, " "), gain: &g})
		}
	}
	slices.SortFunc(out, func(a, b Power) int { return strings.Compare(a.Text, b.Text) })
	return out
}

// dutiesOf are the roles on whose giving a user decides themselves.
func dutiesOf(s *access.Snapshot, id fact.UserID) (out []RoleGain) {
	for _, f := range duties {
		out = append(out, f(s, id)...)
	}
	return out
}

func givesText(gives map[string][]patterns.Area) string {
	var out []string
	for act, parts := range gives {
		for _, p := range parts {
			out = append(out, fmt.Sprint(act, " ", p.Pattern))
		}
	}
	slices.Sort(out)
	return strings.Join(out, "\n")
}

// Covers says whether the caller holds a power themselves: they may do it through
// one of their own assignments, or give what it decides on.
func (a *Authority) Covers(p Power) bool {
	if p.gain != nil {
		return a.mayAssign(a.s, p.gain)
	}
	return slices.ContainsFunc(a.rights, func(x adminRight) bool { return x.contains(p.gives) })
}
