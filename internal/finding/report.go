package finding

import (
	"runtime"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

// Unused is from how many days on an account counts as not used.
const Unused = 90

// Accounts are when those who can sign in last did, or were given a way to.
type Accounts map[fact.UserID]calendar.Instant

// Report is all that looks wrong in a snapshot at an instant. It remembers what
// is slow to find, so that the next one costs what has changed.
type Report struct {
	Findings []Finding // by code in the order of All, then in the order of what they are about

	s      *access.Snapshot
	at     calendar.Instant
	roles  map[fact.RoleID]query.Holding
	inApps map[fact.ApplicationID][]Finding
	alike  []Finding // of roles
}

// Of says whether a report is of a snapshot.
func (r *Report) Of(s *access.Snapshot) bool { return r.s == s }

// lasting is how long what a report remembers holds by the clock alone: windows
// begin and end unseen meanwhile.
const lasting = calendar.Instant(10 * 60 * 1_000_000)

// Look looks at everything.
func Look(s *access.Snapshot, at calendar.Instant, used Accounts) *Report {
	r := &Report{s: s, at: at, roles: map[fact.RoleID]query.Holding{}, inApps: map[fact.ApplicationID][]Finding{}}
	r.count(nil)
	r.describe(nil)
	r.gather(used)
	return r
}

// Stale says whether so much time has passed that nothing can be built on it.
func (r *Report) Stale(at calendar.Instant) bool { return at < r.at || at-r.at > lasting }

// Next looks again, at a later snapshot, only where something has changed. The
// report itself stays as it is.
func (r *Report) Next(s *access.Snapshot, at calendar.Instant, used Accounts) *Report {
	if r.Stale(at) || s.Revision < r.s.Revision {
		return Look(s, at, used)
	}
	roles, all := query.HeldOtherwise(s, r.s)
	if all {
		return Look(s, at, used)
	}
	next := &Report{s: s, at: r.at, roles: make(map[fact.RoleID]query.Holding, len(r.roles)), inApps: map[fact.ApplicationID][]Finding{}}
	for id, h := range r.roles {
		next.roles[id] = h
	}
	next.count(roles)
	next.describe(r)
	next.gather(used)
	return next
}

// count finds how many hold each role, or each of some.
func (r *Report) count(some map[fact.RoleID]bool) {
	var ids []fact.RoleID
	for x := range r.s.Roles() {
		if some == nil || some[x.ID] {
			ids = append(ids, x.ID)
		}
	}
	var wait caught.Group
	found := make([][]query.Holding, runtime.GOMAXPROCS(0))
	part := func(i int) []fact.RoleID { return ids[len(ids)*i/len(found) : len(ids)*(i+1)/len(found)] }
	for i := range found {
		wait.Go(func() { found[i] = query.RoleHoldings(r.s, part(i), r.at) })
	}
	wait.Wait()
	for i := range found {
		for k, id := range part(i) {
			r.roles[id] = found[i][k]
		}
	}
}

// describe looks at how applications and their roles are described; what is as
// it was in an older report is taken from there.
func (r *Report) describe(old *Report) {
	rolesAlike := old != nil && query.RolesDescribedAlike(r.s, old.s)
	for a := range r.s.Applications() {
		if old != nil && !query.DescribedOtherwise(r.s, old.s, a.ID) && rolesAlike {
			r.inApps[a.ID] = old.inApps[a.ID]
			continue
		}
		r.inApps[a.ID] = inApplication(r.s, a, r.at)
	}
	if old != nil && rolesAlike && len(query.ApplicationsDescribedSince(r.s, old.s)) == 0 {
		r.alike = old.alike
		return
	}
	r.alike = alike(r.s)
}

// gather puts the findings together, those of each code in the order in which
// they are looked for, and looks at what is quickly seen.
func (r *Report) gather(used Accounts) {
	var all []Finding
	for a := range r.s.Applications() {
		all = append(all, r.inApps[a.ID]...)
	}
	all = append(all, r.alike...)
	all = append(all, r.inRoles()...)
	all = append(all, unowned(r.s)...)
	all = append(all, inGroups(r.s)...)
	parts := append([][]Finding{all}, r.amongPeople(used)...)
	n := map[Code]int{}
	for _, some := range parts {
		for i := range some {
			n[some[i].Code]++
		}
	}
	place, total := map[Code]int{}, 0 // where the next of each code goes
	for _, a := range All {
		place[a.Code] = total
		total += n[a.Code]
	}
	r.Findings = make([]Finding, total)
	for _, some := range parts {
		for i := range some {
			r.Findings[place[some[i].Code]] = some[i]
			place[some[i].Code]++
		}
	}
}
