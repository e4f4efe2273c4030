package changing_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"ableroster/demo"
	"ableroster/internal/changing"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/testkit"
	"ableroster/testkit/caller"
	"ableroster/wire"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }

var ctx = context.Background()

// Of a change that is refused, what is said to be the author's own they may make,
// all of it together; and nothing of the rest may be added to it.
func TestARefusedChangeIsSplitAtWhatSomebodyElseMustMake(t *testing.T) {
	d, l, c := caller.Of(t, testkit.DemoDatabase(t), demo.Manager)
	rng := rand.New(rand.NewPCG(111, 112))
	pick := func(all ...string) string { return all[rng.IntN(len(all))] }
	var marine []string
	for u := range l.Head().Users() {
		if u.Unit == "marine/tugs" && u.Status == "active" {
			marine = append(marine, u.UserName)
		}
	}
	operation := func(n int) json.RawMessage {
		user := pick(marine...)
		return json.RawMessage([]string{
			fmt.Sprintf(`{"op":"update_user","user":%q,"title":"Tug hand %d"}`, user, n),
			fmt.Sprintf(`{"op":"update_user","user":%q,"unit":%q}`, user, pick("marine/pilotage", "office", "finance")),
			fmt.Sprintf(`{"op":"grant","user":%q,"role":%q,"until":"2098-01-0%dT00:00:00Z"}`, user, pick("berth-planning/scheduler", "pilot-roster/reader"), 1+n%9),
			fmt.Sprintf(`{"op":"update_role","role":"berth-planning/planner","max_days":%d}`, 30+n),
			fmt.Sprintf(`{"op":"add_member","group":%q,"user":%q}`, pick("night-pilots", "pilots"), user),
			fmt.Sprintf(`{"op":"add_user","user_name":"hand.%d","unit":%q}`, n, pick("marine/tugs", "office")),
			fmt.Sprintf(`{"op":"update_group","group":"pilots","description":"Number %d"}`, n),
		}[rng.IntN(7)])
	}
	try := func(ops []json.RawMessage) *wire.Problem {
		t.Helper()
		_, err := changing.Change(ctx, d, c, wire.ChangeRequest{Operations: ops}, changing.How{DryRun: true})
		var p *wire.Problem
		if err != nil && !errors.As(err, &p) {
			t.Fatal(err)
		}
		return p
	}
	split, alone := 0, 0
	for round := range 150 {
		var ops []json.RawMessage
		for i := range 1 + rng.IntN(6) {
			ops = append(ops, operation(round*10+i))
		}
		p := try(ops)
		if p == nil || p.Status != 403 {
			continue // allowed, or no change at all
		}
		s := p.Split
		if s == nil {
			if rest := try(ops); rest.Status == 403 && len(ops) == 1 {
				t.Fatalf("%s is refused and not split", ops)
			}
			continue
		}
		all := slices.Sorted(slices.Values(append(slices.Clone(s.Mine), s.Others...)))
		if len(all) != len(ops) || len(s.Others) == 0 {
			t.Fatalf("%s is split as %+v", ops, s)
		}
		var mine []json.RawMessage
		for _, i := range s.Mine {
			mine = append(mine, ops[i])
		}
		if len(mine) > 0 {
			if p := try(mine); p != nil {
				t.Fatalf("%s is said to be his own, and: %v", mine, p)
			}
			split++
		} else {
			alone++
		}
		for _, i := range s.Others {
			if p := try(append(slices.Clone(mine), ops[i])); p == nil {
				t.Fatalf("%s, said to be somebody else's, may be added to %s", ops[i], mine)
			}
		}
		for _, u := range s.Can {
			if u.Outside {
				t.Errorf("somebody outside his part is named: %+v", u)
			}
		}
	}
	if split < 30 || alone < 5 {
		t.Errorf("%d changes were split, %d were somebody else's whole", split, alone)
	}
}

