package demo

import (
	"strings"

	"ableroster/internal/operation/roles"
)

// The applications of the port, what they protect and the roles in them.

type application struct {
	key, label, description string
	actions                 []string
	resources               []resource
	roles                   []role
	public                  string // key of a role that public holds
	fences                  []fence
}

// fence keeps a pattern from what was written for something wider.
type fence struct{ pattern, actions, why string }

type resource struct {
	path, kind, label string
	open              bool
	addresses         []string
}

// role has permissions as "actions on pattern"; "own" before them limits them
// to what is the user's own.
type role struct {
	key, label, description string
	permits                 []string
	includes                []string
}

// permissions of a role as operations without the role.
func (r role) permissions() (out []roles.AddPermission) {
	for _, p := range r.permits {
		a, pattern, _ := strings.Cut(p, " on ")
		a, own := strings.CutPrefix(a, "own ")
		out = append(out, roles.AddPermission{Actions: strings.Split(a, ","), Pattern: pattern, Own: own})
	}
	return out
}

var applications = []application{
	{
		"berth-planning", "Berth planning", "Which vessel lies where, and when.",
		[]string{"read", "create", "update", "release"},
		[]resource{
			{"board", "menu", "Berth board", false, []string{"/"}},
			{"board/arrivals", "screen", "Arrivals", false, []string{"/arrivals"}},
			{"board/departures", "screen", "Departures", false, []string{"/departures"}},
			{"board/moorings", "screen", "Moorings", false, []string{"/moorings"}},
			{"berths", "register", "Berths", false, nil},
			{"berths/north-1", "berth", "North 1", false, nil},
			{"berths/north-2", "berth", "North 2", false, nil},
			{"berths/north-3", "berth", "North 3", false, nil},
			{"berths/south-1", "berth", "South 1", false, nil},
			{"berths/south-2", "berth", "South 2", false, nil},
			{"berths/fuel-jetty", "berth", "Fuel jetty", false, nil},
			{"voyages", "register", "Voyages", true, nil},
			{"plans", "register", "Week plans", false, nil},
		},
		[]role{
			{"reader", "Berth reader", "Sees the board and all berths.", []string{"read on board", "read on berths", "read on voyages"}, nil},
			{"scheduler", "Berth scheduler", "Assigns vessels to berths.", []string{"update on berths", "create,update on voyages"}, []string{"reader"}},
			{"north-scheduler", "North quay scheduler", "Assigns vessels to the northern berths.", []string{"read on board", "read,update on berths/north-*"}, nil},
			{"planner", "Week planner", "Writes the week plans.", []string{"read,create,update on plans"}, []string{"reader"}},
			{"plan-releaser", "Plan releaser", "Releases a week plan to the tugs.", []string{"release on plans"}, []string{"reader"}},
			{"fuel-warden", "Fuel jetty warden", "Clears vessels for the fuel jetty.", []string{"read,update on berths/fuel-jetty"}, nil},
		},
		"",
		[]fence{{"berths/fuel-jetty", "update", "only the jetty's wardens clear a vessel for it"}},
	},
	{
		"cargo-manifests", "Cargo manifests", "What is on board, and what was landed.",
		[]string{"read", "create", "update", "approve"},
		[]resource{
			{"manifests", "register", "Manifests", true, nil},
			{"dangerous-goods", "register", "Dangerous goods notes", false, nil},
			{"seals", "register", "Container seals", false, nil},
			{"corrections", "register", "Corrections", false, nil},
		},
		[]role{
			{"reader", "Manifest reader", "Sees manifests.", []string{"read on manifests", "read on seals"}, nil},
			{"clerk", "Manifest clerk", "Enters manifests and seals.", []string{"create,update on manifests", "create on seals"}, []string{"reader"}},
			{"corrector", "Manifest corrector", "Corrects a landed manifest.", []string{"read,create on corrections"}, []string{"reader"}},
			{"approver", "Correction approver", "Approves corrections.", []string{"read,approve on corrections"}, nil},
			{"dangerous-goods-officer", "Dangerous goods officer", "Clears dangerous goods.", []string{"read,create,approve on dangerous-goods"}, []string{"reader"}},
			{"customs-liaison", "Customs reader", "Sees what customs asks about.", []string{"read on manifests", "read on dangerous-goods", "read on corrections"}, nil},
		},
		"", nil,
	},
	{
		"crane-control", "Crane control", "The cranes, their limits and their locks.",
		[]string{"read", "operate", "update", "unlock"},
		[]resource{
			{"cranes", "group", "Cranes", false, nil},
			{"cranes/c-01", "crane", "Crane 01", false, nil},
			{"cranes/c-02", "crane", "Crane 02", false, nil},
			{"cranes/c-03", "crane", "Crane 03", false, nil},
			{"cranes/c-04", "crane", "Crane 04", false, nil},
			{"limits", "settings", "Load limits", false, nil},
			{"locks", "settings", "Safety locks", false, nil},
		},
		[]role{
			{"observer", "Crane observer", "Sees the state of all cranes.", []string{"read on cranes"}, nil},
			{"operator", "Crane operator", "Operates the cranes.", []string{"operate on cranes"}, []string{"observer"}},
			{"limit-setter", "Limit setter", "Sets load limits.", []string{"read,update on limits"}, []string{"observer"}},
			{"lock-keeper", "Lock keeper", "Opens a safety lock after an inspection.", []string{"read,unlock on locks"}, nil},
			{"technician", "Crane technician", "Moves cranes for repairs.", []string{"operate on cranes/c-*", "read on limits"}, []string{"observer"}},
			{"supervisor", "Crane supervisor", "Runs a crane shift.", nil, []string{"operator", "limit-setter"}},
		},
		"", nil,
	},
	{
		"gate-passes", "Gate passes", "Who may drive in.",
		[]string{"read", "request", "issue", "withdraw"},
		[]resource{
			{"passes", "register", "Passes", true, nil},
			{"visitors", "register", "Visitors", false, nil},
			{"vehicles", "register", "Vehicles", false, nil},
			{"barriers", "device", "Barriers", false, nil},
			{"barriers/north", "device", "North barrier", false, nil},
			{"barriers/south", "device", "South barrier", false, nil},
		},
		[]role{
			{"reader", "Pass reader", "Looks passes up.", []string{"read on passes", "read on visitors"}, nil},
			{"requester", "Pass requester", "Asks for a gate pass for a guest.", []string{"request on passes", "request on visitors"}, nil},
			{"issuer", "Pass issuer", "Issues gate passes.", []string{"issue on passes"}, []string{"reader"}},
			{"withdrawer", "Pass withdrawer", "Withdraws gate passes.", []string{"withdraw on passes"}, []string{"reader"}},
			{"night-gate", "Night gate", "Opens the barriers at night.", []string{"read,issue on barriers", "issue on passes"}, []string{"reader"}},
			{"vehicle-clerk", "Vehicle clerk", "Keeps the register of vehicles.", []string{"read,issue,withdraw on vehicles"}, nil},
		},
		"", nil,
	},
	{
		"tariff-ledger", "Tariff ledger", "What a call at the port costs.",
		[]string{"read", "create", "update", "release"},
		[]resource{
			{"tariffs", "register", "Tariffs", false, nil},
			{"tariffs/pilotage", "tariff", "Pilotage", false, nil},
			{"tariffs/towage", "tariff", "Towage", false, nil},
			{"tariffs/quay", "tariff", "Quay dues", false, nil},
			{"credits", "register", "Credits", false, nil},
			{"invoices", "register", "Invoices", true, nil},
			{"month-end", "report", "Month end", false, nil},
		},
		[]role{
			{"reader", "Tariff reader", "Sees tariffs.", []string{"read on tariffs"}, nil},
			{"clerk", "Tariff clerk", "Writes invoices by the tariffs.", []string{"read,create,update on invoices"}, []string{"reader"}},
			{"setter", "Tariff setter", "Changes tariffs.", []string{"create,update on tariffs"}, []string{"reader"}},
			{"credit-raiser", "Credit raiser", "Raises a credit.", []string{"read,create on credits"}, []string{"reader"}},
			{"credit-releaser", "Credit releaser", "Releases credits that others raised.", []string{"read,release on credits"}, []string{"reader"}},
			{"month-end-closer", "Month end closer", "Closes the month.", []string{"read,release on month-end"}, []string{"clerk"}},
		},
		"", nil,
	},
	{
		"incident-log", "Incident log", "What went wrong, and what was learnt.",
		[]string{"read", "create", "update", "close"},
		[]resource{
			{"incidents", "register", "Incidents", true, nil},
			{"injuries", "register", "Injuries", false, nil},
			{"drills", "register", "Drills", false, nil},
			{"lessons", "report", "Lessons", false, nil},
		},
		[]role{
			{"reporter", "Incident reporter", "Reports an incident.", []string{"create on incidents", "read on lessons"}, nil},
			{"reader", "Incident reader", "Reads incidents.", []string{"read on incidents", "read on drills", "read on lessons"}, nil},
			{"investigator", "Incident investigator", "Investigates incidents.", []string{"update on incidents"}, []string{"reader", "reporter"}},
			{"closer", "Incident closer", "Closes incidents.", []string{"close on incidents"}, []string{"reader"}},
			{"injury-officer", "Injury officer", "Keeps the register of injuries.", []string{"read,create,update,close on injuries"}, []string{"investigator"}},
			{"drill-planner", "Drill planner", "Plans drills.", []string{"create,update on drills"}, []string{"reader"}},
		},
		"", nil,
	},
	{
		"pilot-roster", "Pilot roster", "Which pilot takes which vessel.",
		[]string{"read", "create", "update", "publish"},
		[]resource{
			{"shifts", "register", "Shifts", false, nil},
			{"shifts/day", "shift", "Day shifts", false, nil},
			{"shifts/night", "shift", "Night shifts", false, nil},
			{"licences", "register", "Licences", false, nil},
			{"rest-hours", "report", "Rest hours", false, nil},
		},
		[]role{
			{"reader", "Roster reader", "Sees the shifts.", []string{"read on shifts"}, nil},
			{"pilot", "Pilot", "Takes shifts.", []string{"own update on shifts", "read on rest-hours"}, []string{"reader"}},
			{"night-pilot", "Night pilot", "Takes night shifts.", []string{"read,update on shifts/night"}, nil},
			{"planner", "Roster planner", "Writes the roster.", []string{"create,update on shifts", "read on licences", "read on rest-hours"}, []string{"reader"}},
			{"publisher", "Roster publisher", "Publishes the roster.", []string{"publish on shifts"}, []string{"reader"}},
			{"licence-keeper", "Licence keeper", "Keeps the register of licences.", []string{"read,create,update on licences"}, nil},
		},
		"", nil,
	},
	{
		"works-orders", "Works orders", "What is to be built or mended.",
		[]string{"read", "create", "update", "approve", "close"},
		[]resource{
			{"orders", "register", "Orders", true, nil},
			{"orders/pilot-boats", "register", "Pilot boats", false, nil},
			{"orders/cranes", "register", "Cranes", false, nil},
			{"stores", "register", "Stores", false, nil},
			{"contracts", "register", "Contracts", false, nil},
			{"contracts/dredging", "register", "Dredging contracts", false, nil},
		},
		[]role{
			{"reader", "Order reader", "Sees works orders.", []string{"read on orders"}, nil},
			{"raiser", "Order raiser", "Raises works orders.", []string{"create on orders"}, []string{"reader"}},
			{"approver", "Order approver", "Approves works orders.", []string{"approve on orders"}, []string{"reader"}},
			{"closer", "Order closer", "Closes works orders.", []string{"update,close on orders"}, []string{"reader"}},
			{"storekeeper", "Storekeeper", "Keeps the stores.", []string{"read,create,update on stores"}, []string{"reader"}},
			{"contract-manager", "Contract manager", "Manages contracts.", []string{"read,create,update,approve on contracts"}, []string{"reader"}},
			{"dredging-contractor", "Dredging contractor", "Works on dredging contracts.", []string{"read,update on contracts/dredging"}, nil},
		},
		"", nil,
	},
	{
		"sounding-surveys", "Sounding surveys", "How deep the water is.",
		[]string{"read", "create", "update", "publish"},
		[]resource{
			{"surveys", "register", "Surveys", true, nil},
			{"charts", "register", "Charts", false, nil},
			{"buoys", "register", "Buoys", false, nil},
		},
		[]role{
			{"reader", "Survey reader", "Sees surveys and charts.", []string{"read on surveys", "read on charts", "read on buoys"}, nil},
			{"surveyor", "Surveyor", "Makes surveys.", []string{"create,update on surveys"}, []string{"reader"}},
			{"chart-publisher", "Chart publisher", "Publishes charts.", []string{"update,publish on charts"}, []string{"reader"}},
			{"buoy-keeper", "Buoy keeper", "Keeps the buoys.", []string{"create,update on buoys"}, []string{"reader"}},
			{"dredging-surveyor", "Dredging surveyor", "Surveys behind a dredger.", []string{"create on surveys/dredging-*", "read on surveys"}, nil},
		},
		"", nil,
	},
	{
		"tide-board", "Tide board", "Tides and weather, for everybody.",
		[]string{"read", "update", "publish"},
		[]resource{
			{"tides", "board", "Tides", false, nil},
			{"weather", "board", "Weather", false, nil},
			{"warnings", "board", "Warnings", false, nil},
		},
		[]role{
			{"viewer", "Tide viewer", "Sees the board.", []string{"read on /"}, nil},
			{"editor", "Tide editor", "Corrects tides and weather.", []string{"update on tides", "update on weather"}, []string{"viewer"}},
			{"warning-officer", "Warning officer", "Publishes warnings.", []string{"update,publish on warnings"}, []string{"editor"}},
		},
		"viewer", nil,
	},
}

