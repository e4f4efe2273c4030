package people_test

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/record"
)

// Two records of one person become one: what was given by hand and what they answer for moves,
// once each, the other departs, and what their place gave stays with the place.
func TestTwoRecordsOfOnePersonAreMerged(t *testing.T) {
	s := laws.Port(t, &rules.AddDefault{Key: "finance-staff", Filter: `unit eq "finance"`, Roles: []change.RoleRef{"tariffs/releaser"}},
		&people.AddUser{Personal: fact.Personal{UserName: "again"}, UserFacts: fact.UserFacts{Unit: "finance"}},
		&roles.Grant{Role: "berths/scheduler", User: "again"}, &roles.Grant{Role: "berths/reader", User: "again"}, &roles.Grant{Role: "berths/reader", User: "ines.halloran"},
		&roles.AddMember{Group: "pilots", User: "again"})
	owner := change.UserRef("again")
	s = made(t, s, "2026-03-01", &roles.UpdateGroup{Group: "pilots", Owner: &owner})
	s = made(t, s, "2026-03-02", &people.MergeUsers{User: "again", Into: "ines.halloran"})
	again, _ := s.FindUser("again")
	ines, _ := s.FindUser("ines.halloran")
	if u := s.User(again); u.Status != fact.Departed || len(s.Given(fact.Assignee{User: again})) > 0 || len(s.MembershipsOf(fact.Member{User: again})) > 0 {
		t.Errorf("of the record that departs: %+v", u)
	}
	var roles []string
	for _, a := range s.Given(fact.Assignee{User: ines}) {
		roles = append(roles, s.RoleKey(a.Role))
	}
	slices.Sort(roles)
	if !slices.Equal(roles, []string{"berths/reader", "berths/scheduler"}) {
		t.Errorf("the record that stays holds %v", roles)
	}
	pilots, _ := s.FindGroup("pilots")
	if s.Group(pilots).Owner != ines || !s.IsMember(ines, pilots, s.At) || record.MergedInto(s, again) != ines || !slices.Equal(record.MergedFrom(s, ines), []fact.UserID{again}) {
		t.Errorf("the group %+v, merged %v", s.Group(pilots), record.MergedFrom(s, ines))
	}
	for name, x := range map[string]struct {
		op   change.Operation
		says string
	}{
		"with itself":       {&people.MergeUsers{User: "ines.halloran", Into: "ines.halloran"}, "is the same record"},
		"a machine":         {&people.MergeUsers{User: "berth-board", Into: "ines.halloran"}, "is no person"},
		"twice":             {&people.MergeUsers{User: "again", Into: "tomas.brandt"}, "was merged already"},
		"into one who left": {&people.MergeUsers{User: "tomas.brandt", Into: "again"}, "has departed"},
	} {
		d := laws.DraftOf(s, x.op)
		if !slices.ContainsFunc(d.Faults, func(f change.Fault) bool { return strings.Contains(f.Error(), x.says) }) {
			t.Errorf("%s: %v, want …%s…", name, d.Faults, x.says)
		}
	}
}

