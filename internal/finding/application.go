package finding

import (
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
)

// inApplication looks at what an application protects and which permissions
// reach it.
func inApplication(s *access.Snapshot, a *fact.Application, at calendar.Instant) []Finding {
	if a.ID == fact.AbleRoster || a.State == fact.StateRetired {
		return nil
	}
	out := unreached(query.CoverageOf(s, a.ID, at, nil))
	fences, tree := s.Fences(a.ID), query.TreeOf(s, a.ID)
	for r := range s.Roles() {
		if r.Retired {
			continue
		}
		for _, p := range s.RolePermissions(r.ID) {
			if p.Application != a.ID {
				continue
			}
			if paths, open := tree.Covers(p.Pattern); len(paths) == 0 && !open {
				out = append(out, Finding{Code: NothingMatches, Application: a.ID, Role: r.ID, Permission: p.ID, Path: p.Pattern})
			}
			if !strings.Contains(p.Pattern, "*") {
				continue
			}
			for _, f := range fences {
				if f.Lets(p) {
					out = append(out, Finding{Code: WildcardInFence, Application: a.ID, Role: r.ID, Permission: p.ID, Fence: f.ID, Path: p.Pattern})
				}
			}
		}
	}
	return out
}

// unowned are the applications that nobody who is still here answers for.
func unowned(s *access.Snapshot) []Finding {
	var out []Finding
	for a := range s.Applications() {
		if a.ID != fact.AbleRoster && a.State != fact.StateRetired && !answers(s, a.Owner) {
			out = append(out, Finding{Code: ApplicationAlone, Application: a.ID})
		}
	}
	return out
}

// answers says whether somebody who is still here answers for a thing.
func answers(s *access.Snapshot, owner fact.UserID) bool {
	u := s.User(owner)
	return u != nil && u.Status != fact.Departed
}

// unreached are the resources that no role reaches for any action, nor anything
// below them: a register whose parts are reached is there to hold them.
func unreached(c query.Coverage) []Finding {
	reached := map[string]bool{}
	for _, row := range c.Rows {
		for i := range row.Cells {
			if len(row.Cells[i].Roles) > 0 {
				for p := row.Resource.Path; !reached[p]; p = patterns.Parent(p) {
					reached[p] = true
				}
				break
			}
		}
	}
	var out []Finding
	for _, row := range c.Rows {
		if p := row.Resource.Path; !reached[p] && p != patterns.Root {
			out = append(out, Finding{Code: Unreached, Application: c.Application.ID, Path: p})
		}
	}
	return out
}
