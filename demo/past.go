package demo

import (
	"fmt"
	"slices"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/request"
	"ableroster/internal/review"
)

// customsLeaves is the day of the reorganisation: until then customs is part of the office.
const customsLeaves = 300

// past are the workflows of the months before: of each there is something on every page, and
// nothing of it is left today but what is told of it. It draws nothing by chance.
func (g *generator) past(on func(day int, do func(time.Time))) {
	for month := range 15 {
		on(60+30*month, func(at time.Time) { g.asked(at, month) })
	}
	for i, app := range []string{"berth-planning", "incident-log", "works-orders", "berth-planning"} {
		on(95+90*i, func(at time.Time) { g.quarter(at, i+1, app) })
	}
	for season := range 2 {
		on(60+250*season, func(at time.Time) { g.season(at, season) })
		on(150+250*season, func(at time.Time) { g.seasonEnds(at, season) })
	}
	on(130, g.wrongGroup)
	on(470, g.wrongRole)
	on(210, g.deputy)
	on(245, g.deputyEnds)
	on(customsLeaves, g.customs)
	on(380, g.bothHands)
	on(420, g.oneHand)
	on(days-10, g.yearEnds)
}

// ask files a request, and is its id.
func (g *generator) ask(at time.Time, who, reason string, o request.RequestRole) request.RequestRef {
	g.requested++
	g.add(at, who, "console", reason, &o)
	return request.RequestRef(request.RequestID(g.requested).String())
}

// decides files the decision of one step.
func (g *generator) decides(who, reason string, ref request.RequestRef, v request.Choice, until *calendar.Instant) {
	g.add(g.last.Add(90*time.Second), who, "console", reason, &request.DecideRequest{Request: ref, Choice: v, Until: until})
}

// asked are the requests of a month: one that is approved for a while, one that is refused.
func (g *generator) asked(at time.Time, month int) {
	end := calendar.At(midnight(at.AddDate(0, 0, 40)))
	marine := g.present("marine")
	who := marine[(month*5)%len(marine)]
	what := []struct{ role, why, said string }{
		{"works-orders/raiser", "The pilot boat needs a new fender", "For the fender"},
		{"incident-log/reader", "Reads what came of the near miss", "For the inquiry"},
		{"berth-planning/scheduler", "Covers for a colleague on leave", "For the leave"},
	}[month%3]
	if !slices.Contains(who.direct, what.role) {
		ref := g.ask(at, who.name, what.why, request.RequestRole{Role: change.RoleRef(what.role), Window: calendar.Window{Until: end}})
		g.decides(Manager, what.said, ref, request.Approve, nil)
	}
	office := g.present("office")
	other := office[(month*3)%len(office)]
	if slices.Contains(other.direct, "tariff-ledger/reader") {
		return
	}
	ref := g.ask(g.last.Add(17*time.Minute), other.name, "Answers a customer about dues", request.RequestRole{Role: "tariff-ledger/reader", Window: calendar.Window{Until: end}})
	if month%2 == 0 {
		g.decides(Administrator, "Ask the tariff desk instead", ref, request.Refuse, nil)
		return
	}
	g.decides(Administrator, "Until the customer has the answer", ref, request.Approve, nil)
}

// quarter is a review round with its decisions, and what came of them: what was requested and
// is not used is revoked, the rest is kept.
func (g *generator) quarter(at time.Time, n int, app string) {
	key := fmt.Sprintf("quarterly-%d", n)
	g.add(at, Administrator, "console", "Each quarter, one application", &review.OpenRound{Key: key, Label: fmt.Sprintf("Quarterly round %d", n), Application: change.ApplicationRef(app), Reviewers: review.Users, Users: []change.UserRef{Administrator}})
	s := g.soFar()
	r := review.FindRound(s, key)
	var keep, revoke []review.ItemRef
	for _, l := range r.Items(s) {
		ref := review.ItemRef{User: change.UserRef(l.User.String()), Assignment: change.AssignmentRef(l.Assignment.String())}
		if a := s.Assignment(l.Assignment); l.Direct() && a.Origin == fact.ByRequest && len(revoke) < 2 {
			revoke = append(revoke, ref)
		} else {
			keep = append(keep, ref)
		}
	}
	for _, x := range []struct {
		items []review.ItemRef
		keep  bool
		why   string
	}{{keep, true, "In use"}, {revoke, false, "Asked for, and not used since"}} {
		if len(x.items) > 0 {
			g.add(g.last.Add(11*time.Minute), Administrator, "console", x.why, &review.DecideItems{Round: review.RoundRef(key), Items: x.items, Keep: x.keep})
		}
	}
	g.add(g.last.Add(3*time.Minute), Administrator, "console", "Done for the quarter", &review.SignOff{Round: review.RoundRef(key)})
}

// seasonal are the hands of a season: they come and leave together.
func seasonal(season int) []change.UserRef {
	return [][]change.UserRef{{"gwenllian.umfraville", "rurik.jessamine", "nazareth.tregenza"}, {"valdis.oakhanger", "quirina.stavenger", "torquil.wetherell", "ottoline.coldstream"}}[season]
}

