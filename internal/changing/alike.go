package changing

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

// merged is an effect on all who gain and lose the same entitlements; early are those for
// whom it ends before it does for the others.
type merged struct {
	effect.Effect
	early map[fact.UserID]bool
}

// mergeAlike puts effects together that differ only in when they end: a role that is given to
// hundreds ends for each who has a last day on that day, and is one effect all the same.
// What is told of it is what holds longest. The order stays. It takes time in proportion to
// what there is, however many are put together.
func mergeAlike(effects []effect.Effect) []merged {
	var groups [][]effect.Effect
	place := map[string]int{}
	for _, e := range effects {
		key, ok := contents(e)
		i, there := place[key]
		if ok && there {
			groups[i] = append(groups[i], e)
			continue
		}
		if ok {
			place[key] = len(groups)
		}
		groups = append(groups, []effect.Effect{e})
	}
	out := make([]merged, len(groups))
	for i, all := range groups {
		out[i] = together(all)
	}
	return out
}

// together is one effect of several that are alike.
func together(all []effect.Effect) merged {
	if len(all) == 1 {
		return merged{Effect: all[0]}
	}
	longest := slices.MaxFunc(all, func(a, b effect.Effect) int { return cmp.Compare(endOf(a), endOf(b)) })
	m := merged{effect.Effect{Gained: longest.Gained, Lost: longest.Lost}, map[fact.UserID]bool{}}
	for _, e := range all {
		m.Users = append(m.Users, e.Users...)
		if endOf(e) < endOf(longest) {
			for _, id := range e.Users {
				m.early[id] = true
			}
		}
	}
	slices.Sort(m.Users)
	return m
}

// contents is what an effect is about but for its ends; ok is false where it begins and
// ends more than once, or at different times for different entitlements.
func contents(e effect.Effect) (key string, ok bool) {
	var b strings.Builder
	var when *calendar.Window
	for side, all := range [][]query.Entitlement{e.Gained, e.Lost} {
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
func endOf(e effect.Effect) uint64 {
	for _, all := range [][]query.Entitlement{e.Gained, e.Lost} {
		for _, x := range all {
			return uint64(x.When[0].Until) - 1 // none is 0, and comes last
		}
	}
	return 0
}
