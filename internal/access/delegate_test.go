package access

import (
	"fmt"
	"slices"
	"testing"

	"ableroster/internal/calendar"
)

// The register paths as they are written in the meaning, by hand.
func rolePathNaively(s *Snapshot, r *Role) string {
	if r.Application == 0 {
		return "roles/-/" + r.Key
	}
	return "roles/" + s.Application(r.Application).Key + "/" + r.Key
}

func userPathNaively(u *User) string {
	if u.Unit == "" {
		return "users/@/" + u.ID.String()
	}
	return "users/" + u.Unit + "/@/" + u.ID.String()
}

// mayAssignNaively says whether one and the same assignment of the caller, in
// force now, gives "assign" on both paths: by loops over the bare facts.
func (o *oracle) mayAssignNaively(caller *User, at calendar.Instant, role, user string) bool {
	if !o.effective(caller, at) {
		return false
	}
	gives := func(a *Assignment, path string) bool {
		var through func(RoleID) bool
		through = func(id RoleID) bool {
			for _, r := range o.roles {
				if r.ID == id && r.Retired {
					return false
				}
			}
			for _, p := range o.permissions {
				if p.Role != id || p.Application != AbleRoster || !in(p.Actions, ActAssign) && !in(p.Actions, "*") || !coversNaively(p.Pattern, path) {
					continue
				}
				if len(a.Scopes) == 0 || slices.ContainsFunc(a.Scopes, func(x Scope) bool { return x.Application == AbleRoster && coversNaively(x.Pattern, path) }) {
					return true
				}
			}
			return slices.ContainsFunc(o.inclusions, func(i *Inclusion) bool { return i.Role == id && through(i.Included) })
		}
		return through(a.Role)
	}
	found := false
	held := func(by Assignee, windows []calendar.Window) {
		for _, a := range o.assignments {
			if a.Assignee != by || a.Schedule != nil && !scheduledNaively(a.Schedule, at) || codeOfWindows(append(windows[:len(windows):len(windows)], a.Window), at) != "" {
				continue
			}
			found = found || gives(a, role) && gives(a, user)
		}
	}
	held(Assignee{Group: PublicGroup}, nil)
	if caller.UserKind == Person {
		held(Assignee{Group: AllUsersGroup}, nil)
	}
	o.up(Member{User: caller.ID}, nil, held)
	for _, g := range o.groups {
		if chosenNaively(g.Filter, caller) {
			o.up(Member{Group: g.ID}, nil, held)
		}
	}
	return found
}

func codeOfWindows(windows []calendar.Window, at calendar.Instant) Reason {
	code := Reason("")
	for _, w := range windows {
		if w.Until != 0 && at >= w.Until {
			return Ended
		}
		if at < w.From {
			code = NotYet
		}
	}
	return code
}

