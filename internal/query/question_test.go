package query_test

import (
	"fmt"
	"maps"
	"slices"
	"testing"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/query"
)

// Who holds something is whom a check lets do it, on their own or at some time
// of the week.
func TestHoldersAreWhomChecksLetDoIt(t *testing.T) {
	held := 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 40 {
			q := c.Question()
			app, ok := s.FindApplication(q.Application)
			if !ok || s.Application(app).State != fact.StateLive {
				continue
			}
			holders := map[fact.UserID]query.Holder{}
			for _, h := range query.Holders(s, app, q.Action, q.Path, q.At) {
				holders[h.User] = h
			}
			held += len(holders)
			users := []string{""}
			for u := range s.Users() {
				users = append(users, u.UserName)
			}
			for _, name := range users {
				id, _ := s.FindUser(name)
				q.User, q.Owner = name, ""
				plain, _ := s.Check(q)
				q.Owner = name
				own, _ := s.Check(q)
				h, is := holders[id]
				switch {
				case plain.Allowed && !is, own.Allowed && !is:
					t.Fatalf("%+v: allowed, and not among the holders", q)
				case is && !h.Own && !h.Schedule && !plain.Allowed:
					t.Fatalf("%+v: a holder, and %v", q, plain)
				case is && h.Own && !h.Schedule && !own.Allowed:
					t.Fatalf("%+v: a holder of their own, and %v", q, own)
				}
			}
		}
	})
	if held < 900 {
		t.Errorf("only %d holders were met", held)
	}
}

func TestUsersWhoHoldARoleHaveItInTheirIntervals(t *testing.T) {
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		at := c.Instant()
		for r := range s.Roles() {
			holders := map[fact.UserID]bool{}
			for _, h := range query.RoleHolding(s, r.ID, at) {
				holders[h.User] = true
				if h.Chain.Roles[len(h.Chain.Roles)-1] != r.ID {
					t.Fatalf("a way to %s ends elsewhere: %v", s.RoleKey(r.ID), h.Chain.Roles)
				}
			}
			for u := range s.Users() {
				if want := held.RoleIntervals(s, u.ID)[r.ID].Holds(at) && s.Effective(u.ID, at); want != holders[u.ID] {
					t.Fatalf("%s holds %s: %v, listed %v", u.UserName, s.RoleKey(r.ID), want, holders[u.ID])
				}
			}
		}
	})
}

// What was gained and lost from one instant to another is the difference of
// what is held at each, by whatever moved: facts or the clock.
func TestBetweenIsTheDifferenceOfTwoInstants(t *testing.T) {
	moved := 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, before *access.Snapshot) {
		after := before
		for range 12 {
			if d, ok := c.Change(after, 3); ok {
				after = d.Seal(d.Revision, after.At+1)
			}
		}
		at1, at2 := c.Instant(), c.Instant()
		for u := range after.Users() {
			gained, lost := query.Between(before, at1, after, at2, u.ID)
			moved += len(gained) + len(lost)
			text := func(s *access.Snapshot, at calendar.Instant) map[string]bool {
				out := map[string]bool{}
				for _, e := range query.Entitlements(s, u.ID) {
					if e.When.Holds(at) && !e.Own && e.Schedule == nil {
						out[fmt.Sprint(e.Application, e.Action, e.Target)] = true
					}
				}
				return out
			}
			had, has := text(before, at1), text(after, at2)
			always := query.Condition{}
			for _, e := range gained {
				l := query.Line{App: e.Application, Action: e.Action, Target: e.Target}
				b, a := query.When(before, l, query.PermissionsOf(before, u.ID)), query.When(after, l, query.PermissionsOf(after, u.ID))
				if !e.Own && e.Schedule == nil && (b[always].Holds(at1) || !a[always].Holds(at2)) {
					t.Fatalf("%s gained %+v: before %v, after %v", u.UserName, e, b, a)
				}
			}
			for k := range has {
				listed := slices.ContainsFunc(gained, func(e query.Entitlement) bool {
					return fmt.Sprint(e.Application, e.Action, e.Target) == k && !e.Own && e.Schedule == nil
				})
				// An item of a pattern may have been held through a wider one.
				if !had[k] && !listed && !heldWider(before, u.ID, after, k, at1) {
					t.Fatalf("%s has %s, had it not, and did not gain it", u.UserName, k)
				}
			}
			if len(gained)+len(lost) > 0 && query.Class(before, after, u.ID) == "" {
				t.Fatal("no class")
			}
		}
	})
	if moved < 1000 {
		t.Errorf("only %d entitlements moved", moved)
	}
}

