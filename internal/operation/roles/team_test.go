package roles_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/record"
)

var chartRule = rules.SetTeamRule{Key: "project", Label: "Projects", Filter: `within eq "marine"`, Roles: []change.RoleRef{"berths/scheduler"}, People: "marine", Invites: true, Unit: "guests", Days: 90, MaxMembers: 4}

// chart is the port with a team of Inês, who may do nothing else in Able Roster.
func chart(t *testing.T, more ...change.Operation) *access.Snapshot {
	rule := chartRule
	return laws.Port(t, append([]change.Operation{
		&roles.AddRole{Key: "bursar", Application: "tariffs"},
		&rule,
		&roles.OpenTeam{Rule: "project", Key: "chart", Label: "Chart project", Owner: "ines.halloran"},
		&roles.AddGroup{Key: "tug-crews", Unit: "marine/tugs"},
		&people.AddUser{Personal: fact.Personal{UserName: "nell.ames"}, UserFacts: fact.UserFacts{Unit: "marine/tugs"}},
	}, more...)...)
}

func guest(name string) *people.AddUser {
	return &people.AddUser{Personal: fact.Personal{UserName: name, DisplayName: name, Email: name + "@pilots.example"}, Status: fact.Invited, UserFacts: fact.UserFacts{Unit: "guests", End: 1}}
}