// organisationRole is a role shared by applications.
type organisationRole struct {
	key, label, description string
	permits                 []string // "application: actions on pattern"
	includes                []string
}

var organisationRoles = []organisationRole{
	{"auditor", "Auditor", "Reads everything in Able Roster, and the ledger.", []string{"able-roster: read on /"}, nil},
	{"people-reader", "People reader", "Sees who is in the register.", []string{"able-roster: read on users", "able-roster: read on groups"}, nil},
	{"marine-manager", "Marine team manager", "Looks after the people of the marine unit and their roles in berth planning and the pilot roster.",
		[]string{"able-roster: read,create,update,assign on users/marine", "able-roster: read,update on groups/marine",
			"able-roster: read,assign on roles/berth-planning", "able-roster: read,assign on roles/pilot-roster",
			"able-roster: read on applications/berth-planning", "able-roster: read on applications/pilot-roster"}, nil},
	{"berth-board-service", "Berth board account", "The berth board asks for decisions about berth planning, and shares berths for who holds them.",
		[]string{"able-roster: evaluate,read on applications/berth-planning", "able-roster: read,assign on roles/berth-planning/north-scheduler", "able-roster: read,assign on users"}, nil},
	{"staff", "Port staff", "What everybody at the port needs.", nil, []string{"incident-log/reporter", "gate-passes/requester"}},
	{"duty-officer", "Duty officer", "Runs the port out of hours.", nil,
		[]string{"berth-planning/scheduler", "gate-passes/night-gate", "incident-log/investigator", "tide-board/warning-officer"}},
	{"harbour-master", "Harbour master", "Answers for all that floats.", nil,
		[]string{"duty-officer", "berth-planning/plan-releaser", "pilot-roster/publisher", "incident-log/closer"}},
	{"finance-lead", "Finance lead", "Answers for tariffs and invoices.", nil, []string{"tariff-ledger/setter", "tariff-ledger/credit-releaser", "tariff-ledger/month-end-closer"}},
	{"terminal-lead", "Terminal lead", "Runs a terminal shift.", nil, []string{"crane-control/supervisor", "cargo-manifests/approver", "works-orders/raiser"}},
	{"seasonal-helper", "Seasonal helper", "Kept from an earlier season; carries nothing.", nil, nil},
}

