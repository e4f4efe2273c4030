package request

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
)

// apply makes one operation by somebody, and says whether it fits.
func apply(s *access.Snapshot, author fact.UserID, at calendar.Instant, op change.Operation) (*access.Snapshot, []change.Fault) {
	next, _, faults := settle(s, author, at, op)
	return next, faults
}

// settle is apply, with the operation settled.
func settle(s *access.Snapshot, author fact.UserID, at calendar.Instant, op change.Operation) (*access.Snapshot, change.Operation, []change.Fault) {
	d := change.NewDraft(s)
	d.Author = author
	op = d.Apply(0, op, at)
	d.Finish()
	if len(d.Faults) > 0 {
		return s, op, d.Faults
	}
	return d.Seal(d.Revision, at), op, nil
}

// team is a small organisation: user.0 manages the rest, user.1 owns the
// application, user.2 and user.3 are in the group board, the others work.
func team(t testing.TB) *access.Snapshot {
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
	for i := range 7 {
		o := &people.AddUser{Personal: fact.Personal{UserName: fmt.Sprintf("user.%d", i)}}
		if i > 0 {
			o.Manager = "user.0"
		}
		must(o)
	}
	owner := change.UserRef("user.1")
	must(&roles.AddApplication{Key: "cranes", State: fact.StateLive, Actions: []fact.Action{{Key: "read"}}})
	must(&roles.UpdateApplication{Application: "cranes", Owner: &owner})
	must(&roles.AddGroup{Key: "board"})
	for _, u := range []change.UserRef{"user.2", "user.3"} {
		must(&roles.AddMember{Group: "board", User: u})
	}
	for i := range 3 {
		key := fmt.Sprintf("r%d", i)
		must(&roles.AddRole{Key: key, Application: "cranes"})
		must(&roles.AddPermission{Role: change.RoleRef("cranes/" + key), Actions: []string{"read"}, Pattern: "/"})
	}
	must(&SetRoute{Key: "short", Steps: []StepRef{{Whose: Manager}}})
	must(&SetRoute{Key: "long", Steps: []StepRef{{Whose: Manager}, {Whose: Owner}, {Whose: Group, Group: "board", All: true}}})
	must(&SetRoute{Key: "named", Steps: []StepRef{{Whose: Users, Users: []change.UserRef{"user.4", "user.5"}}, {Whose: Group, Group: "board"}}, SamePerson: true})
	must(&MakeRequestable{Role: "cranes/r0", Words: "see cranes", Route: "short", MaxDays: 30})
	must(&MakeRequestable{Role: "cranes/r1", Words: "move cranes", Route: "long"})
	must(&MakeRequestable{Role: "cranes/r2", Words: "stop cranes", Route: "named"})
	return s
}

// said is what the model remembers of one request: every approval at every step,
// and whether it was ended otherwise.
type said struct {
	approvals map[int][]fact.UserID
	places    map[int][]fact.UserID // whose approvals these count as
	over      bool
	window    calendar.Window
}

// before says whether somebody approved at an earlier step.
func (m *said) before(step int, id fact.UserID) bool {
	for i := range step {
		if slices.Contains(m.approvals[i], id) {
			return true
		}
	}
	return false
}

