package demo

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
)

// event is something that happens on a day.
type event struct {
	day int
	do  func(at time.Time)
}

// live is what happened since: joiners, movers, leavers, roles given and taken,
// and the few mistakes that are there to be found.
func (g *generator) live() {
	var events []event
	on := func(day int, do func(time.Time)) { events = append(events, event{day, do}) }
	for range 62 {
		on(20+g.rng.IntN(days-22), g.join)
	}
	for range 48 {
		on(40+g.rng.IntN(days-42), g.leave)
	}
	for range 36 {
		on(30+g.rng.IntN(days-32), g.move)
	}
	for range 420 {
		on(18+g.rng.IntN(days-19), g.grant)
	}
	for range 300 {
		on(60+g.rng.IntN(days-61), g.revoke)
	}
	g.past(on)
	on(30, g.pilot)
	on(45, g.catalogue)
	on(400, g.sodRules)
	on(200, g.defaults)
	on(260, g.wider)
	on(153, g.invoices)
	on(days-60, g.expectations)
	on(days-40, g.freezes)
	on(days-3, g.attributes)
	on(days-2, g.tidy)
	on(days-2, g.mistakes)
	on(days-1, g.ending)
	on(days-1, g.offers)
	on(days-1, g.requests)
	on(days-30, g.tariffReview)
	on(days-1, g.heads)
	on(days-1, g.reviews)
	slices.SortStableFunc(events, func(a, b event) int { return cmp.Compare(a.day, b.day) })
	for _, e := range events {
		g.day = e.day
		e.do(g.office(e.day))
	}
}

func (g *generator) somebody(fit func(*person) bool) *person {
	for range 200 {
		p := g.people[g.rng.IntN(len(g.people))]
		if !p.gone && !p.fixed && fit(p) {
			return p
		}
	}
	return nil
}

func anyone(*person) bool { return true }

// author is the administrator, or the marine unit's manager for their own.
func (g *generator) author(p *person) string {
	if strings.HasPrefix(p.unit, "marine") && g.rng.IntN(3) == 0 {
		return Manager
	}
	return Administrator
}

func (g *generator) via() string {
	return g.pick([]string{"console", "console", "console", "command line"})
}

func (g *generator) join(at time.Time) {
	p := g.newcomer(units[g.rng.IntN(len(units))])
	ops := append(g.adding(p, at), g.joining(p, g.dutiesIn(p.unit))...)
	g.add(at, Administrator, g.via(), g.pick(reasons["join"]), ops...)
	g.ticket()
}

func (g *generator) leave(at time.Time) {
	p := g.somebody(anyone)
	if p == nil {
		return
	}
	p.gone = true
	departed := fact.Departed
	end := calendar.DateOf(at)
	ops := g.leavingGroups(p)
	for _, r := range p.direct {
		ops = append(ops, &roles.Revoke{Role: change.RoleRef(r), User: change.UserRef(p.name)})
	}
	p.direct = nil
	ops = append(ops, &people.UpdateUser{User: change.UserRef(p.name), Status: &departed, UserEdits: fact.UserEdits{End: &end}})
	g.add(at, Administrator, g.via(), g.pick(reasons["leave"]), ops...)
	g.ticket()
}

func (g *generator) move(at time.Time) {
	p := g.somebody(func(p *person) bool { return p.kind != "contractor" })
	to := units[g.rng.IntN(len(units))]
	if p == nil || to.path == p.unit || to.path == "engineering/dredging" {
		return
	}
	title := g.pick(to.titles)
	ops := g.leavingGroups(p)
	p.unit, p.title = to.path, title
	unit := g.unitNow(to.path)
	ops = append(ops, &people.UpdateUser{User: change.UserRef(p.name), UserEdits: fact.UserEdits{Unit: &unit, Title: &title}})
	ops = append(ops, g.joining(p, g.dutiesIn(to.path))...)
	g.add(at, Administrator, g.via(), g.pick(reasons["move"]), ops...)
}

