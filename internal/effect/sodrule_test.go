package effect_test

import (
	"slices"
	"testing"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

// An SoD rule is broken exactly by those who, asked role by role at many
// instants, hold all its roles; and what a change brings about is what is broken
// after it and was not before.
func TestSoDRulesAreBrokenByWhoHoldsAllOfThem(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	broken, brought := 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		from := calendar.At(c.Day0)
		if d := laws.DraftOf(s, &rules.AddSoDRule{Key: "tested", Roles: []change.RoleRef{"app0/r0", "app1/r1"}}); len(d.Faults) == 0 {
			s = d.Seal(d.Revision, s.At+1)
		}
		var instants []calendar.Instant
		for i := range 100 {
			instants = append(instants, from+calendar.Instant((time.Duration(i)*6*time.Hour+time.Hour).Microseconds()))
		}
		holds := func(s *access.Snapshot, f *fact.SoDRule, id fact.UserID, at calendar.Instant) bool {
			if f.Ended {
				return false
			}
			for _, r := range f.Roles {
				if !slices.ContainsFunc(query.RoleHolding(s, r, at), func(h query.Holder) bool { return h.User == id }) {
					return false
				}
			}
			return true
		}
		for _, f := range record.SoDRules(s) {
			all := query.Violations(s, f, from)
			for u := range s.Users() {
				i := slices.IndexFunc(all, func(b query.Violation) bool { return b.User == u.ID })
				for _, at := range instants[:20] {
					got := i >= 0 && all[i].When.Holds(at)
					if want := holds(s, f, u.ID, at); got != want {
						t.Fatalf("%s breaks %s at %v: %v, holds all: %v", u.UserName, f.Key, at, got, want)
					} else if want {
						broken++
					}
				}
			}
		}
		for range 30 {
			d, ok := c.Change(s, 2)
			if all := record.SoDRules(s); c.IntN(2) == 0 && len(all) > 0 { // one role of an SoD rule, to somebody
				f := laws.Pick(c, all...)
				d = laws.DraftOf(s, &roles.Grant{Role: change.RoleRef(laws.Pick(c, f.Roles...).String()), User: c.User(), Window: c.Window()})
				ok = len(d.Faults) == 0
			}
			if !ok {
				continue
			}
			found := effect.NewViolations(d, effect.Of(d, from).Touched, from)
			for _, f := range record.SoDRules(&d.Snapshot) {
				if record.SoDRule(d.Base(), f.ID) != f {
					continue
				}
				for u := range d.Users() {
					for _, at := range instants[:8] {
						got := slices.ContainsFunc(found, func(b query.Violation) bool { return b.SoDRule == f && b.User == u.ID && b.When.Holds(at) })
						was := s.User(u.ID) != nil && holds(s, f, u.ID, at)
						if is := holds(&d.Snapshot, f, u.ID, at); got != (is && !was) {
							t.Fatalf("%s at %v: was %v, is %v, told %v", u.UserName, at, was, is, got)
						} else if got {
							brought++
						}
					}
				}
			}
			if len(d.Changes()) > 0 {
				s = d.Seal(d.Revision, s.At+1)
			}
		}
	})
	if broken < 100 || brought < 20 {
		t.Errorf("%d violations met, %d brought about", broken, brought)
	}
}
