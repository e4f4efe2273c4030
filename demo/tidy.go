package demo

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/finding"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
)

// home is the group that everybody of a unit can be in.
var home = []struct{ unit, group string }{
	{"marine", "marine-staff"}, {"terminal", "terminal-staff"}, {"security", "gate-staff"}, {"engineering", "engineers"},
	{"safety", "safety-office"}, {"finance", "tariff-desk"}, {"customs", "customs-desk"}, {"office", "office-staff"},
}

// tidy is the access team going through what eighteen months left lying about,
// so that what is planted after it stands out.
func (g *generator) tidy(at time.Time) {
	var ended, doubled, homes, owners []change.Operation
	revoke := func(a fact.AssignmentID) change.Operation {
		return &roles.Revoke{Assignment: change.AssignmentRef(a.String())}
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
					homes = append(homes, &roles.AddMember{Group: change.GroupRef(h.group), User: change.UserRef(u.UserName)})
				}
			}
		case f.Code == finding.RoleSingle && f.Application != 0: // a second pair of hands, of the same unit
			for _, p := range g.present(u.Unit) {
				if p.name != u.UserName {
					homes = append(homes, &roles.Grant{Role: change.RoleRef(s.RoleKey(f.Role)), User: change.UserRef(p.name)})
					break
				}
			}
		}
	}
	engineers := g.present("engineering")
	homes = append(homes, &roles.AddMember{Group: "crane-technicians", User: change.UserRef(engineers[1].name)},
		&roles.AddMember{Group: "crane-technicians", User: change.UserRef(engineers[3].name)},
		&roles.AddMember{Group: "works-approvers", User: change.UserRef(engineers[2].name)})
	administrator, auditor := change.UserRef(Administrator), change.UserRef(Auditor)
	for _, r := range organisationRoles {
		owner := &administrator
		if r.key == "auditor" || r.key == "people-reader" {
			owner = &auditor
		}
		if r.key != "terminal-lead" { // forgotten
			owners = append(owners, &roles.UpdateRole{Role: change.RoleRef(r.key), Owner: owner})
		}
	}
	owners = append(owners, &roles.UpdateRole{Role: "access-administrator", Owner: &administrator})
	g.add(at.Add(8*time.Minute), Administrator, "console", "Nobody is without a group", homes...)
	g.add(at.Add(12*time.Minute), Administrator, "console", "Owners of the roles of the whole port", owners...)
}

// attributes are what the port wants to know of its people beside what everybody
// does. They are declared late, as such things are.
func (g *generator) attributes(at time.Time) {
	var centres []fact.UnitFill
	for i, u := range []string{"marine", "marine/pilotage", "marine/tugs", "terminal", "security", "engineering", "safety", "finance", "customs", "office"} {
		centres = append(centres, fact.UnitFill{Unit: u, Value: strconv.Itoa(4100 + 10*i)})
	}
	types := []change.Operation{
		&people.SetEmploymentType{Key: "staff", Label: "Staff"}, &people.SetEmploymentType{Key: "temporary", Label: "Temporary"},
		&people.SetEmploymentType{Key: "fixed-term", Label: "Fixed term"}, &people.SetEmploymentType{Key: "agency", Label: "Agency"},
		&people.SetEmploymentType{Key: "apprentice", Label: "Apprentice"},
		&people.SetEmploymentType{Key: "contractor", Label: "Contractor", External: true, MaxDays: 365},
		&people.SetEmploymentType{Key: "vendor", Label: "Vendor", External: true, MaxDays: 365, Closed: true, MaxHours: 8}}
	var sponsor change.UserRef
	for _, p := range g.present("engineering") {
		if p.kind == "contractor" && sponsor != "" {
			types = append(types, &people.UpdateUser{User: change.UserRef(p.name), Manager: &sponsor})
		} else if sponsor == "" && p.kind == "staff" {
			sponsor = change.UserRef(p.name)
		}
	}
	types = append(types, &rules.SetSignUpRule{Domain: "estuary-dredging.example", Unit: "engineering/dredging", Employment: "contractor", Company: "Estuary Dredging", Sponsor: sponsor, Days: 180})
	g.add(at, Administrator, "console", "What the personnel office asks of everybody", append(types,
		&people.DeclareAttribute{Key: "cost_centre", Label: "Cost centre", Description: "Where what they cost is booked.", Fill: &fact.Fill{From: "unit", Units: centres}},
		&people.DeclareAttribute{Key: "probation_end", Label: "End of probation", Type: fact.DateValue, Fill: &fact.Fill{From: "start_date", Months: 6}},
		&people.DeclareAttribute{Key: "boat_licence", Label: "Boat licence", Description: "The largest craft they may take out.", Allowed: []string{"launch", "tug", "pilot cutter"}},
		&people.DeclareAttribute{Key: "locker", Label: "Locker", Description: "At the staff entrance.", Personal: true, Pattern: "[A-F][0-9]{1,3}"},
		&people.DeclareAttribute{Key: "site", Label: "Site", Description: "Where the unit has its rooms.", OfUnits: true, Allowed: []string{"Harbour office", "North quay", "South quay"}},
		&people.UpdateUnit{Unit: "marine/tugs", Custom: map[string]string{"site": "North quay"}}, &people.UpdateUnit{Unit: "terminal", Custom: map[string]string{"site": "South quay"}},
		&people.UpdateUnit{Unit: "office", Custom: map[string]string{"site": "Harbour office"}})...)
	licence := map[string]string{"marine/pilotage": "pilot cutter", "marine/tugs": "tug", "marine": "launch"}
	ops := []change.Operation{&people.UpdateUser{User: Pilot, Custom: map[string]string{"boat_licence": "pilot cutter", "locker": "B12"}}}
	for i, p := range g.present("marine") {
		if kind, ok := licence[p.unit]; ok && i%3 != 2 {
			ops = append(ops, &people.UpdateUser{User: change.UserRef(p.name), Custom: map[string]string{"boat_licence": kind, "locker": fmt.Sprintf("%c%d", 'A'+i%6, 1+i)}})
		}
	}
	g.add(at.Add(20*time.Minute), Administrator, "console", "Licences and lockers of the marine side", ops...)
}

