package service

import (
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
)

// merged is an effect on all who gain and lose the same entitlements; early are those for
// whom it ends before it does for the others.
type merged struct {
	access.Effect
	early map[access.UserID]bool
}

// alike puts effects together that differ only in when they end: a role that is given to
// hundreds ends for each who has a last day on that day, and is one effect all the same.
// What is told of it is what holds longest. The order stays.
func alike(effects []access.Effect) []merged {
	var out []merged
	place := map[string]int{}
	for _, e := range effects {
		key, ok := contents(e)
		i, there := place[key]
		if !ok || !there {
			if ok {
				place[key] = len(out)
			}
			out = append(out, merged{Effect: e})
			continue
		}
		m := &out[i]
		longer, shorter := m.Effect, e
		if endOf(e) > endOf(m.Effect) {
			longer, shorter = e, m.Effect
		}
		if endOf(longer) != endOf(shorter) {
			if m.early == nil {
				m.early = map[access.UserID]bool{}
			}
			for _, id := range shorter.Users {
				m.early[id] = true
			}
		}
		m.Effect = access.Effect{Users: append(slices.Clone(longer.Users), shorter.Users...), Gained: longer.Gained, Lost: longer.Lost}
		slices.Sort(m.Users)
	}
	return out
}

// contents is what an effect is about but for its ends; ok is false where it begins and
// ends more than once, or at different times for different entitlements.
func contents(e access.Effect) (key string, ok bool) {
	var b strings.Builder
	var when *calendar.Window
	for side, all := range [][]access.Entitlement{e.Gained, e.Lost} {
		for _, x := range all {
			if len(x.When) != 1 || when != nil && *when != x.When[0] {
				return "", false
			}
			when = &x.When[0]
			schedule := ""
			if x.Schedule != nil {
				days, from, until, zone := x.Schedule.Parts()
				schedule = fmt.Sprint(days, from, until, zone)
			}
			fmt.Fprintf(&b, "%d %d %q %q %v %q %d;", side, x.Application, x.Action, x.Target, x.Own, schedule, x.When[0].From)
		}
	}
	return b.String(), when != nil
}

// endOf is when all of an effect ends; without an end it is later than any instant.
func endOf(e access.Effect) uint64 {
	for _, all := range [][]access.Entitlement{e.Gained, e.Lost} {
		for _, x := range all {
			return uint64(x.When[0].Until) - 1 // none is 0, and comes last
		}
	}
	return 0
}