// Who both hold what must not meet are not merged; and whoever may not give what one of them
// has merges nobody.
func TestAMergeIsJudged(t *testing.T) {
	s := laws.Port(t, &rules.AddSoDRule{Key: "apart", Roles: []change.RoleRef{"berths/reader", "tariffs/releaser"}, Prevent: true},
		&people.AddUser{Personal: fact.Personal{UserName: "one"}, UserFacts: fact.UserFacts{Unit: "marine"}}, &people.AddUser{Personal: fact.Personal{UserName: "two"}, UserFacts: fact.UserFacts{Unit: "marine"}},
		&roles.Grant{Role: "berths/reader", User: "one"}, &roles.Grant{Role: "tariffs/releaser", User: "two"})
	d := laws.DraftOf(s, &people.MergeUsers{User: "two", Into: "one"})
	if rails := effect.Rails(d, 0, effect.Of(d, 2), 2, nil); !slices.ContainsFunc(rails, func(r effect.Rail) bool { return r.Code == effect.ViolationPrevented }) {
		t.Errorf("%+v", rails)
	}
	tomas, _ := s.FindUser("tomas.brandt")
	// Not even what was approved once is moved by who may not see it.
	blind := laws.Port(t, &people.AddUser{Personal: fact.Personal{UserName: "one"}, UserFacts: fact.UserFacts{Unit: "marine"}}, &people.AddUser{Personal: fact.Personal{UserName: "two"}, UserFacts: fact.UserFacts{Unit: "marine"}},
		&roles.Grant{Role: "tariffs/releaser", User: "two", Origin: fact.ByRequest})
	d = change.NewDraft(blind)
	d.Author, d.Visible = tomas, func(kind fact.FactKind, row uint32) bool { return kind != fact.FactRole }
	d.Apply(0, &people.MergeUsers{User: "two", Into: "one"}, 2)
	d.Finish()
	if lacks := change.AuthorityOf(blind, tomas, 2).Judge(d, 2); len(lacks) == 0 {
		t.Errorf("a role that was approved for somebody else is moved: %v", d.Faults)
	}
	for into, from := range map[change.UserRef]change.UserRef{"one": "two", "two": "one"} {
		d := change.NewDraft(s)
		d.Author = tomas
		d.Apply(0, &people.MergeUsers{User: from, Into: into}, 2)
		d.Finish()
		if lacks := change.AuthorityOf(s, tomas, 2).Judge(d, 2); (len(lacks) > 0) != (from == "two") {
			t.Errorf("%s into %s: lacks %+v", from, into, lacks)
		}
	}
}

// Somebody who is added and looks like one who is there is told of, to whoever knows of that
// one, and to nobody else.
func TestWhoLooksLikeOneWhoIsThere(t *testing.T) {
	s := laws.Port(t, &people.DeclareAttribute{Key: "number", Identifies: true},
		&people.AddUser{Personal: fact.Personal{UserName: "there", DisplayName: "Baltasar Pettigrew-Sá", Email: "b@larkhaven.example"}, UserFacts: fact.UserFacts{Unit: "marine"}, Custom: map[string]string{"number": "4711"}})
	there, _ := s.FindUser("there")
	for name, x := range map[string]struct {
		personal fact.Personal
		unit     string
		number   string
		like     bool
	}{
		"the same address":        {fact.Personal{Email: "B@Larkhaven.example"}, "", "", true},
		"the same number":         {fact.Personal{}, "", "4711", true},
		"the same name there":     {fact.Personal{DisplayName: "Pettigrew-Sa, Baltasar"}, "marine", "", true},
		"the same name elsewhere": {fact.Personal{DisplayName: "Baltasar Pettigrew-Sá"}, "finance", "", false},
		"another name":            {fact.Personal{DisplayName: "Baltasar Brandt"}, "marine", "4712", false},
		"one word is no name":     {fact.Personal{DisplayName: "Baltasar"}, "marine", "", false},
	} {
		x.personal.UserName = "new"
		custom := map[string]string{}
		if x.number != "" {
			custom["number"] = x.number
		}
		d := laws.DraftOf(s, &people.AddUser{Personal: x.personal, UserFacts: fact.UserFacts{Unit: x.unit}, Custom: custom})
		if len(d.Faults) > 0 {
			t.Fatal(name, &d.Faults[0])
		}
		likely := func(sees func(fact.UserID) bool) (users []fact.UserID) {
			for _, r := range effect.Rails(d, 0, effect.Of(d, 2), 2, sees) {
				if r.Code == effect.LikelySamePerson {
					users = r.Users
				}
			}
			return users
		}
		if got := likely(nil); (len(got) == 1 && got[0] == there) != x.like {
			t.Errorf("%s: %v", name, got)
		}
		if got := likely(func(id fact.UserID) bool { return id != there }); len(got) > 0 {
			t.Errorf("%s: told to somebody who does not know of them: %v", name, got)
		}
	}
}
