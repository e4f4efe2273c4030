package review

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
)

func moved(user change.UserRef, unit string, more ...change.UserRef) *people.UpdateUser {
	o := &people.UpdateUser{User: user, UserEdits: fact.UserEdits{Unit: &unit}}
	if len(more) > 0 {
		o.Manager = &more[0]
	}
	return o
}

// after applies operations, each as a change of its own or all as one.
func after(t *testing.T, s *access.Snapshot, together bool, ops ...change.Operation) *access.Snapshot {
	t.Helper()
	d := change.NewDraft(s)
	for i, op := range ops {
		if !together && i > 0 {
			d = change.NewDraft(s)
		}
		d.Apply(i, op, 10)
		if !together || i == len(ops)-1 {
			if d.Finish(); len(d.Faults) > 0 {
				t.Fatal(op.Verb(), &d.Faults[0])
			}
			s = d.Seal(d.Revision, 10)
		}
	}
	return s
}

// Whoever changes unit has what they were given by hand before, and what their new place does not
// give by rule, put before whoever manages them then.
func TestAMoveOpensAReviewOfWhatWasGivenByHand(t *testing.T) {
	on := &rules.SetMoveReviews{On: true}
	none, gone, text := change.UserRef(""), fact.Departed, "Boss"
	for name, x := range map[string]struct {
		before, ops []change.Operation
		together    bool
		items       string // of the round of user.2, who holds cranes/r2, and berths/r0 in the group night
		by          string
	}{
		"a move":                                 {[]change.Operation{on}, []change.Operation{moved("user.2", "finance")}, true, "berths/r0 cranes/r2", "user.0"},
		"it is off":                              {nil, []change.Operation{moved("user.2", "finance")}, true, "", ""},
		"no move":                                {[]change.Operation{on}, []change.Operation{&people.UpdateUser{User: "user.2", UserEdits: fact.UserEdits{Title: &text}}}, true, "", ""},
		"to another manager":                     {[]change.Operation{on}, []change.Operation{moved("user.2", "finance", "user.5")}, true, "berths/r0 cranes/r2", "user.5"},
		"to another manager later":               {[]change.Operation{on}, []change.Operation{moved("user.2", "finance"), moved("user.2", "finance", "user.5")}, false, "berths/r0 cranes/r2", "user.5"},
		"to nobody, where the unit has a head":   {[]change.Operation{on, &people.AdoptUnits{}, &people.UpdateUnit{Unit: "finance", Head: ref("user.3")}}, []change.Operation{moved("user.2", "finance", none)}, true, "berths/r0 cranes/r2", "user.3"},
		"to nobody, where the role has an owner": {[]change.Operation{on, &roles.UpdateApplication{Application: "cranes", Owner: ref("user.6")}}, []change.Operation{moved("user.2", "finance", none)}, true, "berths/r0 cranes/r2", "user.6"},
		"what comes with it was given for it":    {[]change.Operation{on}, []change.Operation{moved("user.2", "finance"), &roles.Grant{Role: "berths/r2", User: "user.2"}}, true, "berths/r0 cranes/r2", "user.0"},
		"what the new place gives too fits":      {[]change.Operation{on, &rules.AddDefault{Key: "pay", Filter: `unit eq "finance"`, Roles: []change.RoleRef{"cranes/r2"}}}, []change.Operation{moved("user.2", "finance")}, true, "berths/r0", "user.0"},
		"what was taken with it is gone":         {[]change.Operation{on}, []change.Operation{moved("user.2", "finance"), &roles.Revoke{Role: "cranes/r2", User: "user.2"}, &roles.RemoveMember{Group: "night", User: "user.2"}}, true, "", ""},
		"a departure":                            {[]change.Operation{on}, []change.Operation{moved("user.2", "finance"), &people.UpdateUser{User: "user.2", Status: &gone}}, true, "", ""},
		"a unit that is called otherwise":        {[]change.Operation{on, &people.AdoptUnits{}}, []change.Operation{&people.MoveUnit{Unit: "marine", To: "sea"}}, true, "", ""},
		"a unit that is merged":                  {[]change.Operation{on, &people.AdoptUnits{}}, []change.Operation{&people.MergeUnit{Unit: "marine", Into: "finance"}}, true, "", ""},
		"two moves while one is open":            {[]change.Operation{on}, []change.Operation{moved("user.2", "finance"), moved("user.2", "marine")}, false, "berths/r0 cranes/r2", "user.0"},
	} {
		s := after(t, after(t, port(t), false, x.before...), x.together, x.ops...)
		id, _ := s.FindUser("user.2")
		var items, by []string
		rounds := 0
		for _, r := range Rounds(s) {
			if r.Moved != id {
				t.Fatalf("%s: %+v", name, r)
			}
			rounds++
			for _, l := range r.Items(s) {
				items = append(items, s.RoleKey(l.Role))
				for _, id := range r.ReviewersOf(s, &l, 11) {
					by = append(by, s.User(id).UserName)
				}
			}
		}
		slices.Sort(items)
		slices.Sort(by)
		if got := strings.Join(items, " "); got != x.items || rounds > 1 || strings.Join(slices.Compact(by), " ") != x.by {
			t.Errorf("%s: %d rounds of %q by %v", name, rounds, got, slices.Compact(by))
		}
	}
}

