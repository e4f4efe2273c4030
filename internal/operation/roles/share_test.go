package roles_test

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/query"
)

func ptr[T any](v T) *T { return &v }

// shareable is the port with a role of berths that may be shared with two users, and the berth
// board's account, which may act for users and assign the role.
func shareable(t *testing.T, more ...change.Operation) *access.Snapshot {
	return laws.Port(t, append([]change.Operation{
		&roles.UpdateRole{Role: "berths/scheduler", MaxShares: ptr(2)},
		&people.SetMachineAccount{User: "berth-board", Purpose: "Shares berths", Accountable: []change.UserRef{"tomas.brandt", "marta.quill"}, Application: "berths", ActsForUsers: true},
		&roles.AddRole{Key: "berth-board-service"},
		&roles.AddPermission{Role: "berth-board-service", Application: "able-roster", Actions: []string{"assign"}, Pattern: "users"},
		&roles.AddPermission{Role: "berth-board-service", Application: "able-roster", Actions: []string{"assign"}, Pattern: "roles/berths"},
		&roles.Grant{Role: "berth-board-service", User: "berth-board"},
		&roles.Grant{Role: "berths/scheduler", User: "ines.halloran"},
	}, more...)...)
}

// sides are the two drafts of a change that an account makes for somebody, each with what its
// author lacks; without an account it is the author's alone.
func sides(s *access.Snapshot, account, author string, ops ...change.Operation) (d *change.Draft, says string) {
	by, _ := s.FindUser(author)
	of, _ := s.FindUser(account)
	authors := []fact.UserID{by}
	if account != "" {
		authors = []fact.UserID{of, by}
	}
	for _, a := range authors {
		auth := change.AuthorityOf(s, a, 2)
		d = change.NewDraft(s)
		d.Author, d.Account, d.May = a, of, auth.May
		for i, op := range ops {
			d.Apply(i, op, 2)
		}
		d.Finish()
		for _, l := range auth.Lacks(d) {
			return d, l.Need.What
		}
		for i := range d.Faults {
			return d, d.Faults[i].Message
		}
		for range auth.LacksFor(d, d.RoleGains(2)) {
			return d, "gains"
		}
	}
	return d, ""
}