// heads are who leads the units. Of the tugs nobody does: their people look to the head of
// marine.
func (g *generator) heads(at time.Time) {
	ops := []change.Operation{&people.UpdateUnit{Unit: "marine", Head: headed(Manager)}}
	for i, u := range []string{"marine/pilotage", "terminal", "terminal/cranes", "security", "security/gate", "engineering", "engineering/dredging", "safety", "finance", "customs", "office"} {
		there := g.present(u)
		ops = append(ops, &people.UpdateUnit{Unit: change.UnitRef(u), Head: headed(there[(2+i)%len(there)].name)})
	}
	g.add(at, Administrator, "console", "Who leads which unit", ops...)
	finance, engineering := g.present("finance"), g.present("engineering")
	g.add(at.Add(9*time.Minute), Administrator, "console", "The auditor asked who is accountable for machines",
		&people.SetMachineAccount{User: BerthBoard, Purpose: "The berth board asks what its users may do, and shares berths for them.", Application: "berth-planning", SecretAt: "On the berth board's host, in its service account.", ActsForUsers: true,
			Accountable: []change.UserRef{Manager, change.UserRef(engineering[1].name)}},
		&people.SetMachineAccount{User: "manifest-feed", Purpose: "Brings manifests of the shipping lines in, each night.", Application: "cargo-manifests", SecretAt: "In the vault of the office.",
			Accountable: []change.UserRef{change.UserRef(finance[2].name), change.UserRef(engineering[1].name)}},
		&people.SetMachineAccount{User: "tide-gauge", Purpose: "Writes the height of the tide every minute.", Application: "tide-board",
			Accountable: []change.UserRef{change.UserRef(engineering[2].name), change.UserRef(engineering[3].name)}},
		&people.SetSharedAccount{User: "tide-gauge", Custodian: Administrator, Group: "engineers", MaxHours: 4}, &people.CheckOutAccount{User: "tide-gauge"},
		&people.ReturnAccount{User: "tide-gauge"}, &people.ConfirmRotation{User: "tide-gauge"},
		&rules.SetTeamRule{Key: "project-teams", Label: "Project teams", Description: "For work that takes people of several places, and an end.", Filter: `within eq "engineering"`, Roles: []change.RoleRef{"sounding-surveys/reader"},
			People: "engineering", Invites: true, Unit: "engineering/dredging", Employment: "contractor", Company: "Estuary Dredging", Sponsor: change.UserRef(engineering[1].name), Days: 180, MaxMembers: 12},
		&roles.OpenTeam{Rule: "project-teams", Key: "chart-project", Label: "Chart project", Description: "Charts of the outer channel, before the summer.", Owner: change.UserRef(engineering[2].name)},
		&roles.AddMember{Group: "chart-project", User: change.UserRef(engineering[4].name)}, &roles.AddMember{Group: "chart-project", User: change.UserRef(engineering[5].name)},
		&roles.Grant{Role: "sounding-surveys/reader", Group: "chart-project"})
	tugs, office := g.present("marine/tugs"), g.present("office")
	day := calendar.DateOf(at)
	opened := calendar.At(at.Add(16 * time.Minute))
	g.add(at.Add(16*time.Minute), Administrator, "console", "A stand-in while a pilot is at the school, a leave, the maker of the pumps, and a hold for the inquiry at the fuel jetty",
		&people.AddUser{Personal: fact.Personal{UserName: Vendor, DisplayName: "Kittel Sorley", Email: Vendor + "@larkhaven.example"}, Manager: change.UserRef(engineering[1].name),
			UserFacts: fact.UserFacts{Unit: "engineering", Title: "Pump fitter", Employment: "vendor", Company: "Umber Shoal Pumps", Start: day, End: day + 180}},
		&people.OpenAccess{User: Vendor, Window: calendar.Window{From: opened, Until: opened + calendar.Days(1)/3}, Reference: "TCK-4711"},
		&people.AddPosition{User: change.UserRef(tugs[1].name), Unit: "marine/pilotage", Title: "Pilot's mate", Start: day, End: day + 89},
		&people.AddAbsence{User: change.UserRef(office[1].name), Start: day + 30, End: day + 120},
		&people.AddSubstitute{User: change.UserRef(engineering[1].name), Substitute: change.UserRef(engineering[2].name), Start: day + 20, End: day + 34},
		&people.SetLegalHold{User: change.UserRef(office[2].name), Until: day + 730})
	g.out[len(g.out)-1].Reference = "TCK-4711"
}

