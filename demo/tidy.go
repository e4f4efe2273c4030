package demo

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/finding"
)

// home is the group that everybody of a unit can be in.
var home = []struct{ unit, group string }{
	{"marine", "marine-staff"}, {"terminal", "terminal-staff"}, {"security", "gate-staff"}, {"engineering", "engineers"},
	{"safety", "safety-office"}, {"finance", "tariff-desk"}, {"customs", "customs-desk"}, {"office", "office-staff"},
}

// tidy is the access team going through what eighteen months left lying about,
// so that what is planted after it stands out.
func (g *generator) tidy(at time.Time) {
	var ended, doubled, homes, owners []access.Operation
	revoke := func(a access.AssignmentID) access.Operation {
		return &access.Revoke{Assignment: access.AssignmentRef(a.String())}
	}
	for _, f := range finding.Look(g.soFar(), calendar.At(at), nil).Findings {
		switch f.Code {
		case finding.Over:
			ended = append(ended, revoke(f.Assignment))
		case finding.Doubled:
			doubled = append(doubled, revoke(f.Assignment))
		}
	}
	g.add(at, Administrator, "console", "Windows that are over", ended...)
	g.add(at.Add(4*time.Minute), Administrator, "console", "Given by a group already", doubled...)
	s := g.soFar()
	for _, f := range finding.Look(s, calendar.At(at), nil).Findings {
		u := s.User(f.User)
		switch {
		case f.Code == finding.HoldsNothing:
			for _, h := range home {
				if u.Unit == h.unit || strings.HasPrefix(u.Unit, h.unit+"/") {
					homes = append(homes, &access.AddMember{Group: access.GroupRef(h.group), User: access.UserRef(u.UserName)})
				}
			}
		case f.Code == finding.RoleSingle && f.Application != 0: // a second pair of hands, of the same unit
			for _, p := range g.present(u.Unit) {
				if p.name != u.UserName {
					homes = append(homes, &access.Grant{Role: access.RoleRef(s.RoleKey(f.Role)), User: access.UserRef(p.name)})
					break
				}
			}
		}
	}
	engineers := g.present("engineering")
	homes = append(homes, &access.AddMember{Group: "crane-technicians", User: access.UserRef(engineers[1].name)},
		&access.AddMember{Group: "crane-technicians", User: access.UserRef(engineers[3].name)},
		&access.AddMember{Group: "works-approvers", User: access.UserRef(engineers[2].name)})
	administrator, auditor := access.UserRef(Administrator), access.UserRef(Auditor)
	for _, r := range organisationRoles {
		owner := &administrator
		if r.key == "auditor" || r.key == "people-reader" {
			owner = &auditor
		}
		if r.key != "terminal-lead" { // forgotten
			owners = append(owners, &access.UpdateRole{Role: access.RoleRef(r.key), Owner: owner})
		}
	}
	owners = append(owners, &access.UpdateRole{Role: "access-administrator", Owner: &administrator})
	g.add(at.Add(8*time.Minute), Administrator, "console", "Nobody is without a group", homes...)
	g.add(at.Add(12*time.Minute), Administrator, "console", "Owners of the roles of the whole port", owners...)
}

// attributes are what the port wants to know of its people beside what everybody
// does. They are declared late, as such things are.
func (g *generator) attributes(at time.Time) {
	var centres []access.UnitFill
	for i, u := range []string{"marine", "marine/pilotage", "marine/tugs", "terminal", "security", "engineering", "safety", "finance", "customs", "office"} {
		centres = append(centres, access.UnitFill{Unit: u, Value: strconv.Itoa(4100 + 10*i)})
	}
	g.add(at, Administrator, "console", "What the personnel office asks of everybody",
		&access.DeclareAttribute{Key: "cost_centre", Label: "Cost centre", Description: "Where what they cost is booked.", Fill: &access.Fill{From: "unit", Units: centres}},
		&access.DeclareAttribute{Key: "probation_end", Label: "End of probation", Type: access.DateValue, Fill: &access.Fill{From: "start_date", Months: 6}},
		&access.DeclareAttribute{Key: "boat_licence", Label: "Boat licence", Description: "The largest craft they may take out.", Allowed: []string{"launch", "tug", "pilot cutter"}},
		&access.DeclareAttribute{Key: "locker", Label: "Locker", Description: "At the staff entrance.", Personal: true, Pattern: "[A-F][0-9]{1,3}"})
	licence := map[string]string{"marine/pilotage": "pilot cutter", "marine/tugs": "tug", "marine": "launch"}
	ops := []access.Operation{&access.UpdateUser{User: Pilot, Custom: map[string]string{"boat_licence": "pilot cutter", "locker": "B12"}}}
	for i, p := range g.present("marine") {
		if kind, ok := licence[p.unit]; ok && i%3 != 2 {
			ops = append(ops, &access.UpdateUser{User: access.UserRef(p.name), Custom: map[string]string{"boat_licence": kind, "locker": fmt.Sprintf("%c%d", 'A'+i%6, 1+i)}})
		}
	}
	g.add(at.Add(20*time.Minute), Administrator, "console", "Licences and lockers of the marine side", ops...)
}