func TestWhatTheOwnerOfATeamMayDo(t *testing.T) {
	s := chart(t)
	invited := fact.Invited
	in := func(ops ...change.Operation) []change.Operation { return ops }
	other := guest("ola.finch")
	titled := guest("ola.finch")
	titled.Title = "Pilot"
	active := guest("ola.finch")
	active.Status = fact.Active
	elsewhere := guest("ola.finch")
	elsewhere.Unit = "finance"
	of := guest("ola.finch")
	of.Manager = "tomas.brandt"
	filter := `user_name sw "a"`
	unit := "finance"
	for name, x := range map[string]struct {
		by   string
		ops  []change.Operation
		says string // blank: they may
	}{
		"add somebody they may see":       {"ines.halloran", in(&roles.AddMember{Group: "chart", User: "nell.ames"}), ""},
		"add somebody they may not see":   {"ines.halloran", in(&roles.AddMember{Group: "chart", User: "hedvika.venables"}), "outside what you may see"},
		"add a machine account":           {"ines.halloran", in(&roles.AddMember{Group: "chart", User: "berth-board"}), "outside what you may see"},
		"add a group":                     {"ines.halloran", in(&roles.AddMember{Group: "chart", Member: "chart"}), "people alone are in it"},
		"add to another group":            {"ines.halloran", in(&roles.AddMember{Group: "pilots", User: "nell.ames"}), "outside what you may see"},
		"give the team its role":          {"ines.halloran", in(&roles.AddMember{Group: "chart", User: "nell.ames"}, &roles.Grant{Role: "berths/scheduler", Group: "chart"}), ""},
		"give the team another role":      {"ines.halloran", in(&roles.Grant{Role: "berths/reader", Group: "chart"}), "outside what you may see"},
		"give a member the role":          {"ines.halloran", in(&roles.Grant{Role: "berths/scheduler", User: "ines.halloran"}), "assign the role"},
		"give another group the role":     {"ines.halloran", in(&roles.Grant{Role: "berths/scheduler", Group: "all-users"}), "assign the role"},
		"invite somebody":                 {"ines.halloran", in(other, &roles.AddMember{Group: "chart", User: "ola.finch"}), ""},
		"invite somebody with the role":   {"ines.halloran", in(other, &roles.AddMember{Group: "chart", User: "ola.finch"}, &roles.Grant{Role: "berths/scheduler", Group: "chart"}), ""},
		"invite somebody into no team":    {"ines.halloran", in(other), "add users in guests"},
		"invite somebody with a title":    {"ines.halloran", in(titled, &roles.AddMember{Group: "chart", User: "ola.finch"}), "add users in guests"},
		"invite somebody elsewhere":       {"ines.halloran", in(elsewhere, &roles.AddMember{Group: "chart", User: "ola.finch"}), "add users in finance"},
		"invite somebody for another":     {"ines.halloran", in(of, &roles.AddMember{Group: "chart", User: "ola.finch"}), "add users in guests"},
		"add somebody who is active":      {"ines.halloran", in(active, &roles.AddMember{Group: "chart", User: "ola.finch"}), "add users in guests"},
		"call it otherwise":               {"ines.halloran", in(&roles.UpdateGroup{Group: "chart", Label: ptr("Charts")}), ""},
		"have it chosen by a filter":      {"ines.halloran", in(&roles.UpdateGroup{Group: "chart", Filter: &filter}), "update the group chart"},
		"move it":                         {"ines.halloran", in(&roles.UpdateGroup{Group: "chart", Unit: &unit}), "update the group chart"},
		"have somebody else manage it":    {"ines.halloran", in(&roles.UpdateGroup{Group: "chart", Owner: ptr(change.UserRef("nell.ames"))}), ""},
		"open another":                    {"ines.halloran", in(&roles.OpenTeam{Rule: "project", Key: "tides"}, &roles.AddMember{Group: "tides", User: "nell.ames"}, &roles.Grant{Role: "berths/scheduler", Group: "tides"}), ""},
		"open one for somebody":           {"ines.halloran", in(&roles.OpenTeam{Rule: "project", Key: "tides", Owner: "nell.ames"}), "no team rule"},
		"close it":                        {"ines.halloran", in(&roles.CloseTeam{Group: "chart"}), ""},
		"edit the rule":                   {"ines.halloran", in(&rules.EndTeamRule{Rule: "project"}), "say who may open teams"},
		"edit who is in it":               {"ines.halloran", in(&people.UpdateUser{User: "ines.halloran", Status: &invited}), "update ines.halloran"},
		"somebody else adds":              {"nell.ames", in(&roles.AddMember{Group: "chart", User: "nell.ames"}), "outside what you may see"},
		"whom the rule chooses opens one": {"nell.ames", in(&roles.OpenTeam{Rule: "project", Key: "tides"}), ""},
		"whom it does not does not":       {"hedvika.venables", in(&roles.OpenTeam{Rule: "project", Key: "tides"}), "no team rule"},
	} {
		if says := inSight(s, x.by, x.ops...); says != x.says && (x.says == "" || !strings.Contains(says, x.says)) {
			t.Errorf("%s: %q", name, says)
		}
	}
	// A role that the rule does not have is not gained by joining: whoever may give it puts people in.
	s = chart(t, &roles.Grant{Role: "tariffs/releaser", Group: "chart"})
	if says := inSight(s, "ines.halloran", &roles.AddMember{Group: "chart", User: "nell.ames"}); says != "gains" {
		t.Errorf("a member gains what the rule does not have: %q", says)
	}
	// Nor is one of a group that the team is put into.
	s = chart(t, &roles.AddGroup{Key: "above", Unit: "finance"}, &roles.Grant{Role: "tariffs/releaser", Group: "above"}, &roles.AddMember{Group: "above", Member: "chart"})
	if says := inSight(s, "ines.halloran", &roles.AddMember{Group: "chart", User: "nell.ames"}); says != "gains" {
		t.Errorf("a member gains what a group above has: %q", says)
	}
	// Once the rule does not choose its owner, or has ended, nobody manages the team by it.
	for name, op := range map[string]change.Operation{
		"moved":     &people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Unit: ptr("finance")}},
		"ended":     &rules.EndTeamRule{Rule: "project"},
		"closed":    &roles.CloseTeam{Group: "chart"},
		"suspended": &people.UpdateUser{User: "ines.halloran", Status: ptr(fact.Suspended)},
		"given on":  &roles.UpdateGroup{Group: "chart", Owner: ptr(change.UserRef("nell.ames"))},
	} {
		if says := inSight(chart(t, op), "ines.halloran", &roles.AddMember{Group: "chart", User: "nell.ames"}); says == "" {
			t.Errorf("%s: it is managed all the same", name)
		}
	}
	// One change invites so many, and so many wait at most: each is mailed.
	many := func(n int) (ops []change.Operation) {
		for i := range n {
			ops = append(ops, guest(fmt.Sprintf("guest.%d", i)), &roles.AddMember{Group: "great", User: change.UserRef(fmt.Sprintf("guest.%d", i))})
		}
		return ops
	}
	wide := chartRule
	wide.Key, wide.MaxMembers = "wide", 1000
	great := []change.Operation{&wide, &roles.OpenTeam{Rule: "wide", Key: "great", Owner: "ines.halloran"}}
	if says := inSight(chart(t, great...), "ines.halloran", many(201)...); says != "add users in guests" {
		t.Errorf("201 in one change: %q", says)
	}
	if says := inSight(chart(t, great...), "ines.halloran", many(200)...); says != "" {
		t.Errorf("200 in one change: %q", says)
	}
	if says := inSight(chart(t, append(great, many(200)...)...), "ines.halloran", guest("one.more"), &roles.AddMember{Group: "great", User: "one.more"}); !strings.Contains(says, "200 people whom teams like Projects invited have not taken it up") {
		t.Errorf("one more than wait: %q", says)
	}
	// When somebody leaves, their manager owns their teams.
	s = chart(t, &people.UpdateUser{User: "ines.halloran", Status: ptr(fact.Departed)})
	id, _ := s.FindGroup("chart")
	if tomas, _ := s.FindUser("tomas.brandt"); s.Group(id).Owner != tomas {
		t.Errorf("the team is owned by %v", s.Group(id).Owner)
	}
}