// rolesFor are application roles that people of a unit are given directly.
func (g *generator) rolesFor(p *person) []string {
	apps := map[string][]string{
		"marine": {"berth-planning", "pilot-roster", "sounding-surveys"}, "terminal": {"cargo-manifests", "crane-control"},
		"security": {"gate-passes", "incident-log"}, "engineering": {"works-orders", "sounding-surveys"}, "safety": {"incident-log"},
		"finance": {"tariff-ledger"}, "customs": {"cargo-manifests"}, "office": {"works-orders", "tide-board"},
	}
	top, _, _ := strings.Cut(p.unit, "/")
	var out []string
	for _, a := range applications {
		if slices.Contains(apps[top], a.key) {
			for _, r := range a.roles {
				out = append(out, a.key+"/"+r.key)
			}
		}
	}
	return out
}

func (g *generator) grant(at time.Time) {
	p := g.somebody(anyone)
	if p == nil {
		return
	}
	role := g.pick(g.rolesFor(p))
	if slices.Contains(p.direct, role) {
		return
	}
	op := &roles.Grant{Role: change.RoleRef(role), User: change.UserRef(p.name)}
	if g.rng.IntN(4) == 0 { // temporary
		n := 14 + g.rng.IntN(120)
		if end := g.day + n; end > days-12 && end < days+4 { // clearly over, or clearly not, whatever weekends do
			n += 16
		}
		op.Until = calendar.At(midnight(at.AddDate(0, 0, n)))
	}
	p.direct = append(p.direct, role)
	g.add(at, g.author(p), g.via(), g.pick(reasons["grant"]), op)
	g.ticket()
}

func (g *generator) revoke(at time.Time) {
	p := g.somebody(func(p *person) bool { return len(p.direct) > 0 })
	if p == nil {
		return
	}
	i := g.rng.IntN(len(p.direct))
	role := p.direct[i]
	p.direct = slices.Delete(p.direct, i, i+1)
	g.add(at, g.author(p), g.via(), g.pick(reasons["revoke"]), &roles.Revoke{Role: change.RoleRef(role), User: change.UserRef(p.name)})
}

func midnight(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location())
}

// share is a berth that the berth board shared for Inês with somebody of the tugs.
func (g *generator) share() {
	board, _ := g.soFar().FindUser(BerthBoard)
	g.add(g.last.Add(4*time.Minute), Pilot, board.String(), "Shared on the berth board",
		&roles.ShareRole{Role: "berth-planning/north-scheduler", User: change.UserRef(g.present("marine/tugs")[0].name), Path: "berths/north-2"})
}

// pilot is the woman of the walk.
func (g *generator) pilot(at time.Time) {
	p := g.known(Pilot, "Inês Halloran", "marine/pilotage", "Harbour pilot", "staff")
	p.fixed = true
	ops := append(g.adding(p, at), g.joining(p, []string{"pilots", "night-pilots"})...)
	g.add(at, Manager, "console", "New on the team", ops...)
}

func (g *generator) invoices(at time.Time) {
	g.add(at, Administrator, "console", "Checks her own invoices", &roles.Grant{Role: "tariff-ledger/reader", User: Pilot})
}

// ending is temporary access of the walk, about to end and about to begin.
func (g *generator) ending(at time.Time) {
	g.add(at, Manager, "console", "Covers the north quay during the regatta",
		&roles.Grant{Role: "berth-planning/scheduler", User: Pilot, Window: calendar.Window{Until: calendar.At(midnight(g.until.AddDate(0, 0, 6)))}})
	g.add(at.Add(3*time.Minute), Administrator, "console", "Joins the chart project next month",
		&roles.Grant{Role: "sounding-surveys/surveyor", User: Pilot, Window: calendar.Window{From: calendar.At(midnight(g.until.AddDate(0, 0, 20)))}})
}
