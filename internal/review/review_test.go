package review

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
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/query"
)

func apply(s *access.Snapshot, author fact.UserID, at calendar.Instant, op change.Operation) (*access.Snapshot, []change.Fault) {
	d := change.NewDraft(s)
	d.Author = author
	d.Apply(0, op, at)
	d.Finish()
	if len(d.Faults) > 0 {
		return s, d.Faults
	}
	return d.Seal(d.Revision, at), nil
}

// port is a small organisation in which roles are held directly, through groups
// that lie in one another, and by a default rule; user.0 manages the rest.
func port(t testing.TB) *access.Snapshot {
	t.Helper()
	s := access.Empty()
	must := func(op change.Operation) {
		t.Helper()
		next, faults := apply(s, 0, 1, op)
		if len(faults) > 0 {
			t.Fatal(op.Verb(), &faults[0])
		}
		s = next
	}
	for i := range 8 {
		o := &people.AddUser{Personal: fact.Personal{UserName: fmt.Sprintf("user.%d", i)}, UserFacts: fact.UserFacts{Unit: []string{"marine", "finance"}[i%2]}}
		if i > 0 {
			o.Manager = "user.0"
		}
		must(o)
	}
	for _, app := range []string{"cranes", "berths"} {
		must(&roles.AddApplication{Key: app, State: fact.StateLive, Actions: []fact.Action{{Key: "read"}}})
		for r := range 3 {
			key := fmt.Sprintf("r%d", r)
			must(&roles.AddRole{Key: key, Application: change.ApplicationRef(app)})
			must(&roles.AddPermission{Role: change.RoleRef(app + "/" + key), Actions: []string{"read"}, Pattern: "/"})
		}
	}
	must(&roles.AddGroup{Key: "crew"})
	must(&roles.AddGroup{Key: "night"})
	must(&roles.AddMember{Group: "crew", Member: "night"})
	must(&roles.Grant{Role: "cranes/r0", Group: "crew"})
	must(&roles.Grant{Role: "berths/r0", Group: "night"})
	must(&roles.Grant{Role: "berths/r2", Group: "all-users"})
	for i := range 4 {
		must(&roles.AddMember{Group: "night", User: change.UserRef(fmt.Sprintf("user.%d", i))})
	}
	for i := range 8 {
		must(&roles.Grant{Role: change.RoleRef(fmt.Sprintf("cranes/r%d", i%3)), User: change.UserRef(fmt.Sprintf("user.%d", i))})
	}
	must(&rules.AddDefault{Key: "money", Filter: `unit eq "finance"`, Roles: []change.RoleRef{"berths/r1"}})
	return s
}

