package demo

import (
	"strings"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/request"
	"ableroster/internal/review"
)

// defaults are the rules by which people have what they need from the first day.
func (g *generator) defaults(at time.Time) {
	g.add(at, Administrator, "console", "So that nobody waits for a role on the first day",
		&rules.AddDefault{Key: "crane-crew", Label: "Crane crew", Description: "Every crane operator sees the cranes and their works orders.",
			Filter: `within eq "terminal/cranes" and title eq "Crane operator"`, Roles: []change.RoleRef{"crane-control/observer"}, Groups: []change.GroupRef{"terminal-staff"}, Owner: Administrator, Order: 10, OverlapDays: 14},
		&rules.AddDefault{Key: "tally-staff", Label: "Tally staff", Description: "Staff of the tally read what the terminal reads.",
			Filter: `within eq "terminal/tally" and employment_type eq "staff"`, Groups: []change.GroupRef{"terminal-staff"}, Owner: Administrator, Order: 20})
}

// SoD rules were written once the auditor had asked.
func (g *generator) sodRules(at time.Time) {
	g.add(at, Administrator, "console", "The auditor asked who checks whom",
		&rules.AddSoDRule{Key: "credit-two-hands", Label: "Credits take two", Description: "who raises a credit does not release it",
			Roles: []change.RoleRef{"tariff-ledger/credit-raiser", "tariff-ledger/credit-releaser"}, Prevent: true},
		&rules.AddSoDRule{Key: "pass-two-hands", Label: "Passes take two", Description: "who asks for a gate pass does not issue it",
			Roles: []change.RoleRef{"gate-passes/requester", "gate-passes/issuer"}})
}

// freezes keep the tariffs as they are while the books are closed: of last year, and of the
// quarter to come.
func (g *generator) freezes(at time.Time) {
	day := func(days int) calendar.Instant { return calendar.At(midnight(g.until.AddDate(0, 0, days))) }
	for _, f := range []struct {
		key, label  string
		first, last int
	}{{"half-year-close", "Half-year close", -20, -12}, {"quarter-close", "Quarter close", 21, 29}} {
		g.add(at, Administrator, "console", "Nobody alters what the auditors count",
			&rules.SetFreeze{Key: f.key, Label: f.label, Why: "The books are being closed.", Window: calendar.Window{From: day(f.first), Until: day(f.last)},
				Applications: []change.ApplicationRef{"tariff-ledger"}, LetThrough: []change.UserRef{change.UserRef(g.present("finance")[0].name)}})
	}
}

// expectations are what must keep holding, and one that does not.
func (g *generator) expectations(at time.Time) {
	g.add(at, Administrator, "console", "What the departments asked to be sure of",
		&rules.SetExpectation{Key: "pilots-no-tariffs", Label: "Pilots cannot change tariffs", Description: "they live by the pilotage dues",
			Group: "pilots", Application: "tariff-ledger", Action: "update", Pattern: "tariffs", Blocking: true},
		&rules.SetExpectation{Key: "tides-for-all", Label: "Anybody can read the tides", Description: "small craft have no account",
			Nobody: true, May: true, Application: "tide-board", Action: "read", Pattern: "tides", Blocking: true},
		&rules.SetExpectation{Key: "operators-operate", Label: "Crane operators can operate every crane",
			Group: "crane-operators", May: true, Application: "crane-control", Action: "operate", Pattern: "cranes"},
		&rules.SetExpectation{Key: "credits-by-leads", Label: "Only finance leads release credits", Description: "the auditor's finding of last year",
			Group: "finance-leads", Except: true, Application: "tariff-ledger", Action: "release", Pattern: "credits"})
}

// wider is a rule that was thought over.
func (g *generator) wider(at time.Time) {
	whole := `within eq "terminal/tally"`
	g.add(at, Administrator, "console", "Temporary hands read manifests too",
		&rules.UpdateDefault{Default: "tally-staff", Filter: &whole})
}

// present are the people of a part of the port who are still there, in the order
// in which they came, but for those of the walk.
func (g *generator) present(unit string) []*person {
	var out []*person
	for _, p := range g.people {
		if !p.gone && !p.fixed && (p.unit == unit || strings.HasPrefix(p.unit, unit+"/")) {
			out = append(out, p)
		}
	}
	return out
}