// Filters over what users were given find whom a walk over all users finds.
func TestFiltersOverWhatIsHeldFindWhomAWalkFinds(t *testing.T) {
	d, l, c := caller.Of(t, testkit.DemoDatabase(t), demo.Administrator)
	s := l.Head()
	rng := rand.New(rand.NewPCG(113, 114))
	var groups, roles []string
	for g := range s.Groups() {
		groups = append(groups, g.Key)
	}
	for r := range s.Roles() {
		roles = append(roles, s.RoleKey(r.ID))
	}
	type holds func(groups, manual, roles []string, unit string) bool
	var expression func(deep int) (string, holds)
	expression = func(deep int) (string, holds) {
		switch k := rng.IntN(9); {
		case deep > 0 && k < 2:
			a, x := expression(deep - 1)
			b, y := expression(deep - 1)
			return "(" + a + " and " + b + ")", func(g, m, r []string, u string) bool { return x(g, m, r, u) && y(g, m, r, u) }
		case deep > 0 && k < 4:
			a, x := expression(deep - 1)
			b, y := expression(deep - 1)
			return "(" + a + " or " + b + ")", func(g, m, r []string, u string) bool { return x(g, m, r, u) || y(g, m, r, u) }
		case deep > 0 && k == 4:
			a, x := expression(deep - 1)
			return "not (" + a + ")", func(g, m, r []string, u string) bool { return !x(g, m, r, u) }
		}
		group, role := groups[rng.IntN(len(groups))], roles[rng.IntN(len(roles))]
		switch rng.IntN(6) {
		case 0:
			return fmt.Sprintf("groups[key eq %q]", group), func(g, _, _ []string, _ string) bool { return slices.Contains(g, group) }
		case 1:
			return fmt.Sprintf("groups.key eq %q", group), func(g, _, _ []string, _ string) bool { return slices.Contains(g, group) }
		case 2:
			return fmt.Sprintf("roles[key eq %q]", role), func(_, _, r []string, _ string) bool { return slices.Contains(r, role) }
		case 3:
			return fmt.Sprintf(`Roles[origin eq "manual" and KEY eq %q]`, role), func(_, m, _ []string, _ string) bool { return slices.Contains(m, role) }
		case 4:
			return `within eq "marine"`, func(_, _, _ []string, u string) bool { return u == "marine" || len(u) > 7 && u[:7] == "marine/" }
		}
		return fmt.Sprintf("roles[not (key eq %q)]", role), func(_, _, r []string, _ string) bool {
			return slices.ContainsFunc(r, func(k string) bool { return k != role })
		}
	}
	type held struct{ groups, manual, roles []string }
	of := map[string]held{}
	for u := range s.Users() {
		var h held
		for _, m := range s.MembershipsOf(memberOf(u.ID)) {
			h.groups = append(h.groups, s.Group(m.Group).Key)
		}
		for _, a := range s.Given(memberOf(u.ID)) {
			h.roles = append(h.roles, s.RoleKey(a.Role))
			if a.Origin == "manual" {
				h.manual = append(h.manual, s.RoleKey(a.Role))
			}
		}
		of[u.UserName] = h
	}
	found := 0
	for range 400 {
		text, means := expression(3)
		list, err := lists.Users(d.Now(ctx, c), lists.UserSearch{Filter: text, Limit: 500})
		if err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		var got, want []string
		for _, u := range list.Users {
			got = append(got, u.UserName)
		}
		for u := range s.Users() {
			if h := of[u.UserName]; means(h.groups, h.manual, h.roles, u.Unit) {
				want = append(want, u.UserName)
			}
		}
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Fatalf("%s finds %d users, a walk %d", text, len(got), len(want))
		}
		if len(want) > 0 && len(want) < len(of) {
			found++
		}
	}
	if found < 150 {
		t.Errorf("only %d filters found somebody and not everybody", found)
	}
}

func memberOf(id fact.UserID) fact.Member { return fact.Member{User: id} }