// mistakes are planted for findings to find.
func (g *generator) mistakes(at time.Time) {
	finance := g.somebody(func(p *person) bool { return p.unit == "finance" })
	gate := g.somebody(func(p *person) bool { return p.unit == "security/gate" })
	idle := g.somebody(func(p *person) bool { return p.unit == "office" })
	if finance != nil { // raises credits and releases them
		g.add(at, Administrator, "console", "Month end help",
			&access.Grant{Role: "tariff-ledger/credit-raiser", User: access.UserRef(finance.name), Window: calendar.Window{From: calendar.At(at)}},
			&access.Grant{Role: "tariff-ledger/credit-releaser", User: access.UserRef(finance.name)})
	}
	if gate != nil { // held through a group and directly as well
		g.add(at.Add(time.Minute), Administrator, "console", "Asked for by the unit",
			&access.Grant{Role: "gate-passes/reader", User: access.UserRef(gate.name), Window: calendar.Window{From: calendar.At(at)}})
	}
	if idle != nil { // past the end date and still active
		end := calendar.DateOf(at.AddDate(0, 0, -9))
		g.add(at.Add(2*time.Minute), Administrator, "console", "Contract not renewed", &access.UpdateUser{User: access.UserRef(idle.name), UserEdits: access.UserEdits{End: &end}})
	}
	terminal := g.present("terminal/tally")
	g.add(at.Add(3*time.Minute), Administrator, "console", "Cover for one day", // over by now
		&access.Grant{Role: "cargo-manifests/approver", User: access.UserRef(terminal[3].name), Window: calendar.Window{Until: calendar.At(midnight(at.AddDate(0, 0, 1)))}})
	g.add(at.Add(4*time.Minute), Administrator, "command line", "The new stores list", // mistyped
		&access.AddPermission{Role: "works-orders/storekeeper", Actions: []string{"read"}, Pattern: "storse"})
	g.add(at.Add(5*time.Minute), Administrator, "console", "The log has a register of near misses", // and no role for it
		&access.AddResource{Application: "incident-log", Path: "near-misses", NodeKind: "register", Label: "Near misses"})
	g.add(at.Add(6*time.Minute), Administrator, "console", "Dredging surveys are the contractors' own", // whose pattern has a star
		&access.AddFence{Application: "sounding-surveys", Pattern: "surveys/dredging-*", Actions: []string{"create"}, Reason: "only those who dredge survey behind the dredger"})
	g.add(at.Add(7*time.Minute), Administrator, "command line", "The tally wanted a role of its own", // and it was there
		&access.AddRole{Key: "viewer", Application: "cargo-manifests", Label: "Manifest viewer", Description: "Looks manifests up."},
		&access.AddPermission{Role: "cargo-manifests/viewer", Actions: []string{"read"}, Pattern: "manifests"},
		&access.AddPermission{Role: "cargo-manifests/viewer", Actions: []string{"read"}, Pattern: "seals"},
		&access.Grant{Role: "cargo-manifests/viewer", User: access.UserRef(terminal[0].name)},
		&access.Grant{Role: "cargo-manifests/viewer", User: access.UserRef(terminal[1].name)})
	warned := access.DirectWarned
	g.add(at.Add(8*time.Minute), Administrator, "console", "The gate gives its roles through groups", // some were given before
		&access.UpdateApplication{Application: "gate-passes", Direct: &warned})
	p := g.newcomer(unit{"safety", 1, []string{"Safety adviser"}})
	g.add(at.Add(9*time.Minute), Administrator, "console", "New on the team", g.adding(p, at)...) // and without a group
	p.fixed = true
}
