package demo

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"
	"unicode"

	"ableroster/internal/access"

	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"
)

// Change is one dated change of the history. Author is a user name.
type Change struct {
	At         time.Time
	Author     string
	Via        string
	Reason     string
	Operations []access.Operation
}

// Dormant is somebody who was given sign-in long ago and never used it.
const Dormant = "quirina.eisenhauer"

// Who can sign in to the demo, and what each shows.
var SignIns = []struct{ UserName, Shows string }{
	{Administrator, "access administrator: may do everything"},
	{Manager, "team manager: the marine unit is all there is"},
	{Auditor, "auditor: reads everything, changes nothing"},
	{Pilot, "harbour pilot: sees only herself"},
}

// The people of the walk.
const (
	Administrator = "marta.quill"
	Manager       = "tomas.brandt"
	Auditor       = "b.osei"
	Pilot         = "ines.halloran"
	// BerthBoard is the account under which the example application asks.
	BerthBoard = "berth-board"
	// Password is everybody's who can sign in: this is made-up data.
	Password = "larkhaven-tide-table"
	timeZone = "Europe/Lisbon"
)

// days is how long the history is.
const days = 548

// Larkhaven is the history of the port, oldest first, its last days just
// before until. It is the same for every call with the same instant, and on
// another day the same again but for the dates.
func Larkhaven(until time.Time) []Change {
	zone, err := time.LoadLocation(timeZone)
	if err != nil {
		panic(err) // built into the program
	}
	g := &generator{rng: rand.New(rand.NewPCG(7420, 1852)), clock: rand.New(rand.NewPCG(7420, 1853)),
		zone: zone, until: until.In(zone), taken: map[string]bool{}}
	g.start = g.until.AddDate(0, 0, -days)
	g.describe()
	g.fill()
	g.live()
	return g.out
}

// person is what the generator remembers of somebody.
type person struct {
	name, display string
	unit, title   string
	kind          string
	groups        []string
	direct        []string
	gone          bool
	fixed         bool // one of the people of the walk: left alone
}

type generator struct {
	rng          *rand.Rand // for who and what
	clock        *rand.Rand // for when within a day: how often it is asked depends on the date
	zone         *time.Location
	start, until time.Time
	out          []Change
	people       []*person
	taken        map[string]bool
	day          int // of the event that happens
	last         time.Time
	seen         *access.Snapshot // see soFar
	read         int
}

// add files a change. What builds on what is filed in order, so a time that
// chance put too early is moved on.
func (g *generator) add(at time.Time, author, via, reason string, ops ...access.Operation) {
	if !at.After(g.last) {
		at = g.last.Add(time.Duration(20+g.clock.IntN(200)) * time.Second)
	}
	g.last = at
	g.out = append(g.out, Change{at, author, via, reason, ops})
}

// office is some time in office hours on the day n days after the start, on a
// weekday, never past the end.
func (g *generator) office(day int) time.Time {
	t := g.start.AddDate(0, 0, day)
	for t.Weekday() == time.Saturday || t.Weekday() == time.Sunday {
		t = t.AddDate(0, 0, 1)
	}
	t = time.Date(t.Year(), t.Month(), t.Day(), 8, 0, 0, 0, g.zone).Add(time.Duration(g.clock.IntN(9*3600)) * time.Second)
	if last := g.until.Add(-3 * time.Hour); t.After(last) {
		t = last.Add(-time.Duration(g.clock.IntN(3600)) * time.Second)
	}
	return t
}

// nights are from eight in the evening to six in the morning, every day.
func (g *generator) nights() *access.Schedule {
	s, err := access.NewSchedule([]string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}, "20:00", "06:00", timeZone)
	if err != nil {
		panic(err) // built into the program
	}
	return s
}

func (g *generator) pick(from []string) string { return from[g.rng.IntN(len(from))] }