// inSight is what a change is refused for that somebody makes, who knows of what they may see.
func inSight(s *access.Snapshot, author string, ops ...change.Operation) string {
	by, _ := s.FindUser(author)
	auth := change.AuthorityOf(s, by, 2)
	d := change.NewDraft(s)
	d.Author, d.May = by, auth.May
	d.Visible = func(kind fact.FactKind, row uint32) bool {
		switch kind {
		case fact.FactUser:
			return auth.MayReadUser(s, fact.UserID(row))
		case fact.FactGroup:
			return auth.May(access.ActRead, s.GroupPath(fact.GroupID(row))) || fact.GroupID(row) == fact.AllUsersGroup
		case fact.FactRole:
			return auth.May(access.ActRead, s.RolePath(fact.RoleID(row)))
		}
		return auth.May(access.ActRead, "settings")
	}
	for i, op := range ops {
		d.Apply(i, op, 2)
	}
	d.Finish()
	for _, l := range auth.Lacks(d) {
		return l.Need.What
	}
	for i := range d.Faults {
		return d.Faults[i].Message
	}
	for range auth.LacksFor(d, d.RoleGains(2)) {
		return "gains"
	}
	return ""
}

// Whatever somebody does who manages a team and has no other right: what anybody gains by it they gain as
// a member of that team, and it is a role of the rule; and nobody is added but its guests.
func TestTheOwnerOfATeamGivesNothingBeyondIt(t *testing.T) {
	made, kinds := 0, map[string]bool{}
	for seed := range uint64(400) {
		c := rand.New(rand.NewPCG(seed, 7))
		s := chart(t, &roles.OpenTeam{Rule: "project", Key: "tides", Owner: "ines.halloran"}, &roles.Grant{Role: "tariffs/bursar", Group: "tides"})
		owner, _ := s.FindUser("ines.halloran")
		pick := func(of ...string) string { return of[c.IntN(len(of))] }
		user := func() change.UserRef {
			return change.UserRef(pick("ines.halloran", "nell.ames", "tomas.brandt", "hedvika.venables", "g1", "g2"))
		}
		group := func() change.GroupRef {
			return change.GroupRef(pick("chart", "tides", "pilots", "marine-staff", "cash-desk"))
		}
		role := func() change.RoleRef {
			return change.RoleRef(pick("berths/scheduler", "berths/scheduler", "berths/reader", "tariffs/releaser", "tariffs/bursar", "marine-manager"))
		}
		for range 25 {
			var ops []change.Operation
			for range 1 + c.IntN(3) {
				switch c.IntN(9) {
				case 0, 1:
					ops = append(ops, &roles.AddMember{Group: group(), User: user(), Window: calendar.Window{Until: calendar.Instant(c.IntN(2)) * calendar.Days(9)}})
				case 2:
					ops = append(ops, &roles.RemoveMember{Group: group(), User: user()})
				case 3, 4:
					ops = append(ops, &roles.Grant{Role: role(), Group: group(), Window: calendar.Window{Until: calendar.Instant(c.IntN(2)) * calendar.Days(5)}})
				case 5:
					ops = append(ops, &roles.Grant{Role: role(), User: user()})
				case 6:
					ops = append(ops, &roles.Revoke{Role: role(), Group: group()})
				case 7:
					ops = append(ops, guest(pick("g1", "g2")))
				case 8:
					ops = append(ops, &roles.AddMember{Group: group(), Member: group()})
				}
			}
			if inSight(s, "ines.halloran", ops...) != "" {
				continue
			}
			d := change.NewDraft(s)
			d.Author = owner
			for i, op := range ops {
				d.Apply(i, op, 2)
			}
			d.Finish()
			after := d.Seal(s.Revision+1, 2)
			made++
			for u := range after.Users() {
				if s.User(u.ID) == nil && (u.Unit != "guests" || u.Status != fact.Invited) {
					t.Fatalf("seed %d: %s was added", seed, u.UserName)
				}
				if s.User(u.ID) == nil {
					kinds["invited"] = true
				}
				for _, h := range held.RolesOf(after, u.ID, held.OwnGroups) {
					var had calendar.Intervals
					for _, b := range held.RolesOf(s, u.ID, held.OwnGroups) {
						if b.Role == h.Role {
							had = had.Union(b.When)
						}
					}
					gain := h.When.Minus(had).From(2)
					if len(gain) == 0 {
						continue
					}
					kinds["gained"] = true
					if key := after.RoleKey(h.Role); key != "berths/scheduler" && key != "berths/reader" {
						t.Fatalf("seed %d: %s gains %s by %s", seed, u.UserName, key, fmt.Sprintf("%+v", ops[0]))
					}
					if !slices.ContainsFunc([]string{"chart", "tides"}, func(key string) bool {
						id, _ := after.FindGroup(key)
						return record.InTeam(after, u.ID, id)
					}) {
						t.Fatalf("seed %d: %s gains %s and is in no team", seed, u.UserName, after.RoleKey(h.Role))
					}
				}
			}
			s = after
		}
	}
	if made < 100 || !kinds["gained"] || !kinds["invited"] {
		t.Errorf("%d changes were made, of the kinds %v", made, kinds)
	}
}
