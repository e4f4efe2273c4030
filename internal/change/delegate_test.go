package change_test

import (
	"fmt"
	"slices"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/record"
)

// The register paths as they are written in the meaning, by hand.
func rolePathNaively(s *access.Snapshot, r *fact.Role) string {
	if r.Application == 0 {
		return "roles/-/" + r.Key
	}
	return "roles/" + s.Application(r.Application).Key + "/" + r.Key
}

func userPathNaively(u *fact.User) string {
	if u.Unit == "" {
		return "users/@/" + u.ID.String()
	}
	return "users/" + u.Unit + "/@/" + u.ID.String()
}

// mayAssignNaively says whether one and the same assignment of the caller, in
// force now, gives "assign" on both paths: by loops over the bare facts.
func mayAssignNaively(o *laws.Oracle, caller *fact.User, at calendar.Instant, role, user string) bool {
	if !o.Effective(caller, at) {
		return false
	}
	gives := func(a *fact.Assignment, path string) bool {
		var through func(fact.RoleID) bool
		through = func(id fact.RoleID) bool {
			for _, r := range o.Roles {
				if r.ID == id && r.Retired {
					return false
				}
			}
			for _, p := range o.Permissions {
				if p.Role != id || p.Application != fact.AbleRoster || !laws.In(p.Actions, access.ActAssign) && !laws.In(p.Actions, "*") || !laws.CoversNaively(p.Pattern, path) {
					continue
				}
				if len(a.Scopes) == 0 || slices.ContainsFunc(a.Scopes, func(x fact.Scope) bool {
					return x.Application == fact.AbleRoster && laws.CoversNaively(x.Pattern, path)
				}) {
					return true
				}
			}
			return slices.ContainsFunc(o.Inclusions, func(i *fact.Inclusion) bool { return i.Role == id && through(i.Included) })
		}
		return through(a.Role)
	}
	found := false
	held := func(by fact.Assignee, windows []calendar.Window) {
		for _, a := range o.Assignments {
			if a.Assignee != by || a.Schedule != nil && !laws.ScheduledNaively(a.Schedule, at) || codeOfWindows(append(windows[:len(windows):len(windows)], a.Window), at) != "" {
				continue
			}
			found = found || gives(a, role) && gives(a, user)
		}
	}
	held(fact.Assignee{Group: fact.PublicGroup}, nil)
	if caller.UserKind == fact.Person {
		held(fact.Assignee{Group: fact.AllUsersGroup}, nil)
	}
	o.Up(fact.Member{User: caller.ID}, nil, held)
	for _, g := range o.Groups {
		if laws.ChosenNaively(g.Filter, caller) {
			o.Up(fact.Member{Group: g.ID}, nil, held)
		}
	}
	return found
}

func codeOfWindows(windows []calendar.Window, at calendar.Instant) access.Reason {
	code := access.Reason("")
	for _, w := range windows {
		if w.Until != 0 && at >= w.Until {
			return access.Ended
		}
		if at < w.From {
			code = access.NotYet
		}
	}
	return code
}

// delegated gives some users of a random organisation parts of the work.
func delegated(c *laws.Chance, t *testing.T, s *access.Snapshot) *access.Snapshot {
	t.Helper()
	var ops []change.Operation
	for i := range 4 {
		key := fmt.Sprintf("delegate-%d", i)
		ops = append(ops, &roles.AddRole{Key: key})
		for range 4 + c.IntN(3) {
			ops = append(ops, &roles.AddPermission{Role: change.RoleRef(key), Application: "able-roster", Actions: laws.Pick(c, []string{"*"}, []string{"assign", "update"}, []string{"read", "create", "update", "assign"}),
				Pattern: laws.Pick(c, "users/marine", "users/finance", "users", "users", "groups/marine", "groups", "roles/app0", "roles/app1", "roles/-", "roles", "roles", "roles/*/r1", "applications")})
		}
		for range 2 {
			var scopes []change.ScopeRef
			if c.IntN(4) == 0 {
				scopes = []change.ScopeRef{{Application: "able-roster", Pattern: laws.Pick(c, "users/marine", "roles", "roles/app0", "/")}, {Application: "able-roster", Pattern: laws.Pick(c, "users", "groups")}}
			}
			ops = append(ops, &roles.Grant{Role: change.RoleRef(key), User: c.User(), Window: laws.Pick(c, calendar.Window{}, calendar.Window{}, c.Window()), Scopes: scopes})
		}
	}
	d := change.NewDraft(s)
	for i, op := range ops {
		faults := len(d.Faults)
		d.Apply(i, op, 1)
		d.Faults = d.Faults[:faults] // a user who is not there, a window that ends too soon
	}
	return d.Seal(d.Revision, s.At+1)
}