// A role is shared by an account of its application, for whoever holds there all that it gives,
// within what the account may assign.
func TestWhoMayShareARole(t *testing.T) {
	suspended := fact.Suspended
	day := calendar.Days(1)
	share := func(path string) *roles.ShareRole {
		return &roles.ShareRole{Role: "berths/scheduler", User: "hedvika.venables", Path: path}
	}
	for name, x := range map[string]struct {
		account, author string
		more            []change.Operation
		op              *roles.ShareRole
		says            string
	}{
		"within a resource they hold":          {"berth-board", "ines.halloran", nil, share("north/1"), ""},
		"within one below which there is more": {"berth-board", "ines.halloran", nil, share("north"), ""},
		"within one below an open one":         {"berth-board", "ines.halloran", nil, share("voyages/7"), ""},
		"without an account":                   {"", "ines.halloran", nil, share("north/1"), "an account of its application does so"},
		"by an administrator without one":      {"", "marta.quill", nil, share("north/1"), "an account of its application does so"},
		"who holds less there":                 {"berth-board", "tomas.brandt", []change.Operation{&roles.Grant{Role: "berths/reader", User: "tomas.brandt"}}, share("north/1"), "holds all that it gives there"},
		"who holds it elsewhere alone": {"berth-board", "tomas.brandt", []change.Operation{&roles.Grant{Role: "berths/scheduler", User: "tomas.brandt",
			Scopes: []change.ScopeRef{{Application: "berths", Pattern: "north/1"}}}}, share("north"), "holds all that it gives there"},
		"who holds it by two roles": {"berth-board", "tomas.brandt", []change.Operation{&roles.Grant{Role: "berths/reader", User: "tomas.brandt"}, &roles.AddRole{Key: "mover", Application: "berths"},
			&roles.AddPermission{Role: "berths/mover", Actions: []string{"update"}, Pattern: "north/1"}, &roles.Grant{Role: "berths/mover", User: "tomas.brandt"}}, share("north/1"), ""},
		"who holds it for less long": {"berth-board", "tomas.brandt", []change.Operation{&roles.Grant{Role: "berths/scheduler", User: "tomas.brandt", Window: calendar.Window{Until: day}}}, share("north/1"), "for as long"},
		"for no longer": {"berth-board", "tomas.brandt", []change.Operation{&roles.Grant{Role: "berths/scheduler", User: "tomas.brandt", Window: calendar.Window{Until: day}}},
			&roles.ShareRole{Role: "berths/scheduler", User: "hedvika.venables", Path: "north/1", Window: calendar.Window{Until: day}}, ""},
		"who is fenced off there": {"berth-board", "ines.halloran", []change.Operation{&roles.AddFence{Application: "berths", Pattern: "north/1", Actions: []string{"update"}},
			&roles.AddRole{Key: "warden", Application: "berths"}, &roles.AddPermission{Role: "berths/warden", Actions: []string{"update"}, Pattern: "north/1"}, &roles.UpdateRole{Role: "berths/warden", MaxShares: ptr(2)}},
			&roles.ShareRole{Role: "berths/warden", User: "hedvika.venables", Path: "north/1"}, "holds all that it gives there"},
		"an account of another application": {"berth-board", "ines.halloran", []change.Operation{&people.SetMachineAccount{User: "berth-board", Purpose: "x", Accountable: []change.UserRef{"tomas.brandt", "marta.quill"}, Application: "tariffs", ActsForUsers: true}},
			share("north/1"), "an account of its application does so"},
		"one that acts for nobody": {"berth-board", "ines.halloran", []change.Operation{&people.SetMachineAccount{User: "berth-board", Purpose: "x", Accountable: []change.UserRef{"tomas.brandt", "marta.quill"}, Application: "berths"}},
			share("north/1"), "an account of its application does so"},
		"one that may not assign it": {"berth-board", "ines.halloran", []change.Operation{&roles.Revoke{Role: "berth-board-service", User: "berth-board"}}, share("north/1"), "assign the role berths/scheduler"},
		"one that may within a part": {"berth-board", "ines.halloran", []change.Operation{&roles.Revoke{Role: "berth-board-service", User: "berth-board"},
			&roles.Grant{Role: "berth-board-service", User: "berth-board", Scopes: []change.ScopeRef{{Application: "able-roster", Pattern: "/"}, {Application: "berths", Pattern: "voyages"}}}}, share("north/1"), "gains"},
		"a role that is not shareable": {"berth-board", "ines.halloran", nil, &roles.ShareRole{Role: "berths/reader", User: "hedvika.venables", Path: "north"}, "not shareable"},
		"what is not registered":       {"berth-board", "ines.halloran", nil, share("south"), "no single resource"},
		"everything":                   {"berth-board", "ines.halloran", nil, share("/"), "no single resource"},
		"what is no path":              {"berth-board", "ines.halloran", nil, share("north/*"), "has a *"},
		"with themselves":              {"berth-board", "ines.halloran", nil, &roles.ShareRole{Role: "berths/scheduler", User: "ines.halloran", Path: "north"}, "with themselves"},
		"what was shared with them":    {"berth-board", "tomas.brandt", []change.Operation{&roles.ShareRole{Role: "berths/scheduler", User: "tomas.brandt", Path: "north"}}, share("north/1"), "not by a share"},
		"who is suspended":             {"berth-board", "ines.halloran", []change.Operation{&people.UpdateUser{User: "ines.halloran", Status: &suspended}}, share("north/1"), "holds all that it gives there"},
		"with one more than may be": {"berth-board", "ines.halloran", []change.Operation{&people.AddUser{Personal: fact.Personal{UserName: "a"}}, &people.AddUser{Personal: fact.Personal{UserName: "b"}},
			&roles.ShareRole{Role: "berths/scheduler", User: "a", Path: "north/1"}, &roles.ShareRole{Role: "berths/scheduler", User: "b", Path: "north/1"}}, share("north/1"), "as many users as may be: 2"},
		"as many on another": {"berth-board", "ines.halloran", []change.Operation{&people.AddUser{Personal: fact.Personal{UserName: "a"}}, &people.AddUser{Personal: fact.Personal{UserName: "b"}},
			&roles.ShareRole{Role: "berths/scheduler", User: "a", Path: "north/1"}, &roles.ShareRole{Role: "berths/scheduler", User: "b", Path: "north/1"}}, share("north"), ""},
	} {
		d, says := sides(shareable(t, x.more...), x.account, x.author, x.op)
		if (x.says == "") != (says == "") || !strings.Contains(says, x.says) {
			t.Errorf("%s: says %q, want %q", name, says, x.says)
		}
		if x.says != "" || says != "" {
			continue
		}
		by, _ := d.FindUser(x.author)
		if f := sharesOf(&d.Snapshot); len(f) == 0 || f[len(f)-1].SharedBy != by || f[len(f)-1].Origin != fact.ByShare {
			t.Errorf("%s: %+v", name, f)
		}
	}
}

func sharesOf(s *access.Snapshot) (out []*fact.Assignment) {
	app, _ := s.FindApplication("berths")
	return slices.Collect(query.SharesIn(s, app))
}