// offers are the owners of today.
func (g *generator) offers(at time.Time) {
	var ops []change.Operation
	own := func(user string, apps ...string) {
		for _, a := range apps {
			owner := change.UserRef(user)
			ops = append(ops, &roles.UpdateApplication{Application: change.ApplicationRef(a), Owner: &owner})
		}
	}
	own(Manager, "berth-planning", "pilot-roster")
	own(Administrator, "tide-board", "works-orders", "incident-log")
	own(g.present("finance")[0].name, "tariff-ledger")
	own(g.present("terminal/cranes")[0].name, "crane-control", "cargo-manifests")
	own(g.present("security")[0].name, "gate-passes")
	own(g.present("engineering")[0].name, "sounding-surveys")
	g.add(at, Administrator, "console", "Who answers for what", ops...)
}

// catalogue are routes and requestable roles.
func (g *generator) catalogue(at time.Time) {
	step := func(whose request.Whose) request.StepRef { return request.StepRef{Whose: whose} }
	ops := []change.Operation{
		&request.SetRoute{Key: "manager", Label: "The manager", Steps: []request.StepRef{step(request.Manager)}},
		&request.SetRoute{Key: "manager-and-owner", Label: "The manager, then the owner", Steps: []request.StepRef{step(request.Manager), step(request.Owner)}},
		&request.SetRoute{Key: "safety", Label: "The manager, then all lock keepers", Steps: []request.StepRef{step(request.Manager), {Whose: request.Group, Group: "lock-keepers", All: true}}},
		&request.SetRoute{Key: "pass-office", Label: "The pass office", Steps: []request.StepRef{{Whose: request.Group, Group: "pass-office"}}},
		&request.SetRoute{Key: "administrator", Label: "The access administrator", Steps: []request.StepRef{{Whose: request.Users, Users: []change.UserRef{Administrator}}}},
	}
	for _, o := range []request.MakeRequestable{
		{Role: "berth-planning/scheduler", Words: "assign vessels to berths", Route: "manager", MaxDays: 90},
		{Role: "berth-planning/planner", Words: "write the week plans of the berths", Route: "manager-and-owner"},
		{Role: "sounding-surveys/surveyor", Words: "make soundings and enter them", Route: "manager-and-owner", MaxDays: 180},
		{Role: "tariff-ledger/reader", Words: "look tariffs up", Route: "administrator"},
		{Role: "tariff-ledger/credit-releaser", Words: "release credits that others raised", Route: "manager-and-owner", MaxDays: 365},
		{Role: "crane-control/limit-setter", Words: "set load limits of the cranes", Route: "safety", MaxDays: 30},
		{Role: "gate-passes/issuer", Words: "issue gate passes to guests", Route: "pass-office", MaxDays: 90},
		{Role: "incident-log/reader", Words: "read incidents and what was learned", Route: "manager"},
		{Role: "works-orders/raiser", Words: "raise a works order", Route: "manager"},
	} {
		ops = append(ops, &o)
	}
	shared := 5
	ops = append(ops, &roles.UpdateRole{Role: "berth-planning/north-scheduler", MaxShares: &shared}) // the berth board shares berths
	g.add(at.Add(time.Minute), Administrator, "console", "Asking instead of telephoning", ops...)
}

// requests are in every state there is.
func (g *generator) requests(at time.Time) {
	marine, finance := g.present("marine"), g.present("finance")
	n := 0
	ask := func(who, reason string, o request.RequestRole) request.RequestRef {
		n++
		return g.ask(at.Add(time.Duration(n)*time.Minute), who, reason, o)
	}
	said := g.decides
	day := func(days int) calendar.Instant { return calendar.At(midnight(g.until.AddDate(0, 0, days))) }
	fortnight := day(14)
	ref := ask(marine[0].name, "Covers for a colleague on leave", request.RequestRole{Role: "berth-planning/scheduler", Window: calendar.Window{Until: day(80)}})
	said(Manager, "For the leave, not for the quarter", ref, request.Approve, &fortnight)
	ref = ask(marine[1].name, "It would be handy", request.RequestRole{Role: "berth-planning/planner"})
	said(Manager, "The week plan has one writer", ref, request.Refuse, nil)
	ref = ask(marine[2].name, "Wrong role, sorry", request.RequestRole{Role: "works-orders/raiser"})
	g.add(g.last.Add(3*time.Minute), marine[2].name, "console", "Asked for the wrong role", &request.WithdrawRequest{Request: ref})
	ref = ask(marine[3].name, "The survey launch is short of hands", request.RequestRole{Role: "sounding-surveys/surveyor", Window: calendar.Window{Until: day(120)}})
	said(Manager, "He has the licence", ref, request.Approve, nil)
	ask(Pilot, "Plans the regatta week", request.RequestRole{Role: "berth-planning/planner", Window: calendar.Window{Until: day(30)}})
	ask(finance[1].name, "Stands in at month end", request.RequestRole{Role: "tariff-ledger/credit-releaser", Window: calendar.Window{Until: day(60)}})
	ask(g.present("customs")[1].name, "Reads what happened to the seals", request.RequestRole{Role: "incident-log/reader"}) // nobody is their manager
	ask(g.present("customs")[0].name, "Checks dues on landed goods", request.RequestRole{Role: "tariff-ledger/reader"})
}