// Whatever is decided, by whomever, and however the organisation changes under
// the round: only reviewers decide and nobody on their own lines, and the sign-off
// ends exactly the direct assignments that were marked, and proposes the rest.
func TestASignOffTakesWhatWasMarkedAndNothingElse(t *testing.T) {
	revoked, proposed, refused, leavers, instead := 0, 0, 0, 0, 0
	for seed := range uint64(260) {
		rng := rand.New(rand.NewPCG(seed, 11))
		s := port(t)
		user := func() change.UserRef { return change.UserRef(fmt.Sprintf("user.%d", rng.IntN(8))) }
		scope := []OpenRound{{Application: "cranes"}, {Group: "night"}, {Filter: `unit eq "finance"`}, {Application: "berths"}}[rng.IntN(4)]
		scope.Key, scope.Reviewers = "winter", []Whose{Manager, Owner, Users}[rng.IntN(3)]
		if scope.Reviewers == Users {
			scope.Users = []change.UserRef{"user.5", "user.6"}
		}
		opener, _ := s.FindUser("user.7")
		s, faults := apply(s, opener, 10, &scope)
		if len(faults) > 0 {
			t.Fatal(&faults[0])
		}
		r := FindRound(s, "winter")
		lines := r.Items(s)
		for step := range 60 {
			at := calendar.Instant(25*3600e6 + step)
			author, _ := s.FindUser(string(user()))
			var op change.Operation
			l := lines[rng.IntN(len(lines))]
			switch rng.IntN(10) {
			case 9:
				op = &people.AddSubstitute{User: user(), Substitute: user(), Start: calendar.DateOf(at.Time()), End: calendar.DateOf(at.Time()) + calendar.Date(rng.IntN(2))}
			case 0:
				op = &roles.Revoke{Assignment: change.AssignmentRef(l.Assignment.String())}
			case 1:
				op = &roles.RemoveMember{Group: "night", User: user()}
			default:
				op = &DecideItems{Round: "winter", Keep: rng.IntN(2) == 0, Items: []ItemRef{{change.UserRef(l.User.String()), change.AssignmentRef(l.Assignment.String())}}}
			}
			next, faults := apply(s, author, at, op)
			if len(faults) > 0 {
				refused++
				continue
			}
			if _, ok := op.(*DecideItems); ok {
				if author == l.User || !slices.Contains(r.ReviewersOf(s, &l, at), author) {
					t.Fatalf("%s decided on %+v", author, l)
				}
				if of := reviewerOf(s, r, &l); author != of && of != 0 && s.Effective(of, at) {
					f, _ := s.RecordFact(fact.FactSubstitutes, uint32(of)).(*fact.Substitutes)
					if !slices.ContainsFunc(f.Listed(), func(x fact.Substitute) bool {
						return x.User == author && x.Start <= calendar.DateOf(at.Time()) && x.End >= calendar.DateOf(at.Time())
					}) {
						t.Fatalf("%s decided on %+v, and %s reviews it", author, l, of)
					}
					instead++
				}
				for _, f := range Decisions(next) {
					if f.User == l.User && f.Assignment == l.Assignment && f.For != 0 && !held.ActsFor(s, f.By, f.For, at) {
						t.Fatalf("%s decided on %+v in the place of %s, whose substitute they are not", f.By, l, f.For)
					}
				}
			}
			s = next
		}
		before := s
		s, faults = apply(s, opener, 49*3600e6, &SignOff{Round: "winter"})
		if len(faults) > 0 {
			t.Fatal(&faults[0])
		}
		gone, asked, left := map[fact.AssignmentID]bool{}, map[ItemKey]bool{}, 0
		for _, v := range Decisions(before) {
			a := before.Assignment(v.Assignment)
			switch {
			case v.Keep || a == nil:
			case a.Assignee.User == v.User && a.Rule == 0:
				gone[a.ID] = true
			case !query.HoldsThrough(before, v.User, a): // they have left the group since
				left++
			default:
				asked[ItemKey{v.User, a.ID}] = true
			}
		}
		for a := range before.AllAssignments() {
			if ended := s.Assignment(a.ID) == nil; ended != gone[a.ID] {
				t.Fatalf("%+v ended: %v, marked: %v", a, ended, gone[a.ID])
			}
		}
		for _, p := range PendingRemovals(s) {
			if !asked[ItemKey{p.User, p.Assignment}] {
				t.Fatalf("%+v is proposed, and was not marked", p)
			}
			delete(asked, ItemKey{p.User, p.Assignment})
			proposed++
		}
		if len(asked) > 0 {
			t.Fatalf("not proposed: %v", asked)
		}
		leavers += left
		revoked += len(gone)
		if _, faults := apply(s, opener, 49*3600e6+1, &SignOff{Round: "winter"}); len(faults) == 0 {
			t.Fatal("signed off twice")
		}
	}
	if leavers < 10 || instead < 40 || revoked < 100 || proposed < 100 || refused < 1000 {
		t.Errorf("%d revoked, %d proposed, %d refused, %d by substitutes: too few to prove anything", revoked, proposed, refused, instead)
	}
}

// reviewerOf is the manager who reviews an item, 0 where it is others, or the user's own.
func reviewerOf(s *access.Snapshot, r *Round, l *Item) fact.UserID {
	if m := s.User(l.User).Manager; r.Reviewers == Manager && m != l.User {
		return m
	}
	return 0
}

// names are those of a snapshot.
type names struct{ *access.Snapshot }

func (n names) UserName(id fact.UserID) string { return n.User(id).UserName }

