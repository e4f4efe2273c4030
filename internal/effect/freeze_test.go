package effect_test

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
	"ableroster/internal/query"
)

// frozen says whether a freeze stops operations of a caller, and whether they may pass.
func frozen(t *testing.T, s *access.Snapshot, caller string, at calendar.Instant, ops ...change.Operation) (stops, passable bool) {
	t.Helper()
	id, _ := s.FindUser(caller)
	d := laws.DraftOf(s, ops...)
	if len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	d.Author = id
	for _, r := range effect.Rails(d, id, effect.Of(d, at), at, nil) {
		if r.Code == effect.Frozen {
			return true, r.Passable
		}
	}
	return false, false
}

// A freeze stops what it is about, for whom it does not let through, while it stands; people
// depart, and access is revoked, at any time.
func TestAFreezeStopsWhatItIsAbout(t *testing.T) {
	freeze := func(x rules.SetFreeze) *rules.SetFreeze {
		x.Key, x.Why, x.Window = "close", "The books are being closed", calendar.Window{From: 1, Until: 1000}
		return &x
	}
	tariffs := freeze(rules.SetFreeze{Applications: []change.ApplicationRef{"tariffs"}, LetThrough: []change.UserRef{"hedvika.venables"}})
	marine := freeze(rules.SetFreeze{Units: []string{"marine"}, LetThroughGroup: "cash-desk"})
	all := freeze(rules.SetFreeze{})
	departed, suspended, active := fact.Departed, fact.Suspended, fact.Active
	soon, name := calendar.Date(1), "Berth clerk"
	release := &roles.Grant{Role: "tariffs/releaser", User: "ines.halloran"}
	for what, x := range map[string]struct {
		freeze *rules.SetFreeze
		first  []change.Operation
		op     change.Operation
		caller string
		at     calendar.Instant
		stops  bool
		passes bool
	}{
		"a grant there":                     {freeze: tariffs, op: release, stops: true},
		"a grant there, before it":          {freeze: freeze(rules.SetFreeze{}), op: release, at: 2000},
		"a grant elsewhere":                 {freeze: tariffs, op: &roles.Grant{Role: "berths/reader", User: "hedvika.venables"}},
		"by a group":                        {freeze: tariffs, op: &roles.AddMember{Group: "cash-desk", User: "ines.halloran"}, stops: true},
		"by a role that includes it":        {freeze: tariffs, first: []change.Operation{&roles.AddRole{Key: "outer"}, &roles.IncludeRole{Role: "outer", Includes: "tariffs/releaser"}}, op: &roles.Grant{Role: "outer", Group: "pilots"}, stops: true},
		"for who is let through":            {freeze: tariffs, op: release, caller: "hedvika.venables", stops: true, passes: true},
		"for a member of the group":         {freeze: marine, first: []change.Operation{&roles.AddMember{Group: "cash-desk", User: "tomas.brandt"}}, op: release, caller: "tomas.brandt", stops: true, passes: true},
		"the role itself":                   {freeze: tariffs, op: &roles.RetireRole{Role: "tariffs/releaser"}, stops: true},
		"a revoke":                          {freeze: tariffs, first: []change.Operation{release}, op: &roles.Revoke{Role: "tariffs/releaser", User: "ines.halloran"}},
		"out of a group":                    {freeze: marine, first: []change.Operation{&roles.AddMember{Group: "pilots", User: "ines.halloran"}}, op: &roles.RemoveMember{Group: "pilots", User: "ines.halloran"}},
		"a departure":                       {freeze: all, op: &people.UpdateUser{User: "ines.halloran", Status: &departed}},
		"a suspension":                      {freeze: marine, op: &people.UpdateUser{User: "ines.halloran", Status: &suspended}},
		"a last day":                        {freeze: marine, op: &people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{End: &soon}}},
		"back from suspension":              {freeze: marine, first: []change.Operation{&people.UpdateUser{User: "ines.halloran", Status: &suspended}}, op: &people.UpdateUser{User: "ines.halloran", Status: &active}, stops: true},
		"a new name":                        {freeze: marine, op: &people.UpdateUser{User: "ines.halloran", DisplayName: &name}, stops: true},
		"a person elsewhere":                {freeze: marine, op: &people.UpdateUser{User: "hedvika.venables", DisplayName: &name}},
		"into the unit":                     {freeze: marine, op: &people.UpdateUser{User: "hedvika.venables", UserEdits: fact.UserEdits{Unit: &[]string{"marine/pilotage"}[0]}}, stops: true},
		"out of the unit":                   {freeze: marine, op: &people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Unit: &[]string{"office"}[0]}}, stops: true},
		"a group whose people are there":    {freeze: marine, first: []change.Operation{&roles.AddMember{Group: "pilots", User: "ines.halloran"}}, op: &roles.Grant{Role: "tariffs/releaser", Group: "pilots"}, stops: true},
		"anything":                          {freeze: all, op: &roles.AddGroup{Key: "new"}, stops: true},
		"the freeze itself":                 {freeze: all, op: &rules.EndFreeze{Freeze: "close"}},
		"a rule":                            {freeze: all, op: &rules.AddSoDRule{Key: "two", Roles: []change.RoleRef{"berths/reader", "tariffs/releaser"}}, stops: true},
		"a freeze that has ended":           {freeze: all, first: []change.Operation{&rules.EndFreeze{Freeze: "close"}}, op: release},
		"more in the application":           {freeze: tariffs, op: &roles.AddResource{Application: "tariffs", Path: "more"}, stops: true},
		"access of somebody at their end":   {freeze: tariffs, first: []change.Operation{release}, op: &roles.Grant{Role: "tariffs/releaser", User: "ines.halloran", Window: calendar.Window{Until: 900}}, stops: true},
		"what nobody's access follows from": {freeze: tariffs, op: &roles.AddGroup{Key: "new"}},
	} {
		s := laws.Port(t, append([]change.Operation{x.freeze}, x.first...)...)
		if x.caller == "" {
			x.caller = "marta.quill"
		}
		if x.at == 0 {
			x.at = 2
		}
		if stops, passes := frozen(t, s, x.caller, x.at, x.op); stops != x.stops || passes != x.passes {
			t.Errorf("%s: stopped %v, passable %v", what, stops, passes)
		}
	}
}