// Random walks of asking, deciding, withdrawing, and of the organisation changing
// under the requests, never give a role without the decisions its route asks for,
// nor with limits wider than those asked for, nor by whoever asked or gains.
func TestNoWalkReachesAccessWithoutItsDecisions(t *testing.T) {
	given, refused, instead := 0, 0, 0
	for seed := range uint64(300) {
		rng := rand.New(rand.NewPCG(seed, 5))
		s := team(t)
		user := func() change.UserRef { return change.UserRef(fmt.Sprintf("user.%d", rng.IntN(7))) }
		model := map[RequestID]*said{}
		for step := range 120 {
			at := calendar.Instant(step+2) * 3600e6
			author, _ := s.FindUser(string(user()))
			var op change.Operation
			until := at + calendar.Instant(rng.IntN(60*24))*3600e6
			request := RequestRef(RequestID(1).String())
			if all := Requests(s); len(all) > 0 {
				r := all[rng.IntN(len(all))]
				request = RequestRef(r.ID.String())
				if who := r.Deciders(s, at); len(who) > 0 && rng.IntN(3) > 0 { // mostly somebody who is asked
					author = who[rng.IntN(len(who))]
				}
			}
			switch rng.IntN(13) {
			case 12:
				start := calendar.DateOf(at.Time()) + calendar.Date(rng.IntN(2))
				op = &people.AddSubstitute{User: user(), Substitute: user(), Start: start, End: start + calendar.Date(rng.IntN(3))}
			case 0, 1, 2:
				o := &RequestRole{Role: change.RoleRef(fmt.Sprintf("cranes/r%d", rng.IntN(3))), For: user()}
				if rng.IntN(2) == 0 {
					o.Until = until
				}
				op = o
			case 3:
				if rng.IntN(4) == 0 {
					author, _ = s.FindUser(string(user()))
				}
				op = &WithdrawRequest{Request: request}
			case 4:
				status := []fact.Status{fact.Active, fact.Active, fact.Active, fact.Active, fact.Suspended, fact.Departed}[rng.IntN(6)]
				op = &people.UpdateUser{User: user(), Status: &status}
			case 5:
				op = &roles.RemoveMember{Group: "board", User: user()}
			case 6:
				op = &roles.AddMember{Group: "board", User: user()}
			default:
				o := &DecideRequest{Request: request, Choice: Approve}
				if rng.IntN(8) == 0 {
					o.Choice = Refuse
				}
				if rng.IntN(3) == 0 {
					o.Until = &until
				}
				op = o
			}
			before := s
			next, op, faults := settle(s, author, at, op)
			if len(faults) > 0 {
				refused++
				continue
			}
			s = next
			for _, r := range Requests(s) { // one is asked exactly when one is among those who are
				for i := range r.Steps {
					var who []fact.UserID
					for _, x := range r.Steps[i].seats(s, r, at) {
						who = append(who, x.may...)
					}
					for u := range s.Users() {
						if r.Steps[i].Asks(s, r, u.ID, at) != slices.Contains(who, u.ID) {
							t.Fatalf("%s, step %d: of %v is %s not one", r.ID, i, who, u.UserName)
						}
					}
				}
			}
			switch o := op.(type) {
			case *RequestRole:
				n, _ := fact.ParseID("request", string(o.Request))
				model[RequestID(n)] = &said{approvals: map[int][]fact.UserID{}, places: map[int][]fact.UserID{}, window: o.Window}
			case *WithdrawRequest, *DecideRequest:
				if check(t, before, s, op, author, at, model) {
					instead++
				}
			}
			for a := range s.AllAssignments() { // whatever was given was given by a request that is through
				if before.Assignment(a.ID) != nil {
					continue
				}
				given++
				if !slices.ContainsFunc(Requests(s), func(r *Request) bool { return r.Given == a.ID && r.State == Approved }) || a.Origin != fact.ByRequest {
					t.Fatalf("%+v came about by %s", a, op.Verb())
				}
			}
		}
	}
	if given < 100 || refused < 1000 || instead < 100 {
		t.Errorf("%d roles given, %d operations refused, %d decisions in the place of others: too few to prove anything", given, refused, instead)
	}
}

