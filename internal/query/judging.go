package query

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/patterns"
)

// Judging judges one user after another by the facts of a snapshot, each thing
// once.
type Judging struct {
	S       *access.Snapshot
	user    fact.UserID
	counts  calendar.Intervals // when the user counts at all
	Groups  map[fact.GroupID]calendar.Intervals
	class   allowances  // of those who hold what the user does; nil while it was not needed
	perms   []permitted // the user's, once they were needed
	classes map[string]allowances
	covered map[*fact.Expectation][]string
	key     []byte
}

// allowances are when those who hold equally may do what expectations speak of,
// as far as it was asked.
type allowances map[*fact.Expectation]calendar.Intervals

// Of turns to a user.
func (j *Judging) Of(id fact.UserID) {
	j.user, j.counts, j.Groups, j.class = id, j.S.WhenEffective(id), held.GroupIntervals(j.S, id), nil
	j.perms = nil
}

// may is when the user may do what an expectation speaks of.
func (j *Judging) may(f *fact.Expectation) calendar.Intervals {
	if j.class == nil {
		j.key = AppendHolding(j.S, j.key[:0], j.user, 0)
		if j.class = j.classes[string(j.key)]; j.class == nil {
			if j.classes == nil {
				j.classes = map[string]allowances{}
			}
			j.class = allowances{}
			j.classes[string(j.key)] = j.class
		}
	}
	may, known := j.class[f]
	if !known {
		if j.perms == nil {
			j.perms = PermissionsOf(j.S, j.user)
		}
		where, known := j.covered[f]
		if !known {
			if j.covered == nil {
				j.covered = map[*fact.Expectation][]string{}
			}
			where = covered(j.S, f)
			j.covered[f] = where
		}
		may = allowed(j.S, f, where, j.perms)
		j.class[f] = may
	}
	return may
}

// Counted is when the user is one of those an expectation is about. User 0 is
// nobody signed in. Whoever does not count at all breaks nothing.
func (j *Judging) Counted(o fact.Subjects) calendar.Intervals {
	switch {
	case o.WouldBe.Given():
		return nil // nobody who is there
	case o.Nobody:
		if j.user == 0 {
			return calendar.Always()
		}
		return nil
	case o.User != 0:
		if j.user != o.User {
			return nil
		}
		return j.counts
	case j.user == 0:
		if o.Except {
			return calendar.Always()
		}
		return nil
	case o.Except:
		return j.counts.Minus(j.Groups[o.Group])
	}
	return j.counts.Intersect(j.Groups[o.Group])
}

// MayAt says whether the user counts at an instant, and may do what an expectation speaks of then.
func (j *Judging) MayAt(f *fact.Expectation, at calendar.Instant) bool {
	return j.counts.Holds(at) && j.may(f).Holds(at)
}

// Broken is when the user breaks an expectation.
func (j *Judging) Broken(f *fact.Expectation) calendar.Intervals {
	if f.Ended {
		return nil
	}
	if f.May {
		if counted := j.Counted(f.Of); len(counted) > 0 {
			return counted.Minus(j.may(f))
		}
		return nil
	}
	if may := j.may(f); len(may) > 0 { // seldom, where all is well
		return j.Counted(f.Of).Intersect(may)
	}
	return nil
}

// aboutWhom are expectations by whom they are about.
type aboutWhom struct {
	users  map[fact.UserID][]*fact.Expectation // nobody as 0
	groups map[fact.GroupID][]*fact.Expectation
	except []*fact.Expectation
}

// SortOut sorts expectations by whom they are about.
func SortOut(all []*fact.Expectation) aboutWhom {
	out := aboutWhom{map[fact.UserID][]*fact.Expectation{}, map[fact.GroupID][]*fact.Expectation{}, nil}
	for _, f := range all {
		switch {
		case f.Of.WouldBe.Given():
		case f.Of.Except:
			out.except = append(out.except, f)
		case f.Of.Group != 0:
			out.groups[f.Of.Group] = append(out.groups[f.Of.Group], f)
		default:
			out.users[f.Of.User] = append(out.users[f.Of.User], f)
		}
	}
	return out
}

// Each calls yield for every expectation that may be about a user in some groups.
func (a *aboutWhom) Each(id fact.UserID, groups map[fact.GroupID]calendar.Intervals, yield func(*fact.Expectation)) {
	for _, f := range a.users[id] {
		yield(f)
	}
	for g := range groups {
		for _, f := range a.groups[g] {
			yield(f)
		}
	}
	for _, f := range a.except {
		yield(f)
	}
}

