package demo

import (
	"time"

	"ableroster/internal/access"
)

// defaults are the rules by which people have what they need from the first day.
func (g *generator) defaults(at time.Time) {
	g.add(at, Administrator, "console", "So that nobody waits for a role on the first day",
		&access.AddDefault{Key: "crane-crew", Label: "Crane crew", Description: "Every crane operator sees the cranes and their works orders.",
			Filter: `within eq "terminal/cranes" and title eq "Crane operator"`, Roles: []access.RoleRef{"crane-control/observer"}, Groups: []access.GroupRef{"terminal-staff"}},
		&access.AddDefault{Key: "tally-staff", Label: "Tally staff", Description: "Staff of the tally read what the terminal reads.",
			Filter: `within eq "terminal/tally" and employment_type eq "staff"`, Groups: []access.GroupRef{"terminal-staff"}})
}

// conflicts were written once the auditor had asked.
func (g *generator) conflicts(at time.Time) {
	g.add(at, Administrator, "console", "The auditor asked who checks whom",
		&access.AddConflict{Key: "credit-two-hands", Label: "Credits take two", Description: "who raises a credit does not release it",
			Roles: []access.RoleRef{"tariff-ledger/credit-raiser", "tariff-ledger/credit-releaser"}, Prevent: true},
		&access.AddConflict{Key: "pass-two-hands", Label: "Passes take two", Description: "who asks for a gate pass does not issue it",
			Roles: []access.RoleRef{"gate-passes/requester", "gate-passes/issuer"}})
}

// wider is a rule that was thought over.
func (g *generator) wider(at time.Time) {
	whole := `within eq "terminal/tally"`
	g.add(at, Administrator, "console", "Temporary hands read manifests too",
		&access.UpdateDefault{Default: "tally-staff", Filter: &whole})
}