// describe sets the installation up: the organisation, its applications and
// roles, in the first two weeks.
func (g *generator) describe() {
	first := time.Date(g.start.Year(), g.start.Month(), g.start.Day(), 9, 0, 0, 0, g.zone)
	g.taken[Administrator] = true
	g.add(first, "", "set-up", "Setting up",
		&access.SetOrganisation{Name: "Larkhaven Port Authority", TimeZone: timeZone},
		&access.AddUser{Personal: access.Personal{UserName: Administrator, DisplayName: "Marta Quill", Email: "marta.quill@larkhaven.example"},
			Unit: "office", Title: "Access administrator", Employment: "staff", Location: "Customs House"},
		&access.AddRole{Key: "access-administrator", Label: "Access administrator", Description: "May see and change everything in Able Roster."},
		&access.AddPermission{Role: "access-administrator", Application: "able-roster", Actions: []string{"*"}, Pattern: "/"},
		&access.Grant{Role: "access-administrator", User: Administrator})
	for i, a := range applications {
		var actions []access.Action
		for _, x := range a.actions {
			actions = append(actions, access.Action{Key: x, Label: strings.ToUpper(x[:1]) + x[1:]})
		}
		ops := []access.Operation{&access.AddApplication{Key: a.key, Label: a.label, Description: a.description, State: access.StateLive, Actions: actions}}
		for _, r := range a.resources {
			ops = append(ops, &access.AddResource{Application: access.ApplicationRef(a.key), Path: r.path, NodeKind: r.kind, Label: r.label, Open: r.open, Addresses: r.addresses})
		}
		for _, r := range a.roles {
			full := access.RoleRef(a.key + "/" + r.key)
			ops = append(ops, &access.AddRole{Key: r.key, Application: access.ApplicationRef(a.key), Label: r.label, Description: r.description})
			for _, p := range r.permissions() {
				p.Role = full
				ops = append(ops, &p)
			}
			for _, in := range r.includes {
				ops = append(ops, &access.IncludeRole{Role: full, Includes: access.RoleRef(a.key + "/" + in)})
			}
		}
		for _, f := range a.fences {
			ops = append(ops, &access.AddFence{Application: access.ApplicationRef(a.key), Pattern: f.pattern, Actions: strings.Split(f.actions, ","), Reason: f.why})
		}
		if a.public != "" {
			ops = append(ops, &access.Grant{Role: access.RoleRef(a.key + "/" + a.public), Group: "public"})
		}
		g.add(first.AddDate(0, 0, i/2).Add(time.Duration(i)*37*time.Minute+time.Hour), Administrator, "console", "Describing "+a.label, ops...)
	}
	var ops []access.Operation
	for _, r := range organisationRoles {
		ops = append(ops, &access.AddRole{Key: r.key, Label: r.label, Description: r.description})
		for _, p := range r.permits {
			app, rest, _ := strings.Cut(p, ": ")
			acts, pattern, _ := strings.Cut(rest, " on ")
			ops = append(ops, &access.AddPermission{Role: access.RoleRef(r.key), Application: access.ApplicationRef(app), Actions: strings.Split(acts, ","), Pattern: pattern})
		}
		for _, in := range r.includes {
			ops = append(ops, &access.IncludeRole{Role: access.RoleRef(r.key), Includes: access.RoleRef(in)})
		}
	}
	ops = append(ops, &access.Grant{Role: "staff", Group: "all-users"})
	g.add(first.AddDate(0, 0, 7), Administrator, "console", "Roles of the whole port", ops...)
	ops = nil
	for _, x := range groups {
		op := &access.AddGroup{Key: x.key, Label: x.label, Unit: x.unit}
		if x.key == "dredging-contractors" { // whoever is one, is in it
			op.Filter = `within eq "engineering/dredging" and employment_type eq "contractor"`
		}
		ops = append(ops, op)
	}
	for _, x := range groups {
		if x.parent != "" {
			ops = append(ops, &access.AddMember{Group: access.GroupRef(x.parent), Member: access.GroupRef(x.key)})
		}
		for _, r := range x.roles {
			op := &access.Grant{Role: access.RoleRef(r), Group: access.GroupRef(x.key)}
			switch x.key {
			case "gate-night": // the barriers at night, and only then
				op.Schedule = g.nights()
			case "dredging-contractors": // this year's surveys alone
				if r == "sounding-surveys/dredging-surveyor" {
					op.Scopes = []access.ScopeRef{{Application: "sounding-surveys", Pattern: "surveys/dredging-" + g.until.Format("2006") + "*"}}
				}
			}
			ops = append(ops, op)
		}
	}
	g.add(first.AddDate(0, 0, 8), Administrator, "console", "Groups by unit and duty", ops...)
}

