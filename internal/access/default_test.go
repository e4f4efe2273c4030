package access

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/calendar"
)

// After any history of joins, moves, departures and edits of rules each user is
// given by default what a look at every rule says, once each, and no more.
func TestDefaultsGiveWhatANaiveComputationGives(t *testing.T) {
	gave, joined := 0, 0
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		for range 20 {
			if d, ok := c.change(s, 3); ok && len(d.Changes()) > 0 {
				s = d.Seal(d.Revision, s.At+1)
			}
			for u := range s.Users() {
				type gift struct {
					rule  DefaultID
					role  RoleID
					group GroupID
				}
				var want, got []gift
				for _, f := range s.Defaults() {
					if f.Ended || u.Status == Departed || f.Everybody && u.UserKind != Person || !f.Everybody && !rules[f.Filter](u) {
						continue
					}
					for _, r := range f.Roles {
						want = append(want, gift{f.ID, r, 0})
					}
					for _, g := range f.Groups {
						want = append(want, gift{f.ID, 0, g})
					}
				}
				for _, g := range s.givenTo(Assignee{User: u.ID}) {
					if a := s.Assignment(g.assignment()); a.Rule != 0 {
						if a.Origin != ByDefault || a.Window != (calendar.Window{}) {
							t.Fatalf("%+v is given by a rule", a)
						}
						got = append(got, gift{a.Rule, a.Role, 0})
						gave++
					} else if a.Origin == ByDefault {
						t.Fatalf("%+v names no rule", a)
					}
				}
				for _, j := range s.joinedTo(Member{User: u.ID}) {
					if j.byRule() {
						continue
					}
					if m := s.Membership(j.membership()); m.Rule != 0 {
						got = append(got, gift{m.Rule, 0, m.Group})
						joined++
					}
				}
				for _, g := range want {
					if i := slices.Index(got, g); i >= 0 {
						got = slices.Delete(got, i, i+1)
					} else {
						t.Fatalf("%s lacks %+v", u.UserName, g)
					}
				}
				if len(got) > 0 {
					t.Fatalf("%s has %+v besides", u.UserName, got)
				}
			}
		}
	})
	if gave < 1000 || joined < 500 {
		t.Errorf("only %d roles and %d memberships were given", gave, joined)
	}
}

func TestDefaultsThatAreRefused(t *testing.T) {
	s := port(t)
	after := func(s *Snapshot, op Operation) *Snapshot {
		d := draftOf(s, op)
		if len(d.Faults) > 0 {
			t.Fatal(d.Faults)
		}
		return d.Seal(d.Revision, 3)
	}
	s = after(s, &AddDefault{Key: "watch", Filter: `unit eq "marine"`, Roles: []RoleRef{"berths/reader"}})
	s = after(s, &AddUser{Personal: Personal{UserName: "newcomer"}, UserFacts: UserFacts{Unit: "marine"}})
	for name, x := range map[string]struct {
		op   Operation
		says string
	}{
		"nobody said":       {&AddDefault{Key: "a", Roles: []RoleRef{"berths/reader"}}, "does not mean everybody"},
		"both said":         {&AddDefault{Key: "a", Everybody: true, Filter: "title pr", Roles: []RoleRef{"berths/reader"}}, "exclude each other"},
		"nothing given":     {&AddDefault{Key: "a", Everybody: true}, "would give nothing"},
		"an unknown role":   {&AddDefault{Key: "a", Everybody: true, Roles: []RoleRef{"berths/raeder"}}, "there is no role"},
		"a personal value":  {&AddDefault{Key: "a", Filter: `email ew "x"`, Roles: []RoleRef{"berths/reader"}}, "personal"},
		"the key is taken":  {&AddDefault{Key: "watch", Everybody: true, Roles: []RoleRef{"berths/reader"}}, "is taken"},
		"a built-in group":  {&AddDefault{Key: "a", Everybody: true, Groups: []GroupRef{"all-users"}}, "built in"},
		"revoked elsewhere": {&Revoke{User: "newcomer", Role: "berths/reader"}, "by the default rule watch"},
		"no such rule":      {&EndDefault{Default: "wach"}, "there is no default"},
	} {
		d := draftOf(s, x.op)
		if !slices.ContainsFunc(d.Faults, func(f Fault) bool { return strings.Contains(f.Error(), x.says) }) {
			t.Errorf("%s: %v, want …%s…", name, d.Faults, x.says)
		}
	}
	retired := after(s, &RetireRole{Role: "berths/reader"})
	if d := draftOf(retired, &AddDefault{Key: "b", Everybody: true, Roles: []RoleRef{"berths/reader"}}); len(d.Faults) == 0 {
		t.Error("a retired role is given by default")
	}
}

// What a rule gives when somebody arrives is given on its author's authority;
// what a delegate gives to those a rule brought in is given on their own.
func TestAuthorityOverDefaults(t *testing.T) {
	s := port(t, &AddDefault{Key: "guests", Filter: `unit eq "finance"`, Groups: []GroupRef{"pilots"}},
		&AddDefault{Key: "watch", Filter: `within eq "marine"`, Roles: []RoleRef{"tariffs/releaser"}})
	tomas, _ := s.FindUser("tomas.brandt")
	marta, _ := s.FindUser("marta.quill")
	unit := "marine/tugs"
	for _, x := range []struct {
		what string
		who  UserID
		op   Operation
		may  bool
	}{
		{"somebody arrives", tomas, &AddUser{Personal: Personal{UserName: "newcomer"}, UserFacts: UserFacts{Unit: unit}}, true},
		{"somebody moves within the part", tomas, &UpdateUser{User: "ines.halloran", UserEdits: UserEdits{Unit: &unit}}, true},
		{"a role for a group with a guest in it", tomas, &Grant{Role: "berths/scheduler", Group: "pilots"}, false},
		{"the same by the administrator", marta, &Grant{Role: "berths/scheduler", Group: "pilots"}, true},
		{"a rule of his own", tomas, &AddDefault{Key: "mine", Filter: `within eq "marine"`, Roles: []RoleRef{"berths/reader"}}, false},
		{"a rule of hers", marta, &AddDefault{Key: "hers", Everybody: true, Roles: []RoleRef{"berths/reader"}}, true},
	} {
		d := draftOf(s, x.op)
		if len(d.Faults) > 0 {
			t.Fatal(x.what, d.Faults)
		}
		if lacks := s.Authority(x.who, 2).Judge(d, 2); (len(lacks) == 0) != x.may {
			t.Errorf("%s: lacks %+v", x.what, lacks)
		}
	}
	d := draftOf(s, &AddDefault{Key: "all", Everybody: true, Roles: []RoleRef{"access-administrator"}})
	codes := map[RailCode]bool{}
	for _, r := range d.GuardRails(marta, d.Preview(2), 2, nil) {
		codes[r.Code] = true
	}
	if !codes[GainForEverybody] || !codes[AdministeringGain] {
		t.Errorf("an administrator's role for everybody runs into %v", codes)
	}
	d = draftOf(s, &AddDefault{Key: "later", Filter: `title eq "nobody yet"`, Roles: []RoleRef{"access-administrator"}})
	if rails := d.GuardRails(marta, d.Preview(2), 2, nil); len(rails) != 1 || rails[0].Code != AdministeringGain {
		t.Errorf("for whoever comes later: %+v", rails)
	}
}
