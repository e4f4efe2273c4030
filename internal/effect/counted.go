package effect

import (
	"runtime"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

// present is how many of some users are there already: people who arrive with their change
// are no surprise in it.
func present(d *change.Draft, users []fact.UserID) (n int) {
	for _, id := range users {
		if d.Base().User(id) != nil {
			n++
		}
	}
	return n
}

// wideGain is the rail of so many users who gain at once, of all who are active; nil for few.
func wideGain(gains []fact.UserID, present int, all float64) *Rail {
	if present < wideLeast || float64(present) < wideShare*all {
		return nil
	}
	return &Rail{Code: WideGain, Users: gains, Share: float64(present) / all, Passable: true}
}

// losses are who loses something in each application.
func losses(p Preview) map[fact.ApplicationID][]fact.UserID {
	lost := map[fact.ApplicationID][]fact.UserID{}
	for _, e := range p.Effects {
		apps := map[fact.ApplicationID]bool{}
		for _, l := range e.Lost {
			apps[l.Application] = true
		}
		for app := range apps {
			lost[app] = append(lost[app], e.Users...)
		}
	}
	return lost
}

// bereft are those of some users who lost all they held, in their order, and how many held
// anything. The work on many is shared by all processors.
func bereft(users []fact.UserID, by query.Bereft) (lost []fact.UserID, held int) {
	n := 1
	if len(users) >= manyTouched {
		n = runtime.GOMAXPROCS(0)
	}
	parts, counts := make([][]fact.UserID, n), make([]int, n)
	var wait caught.Group
	for i := range n {
		wait.Go(func() {
			by := by
			for _, id := range users[len(users)*i/n : len(users)*(i+1)/n] {
				held, lost := by.Is(id)
				if held {
					counts[i]++
				}
				if lost {
					parts[i] = append(parts[i], id)
				}
			}
		})
	}
	wait.Wait()
	for _, c := range counts {
		held += c
	}
	return slices.Concat(parts...), held
}

// wideLosses are one for each application in which a large share of those who had anything
// lose all of it: of those who lose something, between two snapshots, by changes where those are
// known.
func wideLosses(lost map[fact.ApplicationID][]fact.UserID, before, after *access.Snapshot, changes []access.RowChange, from calendar.Instant, sees func(fact.UserID) bool) []Rail {
	var out []Rail
	for app, users := range lost {
		if len(users) < lossLeast {
			continue
		}
		users = slices.DeleteFunc(slices.Compact(slices.Sorted(slices.Values(users))), func(id fact.UserID) bool { return id == 0 })
		gone, all := bereft(users, query.Bereft{Before: before, After: after, Changes: changes, App: app, From: from})
		if len(gone) < lossLeast {
			continue
		}
		asked := make([]bool, before.UserTable.Len()) // whoever is reached in several ways is asked about once
		for _, id := range users {
			if int(id) < len(asked) {
				asked[id] = true
			}
		}
		had, most := query.Anything{S: before, App: app, From: from}, int(float64(len(gone))/lossShare)
		query.HoldersIn(before, app, func(id fact.UserID) {
			if id == 0 || all > most || asked[id] {
				return
			}
			if asked[id] = true; (sees == nil || sees(id)) && had.Held(id) {
				all++
			}
		})
		if all <= most {
			out = append(out, Rail{Code: WideLoss, Application: app, Users: gone, Share: float64(len(gone)) / float64(all), Passable: true})
		}
	}
	slices.SortFunc(out, func(a, b Rail) int { return int(a.Application) - int(b.Application) })
	return out
}

// Counted is what of a draft's effect is counted over everybody, and so has to be counted
// anew where others made changes after it was judged.
type Counted struct {
	gains     []fact.UserID
	present   int
	everybody bool
	lost      map[fact.ApplicationID][]fact.UserID
	author    fact.UserID
	freezes   []*fact.Freeze // that stop it while they stand
}

// Count counts it.
func Count(d *change.Draft, p Preview, from calendar.Instant, sees func(fact.UserID) bool) Counted {
	p = p.of(sees)
	c := Counted{lost: losses(p), author: d.Author, freezes: freezes(d, p, from, sees != nil)}
	for _, e := range p.Effects {
		if len(e.Gained) > 0 {
			c.gains = append(c.gains, e.Users...)
		}
	}
	c.present, c.everybody = present(d, c.gains), slices.Contains(c.gains, 0)
	return c
}

// RailsAgain are the guard rails that a change runs into by now: base is the newest snapshot,
// and after what the change leaves upon it.
func (c Counted) RailsAgain(base, after *access.Snapshot, from calendar.Instant, sees func(fact.UserID) bool) (out []Rail) {
	if !query.Administered(after, from) {
		if last := query.Administrators(base, from); len(last) > 0 {
			out = append(out, Rail{Code: LastAdministrator, Users: last})
		}
	}
	if r := wideGain(c.gains, c.present, activeOf(base, sees)); !c.everybody && r != nil {
		out = append(out, *r)
	}
	out = append(out, frozenRails(base, c.author, from, c.freezes)...)
	return append(out, wideLosses(c.lost, base, after, nil, from, sees)...)
}