// Whatever a change is made of, nobody gains anything that a freeze is about.
func TestNobodyGainsBesideAFreeze(t *testing.T) {
	stopped, let := 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 100 {
			f := rules.SetFreeze{Key: "close", Why: "x", Window: calendar.Window{Until: s.At + 1000}}
			var apps []fact.ApplicationID
			for a := range s.Applications() {
				if a.ID != fact.AbleRoster && c.IntN(3) == 0 {
					f.Applications, apps = append(f.Applications, change.ApplicationRef(a.Key)), append(apps, a.ID)
				}
			}
			if c.IntN(2) == 0 {
				f.Units = []string{c.Unit()}
			}
			f.Units = slices.DeleteFunc(f.Units, func(u string) bool { return u == "" })
			set := change.NewDraft(s)
			set.Apply(0, &f, s.At)
			if set.Finish(); len(set.Faults) > 0 {
				continue
			}
			base := set.Seal(s.Revision+1, s.At)
			d, ok := c.Change(base, 3)
			if !ok || len(d.Changes()) == 0 {
				continue
			}
			at := base.At + 1
			rails := effect.Rails(d, 0, effect.Of(d, at), at, nil)
			d.Author = 1
			stops := effect.FrozenFor(d, 1, at)
			if stops {
				stopped++
				continue
			}
			let++
			after := d.Seal(d.Revision, at)
			for u := range after.Users() {
				gained, _ := query.Difference(base, after, u.ID, at)
				for _, g := range gained {
					in := slices.ContainsFunc(f.Units, func(unit string) bool { return u.Unit == unit || strings.HasPrefix(u.Unit, unit+"/") })
					if in || slices.Contains(apps, g.Application) || len(apps)+len(f.Units) == 0 {
						t.Fatalf("%s in %q gains %v beside a freeze of %v %v, by %s (%v)", u.UserName, u.Unit, g, f.Applications, f.Units, said(d), rails)
					}
				}
			}
		}
	})
	if stopped < 300 || let < 300 {
		t.Errorf("%d were stopped, %d let through: too few of one to say anything", stopped, let)
	}
}