// A share ends by who shared it, by who has it, by who holds the same there, by who may assign
// the role, and with its resource.
func TestSharesEnd(t *testing.T) {
	shared := []change.Operation{&roles.ShareRole{Role: "berths/scheduler", User: "hedvika.venables", Path: "north/1"}, &roles.Grant{Role: "berths/reader", User: "tomas.brandt"}}
	end := &roles.EndShares{Application: "berths", Path: "north"}
	gone := true
	for name, x := range map[string]struct {
		account, author string
		op              change.Operation
		left            int
		says            string
	}{
		"by who holds the same":        {"", "ines.halloran", end, 0, ""},
		"by who has it":                {"", "hedvika.venables", end, 0, ""},
		"by who may assign it":         {"", "marta.quill", end, 0, ""},
		"by the account for a holder":  {"berth-board", "ines.halloran", end, 0, ""},
		"for who holds less":           {"berth-board", "tomas.brandt", end, 1, "assign roles to hedvika.venables"},
		"by who holds less":            {"", "tomas.brandt", end, 1, "assign roles to hedvika.venables"},
		"with the role":                {"", "ines.halloran", &roles.EndShares{Application: "berths", Path: "north", Role: "berths/scheduler", User: "hedvika.venables"}, 0, ""},
		"of another role":              {"", "ines.halloran", &roles.EndShares{Application: "berths", Path: "north", Role: "berths/reader"}, 1, "nothing of that is shared"},
		"within another resource":      {"", "ines.halloran", &roles.EndShares{Application: "berths", Path: "voyages"}, 1, "nothing of that is shared"},
		"by a revocation":              {"", "marta.quill", &roles.Revoke{Role: "berths/scheduler", User: "hedvika.venables"}, 0, ""},
		"with its resource":            {"", "marta.quill", &roles.UpdateResource{Application: "berths", Path: "north/1", Retired: &gone}, 0, ""},
		"with what lies above":         {"", "marta.quill", &roles.UpdateResource{Application: "berths", Path: "north", Retired: &gone}, 0, ""},
		"and not with another":         {"", "marta.quill", &roles.UpdateResource{Application: "berths", Path: "voyages", Retired: &gone}, 1, ""},
		"not as the mark is taken off": {"", "marta.quill", &roles.UpdateRole{Role: "berths/scheduler", MaxShares: ptr(0)}, 1, ""},
	} {
		d, says := sides(shareable(t, shared...), x.account, x.author, x.op)
		if (x.says == "") != (says == "") || !strings.Contains(says, x.says) {
			t.Errorf("%s: says %q, want %q", name, says, x.says)
		}
		if n := len(sharesOf(&d.Snapshot)); n != x.left {
			t.Errorf("%s: %d left, want %d", name, n, x.left)
		}
	}
}

// Whoever has a share may do nothing by it that who shared it may not, on any path and at any
// time it lasts.
func TestAShareGivesNothingThatItsSharerLacks(t *testing.T) {
	shared, asked := 0, 0
	for seed := range uint64(60) {
		c := laws.NewChance(seed)
		s := c.Organisation(t)
		at := c.Instant()
		for r := range s.Roles() {
			if r.Application == 0 || r.Application == fact.AbleRoster {
				continue
			}
			in := fact.Scope{Application: r.Application, Pattern: c.Path()}
			until := at + calendar.Days(2)
			for u := range s.Users() {
				if !change.HoldsThere(s, u.ID, r.ID, in, calendar.Window{Until: until}, false, at) {
					continue
				}
				shared++
				d := change.NewDraft(s)
				d.Apply(0, &people.AddUser{Personal: fact.Personal{UserName: "new.one"}}, at)
				id, _ := d.FindUser("new.one")
				alone := d.Seal(d.Revision, s.At+1)
				d = change.NewDraft(alone)
				d.Put(&fact.Assignment{ID: fact.AssignmentID(d.Allocate(fact.FactAssignment)), Assignee: fact.Assignee{User: id}, Role: r.ID, Scopes: []fact.Scope{in}, Window: calendar.Window{Until: until}, Origin: fact.ByShare, SharedBy: u.ID, Opened: d.Revision})
				after := d.Seal(d.Revision, s.At+2)
				for _, res := range after.Resources(r.Application) {
					for _, a := range after.Application(r.Application).Actions {
						for _, when := range []calendar.Instant{at, at + calendar.Days(1)} {
							asked++
							if s.Effective(u.ID, when) && !alone.AllowedLive(id, r.Application, a.Key, res.Path, when) && after.AllowedLive(id, r.Application, a.Key, res.Path, when) && !after.AllowedLive(u.ID, r.Application, a.Key, res.Path, when) {
								t.Fatalf("seed %d: by %s within %s: %s %s, which %s may not", seed, s.RoleKey(r.ID), in.Pattern, a.Key, res.Path, u.UserName)
							}
						}
					}
				}
			}
		}
	}
	if shared < 100 || asked < 1000 {
		t.Errorf("%d shares and %d questions: too few to say anything", shared, asked)
	}
}

// What is shared is told apart, and violates what anything else would.
func TestASharedRoleCountsLikeAnother(t *testing.T) {
	s := shareable(t, &roles.ShareRole{Role: "berths/scheduler", User: "hedvika.venables", Path: "north/1"})
	id, _ := s.FindUser("hedvika.venables")
	app, _ := s.FindApplication("berths")
	for path, want := range map[string]bool{"north/1": true, "north": false, "voyages": false} {
		if got := s.AllowedLive(id, app, "update", path, 2); got != want {
			t.Errorf("%s: %v", path, got)
		}
	}
	d := laws.DraftOf(s, &roles.EndShares{Application: "berths", Path: "north/1"})
	if p := effect.Of(d, 2); len(p.Effects) != 1 || len(p.Effects[0].Lost) == 0 {
		t.Errorf("%+v", p.Effects)
	}
}