// group is a group of the port: a unit's staff or a duty.
type group struct {
	key, label, unit string
	parent           string
	roles            []string
	share            float64 // of the unit's people who are in it
	nested           bool    // its members come through other groups alone
}

var groups = []group{
	{"marine-staff", "Marine staff", "marine", "", []string{"berth-planning/reader", "sounding-surveys/reader", "incident-log/reader"}, 0, true},
	{"pilots", "Pilots", "marine/pilotage", "marine-staff", []string{"pilot-roster/pilot"}, 0.8, false},
	{"night-pilots", "Night pilots", "marine/pilotage", "pilots", []string{"pilot-roster/night-pilot", "berth-planning/north-scheduler"}, 0.3, false},
	{"seasonal-pilots", "Seasonal pilots", "marine/pilotage", "pilots", nil, 0.12, false},
	{"roster-office", "Roster office", "marine/pilotage", "marine-staff", []string{"pilot-roster/planner"}, 0.12, false},
	{"tug-crews", "Tug crews", "marine/tugs", "marine-staff", []string{"works-orders/raiser"}, 0.9, false},
	{"tug-masters", "Tug masters", "marine/tugs", "tug-crews", []string{"berth-planning/plan-releaser"}, 0.2, false},
	{"berth-office", "Berth office", "marine", "marine-staff", []string{"berth-planning/scheduler", "berth-planning/planner"}, 0.5, false},
	{"surveyors", "Surveyors", "engineering", "", []string{"sounding-surveys/surveyor"}, 0.2, false},
	{"chart-office", "Chart office", "engineering", "surveyors", []string{"sounding-surveys/chart-publisher"}, 0.08, false},
	{"terminal-staff", "Terminal staff", "terminal", "", []string{"cargo-manifests/reader", "works-orders/reader"}, 0, true},
	{"crane-operators", "Crane operators", "terminal/cranes", "terminal-staff", []string{"crane-control/operator"}, 0.7, false},
	{"crane-shift-a", "Crane shift A", "terminal/cranes", "crane-operators", nil, 0.35, false},
	{"crane-shift-b", "Crane shift B", "terminal/cranes", "crane-operators", nil, 0.35, false},
	{"crane-leads", "Crane shift leads", "terminal/cranes", "terminal-staff", []string{"terminal-lead"}, 0.12, false},
	{"tally-clerks", "Tally clerks", "terminal/tally", "terminal-staff", []string{"cargo-manifests/clerk"}, 0.8, false},
	{"tally-seniors", "Senior tally clerks", "terminal/tally", "tally-clerks", []string{"cargo-manifests/corrector"}, 0.2, false},
	{"dangerous-goods-desk", "Dangerous goods desk", "terminal/tally", "terminal-staff", []string{"cargo-manifests/dangerous-goods-officer"}, 0.12, false},
	{"gate-staff", "Gate staff", "security", "", []string{"gate-passes/reader"}, 0, true},
	{"gate-day", "Day gate", "security/gate", "gate-staff", []string{"gate-passes/issuer"}, 0.55, false},
	{"gate-night", "Night gate", "security/gate", "gate-staff", []string{"gate-passes/night-gate"}, 0.4, false},
	{"patrol", "Patrol", "security/patrol", "gate-staff", []string{"incident-log/investigator"}, 0.85, false},
	{"pass-office", "Pass office", "security", "gate-staff", []string{"gate-passes/withdrawer", "gate-passes/vehicle-clerk"}, 0.6, false},
	{"engineers", "Engineers", "engineering", "", []string{"works-orders/raiser", "crane-control/observer"}, 0.6, false},
	{"crane-technicians", "Crane technicians", "engineering", "engineers", []string{"crane-control/technician"}, 0.2, false},
	{"stores", "Stores", "engineering", "engineers", []string{"works-orders/storekeeper"}, 0.12, false},
	{"works-approvers", "Works approvers", "engineering", "engineers", []string{"works-orders/approver"}, 0.1, false},
	{"dredging-contractors", "Dredging contractors", "engineering/dredging", "", []string{"works-orders/dredging-contractor", "sounding-surveys/dredging-surveyor"}, 0, false},
	{"safety-office", "Safety office", "safety", "", []string{"incident-log/injury-officer", "incident-log/closer"}, 0.7, false},
	{"drill-team", "Drill team", "safety", "safety-office", []string{"incident-log/drill-planner"}, 0.3, false},
	{"lock-keepers", "Lock keepers", "safety", "", []string{"crane-control/lock-keeper"}, 0.3, false},
	{"tariff-desk", "Tariff desk", "finance", "", []string{"tariff-ledger/clerk"}, 0.6, false},
	{"credit-desk", "Credit desk", "finance", "tariff-desk", []string{"tariff-ledger/credit-raiser"}, 0.25, false},
	{"finance-leads", "Finance leads", "finance", "", []string{"finance-lead"}, 0.1, false},
	{"customs-desk", "Customs liaison desk", "customs", "", []string{"cargo-manifests/customs-liaison", "gate-passes/reader"}, 0.9, false},
	{"office-staff", "Office staff", "office", "", []string{"gate-passes/reader", "works-orders/reader"}, 0.8, false},
	{"tide-editors", "Tide editors", "office", "", []string{"tide-board/editor"}, 0.15, false},
	{"duty-officers", "Duty officers", "marine", "", []string{"duty-officer"}, 0.3, false},
	{"contract-office", "Contract office", "office", "office-staff", []string{"works-orders/contract-manager"}, 0.2, false},
	{"regatta-volunteers", "Regatta volunteers", "office", "", nil, 0, false},
}

