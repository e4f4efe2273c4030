package demo

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"
	"unicode"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"

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
	Reference  string
	Operations []change.Operation
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
	// Vendor works for another company: what they may do is closed until it is opened.
	Vendor = "kittel.sorley"
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
	g.share()
	return g.out
}

// Port is the organisation as its history has made it, without a ledger.
func Port(until time.Time) (*access.Snapshot, error) {
	s := access.Empty()
	for _, c := range Larkhaven(until) {
		d := change.NewDraft(s)
		d.Author, _ = s.FindUser(c.Author)
		for i, op := range c.Operations {
			d.Apply(i, op, calendar.At(c.At))
		}
		d.Finish()
		if len(d.Faults) > 0 {
			return nil, &d.Faults[0]
		}
		s = d.Seal(d.Revision, calendar.At(c.At))
	}
	return s, nil
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

	requested   int     // how many requests there are
	standIn     *person // see deputy
	reorganised bool    // customs is a unit of its own
}

// add files a change. What builds on what is filed in order, so a time that
// chance put too early is moved on.
func (g *generator) add(at time.Time, author, via, reason string, ops ...change.Operation) {
	if !at.After(g.last) {
		at = g.last.Add(time.Duration(20+g.clock.IntN(200)) * time.Second)
	}
	g.last = at
	g.out = append(g.out, Change{At: at, Author: author, Via: via, Reason: reason, Operations: ops})
}