// heldWider says whether a line of the later snapshot was held before through
// something wider.
func heldWider(before *access.Snapshot, id fact.UserID, after *access.Snapshot, key string, at calendar.Instant) bool {
	for _, e := range query.Entitlements(after, id) {
		if fmt.Sprint(e.Application, e.Action, e.Target) != key {
			continue
		}
		for _, when := range query.When(before, query.Line{App: e.Application, Action: e.Action, Target: e.Target}, query.PermissionsOf(before, id)) {
			if when.Holds(at) {
				return true
			}
		}
	}
	return false
}

// A timeline says at each instant what a check said then.
func TestATimelineIsWhatChecksSaidThen(t *testing.T) {
	spans := 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		at := calendar.At(c.Day0)
		eras := []query.Era{{Snapshot: s, Window: calendar.Window{From: at}}}
		for range 25 {
			d, ok := c.Change(s, 2)
			if !ok {
				continue
			}
			at += calendar.Instant((12 * time.Hour).Microseconds())
			s = d.Seal(d.Revision, at)
			eras[len(eras)-1].Until = at
			eras = append(eras, query.Era{Snapshot: s, Window: calendar.Window{From: at}})
		}
		for range 12 {
			q := c.Question()
			q.Owner = ""
			id, known := s.FindUser(q.User)
			app, ok := s.FindApplication(q.Application)
			if !ok || !known {
				continue
			}
			line := query.Timeline(eras, id, app, q.Action, q.Path)
			spans += len(line)
			for range 30 {
				q.At = max(calendar.At(c.Day0), c.Instant())
				era := eras[slices.IndexFunc(eras, func(e query.Era) bool { return e.Window.Holds(q.At) })]
				if era.Application(app) == nil || era.Application(app).State != fact.StateLive {
					continue
				}
				d, _ := era.Check(q)
				got := slices.ContainsFunc(line, func(x query.Span) bool {
					return x.Window.Holds(q.At) && !x.Own && (x.Schedule == nil || x.Schedule.Holds(q.At))
				})
				if got != d.Allowed {
					t.Fatalf("%+v: on the timeline %v, the check said %v\n%+v", q, got, d, line)
				}
			}
			for i, x := range line {
				if len(x.Chains) == 0 {
					t.Fatalf("span %d of %+v names no way", i, q)
				}
			}
		}
	})
	if spans < 50 {
		t.Errorf("only %d spans were met", spans)
	}
}