// fill brings the people of the first day in, unit by unit, as an import.
func (g *generator) fill() {
	at := g.office(11)
	fixed := []struct {
		user, name, unit, title, role string
		groups                        []string
	}{
		{Manager, "Tomas Brandt", "marine", "Head of marine", "marine-manager", []string{"berth-office", "duty-officers"}},
		{Auditor, "Bettina Osei", "office", "Internal auditor", "auditor", []string{"office-staff"}},
	}
	for _, f := range fixed {
		p := g.known(f.user, f.name, f.unit, f.title, "staff")
		p.fixed = true
		ops := append(g.adding(p, at), &access.Grant{Role: access.RoleRef(f.role), User: access.UserRef(f.user)})
		ops = append(ops, g.joining(p, f.groups)...)
		g.add(at, Administrator, "console", "First colleagues", ops...)
		at = at.Add(11 * time.Minute)
	}
	for i, u := range units {
		var ops []access.Operation
		for range u.people {
			p := g.newcomer(u)
			ops = append(ops, g.adding(p, g.start.AddDate(0, 0, -g.rng.IntN(3000)))...)
			ops = append(ops, g.joining(p, g.dutiesIn(u.path))...)
		}
		g.add(at.AddDate(0, 0, i/4).Add(time.Duration(i)*13*time.Minute), Administrator, "command line", "Import of the personnel list: "+u.path, ops...)
	}
	for i, s := range []struct{ key, label, role string }{
		{BerthBoard, "Berth board", "berth-board-service"},
		{"manifest-feed", "Manifest feed", "cargo-manifests/clerk"},
		{"tide-gauge", "Tide gauge", "tide-board/editor"},
		{"barrier-control", "Barrier control", "gate-passes/reader"},
	} {
		g.taken[s.key] = true
		g.add(g.office(16).Add(time.Duration(i)*time.Minute), Administrator, "console", "Account for a machine",
			&access.AddUser{Personal: access.Personal{UserName: s.key, DisplayName: s.label}, UserKind: access.Service, Unit: "office"},
			&access.Grant{Role: access.RoleRef(s.role), User: access.UserRef(s.key)})
	}
}

func (g *generator) known(user, name, unit, title, employment string) *person {
	g.taken[user] = true
	p := &person{name: user, display: name, unit: unit, title: title, kind: employment}
	g.people = append(g.people, p)
	return p
}

func (g *generator) newcomer(u unit) *person {
	for {
		given, family := g.pick(givenNames), g.pick(familyNames)
		user := plain(given) + "." + plain(family)
		if g.taken[user] || user == Pilot {
			continue
		}
		kind := "staff"
		switch {
		case u.path == "engineering/dredging":
			kind = "contractor"
		case g.rng.IntN(14) == 0:
			kind = "temporary"
		}
		return g.known(user, given+" "+family, u.path, g.pick(u.titles), kind)
	}
}

// plain writes a name as a user name: lower case, without marks.
func plain(s string) string {
	t, _, err := transform.String(transform.Chain(norm.NFD, runes.Remove(runes.In(unicode.Mn)), norm.NFC), s)
	if err != nil {
		t = s
	}
	return strings.ToLower(strings.NewReplacer(" ", "-", "Ó", "o", "ø", "o").Replace(t))
}

func (g *generator) adding(p *person, since time.Time) []access.Operation {
	op := &access.AddUser{Personal: access.Personal{UserName: p.name, DisplayName: p.display, Email: p.name + "@larkhaven.example"},
		Unit: p.unit, Title: p.title, Employment: p.kind, Start: access.DateOf(since),
		Location: []string{"Customs House", "North Quay", "South Quay", "Pilot Station", "Gatehouse"}[g.rng.IntN(5)]}
	if p.kind == "contractor" {
		op.End = access.DateOf(g.until.AddDate(0, g.rng.IntN(9), g.rng.IntN(28)))
	}
	if p.name != Manager && strings.HasPrefix(p.unit, "marine") && g.taken[Manager] {
		op.Manager = Manager
	}
	return []access.Operation{op}
}

// dutiesIn are the groups somebody of a unit falls into, by each one's share.
func (g *generator) dutiesIn(unit string) []string {
	var out []string
	for _, x := range groups {
		if x.unit == unit && !x.nested && g.rng.Float64() < x.share {
			out = append(out, x.key)
		}
	}
	return out
}

