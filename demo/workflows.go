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

// wider is a rule that was thought over.
func (g *generator) wider(at time.Time) {
	whole := `within eq "terminal/tally"`
	g.add(at, Administrator, "console", "Temporary hands read manifests too",
		&access.UpdateDefault{Default: "tally-staff", Filter: &whole})
}