// unitLabels are all units there are, with those that nobody is in themselves, and what people
// call them; who leads one is in heads.
var unitLabels = []struct{ path, label string }{
	{"engineering", "Engineering"}, {"engineering/dredging", "Dredging"}, {"finance", "Finance"}, {"marine", "Marine"}, {"marine/pilotage", "Pilotage"}, {"marine/tugs", "Tugs"},
	{"office", "Port office"}, {"office/archive", "Archive"}, {"office/customs", "Customs liaison"}, {"safety", "Safety"}, {"security", "Gate and security"}, {"security/gate", "Gate"}, {"security/patrol", "Patrol"},
	{"terminal", "Cargo terminal"}, {"terminal/cranes", "Cranes"}, {"terminal/tally", "Tally"},
}

// unit is a part of the organisation with how many people start in it.
type unit struct {
	path   string
	people int
	titles []string
}

var units = []unit{
	{"marine", 8, []string{"Harbour officer", "Berth officer", "Marine clerk"}},
	{"marine/pilotage", 34, []string{"Harbour pilot", "Senior pilot", "Pilotage clerk"}},
	{"marine/tugs", 26, []string{"Tug master", "Tug mate", "Deckhand", "Tug engineer"}},
	{"terminal/cranes", 32, []string{"Crane operator", "Crane shift lead", "Signaller"}},
	{"terminal/tally", 24, []string{"Tally clerk", "Senior tally clerk", "Goods officer"}},
	{"security", 6, []string{"Security officer", "Pass clerk"}},
	{"security/gate", 22, []string{"Gate officer", "Gate supervisor"}},
	{"security/patrol", 12, []string{"Patrol officer"}},
	{"engineering", 26, []string{"Engineer", "Surveyor", "Fitter", "Storekeeper"}},
	{"engineering/dredging", 9, []string{"Dredge master", "Dredging hand"}},
	{"safety", 10, []string{"Safety officer", "Safety adviser"}},
	{"finance", 14, []string{"Tariff clerk", "Accountant", "Credit controller"}},
	{"customs", 8, []string{"Liaison officer"}},
	{"office", 16, []string{"Office clerk", "Contracts clerk", "Secretary"}},
}

var reasons = map[string][]string{
	"grant":  {"Covers for a colleague on leave", "Takes over the desk", "Asked for by the unit", "Training finished", "Needed for the month end", "Second pair of eyes for audits", "Project with the terminal"},
	"revoke": {"No longer needed", "Cover is over", "Moved to other duties", "Asked for by the owner", "Found in the spring check"},
	"move":   {"Transfer asked for by both units", "Reorganisation of shifts", "Promotion"},
	"leave":  {"Last day", "Contract ended", "Retirement"},
	"join":   {"New on the team", "Replacement for a leaver", "New season"},
}

// ApplicationKeys are the keys of the port's applications.
func ApplicationKeys() []string {
	var out []string
	for _, a := range applications {
		out = append(out, a.key)
	}
	return out
}