// ticket says where the work of the last change was asked for; some is asked for in the corridor.
func (g *generator) ticket() {
	if n := len(g.out); n%3 != 0 {
		g.out[n-1].Reference = fmt.Sprintf("TCK-%d", 1000+7*n)
	}
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
func (g *generator) nights() *calendar.Schedule {
	s, err := calendar.NewSchedule([]string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}, "20:00", "06:00", timeZone)
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
	setUp := []change.Operation{&rules.SetOrganisation{Name: "Larkhaven Port Authority", TimeZone: timeZone}}
	for _, u := range unitLabels {
		setUp = append(setUp, &people.AddUnit{Path: u.path, Label: u.label})
	}
	g.add(first, "", "set-up", "Setting up", append(setUp,
		&people.AddUser{Personal: fact.Personal{UserName: Administrator, DisplayName: "Marta Quill", Email: "marta.quill@larkhaven.example"},
			UserFacts: fact.UserFacts{Unit: "office", Title: "Access administrator", Employment: "staff", Location: "Customs House"}},
		&roles.AddRole{Key: "access-administrator", Label: "Access administrator", Description: "May see and change everything in Able Roster."},
		&roles.AddPermission{Role: "access-administrator", Application: "able-roster", Actions: []string{"*"}, Pattern: "/"},
		&roles.Grant{Role: "access-administrator", User: Administrator})...)
	for i, a := range applications {
		var actions []fact.Action
		for _, x := range a.actions {
			actions = append(actions, fact.Action{Key: x, Label: strings.ToUpper(x[:1]) + x[1:]})
		}
		ops := []change.Operation{&roles.AddApplication{Key: a.key, Label: a.label, Description: a.description, State: fact.StateLive, Actions: actions}}
		for _, r := range a.resources {
			ops = append(ops, &roles.AddResource{Application: change.ApplicationRef(a.key), Path: r.path, NodeKind: r.kind, Label: r.label, Open: r.open, Addresses: r.addresses})
		}
		for _, r := range a.roles {
			full := change.RoleRef(a.key + "/" + r.key)
			ops = append(ops, &roles.AddRole{Key: r.key, Application: change.ApplicationRef(a.key), Label: r.label, Description: r.description})
			for _, p := range r.permissions() {
				p.Role = full
				ops = append(ops, &p)
			}
			for _, in := range r.includes {
				ops = append(ops, &roles.IncludeRole{Role: full, Includes: change.RoleRef(a.key + "/" + in)})
			}
		}
		for _, f := range a.fences {
			ops = append(ops, &roles.AddFence{Application: change.ApplicationRef(a.key), Pattern: f.pattern, Actions: strings.Split(f.actions, ","), Reason: f.why})
		}
		if a.public != "" {
			ops = append(ops, &roles.Grant{Role: change.RoleRef(a.key + "/" + a.public), Group: "public"})
		}
		g.add(first.AddDate(0, 0, i/2).Add(time.Duration(i)*37*time.Minute+time.Hour), Administrator, "console", "Describing "+a.label, ops...)
	}
	var ops []change.Operation
	for _, r := range organisationRoles {
		ops = append(ops, &roles.AddRole{Key: r.key, Label: r.label, Description: r.description})
		for _, p := range r.permits {
			app, rest, _ := strings.Cut(p, ": ")
			acts, pattern, _ := strings.Cut(rest, " on ")
			ops = append(ops, &roles.AddPermission{Role: change.RoleRef(r.key), Application: change.ApplicationRef(app), Actions: strings.Split(acts, ","), Pattern: pattern})
		}
		for _, in := range r.includes {
			ops = append(ops, &roles.IncludeRole{Role: change.RoleRef(r.key), Includes: change.RoleRef(in)})
		}
	}
	ops = append(ops, &roles.Grant{Role: "staff", Group: "all-users"})
	g.add(first.AddDate(0, 0, 7), Administrator, "console", "Roles of the whole port", ops...)
	ops = nil
	for _, x := range groups {
		op := &roles.AddGroup{Key: x.key, Label: x.label, Unit: g.unitNow(x.unit)}
		if x.key == "dredging-contractors" { // whoever is one, is in it
			op.Filter = `within eq "engineering/dredging" and employment_type eq "contractor"`
		}
		ops = append(ops, op)
	}
	for _, x := range groups {
		if x.parent != "" {
			ops = append(ops, &roles.AddMember{Group: change.GroupRef(x.parent), Member: change.GroupRef(x.key)})
		}
		for _, r := range x.roles {
			op := &roles.Grant{Role: change.RoleRef(r), Group: change.GroupRef(x.key)}
			switch x.key {
			case "gate-night": // the barriers at night, and only then
				op.Schedule = g.nights()
			case "dredging-contractors": // this year's surveys alone
				if r == "sounding-surveys/dredging-surveyor" {
					op.Scopes = []change.ScopeRef{{Application: "sounding-surveys", Pattern: "surveys/dredging-" + g.until.Format("2006") + "*"}}
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
		ops := append(g.adding(p, at), &roles.Grant{Role: change.RoleRef(f.role), User: change.UserRef(f.user)})
		ops = append(ops, g.joining(p, f.groups)...)
		g.add(at, Administrator, "console", "First colleagues", ops...)
		at = at.Add(11 * time.Minute)
	}
	for i, u := range units {
		var ops []change.Operation
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
			&people.AddUser{Personal: fact.Personal{UserName: s.key, DisplayName: s.label}, UserKind: fact.Service, UserFacts: fact.UserFacts{Unit: "office"}},
			&roles.Grant{Role: change.RoleRef(s.role), User: change.UserRef(s.key)})
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

func (g *generator) adding(p *person, since time.Time) []change.Operation {
	op := &people.AddUser{Personal: fact.Personal{UserName: p.name, DisplayName: p.display, Email: p.name + "@larkhaven.example"},
		UserFacts: fact.UserFacts{Unit: p.unit, Title: p.title, Employment: p.kind, Start: calendar.DateOf(since), Location: []string{"Customs House", "North Quay", "South Quay", "Pilot Station", "Gatehouse"}[g.rng.IntN(5)]}}
	op.Unit = g.unitNow(p.unit)
	if p.kind == "contractor" {
		op.Company = []string{"Umber Shoal Dredging", "Hallin & Voss Marine Works"}[len(p.name)%2]
		op.End = calendar.DateOf(g.until.AddDate(0, g.rng.IntN(9), g.rng.IntN(28)))
	}
	if p.name != Manager && strings.HasPrefix(p.unit, "marine") && g.taken[Manager] {
		op.Manager = Manager
	}
	return []change.Operation{op}
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

func (g *generator) joining(p *person, keys []string) []change.Operation {
	var ops []change.Operation
	for _, k := range keys {
		if slices.Contains(p.groups, k) {
			continue
		}
		p.groups = append(p.groups, k)
		ops = append(ops, &roles.AddMember{Group: change.GroupRef(k), User: change.UserRef(p.name)})
	}
	return ops
}

func (g *generator) leavingGroups(p *person) []change.Operation {
	var ops []change.Operation
	for _, k := range p.groups {
		ops = append(ops, &roles.RemoveMember{Group: change.GroupRef(k), User: change.UserRef(p.name)})
	}
	p.groups = nil
	return ops
}

// Describe says in a line what a history holds.
func Describe(h []Change) string {
	ops := 0
	for _, c := range h {
		ops += len(c.Operations)
	}
	return fmt.Sprintf("%d changes with %d operations from %s to %s", len(h), ops, h[0].At.Format("2 January 2006"), h[len(h)-1].At.Format("2 January 2006"))
}