// check compares what an operation did to a request with the model, and says whether somebody
// decided in the place of another.
func check(t *testing.T, before, after *access.Snapshot, op change.Operation, author fact.UserID, at calendar.Instant, model map[RequestID]*said) (instead bool) {
	t.Helper()
	var ref RequestRef
	approves := false
	switch o := op.(type) {
	case *WithdrawRequest:
		ref = o.Request
	case *DecideRequest:
		ref, approves = o.Request, o.Choice == Approve
	}
	n, _ := fact.ParseID("request", string(ref))
	was, is := RequestOf(before, RequestID(n)), RequestOf(after, RequestID(n))
	m := model[RequestID(n)]
	if m.over {
		t.Fatalf("%s was over, and %s went through", ref, op.Verb())
	}
	if _, withdraws := op.(*WithdrawRequest); withdraws {
		if author != was.Asker && author != was.Beneficiary || is.State != Withdrawn {
			t.Fatalf("%s withdrew %+v: %s", author, was, is.State)
		}
		m.over = true
		return false
	}
	if m.before(was.Step, author) && !RouteOf(before, was.Route).SamePerson {
		t.Fatalf("%s decided on two steps of %+v", author, was)
	}
	places := named(before, was, was.Step)
	var place fact.UserID
	for _, of := range places {
		if place == 0 && slices.Contains(able(before, was, places, of, at), author) && !slices.Contains(m.places[was.Step], of) {
			place = of
		}
	}
	if author == was.Asker || author == was.Beneficiary || place == 0 {
		t.Fatalf("%s decided on %+v", author, was)
	}
	if !approves {
		m.over = true
		if is.State != Refused {
			t.Fatalf("%s refused, and it is %s", ref, is.State)
		}
		return place != author
	}
	m.approvals[was.Step], m.places[was.Step] = append(m.approvals[was.Step], author), append(m.places[was.Step], place)
	through := true
	for i, step := range is.Steps {
		if step.All && i == was.Step {
			for _, of := range places {
				for _, id := range able(before, was, places, of, at) {
					if !m.before(i, id) && !slices.Contains(m.approvals[i], id) {
						through = through && slices.Contains(m.places[i], of)
					}
				}
			}
		}
		through = through && len(m.approvals[i]) > 0
	}
	if (is.State == Approved) != through {
		t.Fatalf("%s is %s after approvals %v of %+v", ref, is.State, m.approvals, is.Steps)
	}
	if is.State == Approved {
		m.over = true
		a := after.Assignment(is.Given)
		if a == nil || a.Role != is.Role || a.Assignee.User != is.Beneficiary {
			t.Fatalf("%s gave %+v", ref, a)
		}
		if m.window.Until != 0 && (a.Window.Until == 0 || a.Window.Until > m.window.Until) || a.Window.From < m.window.From {
			t.Fatalf("%s was asked for %+v and gave %+v", ref, m.window, a.Window)
		}
	}
	return place != author
}

// Whoever may alter a role, and not give it wherever it may be held, may not make it
// give more: not while it is offered, not while somebody waits for it, and not before.
func TestARoleIsWidenedByWhoMayGiveIt(t *testing.T) {
	s := team(t)
	for _, op := range []change.Operation{
		&roles.AddRole{Key: "editor"},
		&roles.AddPermission{Role: "editor", Application: "able-roster", Actions: []string{"read", "update"}, Pattern: "/"},
		&roles.Grant{Role: "editor", User: "user.6"},
		&roles.AddRole{Key: "r3", Application: "cranes"},
		&roles.AddRole{Key: "r4", Application: "cranes"},
		&roles.AddPermission{Role: "cranes/r4", Actions: []string{"read"}, Pattern: "/"},
	} {
		next, faults := apply(s, 0, 2, op)
		if len(faults) > 0 {
			t.Fatal(&faults[0])
		}
		s = next
	}
	editor, _ := s.FindUser("user.6")
	lacks := func(op change.Operation) int {
		d := change.NewDraft(s)
		d.Author = editor
		d.Apply(0, op, 3)
		d.Finish()
		if len(d.Faults) > 0 {
			t.Fatal(&d.Faults[0])
		}
		return len(change.AuthorityOf(s, editor, 3).Judge(d, 3))
	}
	wider := func(role change.RoleRef) change.Operation {
		return &roles.AddPermission{Role: role, Application: "cranes", Actions: []string{"*"}, Pattern: "/"}
	}
	if lacks(wider("cranes/r3")) == 0 {
		t.Error("a role that nobody holds yet was let give more")
	}
	if lacks(wider("cranes/r0")) == 0 {
		t.Error("an offered role was let give more")
	}
	if lacks(&roles.IncludeRole{Role: "cranes/r0", Includes: "cranes/r4"}) == 0 {
		t.Error("an offered role was let include another")
	}
	if lacks(&MakeRequestable{Role: "cranes/r3", Words: "all", Route: "short"}) == 0 {
		t.Error("a role was offered by somebody who may not give it")
	}
	s, faults := apply(s, 0, 4, &EndRequestable{Role: "cranes/r0"})
	if len(faults) > 0 || lacks(wider("cranes/r0")) == 0 {
		t.Error("once it was offered no more it was let give more")
	}
}