func headed(by string) *change.UserRef {
	ref := change.UserRef(by)
	return &ref
}

// mistakes are planted for findings to find.
func (g *generator) mistakes(at time.Time) {
	finance := g.somebody(func(p *person) bool { return p.unit == "finance" })
	gate := g.somebody(func(p *person) bool { return p.unit == "security/gate" })
	idle := g.somebody(func(p *person) bool { return p.unit == "office" })
	if finance != nil { // raises credits and releases them
		g.add(at, Administrator, "console", "Month end help",
			&roles.Grant{Role: "tariff-ledger/credit-raiser", User: change.UserRef(finance.name), Window: calendar.Window{From: calendar.At(at)}},
			&roles.Grant{Role: "tariff-ledger/credit-releaser", User: change.UserRef(finance.name)})
	}
	if gate != nil { // held through a group and directly as well
		g.add(at.Add(time.Minute), Administrator, "console", "Asked for by the unit",
			&roles.Grant{Role: "gate-passes/reader", User: change.UserRef(gate.name), Window: calendar.Window{From: calendar.At(at)}})
	}
	if idle != nil { // past the end date and still active
		end := calendar.DateOf(at.AddDate(0, 0, -9))
		g.add(at.Add(2*time.Minute), Administrator, "console", "Contract not renewed", &people.UpdateUser{User: change.UserRef(idle.name), UserEdits: fact.UserEdits{End: &end}})
	}
	terminal := g.present("terminal/tally")
	g.add(at.Add(3*time.Minute), Administrator, "console", "Cover for one day", // over by now
		&roles.Grant{Role: "cargo-manifests/approver", User: change.UserRef(terminal[3].name), Window: calendar.Window{Until: calendar.At(midnight(at.AddDate(0, 0, 1)))}})
	g.add(at.Add(4*time.Minute), Administrator, "command line", "The new stores list", // mistyped
		&roles.AddPermission{Role: "works-orders/storekeeper", Actions: []string{"read"}, Pattern: "storse"})
	g.add(at.Add(5*time.Minute), Administrator, "console", "The log has a register of near misses", // and no role for it
		&roles.AddResource{Application: "incident-log", Path: "near-misses", NodeKind: "register", Label: "Near misses"})
	g.add(at.Add(6*time.Minute), Administrator, "console", "Dredging surveys are the contractors' own", // whose pattern has a star
		&roles.AddFence{Application: "sounding-surveys", Pattern: "surveys/dredging-*", Actions: []string{"create"}, Reason: "only those who dredge survey behind the dredger"})
	g.add(at.Add(7*time.Minute), Administrator, "command line", "The tally wanted a role of its own", // and it was there
		&roles.AddRole{Key: "viewer", Application: "cargo-manifests", Label: "Manifest viewer", Description: "Looks manifests up."},
		&roles.AddPermission{Role: "cargo-manifests/viewer", Actions: []string{"read"}, Pattern: "manifests"},
		&roles.AddPermission{Role: "cargo-manifests/viewer", Actions: []string{"read"}, Pattern: "seals"},
		&roles.Grant{Role: "cargo-manifests/viewer", User: change.UserRef(terminal[0].name)},
		&roles.Grant{Role: "cargo-manifests/viewer", User: change.UserRef(terminal[1].name)})
	warned := fact.DirectWarned
	g.add(at.Add(8*time.Minute), Administrator, "console", "The gate gives its roles through groups", // some were given before
		&roles.UpdateApplication{Application: "gate-passes", Direct: &warned})
	p := g.newcomer(unit{"safety", 1, []string{"Safety adviser"}})
	g.add(at.Add(9*time.Minute), Administrator, "console", "New on the team", g.adding(p, at)...) // and without a group
	p.fixed = true
}