// Random delegates try random changes, by every roundabout way there is. What
// is let through gives nobody a role that the delegate may not assign to them,
// on both through one and the same assignment.
func TestNobodyComesToARoleThroughSomebodyWhoMayNotGiveIt(t *testing.T) {
	tried, let, gains := 0, 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		s = delegated(c, t, s)
		o := laws.OracleOf(s)
		for range 700 {
			at := c.Instant()
			caller, ok := s.FindUser(string(c.User()))
			if !ok || len(change.AuthorityOf(s, caller, at).Reach(access.ActAssign)) == 0 {
				continue // no delegate
			}
			d, fits := c.ChangeBy(caller, s, 1)
			if !fits || len(d.Changes()) == 0 {
				continue
			}
			tried++
			if len(change.AuthorityOf(s, caller, at).Judge(d, at)) > 0 {
				continue
			}
			let++
			ahead := calendar.Window{From: at}
			for u := range d.Users() {
				before := map[fact.RoleID]calendar.Intervals{}
				for _, h := range held.RolesOf(s, u.ID, held.OwnGroups) {
					before[h.Role] = before[h.Role].Union(h.When)
				}
				for _, h := range held.RolesOf(&d.Snapshot, u.ID, held.OwnGroups) {
					if len(h.When.Minus(before[h.Role]).Within(ahead)) == 0 {
						continue
					}
					if defaulted(d, u, h.Role) { // on the authority of who wrote the rule
						continue
					}
					gains++
					if role := rolePathNaively(&d.Snapshot, d.Role(h.Role)); !mayAssignNaively(o, s.User(caller), at, role, userPathNaively(u)) {
						t.Fatalf("%s was let give %s to %s of %q", caller, role, u.UserName, u.Unit)
					}
				}
			}
		}
	})
	if let < 200 || gains < 100 {
		t.Errorf("of %d changes %d were let through, with %d gains: too few to prove anything", tried, let, gains)
	}
	t.Logf("%d changes tried, %d let through, %d roles gained", tried, let, gains)
}

// defaulted says whether a default rule that was there before, and is as it was,
// gives a user a role.
func defaulted(d *change.Draft, u *fact.User, role fact.RoleID) bool {
	for _, f := range record.Defaults(&d.Snapshot) {
		if old := record.Default(d.Base(), f.ID); old == f && !f.Ended && (f.Everybody && u.UserKind == fact.Person || laws.ChosenNaively(f.Filter, u)) && change.DefaultGives(d.Base(), f)[role] {
			return true
		}
	}
	return false
}

// A delegate may suspend and move only whom they may update, on both places.
func TestMovingNeedsBothPlaces(t *testing.T) {
	s := laws.Port(t)
	unit := func(u string) *string { return &u }
	for _, x := range []struct {
		who, to string
		want    bool
	}{{"ines.halloran", "marine/tugs", true}, {"ines.halloran", "finance", false}, {"hedvika.venables", "marine", false}, {"ines.halloran", "", false}} {
		lacks := judged(t, s, "tomas.brandt", &people.UpdateUser{User: change.UserRef(x.who), UserEdits: fact.UserEdits{Unit: unit(x.to)}})
		if (len(lacks) == 0) != x.want {
			t.Errorf("%s to %q: %d lacks", x.who, x.to, len(lacks))
		}
	}
}

// Scopes of the delegate's own assignment bound what they pass on: only within
// them may a role of that application be given.
func TestScopesOfADelegateBoundWhatTheyGive(t *testing.T) {
	s := laws.Port(t,
		&roles.AddRole{Key: "north-manager"},
		&roles.AddPermission{Role: "north-manager", Application: "able-roster", Actions: []string{"*"}, Pattern: "/"},
		&roles.Grant{Role: "north-manager", User: "hedvika.venables", Scopes: []change.ScopeRef{{Application: "able-roster", Pattern: "users"}, {Application: "able-roster", Pattern: "roles/berths"}, {Application: "berths", Pattern: "north"}}})
	for name, x := range map[string]struct {
		scopes []change.ScopeRef
		want   bool
	}{
		"within them":        {[]change.ScopeRef{{Application: "berths", Pattern: "north/1"}}, true},
		"all of them":        {[]change.ScopeRef{{Application: "berths", Pattern: "north"}}, true},
		"wider":              {[]change.ScopeRef{{Application: "berths", Pattern: "/"}}, false},
		"beside them":        {[]change.ScopeRef{{Application: "berths", Pattern: "voyages"}}, false},
		"without any":        {nil, false},
		"one inside one out": {[]change.ScopeRef{{Application: "berths", Pattern: "north"}, {Application: "berths", Pattern: "voyages"}}, false},
	} {
		lacks := judged(t, s, "hedvika.venables", &roles.Grant{Role: "berths/reader", User: "ines.halloran", Scopes: x.scopes})
		if (len(lacks) == 0) != x.want {
			t.Errorf("%s: %d lacks", name, len(lacks))
		}
	}
}