// A request is for the role as it was: whoever widens the role while somebody waits
// for it is judged as if they gave them that.
func TestARoleThatSomebodyWaitsForIsWidenedByWhoMayGiveItThem(t *testing.T) {
	s := team(t)
	for _, x := range []struct {
		author fact.UserID
		op     change.Operation
	}{
		{0, &roles.UpdateRole{Role: "cranes/r0", HeldWithin: &[]string{"yard"}[0]}},
		{0, &people.UpdateUser{User: "user.5", UserEdits: fact.UserEdits{Unit: &[]string{"yard"}[0]}}},
		{0, &roles.AddRole{Key: "yard-editor"}},
		{0, &roles.AddPermission{Role: "yard-editor", Application: "able-roster", Actions: []string{"read", "update", "assign"}, Pattern: "roles"}},
		{0, &roles.AddPermission{Role: "yard-editor", Application: "able-roster", Actions: []string{"assign"}, Pattern: "users/yard"}},
		{0, &roles.Grant{Role: "yard-editor", User: "user.6"}},
		{6, &RequestRole{Role: "cranes/r0", Window: calendar.Window{Until: 1_000_000}}}, // user.5
		{0, &EndRequestable{Role: "cranes/r0"}},
	} {
		next, faults := apply(s, x.author, 2, x.op)
		if len(faults) > 0 {
			t.Fatal(x.op.Verb(), &faults[0])
		}
		s = next
	}
	editor, _ := s.FindUser("user.6")
	lacks := func(ops ...change.Operation) int {
		d := change.NewDraft(s)
		for i, op := range ops {
			d.Apply(i, op, 3)
		}
		d.Finish()
		if len(d.Faults) > 0 {
			t.Fatal(&d.Faults[0])
		}
		return len(change.AuthorityOf(s, editor, 3).Judge(d, 3))
	}
	wider := &roles.AddPermission{Role: "cranes/r0", Actions: []string{"*"}, Pattern: "/"}
	if n := lacks(wider); n > 0 {
		t.Errorf("within the part of whoever alters it: lacks %d", n)
	}
	next, _ := apply(s, 0, 3, &people.UpdateUser{User: "user.5", UserEdits: fact.UserEdits{Unit: &[]string{"office"}[0]}})
	s = next // the asker moved out of the editor's part, and waits still
	if lacks(wider) == 0 {
		t.Error("a role that somebody outside the part waits for was let give more")
	}
}