// delegated gives some users of a random organisation parts of the work.
func (c *chance) delegated(t *testing.T, s *Snapshot) *Snapshot {
	t.Helper()
	var ops []Operation
	for i := range 4 {
		key := fmt.Sprintf("delegate-%d", i)
		ops = append(ops, &AddRole{Key: key})
		for range 4 + c.IntN(3) {
			ops = append(ops, &AddPermission{Role: RoleRef(key), Application: "able-roster", Actions: pick(c, []string{"*"}, []string{"assign", "update"}, []string{"read", "create", "update", "assign"}),
				Pattern: pick(c, "users/marine", "users/finance", "users", "users", "groups/marine", "groups", "roles/app0", "roles/app1", "roles/-", "roles", "roles", "roles/*/r1", "applications")})
		}
		for range 2 {
			var scopes []ScopeRef
			if c.IntN(4) == 0 {
				scopes = []ScopeRef{{"able-roster", pick(c, "users/marine", "roles", "roles/app0", "/")}, {"able-roster", pick(c, "users", "groups")}}
			}
			ops = append(ops, &Grant{Role: RoleRef(key), User: c.user(), Window: pick(c, calendar.Window{}, calendar.Window{}, c.window()), Scopes: scopes})
		}
	}
	d := s.Draft()
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
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		s = c.delegated(t, s)
		o := oracleOf(s)
		for range 700 {
			at := c.instant()
			caller, ok := s.FindUser(string(c.user()))
			if !ok || len(s.Authority(caller, at).Reach(ActAssign)) == 0 {
				continue // no delegate
			}
			d, fits := c.change(s, 1)
			if !fits || len(d.Changes()) == 0 {
				continue
			}
			tried++
			if len(s.Authority(caller, at).Judge(d, at)) > 0 {
				continue
			}
			let++
			ahead := calendar.Window{From: at}
			for u := range d.Users() {
				before := map[RoleID]calendar.Intervals{}
				for _, h := range s.heldRoles(u.ID, ownGroups) {
					before[h.role] = before[h.role].Union(h.when)
				}
				for _, h := range d.heldRoles(u.ID, ownGroups) {
					if len(h.when.Minus(before[h.role]).Within(ahead)) == 0 {
						continue
					}
					if defaulted(d, u, h.role) { // on the authority of who wrote the rule
						continue
					}
					gains++
					if role := rolePathNaively(&d.Snapshot, d.Role(h.role)); !o.mayAssignNaively(s.User(caller), at, role, userPathNaively(u)) {
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
func defaulted(d *Draft, u *User, role RoleID) bool {
	for _, f := range d.Defaults() {
		if old := d.base.Default(f.ID); old == f && !f.Ended && (f.Everybody && u.UserKind == Person || chosenNaively(f.Filter, u)) && d.base.defaultGives(f)[role] {
			return true
		}
	}
	return false
}

// A delegate may suspend and move only whom they may update, on both places.
func TestMovingNeedsBothPlaces(t *testing.T) {
	s := port(t)
	unit := func(u string) *string { return &u }
	for _, x := range []struct {
		who, to string
		want    bool
	}{{"ines.halloran", "marine/tugs", true}, {"ines.halloran", "finance", false}, {"hedvika.venables", "marine", false}, {"ines.halloran", "", false}} {
		lacks := judged(t, s, "tomas.brandt", &UpdateUser{User: UserRef(x.who), UserEdits: UserEdits{Unit: unit(x.to)}})
		if (len(lacks) == 0) != x.want {
			t.Errorf("%s to %q: %d lacks", x.who, x.to, len(lacks))
		}
	}
}

// Scopes of the delegate's own assignment bound what they pass on: only within
// them may a role of that application be given.
func TestScopesOfADelegateBoundWhatTheyGive(t *testing.T) {
	s := port(t,
		&AddRole{Key: "north-manager"},
		&AddPermission{Role: "north-manager", Application: "able-roster", Actions: []string{"*"}, Pattern: "/"},
		&Grant{Role: "north-manager", User: "hedvika.venables", Scopes: []ScopeRef{{"able-roster", "users"}, {"able-roster", "roles/berths"}, {"berths", "north"}}})
	for name, x := range map[string]struct {
		scopes []ScopeRef
		want   bool
	}{
		"within them":        {[]ScopeRef{{"berths", "north/1"}}, true},
		"all of them":        {[]ScopeRef{{"berths", "north"}}, true},
		"wider":              {[]ScopeRef{{"berths", "/"}}, false},
		"beside them":        {[]ScopeRef{{"berths", "voyages"}}, false},
		"without any":        {nil, false},
		"one inside one out": {[]ScopeRef{{"berths", "north"}, {"berths", "voyages"}}, false},
	} {
		lacks := judged(t, s, "hedvika.venables", &Grant{Role: "berths/reader", User: "ines.halloran", Scopes: x.scopes})
		if (len(lacks) == 0) != x.want {
			t.Errorf("%s: %d lacks", name, len(lacks))
		}
	}
}
