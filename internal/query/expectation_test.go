package query_test

import (
	"reflect"
	"slices"
	"testing"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

// breaks asks one question after another, and is what an expectation means.
func breaks(s *access.Snapshot, f *fact.Expectation, id fact.UserID, at calendar.Instant) bool {
	counts := id == 0 || s.Effective(id, at)
	in := slices.Contains(s.GroupsAt(nil, id, at), f.Of.Group)
	switch {
	case f.Of.Nobody:
		counts = id == 0
	case f.Of.User != 0:
		counts = counts && id == f.Of.User
	case f.Of.Except:
		counts = counts && !in
	default:
		counts = counts && in && id != 0
	}
	if f.Ended || !counts {
		return false
	}
	rec := s.ApplicationTable.At(int(f.Application))
	var registered []string
	for _, r := range s.Resources(f.Application) {
		if _, known := s.Known(rec, r.Path); known && patterns.Covers(f.Pattern, r.Path) {
			registered = append(registered, r.Path)
		}
	}
	may := func(path string) bool {
		return access.Declares(rec.Fact, f.Action) && query.Cells(s, id, f.Application, at, []query.Target{{Action: f.Action, Path: path}})[0].Chain != nil
	}
	if f.May {
		for _, p := range registered {
			if !may(p) {
				return true
			}
		}
		return len(registered) == 0 && !holdsLine(s, f, id, at, func(target string) bool { return patterns.Contains(target, f.Pattern) })
	}
	for _, p := range registered {
		if may(p) {
			return true
		}
	}
	return holdsLine(s, f, id, at, func(target string) bool {
		return patterns.Contains(f.Pattern, target) || patterns.Contains(target, f.Pattern)
	})
}

// holdsLine looks through all somebody can do, of what lies below open resources.
func holdsLine(s *access.Snapshot, f *fact.Expectation, id fact.UserID, at calendar.Instant, fits func(string) bool) bool {
	rec := s.ApplicationTable.At(int(f.Application))
	return slices.ContainsFunc(query.Entitlements(s, id), func(e query.Entitlement) bool {
		return e.Application == f.Application && e.Action == f.Action && e.When.Holds(at) && fits(e.Target) && (s.ResourceAt(rec, e.Target) == nil || query.BelowOpen(s, rec, f.Pattern)) &&
			(patterns.Contains(f.Pattern, e.Target) || !fencedFor(s, id, f, at) && !belowRetired(s, rec, f.Pattern))
	})
}

// belowRetired says whether a resource that the pattern of an expectation names, or one above
// it, is retired: nothing there is known any more, though the application be open.
func belowRetired(s *access.Snapshot, rec *access.ApplicationEntry, pattern string) bool {
	for at := pattern; patterns.CheckPath(at) == nil; at = patterns.ParentPath(at) {
		if r := s.ResourceAt(rec, at); r != nil && r.Fact.Retired {
			return true
		}
		if at == patterns.Root {
			break
		}
	}
	return false
}

// fencedFor says whether the pattern of an expectation itself is not reached,
// for a fence that lies over it.
func fencedFor(s *access.Snapshot, id fact.UserID, f *fact.Expectation, at calendar.Instant) bool {
	rec := s.ApplicationTable.At(int(f.Application))
	chains, _ := query.Chains(s, id, at, nil, func(p *fact.Permission) bool {
		return p.Application == f.Application && access.Gives(p, f.Action) && patterns.Contains(p.Pattern, f.Pattern) && !(id == 0 && p.Own)
	})
	for _, c := range chains {
		if a := s.Assignment(c.Assignment); c.Fails == "" && fact.InScope(a.Scopes, f.Application, f.Pattern) && !s.Fenced(rec, s.Permission(c.Permission).Pattern, f.Action, f.Pattern) {
			return false
		}
	}
	return true
}

// An expectation is broken exactly by those of whom question after question says
// so; and what a change breaks is what is broken after it and was not before.
func TestExpectationsAreBrokenByWhomQuestionsSay(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	met, brought, held, same := 0, 0, 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 12 {
			if d := laws.DraftOf(s, c.Expectation()); len(d.Faults) == 0 {
				s = d.Seal(d.Revision, s.At+1)
			}
		}
		from := calendar.At(c.Day0)
		var instants []calendar.Instant
		for i := range 40 {
			instants = append(instants, from+calendar.Instant((time.Duration(i)*13*time.Hour+time.Hour).Microseconds()))
		}
		users := func(s *access.Snapshot) []fact.UserID {
			out := []fact.UserID{0}
			for u := range s.Users() {
				out = append(out, u.ID)
			}
			return out
		}
		for _, f := range record.Expectations(s) {
			all := query.BrokenBy(s, f, from)
			for _, id := range users(s) {
				i := slices.IndexFunc(all, func(b query.Broken) bool { return b.User == id })
				for _, at := range instants[:10] {
					got, want := i >= 0 && all[i].When.Holds(at), breaks(s, f, id, at)
					if got != want {
						t.Fatalf("%v breaks %+v at %v: %v, asked question by question: %v", id, f, at, got, want)
					} else if want {
						met++
					} else {
						held++
					}
				}
			}
		}
		for range 80 {
			d, ok := c.Change(s, 2)
			if !ok {
				continue
			}
			found := effect.NewlyBroken(d, effect.Of(d, from), from)
			for _, f := range record.Expectations(&d.Snapshot) {
				if record.Expectation(d.Base(), f.ID) != f {
					continue
				}
				for _, id := range users(&d.Snapshot) {
					for _, at := range instants[:5] {
						got := slices.ContainsFunc(found, func(b query.Broken) bool { return b.Expectation == f && b.User == id && b.When.Holds(at) })
						was := (id == 0 || s.User(id) != nil) && breaks(s, f, id, at)
						if is := breaks(&d.Snapshot, f, id, at); got != (is && !was) {
							t.Fatalf("%v, %+v at %v: was %v, is %v, told %v, by %v", id, f, at, was, is, got, d.Changes())
						} else if got {
							brought++
						}
					}
				}
			}
			if len(d.Changes()) > 0 {
				older, was := s, query.BrokenByEach(s, record.Expectations(s), 0)
				s = d.Seal(d.Revision, s.At+1)
				afresh := query.BrokenByEach(s, record.Expectations(s), 0)
				if since := query.BrokenSince(s, older, was); !reflect.DeepEqual(since, afresh) {
					t.Fatalf("since the last: %v\nafresh: %v\nby %v", since, afresh, d.Changes())
				}
				if !query.GroupsDiffer(s, older) && query.RolesDescribedAlike(s, older) {
					same++
				}
			}
		}
	})
	if met < 1000 || held < 1000 || brought < 100 || same < 100 {
		t.Errorf("%d met, %d held, %d brought about, %d by difference", met, held, brought, same)
	}
}