func ref(name string) *change.UserRef {
	r := change.UserRef(name)
	return &r
}

// The last decision signs the review off: what is held directly is revoked, and what a group gives
// is left for its owner. Who decides is no gain of whoever made the move.
func TestTheLastDecisionSignsAMovesReviewOff(t *testing.T) {
	s := after(t, port(t), false, &rules.SetMoveReviews{On: true}, &roles.AddRole{Key: "clerk"},
		&roles.AddPermission{Role: "clerk", Application: "able-roster", Actions: []string{"read", "update"}, Pattern: "users"}, &roles.Grant{Role: "clerk", User: "user.6"},
		&roles.Grant{Role: "cranes/r1", User: "user.2", Window: calendar.Window{Until: 15}}) // which ends by itself before anybody decides
	clerk, _ := s.FindUser("user.6")
	d := change.NewDraft(s)
	d.Author = clerk
	d.Apply(0, moved("user.2", "finance", "user.5"), 10)
	if d.Finish(); len(d.Faults) > 0 || len(Rounds(&d.Snapshot)) != 1 {
		t.Fatalf("%v, %d rounds", d.Faults, len(Rounds(&d.Snapshot)))
	}
	if lacks := change.AuthorityOf(s, clerk, 10).Judge(d, 10); slices.ContainsFunc(lacks, func(r change.Refusal) bool { return r.Gain != nil && (r.Gain.Decides != 0 || r.Gain.Role == 0) }) {
		t.Errorf("whoever moves somebody is judged by what is reviewed then: %+v", lacks)
	}
	s = d.Seal(d.Revision, 10)
	manager, _ := s.FindUser("user.5")
	r := Rounds(s)[0]
	direct := fact.AssignmentID(0)
	lines := slices.DeleteFunc(slices.Clone(r.Items(s)), func(l Item) bool { return l.Until != 0 })
	if len(lines) != len(r.Lines)-1 {
		t.Fatalf("%d lines, %d without an end", len(r.Lines), len(lines))
	}
	for i, l := range lines {
		if l.Direct() {
			direct = l.Assignment
		}
		next, faults := apply(s, manager, 20, &DecideItems{Round: RoundRef(r.Key), Items: []ItemRef{{change.UserRef(l.User.String()), change.AssignmentRef(l.Assignment.String())}}})
		if len(faults) > 0 {
			t.Fatal(&faults[0])
		}
		s = next
		if now := RoundOf(s, r.ID); (now.State == Signed) != (i == len(lines)-1) || now.Fixed != r.Fixed {
			t.Errorf("after %d of %d it is %s, as of %d", i+1, len(r.Lines), now.State, now.Fixed)
		}
	}
	if s.Assignment(direct) != nil || len(PendingRemovals(s)) != 1 {
		t.Errorf("%v, %d removals wait", s.Assignment(direct), len(PendingRemovals(s)))
	}
	if _, faults := apply(s, manager, 21, &DecideItems{Round: RoundRef(r.Key), Keep: true}); len(faults) == 0 {
		t.Error("decided on what is signed off")
	}
}