// allowed is when a user may do what an expectation speaks of, on whatever
// condition: for one that says they may, on all the pattern covers; else on
// anything of it. covered are the registered resources that the pattern covers.
func allowed(s *access.Snapshot, f *fact.Expectation, covered []string, perms []permitted) calendar.Intervals {
	app := s.ApplicationTable.At(int(f.Application))
	if app == nil || app.Fact == nil || !access.Declares(app.Fact, f.Action) {
		return nil
	}
	var bearing []permitted
	for _, p := range perms {
		if p.Application == f.Application && access.Gives(p.Permission, f.Action) && patterns.Overlap(p.Pattern, f.Pattern) {
			bearing = append(bearing, p)
		}
	}
	at := func(target string) calendar.Intervals {
		var out calendar.Intervals
		for _, when := range When(s, Line{f.Application, f.Action, target}, bearing) {
			out = out.Union(when)
		}
		return out
	}
	if f.May {
		if len(covered) == 0 {
			return at(f.Pattern)
		}
		out := calendar.Always()
		for _, target := range covered {
			if out = out.Intersect(at(target)); len(out) == 0 {
				return nil
			}
		}
		return out
	}
	// The pattern itself, which a wider permission may hold, and what lies in it.
	out := at(f.Pattern)
	for _, target := range covered {
		if slices.ContainsFunc(bearing, func(p permitted) bool { return patterns.Covers(p.Pattern, target) }) {
			out = out.Union(at(target))
		}
	}
	for _, p := range bearing {
		for _, pattern := range fact.Narrowed(p.Application, p.Pattern, p.Scopes) {
			for _, target := range unregistered(s, app, pattern) {
				if patterns.Contains(f.Pattern, target) {
					out = out.Union(at(target))
				}
			}
		}
	}
	return out
}

// covered are the registered resources that the pattern of an expectation covers.
func covered(s *access.Snapshot, f *fact.Expectation) []string {
	var out []string
	if app := s.ApplicationTable.At(int(f.Application)); app != nil && app.Fact != nil {
		activeResources(s, app, func(r *fact.Resource) {
			if patterns.Covers(f.Pattern, r.Path) {
				out = append(out, r.Path)
			}
		})
	}
	return out
}

// candidates calls yield for every user who could break an expectation.
func candidates(s *access.Snapshot, f *fact.Expectation, yield func(fact.UserID)) {
	switch {
	case f.Of.WouldBe.Given():
	case f.Of.Nobody:
		yield(0)
	case f.Of.User != 0:
		yield(f.Of.User)
	case f.May && f.Of.Except:
		yield(0)
		s.EachMember(fact.PublicGroup, nil, yield)
	case !f.May && (f.Of.Except || f.Of.Group == fact.AllUsersGroup || f.Of.Group == fact.PublicGroup):
		// Fewer hold anything than there are.
		eachHolder(s, f.Application, f.Action, f.Pattern, yield)
	default:
		s.EachMember(f.Of.Group, map[fact.GroupID]bool{}, yield)
	}
}

// eachHolder calls yield, perhaps more than once, for everybody who holds a role
// that gives an action on anything of a pattern.
func eachHolder(s *access.Snapshot, app fact.ApplicationID, action, pattern string, yield func(fact.UserID)) {
	for i := range s.RoleTable.Len() {
		rec := s.RoleTable.At(i)
		if rec == nil || rec.Fact == nil {
			continue
		}
		for _, x := range rec.Permissions {
			if p := s.PermissionTable.At(int(x)).Fact; p.Application == app && access.Gives(p, action) && patterns.Overlap(p.Pattern, pattern) {
				s.HoldersBelow(fact.RoleID(i), yield)
				break
			}
		}
	}
}

// BrokenSpans are when a user broke an expectation, over eras in order of time,
// each with the revision at whose facts it began.
func BrokenSpans(eras []Era, f *fact.Expectation, id fact.UserID) []Span {
	var out []Span
	for _, era := range eras {
		judge := Judging{S: era.Snapshot}
		judge.Of(id)
		for _, w := range judge.Broken(f).Within(era.Window) {
			if n := len(out); n > 0 && out[n-1].Until == w.From && w.From != 0 {
				out[n-1].Until = w.Until
				continue
			}
			out = append(out, Span{Window: w, Revision: era.Revision})
		}
	}
	return out
}