func said(d *change.Draft) (out []string) {
	for _, x := range d.Changes() {
		out = append(out, fmt.Sprintf("%+v → %+v", x.Before, x.After))
	}
	return out
}

// Who does not see everybody passes no freeze by giving to a group in which they see nobody of
// it; and whether they are stopped does not go by who is in it.
func TestAFreezeHoldsForWhoSeesAPart(t *testing.T) {
	freeze := &rules.SetFreeze{Key: "close", Why: "x", Window: calendar.Window{Until: 1000}, Units: []string{"finance"}}
	within := "marine"
	bounded := &roles.UpdateGroup{Group: "pilots", HeldWithin: &within}
	for what, x := range map[string]struct {
		op    change.Operation
		first []change.Operation
		stops bool
	}{
		"a group with somebody of it":     {&roles.Grant{Role: "berths/reader", Group: "cash-desk"}, []change.Operation{&roles.AddMember{Group: "cash-desk", User: "hedvika.venables"}}, true},
		"a group with nobody of it":       {&roles.Grant{Role: "berths/reader", Group: "cash-desk"}, nil, true},
		"a group that never has":          {&roles.Grant{Role: "tariffs/releaser", Group: "pilots"}, []change.Operation{bounded}, false},
		"somebody elsewhere":              {&roles.Grant{Role: "tariffs/releaser", User: "ines.halloran"}, nil, false},
		"a role that anybody may hold":    {&roles.AddPermission{Role: "berths/reader", Actions: []string{"update"}, Pattern: "north"}, nil, true},
		"out of a group with somebody in": {&roles.RemoveMember{Group: "cash-desk", User: "hedvika.venables"}, []change.Operation{&roles.AddMember{Group: "cash-desk", User: "hedvika.venables"}}, false},
	} {
		s := laws.Port(t, append([]change.Operation{freeze}, x.first...)...)
		tomas, _ := s.FindUser("tomas.brandt")
		d := laws.DraftOf(s, x.op)
		if len(d.Faults) > 0 {
			t.Fatal(what, &d.Faults[0])
		}
		d.Author = tomas
		sees := func(id fact.UserID) bool { u := s.User(id); return u != nil && change.HeldInside(u.Unit, "marine") }
		rails := effect.Rails(d, tomas, effect.Of(d, 2), 2, sees)
		if stops := slices.ContainsFunc(rails, func(r effect.Rail) bool { return r.Code == effect.Frozen }); stops != x.stops {
			t.Errorf("%s: stopped %v", what, stops)
		}
	}
}

// A freeze that begins between judging a change and publishing it stops it; one that is over by
// then does not.
func TestAFreezeThatBeginsMeanwhileStops(t *testing.T) {
	for what, x := range map[string]struct {
		window calendar.Window
		caller string
		stops  bool
		passes bool
	}{
		"not begun":            {calendar.Window{From: 20, Until: 30}, "marta.quill", false, false},
		"begins meanwhile":     {calendar.Window{From: 5, Until: 30}, "marta.quill", true, false},
		"for who is let pass":  {calendar.Window{From: 5, Until: 30}, "hedvika.venables", true, true},
		"over meanwhile":       {calendar.Window{From: 1, Until: 8}, "marta.quill", false, false},
		"stands all the while": {calendar.Window{From: 1, Until: 30}, "marta.quill", true, false},
	} {
		s := laws.Port(t, &rules.SetFreeze{Key: "close", Why: "x", Window: x.window, LetThrough: []change.UserRef{"hedvika.venables"}})
		d := laws.DraftOf(s, &roles.Grant{Role: "tariffs/releaser", User: "ines.halloran"})
		d.Author, _ = s.FindUser(x.caller)
		count := effect.Count(d, effect.Of(d, 2), 2, nil)
		rails := count.RailsAgain(s, d.Seal(2, 2), 10, nil)
		i := slices.IndexFunc(rails, func(r effect.Rail) bool { return r.Code == effect.Frozen })
		if (i >= 0) != x.stops || i >= 0 && rails[i].Passable != x.passes {
			t.Errorf("%s: %+v", what, rails)
		}
	}
}