// opened opens a round, and is what there is then.
func (g *generator) opened(at time.Time, key, label, reason string, o review.OpenRound) (*review.Round, *access.Snapshot) {
	o.Key, o.Label = key, label
	g.add(at, Administrator, "console", reason, &o)
	s := g.soFar()
	return review.FindRound(s, key), s
}

// decided decides items of a round.
func (g *generator) decided(r *review.Round, who, reason string, keep bool, lines []review.Item) {
	if len(lines) == 0 {
		return
	}
	op := &review.DecideItems{Round: review.RoundRef(r.Key), Keep: keep}
	for _, l := range lines {
		op.Items = append(op.Items, review.ItemRef{User: change.UserRef(l.User.String()), Assignment: change.AssignmentRef(l.Assignment.String())})
	}
	g.add(g.last.Add(90*time.Second), who, "console", reason, op)
}

// tariffReview is the tariff ledger once over: one direct role and one through a group go.
func (g *generator) tariffReview(at time.Time) {
	r, s := g.opened(at, "tariffs-autumn", "Tariff ledger, autumn", "The auditor's plan for the year", review.OpenRound{Application: "tariff-ledger", Reviewers: review.Users, Users: []change.UserRef{Administrator}})
	var keep, direct, group []review.Item
	for _, l := range r.Items(s) {
		switch {
		case l.Direct() && len(direct) == 0 && l.User == found(s, yearEnd):
			direct = append(direct, l)
		case !l.Direct() && len(group) == 0:
			group = append(group, l)
		default:
			keep = append(keep, l)
		}
	}
	g.decided(r, Administrator, "As it should be", true, keep)
	g.decided(r, Administrator, "Not used for a year", false, direct)
	g.decided(r, Administrator, "Has moved to invoices", false, group)
	g.add(g.last.Add(2*time.Minute), Administrator, "console", "Done for the quarter", &review.SignOff{Round: "tariffs-autumn"})
}

// reviews is a round that is under way: of the marine unit, whose manager has begun.
func (g *generator) reviews(at time.Time) {
	r, s := g.opened(at, "marine-winter", "Marine unit, winter", "Each quarter, each unit", review.OpenRound{Filter: `within eq "marine"`, Reviewers: review.Manager})
	var first []review.Item
	manager := found(s, Manager)
	for _, l := range r.Items(s) {
		if u := s.User(l.User); u.Manager == manager && l.User != manager && len(first) < 12 {
			first = append(first, l)
		}
	}
	g.decided(r, Manager, "Still on these duties", true, first)
}

// soFar is the port as filed up to now.
func (g *generator) soFar() *access.Snapshot {
	if g.seen == nil {
		g.seen = access.Empty()
	}
	for ; g.read < len(g.out); g.read++ {
		c := g.out[g.read]
		d := change.NewDraft(g.seen)
		d.Author, _ = g.seen.FindUser(c.Author)
		for i, op := range c.Operations {
			d.Apply(i, op, calendar.At(c.At))
		}
		d.Finish()
		if len(d.Faults) > 0 {
			panic(c.Reason + ": " + d.Faults[0].Error())
		}
		g.seen = d.Seal(d.Revision, calendar.At(c.At))
	}
	return g.seen
}

func found(s *access.Snapshot, user string) fact.UserID {
	id, _ := s.FindUser(user)
	return id
}