func (g *generator) joining(p *person, keys []string) []access.Operation {
	var ops []access.Operation
	for _, k := range keys {
		if slices.Contains(p.groups, k) {
			continue
		}
		p.groups = append(p.groups, k)
		ops = append(ops, &access.AddMember{Group: access.GroupRef(k), User: access.UserRef(p.name)})
	}
	return ops
}

func (g *generator) leavingGroups(p *person) []access.Operation {
	var ops []access.Operation
	for _, k := range p.groups {
		ops = append(ops, &access.RemoveMember{Group: access.GroupRef(k), User: access.UserRef(p.name)})
	}
	p.groups = nil
	return ops
}

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
	on(30, g.pilot)
	on(200, g.defaults)
	on(260, g.wider)
	on(153, g.invoices)
	on(days-60, g.expectations)
	on(days-3, g.attributes)
	on(days-2, g.tidy)
	on(days-2, g.mistakes)
	on(days-1, g.conflicts)
	on(days-1, g.ending)
	on(days-1, g.offers)
	on(days-1, g.requests)
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
}

func (g *generator) leave(at time.Time) {
	p := g.somebody(anyone)
	if p == nil {
		return
	}
	p.gone = true
	departed := access.Departed
	end := access.DateOf(at)
	ops := g.leavingGroups(p)
	for _, r := range p.direct {
		ops = append(ops, &access.Revoke{Role: access.RoleRef(r), User: access.UserRef(p.name)})
	}
	p.direct = nil
	ops = append(ops, &access.UpdateUser{User: access.UserRef(p.name), Status: &departed, End: &end})
	g.add(at, Administrator, g.via(), g.pick(reasons["leave"]), ops...)
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
	ops = append(ops, &access.UpdateUser{User: access.UserRef(p.name), Unit: &to.path, Title: &title})
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
	op := &access.Grant{Role: access.RoleRef(role), User: access.UserRef(p.name)}
	if g.rng.IntN(4) == 0 { // temporary
		n := 14 + g.rng.IntN(120)
		if end := g.day + n; end > days-12 && end < days+4 { // clearly over, or clearly not, whatever weekends do
			n += 16
		}
		op.Until = access.At(midnight(at.AddDate(0, 0, n)))
	}
	p.direct = append(p.direct, role)
	g.add(at, g.author(p), g.via(), g.pick(reasons["grant"]), op)
}

func (g *generator) revoke(at time.Time) {
	p := g.somebody(func(p *person) bool { return len(p.direct) > 0 })
	if p == nil {
		return
	}
	i := g.rng.IntN(len(p.direct))
	role := p.direct[i]
	p.direct = slices.Delete(p.direct, i, i+1)
	g.add(at, g.author(p), g.via(), g.pick(reasons["revoke"]), &access.Revoke{Role: access.RoleRef(role), User: access.UserRef(p.name)})
}

func midnight(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location())
}

// pilot is the woman of the walk.
func (g *generator) pilot(at time.Time) {
	p := g.known(Pilot, "Inês Halloran", "marine/pilotage", "Harbour pilot", "staff")
	p.fixed = true
	ops := append(g.adding(p, at), g.joining(p, []string{"pilots", "night-pilots"})...)
	g.add(at, Manager, "console", "New on the team", ops...)
}

func (g *generator) invoices(at time.Time) {
	g.add(at, Administrator, "console", "Checks her own invoices", &access.Grant{Role: "tariff-ledger/reader", User: Pilot})
}

// ending is temporary access of the walk, about to end and about to begin.
func (g *generator) ending(at time.Time) {
	g.add(at, Manager, "console", "Covers the north quay during the regatta",
		&access.Grant{Role: "berth-planning/scheduler", User: Pilot, Window: access.Window{Until: access.At(midnight(g.until.AddDate(0, 0, 6)))}})
	g.add(at.Add(3*time.Minute), Administrator, "console", "Joins the chart project next month",
		&access.Grant{Role: "sounding-surveys/surveyor", User: Pilot, Window: access.Window{From: access.At(midnight(g.until.AddDate(0, 0, 20)))}})
}

// Describe says in a line what a history holds.
func Describe(h []Change) string {
	ops := 0
	for _, c := range h {
		ops += len(c.Operations)
	}
	return fmt.Sprintf("%d changes with %d operations from %s to %s", len(h), ops, h[0].At.Format("2 January 2006"), h[len(h)-1].At.Format("2 January 2006"))
}