// Whoever makes somebody a manager, an owner or a member of a group that is asked gives
// them all that they decide on then.
func TestBecomingTheOneWhoDecidesIsAGain(t *testing.T) {
	s := team(t)
	for _, op := range []change.Operation{
		&roles.AddRole{Key: "clerk"}, // may change everything, and give nothing
		&roles.AddPermission{Role: "clerk", Application: "able-roster", Actions: []string{"read", "create", "update"}, Pattern: "/"},
		&roles.Grant{Role: "clerk", User: "user.6"},
		&roles.AddRole{Key: "giver"},
		&roles.AddPermission{Role: "giver", Application: "able-roster", Actions: []string{"*"}, Pattern: "/"},
		&roles.Grant{Role: "giver", User: "user.4"},
		&roles.AddGroup{Key: "inner"},
		&roles.AddMember{Group: "board", Member: "inner"},
		&roles.AddGroup{Key: "aside"},
		&people.AddSubstitute{User: "user.1", Substitute: "user.6", Start: 9, End: 20},
	} {
		next, faults := apply(s, 0, 2, op)
		if len(faults) > 0 {
			t.Fatal(op.Verb(), &faults[0])
		}
		s = next
	}
	me, nobody := change.UserRef("user.6"), change.UserRef("")
	rule := "title eq \"boss\""
	for name, x := range map[string]struct {
		op      change.Operation
		becomes bool
	}{
		"a manager":                           {&people.UpdateUser{User: "user.3", Manager: &me}, true},
		"no manager":                          {&people.UpdateUser{User: "user.3", Manager: &nobody}, false},
		"the same manager":                    {&people.UpdateUser{User: "user.3", Manager: &[]change.UserRef{"user.0"}[0]}, false},
		"a manager of somebody new":           {&people.AddUser{Personal: fact.Personal{UserName: "new.one"}, Manager: "user.6"}, true},
		"somebody new without one":            {&people.AddUser{Personal: fact.Personal{UserName: "new.two"}}, false},
		"an owner of the role":                {&roles.UpdateRole{Role: "cranes/r1", Owner: &me}, true},
		"an owner of a role nobody asks of":   {&roles.UpdateRole{Role: "cranes/r2", Owner: &me}, false},
		"an owner of the application":         {&roles.UpdateApplication{Application: "cranes", Owner: &me}, true},
		"an approver":                         {&roles.AddMember{Group: "board", User: "user.6"}, true},
		"an approver through a group":         {&roles.AddMember{Group: "inner", User: "user.6"}, true},
		"a group of approvers":                {&roles.AddMember{Group: "board", Member: "aside"}, true},
		"approvers by a filter":               {&roles.UpdateGroup{Group: "board", Filter: &rule}, true},
		"a member of a group nobody asks":     {&roles.AddMember{Group: "aside", User: "user.6"}, false},
		"a substitute of a manager":           {&people.AddSubstitute{User: "user.0", Substitute: "user.6", Start: 9, End: 12}, true},
		"a substitute of an approver":         {&people.AddSubstitute{User: "user.2", Substitute: "user.6", Start: 9, End: 12}, true},
		"a substitute of who decides nothing": {&people.AddSubstitute{User: "user.6", Substitute: "user.5", Start: 9, End: 12}, false},
		"a substitute for longer":             {&people.EndSubstitute{User: "user.1", Number: 1, End: 30}, true},
		"a substitute for less long":          {&people.EndSubstitute{User: "user.1", Number: 1, End: 10}, false},
		"a taker over":                        {&people.HandOver{User: "user.0", To: "user.6"}, true},
		"a taker over of who is named":        {&people.HandOver{User: "user.4", To: "user.6"}, true},
		"a route":                             {&SetRoute{Key: "short", Steps: []StepRef{{Whose: Users, Users: []change.UserRef{"user.6"}}}}, true},
		"a route by which nothing is asked":   {&SetRoute{Key: "new", Steps: []StepRef{{Whose: Users, Users: []change.UserRef{"user.6"}}}}, false},
		"an end of who decides at this step":  {&roles.RemoveMember{Group: "board", User: "user.2"}, false},
	} {
		for _, author := range []string{"user.6", "user.4"} {
			d := change.NewDraft(s)
			d.Apply(0, x.op, 3)
			d.Finish()
			if len(d.Faults) > 0 {
				t.Fatal(name, &d.Faults[0])
			}
			id, _ := s.FindUser(author)
			if got := len(change.AuthorityOf(s, id, 3).Judge(d, 3)) > 0; got != (x.becomes && author == "user.6") {
				t.Errorf("%s, by %s: refused %v", name, author, got)
			}
		}
	}
}

