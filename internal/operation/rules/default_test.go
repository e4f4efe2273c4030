package rules_test

import (
	"fmt"
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
	"ableroster/internal/operation/rules"
	"ableroster/internal/record"
)

// After any history of joins, moves, departures and edits of rules each user is
// given by default what a look at every rule says, once each, and no more.
func TestDefaultsGiveWhatANaiveComputationGives(t *testing.T) {
	gave, joined, limited, placed := 0, 0, 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 20 {
			if d, ok := c.Change(s, 3); ok && len(d.Changes()) > 0 {
				s = d.Seal(d.Revision, s.At+1)
			}
			for u := range s.Users() {
				want, got := naiveGifts(s, u), []naiveGift{}
				for _, g := range s.GivenTo(fact.Assignee{User: u.ID}) {
					if a := s.Assignment(g.Assignment()); a.Rule != 0 {
						if a.Origin != fact.ByDefault || a.Schedule != nil {
							t.Fatalf("%+v is given by a rule", a)
						}
						got = append(got, naiveGift{a.Rule, a.Role, 0, a.Window, fmt.Sprint(a.Scopes)})
						gave++
					} else if a.Origin == fact.ByDefault {
						t.Fatalf("%+v names no rule", a)
					}
				}
				for _, j := range s.JoinedTo(fact.Member{User: u.ID}) {
					if j.ByRule() {
						continue
					}
					if m := s.Membership(j.Membership()); m.Rule != 0 || m.Position {
						got = append(got, naiveGift{m.Rule, 0, m.Group, m.Window, "[]"})
						joined++
						if m.Position {
							placed++
						}
					}
				}
				for _, g := range want {
					if g.window != (calendar.Window{}) {
						limited++
					}
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
	if gave < 1000 || joined < 500 || limited < 500 || placed < 50 {
		t.Errorf("only %d roles and %d memberships were given, %d of them for a time, %d by a position", gave, joined, limited, placed)
	}
}

// naiveGift is a role or a place in a group that somebody is given by a rule, or, without
// one, by a position.
type naiveGift struct {
	rule   fact.DefaultID
	role   fact.RoleID
	group  fact.GroupID
	window calendar.Window
	scopes string
}

// naiveGifts are all that one user is given: by each rule in turn at each of their places.
func naiveGifts(s *access.Snapshot, u *fact.User) (out []naiveGift) {
	type at struct {
		user        fact.User
		first, last calendar.Date // of the time there; 0: always
		former      bool
		shut        bool
	}
	places := []at{{user: *u}}
	if p := s.Positions(u.ID); p != nil && u.Status != fact.Departed {
		for _, x := range p.List {
			there := *u
			there.Unit, there.Title, there.Location = x.Unit, x.Title, x.Location
			for _, a := range s.Attributes() {
				if a.Fill != nil && !a.Retired && !a.Personal {
					there.Custom = there.Custom.With(a, a.Filled(&there))
				}
			}
			places = append(places, at{user: there, first: x.Start, last: x.End, former: x.Former})
		}
	}
	rules := record.Defaults(s)
	slices.SortStableFunc(rules, func(a, b *fact.Default) int { return a.Order - b.Order })
	for _, f := range rules {
		var mine []naiveGift
		add := func(g naiveGift) {
			for _, o := range mine {
				if o.role == g.role && o.group == g.group && o.scopes == g.scopes && o.window.From <= g.window.From && (o.window.Until == 0 || g.window.Until != 0 && g.window.Until <= o.window.Until) {
					return
				}
			}
			mine = append(mine, g)
		}
		for i := range places {
			p := &places[i]
			if p.shut || f.Ended || u.Status == fact.Departed || f.Everybody && u.UserKind != fact.Person || !f.Everybody && !laws.Rules[f.Filter](&p.user) {
				continue
			}
			p.shut = f.Final
			first, last := p.first, p.last
			if p.former {
				if f.OverlapDays == 0 {
					continue
				}
				last = min(last, first+calendar.Date(f.OverlapDays))
			}
			if f.After+f.Lasts > 0 {
				if u.Start == 0 {
					continue
				}
				begins := u.Start + calendar.Date(f.After)
				first = max(first, begins)
				if f.Lasts > 0 && (last == 0 || begins+calendar.Date(f.Lasts)-1 < last) {
					last = begins + calendar.Date(f.Lasts) - 1
				}
			}
			if last != 0 && (last < first || last < f.Written) {
				continue
			}
			w := f.Active
			if first != 0 {
				w.From = max(w.From, first.Begins(s.Zone()))
			}
			if end := (last + 1).Begins(s.Zone()); last != 0 && (w.Until == 0 || end < w.Until) {
				w.Until = end
			}
			if w.Until != 0 && (w.From >= w.Until || f.Written != 0 && w.Until <= f.Written.Begins(s.Zone())) {
				continue
			}
			var scopes []fact.Scope
			fits := true
			for _, x := range f.Scopes {
				for name, value := range map[string]string{"{unit}": p.user.Unit, "{desk}": p.user.Custom.Get("desk")} {
					fits = fits && (value != "" || !strings.Contains(x.Pattern, name))
					x.Pattern = strings.ReplaceAll(x.Pattern, name, value)
				}
				if !slices.Contains(scopes, x) {
					scopes = append(scopes, x)
				}
			}
			slices.SortFunc(scopes, func(a, b fact.Scope) int {
				return strings.Compare(fmt.Sprintf("%08d %s", a.Application, a.Pattern), fmt.Sprintf("%08d %s", b.Application, b.Pattern))
			})
			for _, r := range f.Roles {
				if fits {
					add(naiveGift{f.ID, r, 0, w, fmt.Sprint(scopes)})
				}
			}
			for _, g := range f.Groups {
				add(naiveGift{f.ID, 0, g, w, "[]"})
			}
		}
		out = append(out, mine...)
	}
	for g := range s.Groups() {
		var when calendar.Intervals
		for _, p := range places[1:] {
			if means := laws.Rules[g.Filter]; means != nil && !p.former && !means(u) && means(&p.user) {
				when = when.Add(calendar.Window{From: p.first.Begins(s.Zone()), Until: (p.last + 1).Begins(s.Zone())})
			}
		}
		for _, w := range when {
			out = append(out, naiveGift{0, 0, g.ID, w, "[]"})
		}
	}
	return out
}

func TestDefaultsThatAreRefused(t *testing.T) {
	s := laws.Port(t)
	after := func(s *access.Snapshot, op change.Operation) *access.Snapshot {
		d := laws.DraftOf(s, op)
		if len(d.Faults) > 0 {
			t.Fatal(d.Faults)
		}
		return d.Seal(d.Revision, 3)
	}
	s = after(s, &rules.AddDefault{Key: "watch", Filter: `unit eq "marine"`, Roles: []change.RoleRef{"berths/reader"}})
	s = after(s, &people.AddUser{Personal: fact.Personal{UserName: "newcomer"}, UserFacts: fact.UserFacts{Unit: "marine"}})
	for name, x := range map[string]struct {
		op   change.Operation
		says string
	}{
		"nobody said":       {&rules.AddDefault{Key: "a", Roles: []change.RoleRef{"berths/reader"}}, "does not mean everybody"},
		"both said":         {&rules.AddDefault{Key: "a", Everybody: true, Filter: "title pr", Roles: []change.RoleRef{"berths/reader"}}, "exclude each other"},
		"nothing given":     {&rules.AddDefault{Key: "a", Everybody: true}, "would give nothing"},
		"an unknown role":   {&rules.AddDefault{Key: "a", Everybody: true, Roles: []change.RoleRef{"berths/raeder"}}, "there is no role"},
		"a personal value":  {&rules.AddDefault{Key: "a", Filter: `email ew "x"`, Roles: []change.RoleRef{"berths/reader"}}, "personal"},
		"the key is taken":  {&rules.AddDefault{Key: "watch", Everybody: true, Roles: []change.RoleRef{"berths/reader"}}, "is taken"},
		"a built-in group":  {&rules.AddDefault{Key: "a", Everybody: true, Groups: []change.GroupRef{"all-users"}}, "built in"},
		"revoked elsewhere": {&roles.Revoke{User: "newcomer", Role: "berths/reader"}, "by the default rule watch"},
		"no such rule":      {&rules.EndDefault{Default: "wach"}, "there is no default"},
	} {
		d := laws.DraftOf(s, x.op)
		if !slices.ContainsFunc(d.Faults, func(f change.Fault) bool { return strings.Contains(f.Error(), x.says) }) {
			t.Errorf("%s: %v, want …%s…", name, d.Faults, x.says)
		}
	}
	retired := after(s, &roles.RetireRole{Role: "berths/reader"})
	if d := laws.DraftOf(retired, &rules.AddDefault{Key: "b", Everybody: true, Roles: []change.RoleRef{"berths/reader"}}); len(d.Faults) == 0 {
		t.Error("a retired role is given by default")
	}
}

// What a rule gives when somebody arrives is given on its author's authority;
// what a delegate gives to those a rule brought in is given on their own.
func TestAuthorityOverDefaults(t *testing.T) {
	s := laws.Port(t, &rules.AddDefault{Key: "guests", Filter: `unit eq "finance"`, Groups: []change.GroupRef{"pilots"}},
		&rules.AddDefault{Key: "watch", Filter: `within eq "marine"`, Roles: []change.RoleRef{"tariffs/releaser"}})
	tomas, _ := s.FindUser("tomas.brandt")
	marta, _ := s.FindUser("marta.quill")
	unit := "marine/tugs"
	for _, x := range []struct {
		what string
		who  fact.UserID
		op   change.Operation
		may  bool
	}{
		{"somebody arrives", tomas, &people.AddUser{Personal: fact.Personal{UserName: "newcomer"}, UserFacts: fact.UserFacts{Unit: unit}}, true},
		{"somebody moves within the part", tomas, &people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Unit: &unit}}, true},
		{"a role for a group with a guest in it", tomas, &roles.Grant{Role: "berths/scheduler", Group: "pilots"}, false},
		{"the same by the administrator", marta, &roles.Grant{Role: "berths/scheduler", Group: "pilots"}, true},
		{"a rule of his own", tomas, &rules.AddDefault{Key: "mine", Filter: `within eq "marine"`, Roles: []change.RoleRef{"berths/reader"}}, false},
		{"a rule of hers", marta, &rules.AddDefault{Key: "hers", Everybody: true, Roles: []change.RoleRef{"berths/reader"}}, true},
	} {
		d := laws.DraftOf(s, x.op)
		if len(d.Faults) > 0 {
			t.Fatal(x.what, d.Faults)
		}
		if lacks := change.AuthorityOf(s, x.who, 2).Judge(d, 2); (len(lacks) == 0) != x.may {
			t.Errorf("%s: lacks %+v", x.what, lacks)
		}
	}
	d := laws.DraftOf(s, &rules.AddDefault{Key: "all", Everybody: true, Roles: []change.RoleRef{"access-administrator"}})
	codes := map[effect.RailCode]bool{}
	for _, r := range effect.Rails(d, marta, effect.Of(d, 2), 2, nil) {
		codes[r.Code] = true
	}
	if !codes[effect.GainForEverybody] || !codes[effect.AdministeringGain] {
		t.Errorf("an administrator's role for everybody runs into %v", codes)
	}
	d = laws.DraftOf(s, &rules.AddDefault{Key: "later", Filter: `title eq "nobody yet"`, Roles: []change.RoleRef{"access-administrator"}})
	if rails := effect.Rails(d, marta, effect.Of(d, 2), 2, nil); len(rails) != 1 || rails[0].Code != effect.AdministeringGain {
		t.Errorf("for whoever comes later: %+v", rails)
	}
}