var seasonalNames = map[change.UserRef]string{"gwenllian.umfraville": "Gwenllian Umfraville-Rhys", "rurik.jessamine": "Rurik Jessamine-Vale", "nazareth.tregenza": "Nazareth Tregenza-Moor",
	"valdis.oakhanger": "Valdis Oakhanger-Lund", "quirina.stavenger": "Quirina Stavenger-Holt", "torquil.wetherell": "Torquil Wetherell-Dahl", "ottoline.coldstream": "Ottoline Coldstream-Roe"}

func (g *generator) season(at time.Time, season int) {
	var ops []change.Operation
	for _, user := range seasonal(season) {
		name := "season." + string(user)
		ops = append(ops, &people.AddUser{Personal: fact.Personal{UserName: name, DisplayName: seasonalNames[user], Email: name + "@larkhaven.example"},
			UserFacts: fact.UserFacts{Unit: "terminal/tally", Title: "Seasonal hand", Employment: "temporary", Location: "South Quay", Start: calendar.DateOf(at), End: calendar.DateOf(at.AddDate(0, 0, 95))}},
			&roles.AddMember{Group: "terminal-staff", User: change.UserRef(name)})
	}
	g.add(at, Administrator, "command line", "Hands for the season", ops...)
}

func (g *generator) seasonEnds(at time.Time, season int) {
	departed, end := fact.Departed, calendar.DateOf(at)
	var ops []change.Operation
	for _, user := range seasonal(season) {
		ops = append(ops, &people.UpdateUser{User: "season." + user, Status: &departed, UserEdits: fact.UserEdits{End: &end}})
	}
	g.add(at, Administrator, "command line", "The season is over", ops...)
}

// wrongGroup and wrongRole are mistakes, and their undoing.
func (g *generator) wrongGroup(at time.Time) {
	g.add(at, Administrator, "console", "The tide board gets new editors", &roles.Grant{Role: "tide-board/editor", Group: "tug-crews"})
	g.undo(&roles.Revoke{Role: "tide-board/editor", Group: "tug-crews"})
}

func (g *generator) wrongRole(at time.Time) {
	back := false
	g.add(at, Administrator, "console", "Nobody sets limits any more", &roles.RetireRole{Role: "crane-control/limit-setter"})
	g.undo(&roles.UpdateRole{Role: "crane-control/limit-setter", Retired: &back})
}

// undo takes back what was filed last.
func (g *generator) undo(ops ...change.Operation) {
	g.add(g.last.Add(19*time.Minute), Administrator, "console", fmt.Sprintf("Undo of revision %d", len(g.out)), ops...)
}

// deputy administers the marine unit while its head is away; it is taken back afterwards.
func (g *generator) deputy(at time.Time) {
	g.standIn = g.present("marine")[0]
	g.add(at, Administrator, "console", "Stands in while Tomas is away", &roles.Grant{Role: "marine-manager", User: change.UserRef(g.standIn.name)})
}

func (g *generator) deputyEnds(at time.Time) {
	s := g.soFar()
	id, _ := s.FindUser(g.standIn.name)
	if s.User(id).Status == fact.Active {
		g.add(at, Administrator, "console", "Tomas is back", &roles.Revoke{Role: "marine-manager", User: change.UserRef(g.standIn.name)})
	}
}

// unitNow is where a unit of today lies on the day that is told.
func (g *generator) unitNow(path string) string {
	if path == "customs" && !g.reorganised {
		return "office/customs"
	}
	return path
}

// customs becomes a unit of its own.
func (g *generator) customs(at time.Time) {
	g.reorganised = true
	g.add(at, Administrator, "console", "Reorganisation: customs is a unit of its own", &people.MoveUnit{Unit: "office/customs", To: "customs"})
}

// yearEnd is somebody who helps out in finance: they come to hold what is to be apart, which is
// settled once there is a rule, and leave.
const yearEnd = "orla.whitlock-bray"

func (g *generator) bothHands(at time.Time) {
	g.add(at, Administrator, "console", "Helps out at the year's end",
		&people.AddUser{Personal: fact.Personal{UserName: yearEnd, DisplayName: "Orla Whitlock-Bray", Email: yearEnd + "@larkhaven.example"},
			UserFacts: fact.UserFacts{Unit: "finance", Title: "Accountant", Employment: "temporary", Location: "Customs House", Start: calendar.DateOf(at)}},
		&roles.Grant{Role: "tariff-ledger/credit-raiser", User: yearEnd}, &roles.Grant{Role: "tariff-ledger/credit-releaser", User: yearEnd}, &roles.Grant{Role: "tariff-ledger/clerk", User: yearEnd})
}

func (g *generator) oneHand(at time.Time) {
	g.add(at, Administrator, "console", "Settled: whoever raises a credit does not release it", &roles.Revoke{Role: "tariff-ledger/credit-releaser", User: yearEnd})
}

func (g *generator) yearEnds(at time.Time) {
	departed, end := fact.Departed, calendar.DateOf(at)
	g.add(at, Administrator, "console", "The books are closed", &people.UpdateUser{User: yearEnd, Status: &departed, UserEdits: fact.UserEdits{End: &end}})
}