// What is decided or settled in the place of somebody has both names, and is replayed with them;
// what was made before there were any stays as it was.
func TestADecisionInAPlaceHasBothNames(t *testing.T) {
	day, owner := calendar.DateOf(calendar.Instant(12).Time()), change.UserRef("user.0")
	s := after(t, port(t), false, &OpenRound{Key: "winter", Application: "berths", Reviewers: Manager}, &roles.UpdateGroup{Group: "night", Owner: &owner},
		&people.AddSubstitute{User: "user.0", Substitute: "user.6", Start: day, End: day + 9})
	manager, _ := s.FindUser("user.0")
	by, _ := s.FindUser("user.6")
	places := func(op change.Operation, replays bool) (settled change.Operation, places []fact.UserID) {
		t.Helper()
		d := change.NewDraft(s)
		d.Author, d.Replays = by, replays
		settled = d.Apply(0, op, 12)
		if d.Finish(); len(d.Faults) > 0 {
			t.Fatal(&d.Faults[0])
		}
		for _, c := range d.Changes() {
			switch f := c.After.(type) {
			case *Decision:
				places = append(places, f.For)
			case *PendingRemoval:
				places = append(places, f.For)
			}
		}
		if !replays {
			s = d.Seal(d.Revision, 12)
		}
		return settled, places
	}
	check := func(op, before change.Operation) {
		t.Helper()
		was := s
		made, first := places(op, false)
		now := s
		if words := made.Sentence(was, names{was}); len(first) != 1 || first[0] != manager || !strings.HasSuffix(words, ", in the place of user.0") {
			t.Errorf("%s: %v", words, first)
		}
		s = was
		if _, again := places(made, true); !slices.Equal(again, first) {
			t.Errorf("replayed, it is in the place of %v", again)
		}
		if _, again := places(before, true); !slices.Equal(again, []fact.UserID{0}) {
			t.Errorf("made before, it is in the place of %v", again)
		}
		s = now
	}
	items := FindRound(s, "winter").Items(s)
	item := items[slices.IndexFunc(items, func(l Item) bool { return l.Group != 0 && l.User != manager })]
	decide := DecideItems{Round: "winter", Items: []ItemRef{{change.UserRef(item.User.String()), change.AssignmentRef(item.Assignment.String())}}}
	check(&decide, &decide)
	s = after(t, s, false, &SignOff{Round: "winter"})
	settle := SettlePendingRemoval{Removal: PendingRemovalRef(PendingRemovals(s)[0].ID.String())}
	check(&settle, &settle)
}

// What everybody has is no line, and a line says through what it is held.
func TestLinesSayThroughWhat(t *testing.T) {
	s := port(t)
	r := &Round{Filter: `unit eq "finance"`, At: 5}
	ways := map[string]int{}
	for _, l := range r.Items(s) {
		switch {
		case s.RoleKey(l.Role) == "berths/r2":
			t.Errorf("%+v is everybody's", l)
		case l.Default != 0:
			ways["default"]++
		case l.Group != 0:
			ways["group"]++
		default:
			ways["direct"]++
		}
	}
	if ways["default"] != 4 || ways["group"] != 4 || ways["direct"] != 4 { // user.1 and user.3 through night and crew
		t.Errorf("%v", ways)
	}
}