// The roles somebody held over time are those found at each instant.
func TestRoleSpansAreWhatWasHeldThen(t *testing.T) {
	met := 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		at := calendar.At(c.Day0)
		eras := []query.Era{{Snapshot: s, Window: calendar.Window{From: at}}}
		for range 20 {
			d, ok := c.Change(s, 2)
			if !ok {
				continue
			}
			at += calendar.Instant((12 * time.Hour).Microseconds())
			s = d.Seal(d.Revision, at)
			eras[len(eras)-1].Until = at
			eras = append(eras, query.Era{Snapshot: s, Window: calendar.Window{From: at}})
		}
		for u := range s.Users() {
			spans := query.RoleSpans(eras, u.ID)
			met += len(spans)
			for range 10 {
				at := max(calendar.At(c.Day0), c.Instant())
				era := eras[slices.IndexFunc(eras, func(e query.Era) bool { return e.Window.Holds(at) })]
				want := map[fact.AssignmentID]bool{}
				if era.Effective(u.ID, at) {
					query.EachAssignment(era.Snapshot, u.ID, at, func(a *fact.Assignment) {
						if a.Assignee.Group == 0 || held.OwnGroups(a.Assignee.Group) {
							want[a.ID] = true
						}
					})
				}
				got := map[fact.AssignmentID]bool{}
				for _, x := range spans {
					if x.Holds(at) {
						if got[x.Assignment] {
							t.Fatalf("%s holds %s twice at %v: %+v", u.UserName, x.Assignment, at, spans)
						}
						got[x.Assignment] = true
					}
				}
				if !maps.Equal(got, want) {
					t.Fatalf("%s at %v: spans say %v, the facts %v", u.UserName, at, got, want)
				}
			}
		}
	})
	if met < 500 {
		t.Errorf("only %d spans were met", met)
	}
}

// A cure, given, cures.
func TestACureCures(t *testing.T) {
	cured := 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 200 {
			q := c.Question()
			id, known := s.FindUser(q.User)
			if !known || s.User(id).Status != fact.Active {
				continue
			}
			for _, r := range query.Cures(s, q) {
				d := change.NewDraft(s) // however it may be given: some only for a time, or through groups
				d.GrantByRequest(id, r, calendar.Window{}, nil)
				if got, _ := d.Check(q); len(d.Faults) > 0 || got.Reason != access.Granted {
					t.Fatalf("%+v: with %s still %v (%v)", q, s.RoleKey(r), got, d.Faults)
				}
				cured++
			}
		}
	})
	if cured < 500 {
		t.Errorf("only %d cures were tried", cured)
	}
}

// Groups and roles nested as lattices have more ways than could ever be walked:
// checks are answered at once all the same, and explanations say there are more.
func TestLatticesDoNotTakeForEver(t *testing.T) {
	ops := []change.Operation{&people.AddUser{Personal: fact.Personal{UserName: "zoe.marrick"}}}
	const deep = 24
	for i := range deep {
		for side := range 2 {
			group, role := fmt.Sprintf("g%d-%d", i, side), fmt.Sprintf("r%d-%d", i, side)
			ops = append(ops, &roles.AddGroup{Key: group}, &roles.AddRole{Key: role})
			for below := range 2 {
				if i > 0 {
					ops = append(ops, &roles.AddMember{Group: change.GroupRef(group), Member: change.GroupRef(fmt.Sprintf("g%d-%d", i-1, below))},
						&roles.IncludeRole{Role: change.RoleRef(role), Includes: change.RoleRef(fmt.Sprintf("r%d-%d", i-1, below))})
				}
			}
		}
	}
	ops = append(ops, &roles.AddMember{Group: "g0-0", User: "zoe.marrick"},
		&roles.Grant{Role: change.RoleRef(fmt.Sprintf("r%d-0", deep-1)), Group: change.GroupRef(fmt.Sprintf("g%d-0", deep-1))},
		&roles.AddPermission{Role: "r0-0", Application: "berths", Actions: []string{"read"}, Pattern: "north"})
	s := laws.Port(t, ops...)
	for path, want := range map[string]access.Reason{"north/1": access.Granted, "voyages": access.NoGrant} {
		e, err := query.Explain(s, access.Question{User: "zoe.marrick", Application: "berths", Action: "read", Path: path, At: 2})
		if err != nil || e.Reason != want || e.More != e.Allowed || e.Allowed && len(e.Chains) == 0 {
			t.Errorf("%s: %v with %d chains, more %v (%v)", path, e.Decision, len(e.Chains), e.More, err)
		}
	}
	id, _ := s.FindUser("zoe.marrick")
	if got := query.Entitlements(s, id); len(got) == 0 {
		t.Error("is entitled to nothing")
	}
}