// Whoever takes over from an approver decides where routes name them, and on requests that wait.
func TestWhoIsNamedIsHandedOver(t *testing.T) {
	s := team(t)
	asker, _ := s.FindUser("user.6")
	next, op, faults := settle(s, asker, 2, &RequestRole{Role: "cranes/r2"})
	if len(faults) > 0 {
		t.Fatal(&faults[0])
	}
	for to, want := range map[change.UserRef]int{"user.1": 2, "user.5": 1} {
		after, op2, faults := settle(next, 0, 3, &people.HandOver{User: "user.4", To: to})
		if len(faults) > 0 {
			t.Fatal(&faults[0])
		}
		id, _ := after.FindUser(string(to))
		n, _ := fact.ParseID("request", string(op.(*RequestRole).Request))
		r, route := RequestOf(after, RequestID(n)), FindRoute(after, "named")
		for what, users := range map[string][]fact.UserID{"request": r.Steps[0].Users, "route": route.Steps[0].Users} {
			if len(users) != want || !slices.Contains(users, id) {
				t.Errorf("the %s names %v, by %+v", what, users, op2)
			}
		}
		if why := r.MayDecide(after, id, 4); why != "" {
			t.Errorf("%s may not decide: %s", to, why)
		}
	}
}

// A hand-over is replayed as it was made: one of before passed nothing on by which somebody is named, and
// whoever knew of nothing passed nothing on.
func TestHandOversAreReplayedAsTheyWereMade(t *testing.T) {
	s := team(t)
	four, _ := s.FindUser("user.4")
	for name, x := range map[string]struct {
		op    people.HandOver
		names bool // user.4 still
	}{
		"of before":               {people.HandOver{User: "user.4", To: "user.1"}, true},
		"made now":                {people.HandOver{User: "user.4", To: "user.1", Duties: true, Things: []change.ThingRef{change.ThingRef(FindRoute(s, "named").ID.String())}}, false},
		"by whoever knew nothing": {people.HandOver{User: "user.4", To: "user.1", Duties: true}, true},
	} {
		d := change.NewDraft(s)
		d.Replays = true
		d.Apply(0, &x.op, 3)
		if d.Finish(); len(d.Faults) > 0 {
			t.Fatal(name, &d.Faults[0])
		}
		if got := slices.Contains(FindRoute(&d.Snapshot, "named").Steps[0].Users, four); got != x.names {
			t.Errorf("%s: the route names whoever leaves: %v", name, got)
		}
	}
}

// named are whose decision a step asks for, looked up plainly, but for who asked or gets it.
func named(s *access.Snapshot, r *Request, step int) []fact.UserID {
	var out []fact.UserID
	for u := range s.Users() {
		in := false
		switch t := r.Steps[step]; t.Whose {
		case Manager:
			in = s.User(r.Beneficiary).Manager == u.ID
		case Owner:
			in = u.UserName == "user.1"
		case Group:
			for _, f := range s.MembershipsOf(fact.Member{User: u.ID}) {
				in = in || f.Group == t.Group
			}
		case Users:
			in = slices.Contains(t.Users, u.ID)
		}
		if in && u.ID != r.Asker && u.ID != r.Beneficiary {
			out = append(out, u.ID)
		}
	}
	return out
}

// able are who may give the decision of one of those named: they, or who stands in for them and
// is not named themselves.
func able(s *access.Snapshot, r *Request, named []fact.UserID, of fact.UserID, at calendar.Instant) []fact.UserID {
	var out []fact.UserID
	if s.User(of).Status == fact.Active {
		out = append(out, of)
	}
	f, _ := s.RecordFact(fact.FactSubstitutes, uint32(of)).(*fact.Substitutes)
	for _, x := range f.Listed() {
		day := calendar.DateOf(at.Time())
		if x.Start <= day && day <= x.End && s.User(x.User).Status == fact.Active && s.User(of).Status != fact.Departed && !slices.Contains(named, x.User) && x.User != r.Asker && x.User != r.Beneficiary {
			out = append(out, x.User)
		}
	}
	return out
}