// Whoever comes to review what others hold, as their manager or as the owner of their
// role, could take it from them: that is made by whoever could as well give it.
func TestBecomingAReviewerIsAGain(t *testing.T) {
	s := port(t)
	for _, op := range []change.Operation{
		&roles.AddRole{Key: "clerk"}, // may change everything, and give nothing
		&roles.AddPermission{Role: "clerk", Application: "able-roster", Actions: []string{"read", "create", "update"}, Pattern: "/"},
		&roles.Grant{Role: "clerk", User: "user.6"},
		&roles.AddRole{Key: "giver"},
		&roles.AddPermission{Role: "giver", Application: "able-roster", Actions: []string{"*"}, Pattern: "/"},
		&roles.Grant{Role: "giver", User: "user.7"},
	} {
		next, faults := apply(s, 0, 2, op)
		if len(faults) > 0 {
			t.Fatal(op.Verb(), &faults[0])
		}
		s = next
	}
	me, nobody := change.UserRef("user.6"), change.UserRef("")
	for name, x := range map[string]struct {
		reviewers Whose
		op        change.Operation
		becomes   bool
	}{
		"a manager of somebody on the list":     {Manager, &people.UpdateUser{User: "user.3", Manager: &me}, true},
		"no manager":                            {Manager, &people.UpdateUser{User: "user.3", Manager: &nobody}, false},
		"a manager, where owners review":        {Owner, &people.UpdateUser{User: "user.3", Manager: &me}, false},
		"an owner of a role on the list":        {Owner, &roles.UpdateRole{Role: "cranes/r1", Owner: &me}, true},
		"an owner of another role":              {Owner, &roles.UpdateRole{Role: "berths/r1", Owner: &me}, false},
		"an owner, where managers review":       {Manager, &roles.UpdateRole{Role: "cranes/r1", Owner: &me}, false},
		"an owner of the application":           {Owner, &roles.UpdateApplication{Application: "cranes", Owner: &me}, true},
		"a substitute of a manager":             {Manager, &people.AddSubstitute{User: "user.0", Substitute: "user.6", Start: 9, End: 12}, true},
		"a substitute, where owners review":     {Owner, &people.AddSubstitute{User: "user.0", Substitute: "user.6", Start: 9, End: 12}, false},
		"a taker over of all that one looks to": {Manager, &people.HandOver{User: "user.0", To: "user.6"}, true},
	} {
		opener, _ := s.FindUser("user.7")
		with, faults := apply(s, opener, 3, &OpenRound{Key: "winter", Application: "cranes", Reviewers: x.reviewers})
		if len(faults) > 0 {
			t.Fatal(&faults[0])
		}
		for _, state := range []struct {
			s       *access.Snapshot
			becomes bool
		}{{with, x.becomes}, {s, false}} {
			for _, author := range []string{"user.6", "user.7"} {
				d := change.NewDraft(state.s)
				d.Apply(0, x.op, 4)
				d.Finish()
				if len(d.Faults) > 0 {
					t.Fatal(name, &d.Faults[0])
				}
				id, _ := state.s.FindUser(author)
				if got := len(change.AuthorityOf(state.s, id, 4).Judge(d, 4)) > 0; got != (state.becomes && author == "user.6") {
					t.Errorf("%s, by %s, with the review open %v: refused %v", name, author, state.s == with, got)
				}
			}
		}
	}
	with, _ := apply(s, 0, 3, &OpenRound{Key: "winter", Application: "cranes", Reviewers: Manager})
	boss, _ := s.FindUser("user.0")
	if len(change.Powers(with, boss, 4)) <= len(change.Powers(s, boss, 4)) {
		t.Error("to review is no power")
	}
}

// A short review of somebody who moved has what they were given by hand, whatever rules give
// them besides, and nobody else's.
func TestAShortReviewOfOnePerson(t *testing.T) {
	s := port(t)
	one, two := fact.UserID(0), fact.UserID(0)
	for i, key := range []string{"user.1", "user.2"} {
		id, _ := s.FindUser(key)
		if i == 0 {
			one = id
		} else {
			two = id
		}
	}
	for _, op := range []change.Operation{&roles.Grant{Role: "cranes/r1", User: "user.1"}, &roles.Grant{Role: "cranes/r1", User: "user.2"},
		&roles.AddGroup{Key: "listed"}, &roles.Grant{Role: "berths/r0", Group: "listed"}, &roles.AddMember{Group: "listed", User: "user.1"},
		&roles.AddGroup{Key: "chosen", Filter: `unit eq "finance"`}, &roles.Grant{Role: "berths/r1", Group: "chosen"},
		&rules.AddDefault{Key: "ruled", Everybody: true, Roles: []change.RoleRef{"berths/r2"}}} {
		next, faults := apply(s, 0, 2, op)
		if len(faults) > 0 {
			t.Fatal(op.Verb(), &faults[0])
		}
		s = next
	}
	s, faults := apply(s, 0, 3, &OpenRound{Key: "moved", People: []change.UserRef{"user.1", "user.1"}, ByHand: true, Reviewers: Manager})
	if len(faults) > 0 {
		t.Fatal(&faults[0])
	}
	r := FindRound(s, "moved")
	var roles []string
	for _, i := range r.Items(s) {
		if i.User != one || i.User == two || i.Default != 0 {
			t.Errorf("%+v is looked at", i)
		}
		roles = append(roles, s.RoleKey(i.Role))
	}
	if !slices.Contains(roles, "cranes/r1") || !slices.Contains(roles, "berths/r0") || slices.Contains(roles, "berths/r1") || slices.Contains(roles, "berths/r2") {
		t.Errorf("looked at: %v", roles)
	}
	if _, faults := apply(s, 0, 3, &OpenRound{Key: "both", People: []change.UserRef{"user.1"}, Filter: "title pr", Reviewers: Manager}); len(faults) == 0 {
		t.Error("people and a filter are both looked at")
	}
}
