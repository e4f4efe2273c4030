package access_test

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
)

func TestChecksAgreeWithTheOracle(t *testing.T) {
	asked, reasons := 0, map[access.Reason]int{}
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		o := laws.OracleOf(s)
		for range 18_000 {
			q := c.Question()
			got, err := s.Check(q)
			if err != nil {
				t.Fatal(err)
			}
			if want := o.Check(q); got != want {
				t.Fatalf("%+v: %v, the oracle says %v", q, got, want)
			}
			asked++
			reasons[got.Reason]++
		}
	})
	// A law tried only on the easy half would prove nothing.
	for _, r := range access.Reasons {
		if reasons[r.Code] < asked/800 {
			t.Errorf("only %d of %d questions were answered %s", reasons[r.Code], asked, r.Code)
		}
	}
	t.Logf("%d checks without a difference: %v", asked, reasons)
}

func TestASnapshotMadeByDifferenceIsTheOneMadeAfresh(t *testing.T) {
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		d := access.Loader(s.Revision)
		for _, kind := range fact.FactKinds {
			for row := range uint32(600) {
				if f := s.Fact(kind, row); f != nil {
					d.Load(f, 1)
				}
			}
		}
		fresh := d.Seal(s.Revision, s.At)
		for range 300 {
			q := c.Question()
			got, _ := fresh.Check(q)
			want, _ := s.Check(q)
			if got != want {
				t.Fatalf("%+v: afresh %v, by difference %v", q, got, want)
			}
		}
		if fresh.ActiveUsers != s.ActiveUsers {
			t.Fatalf("active users: afresh %d, by difference %d", fresh.ActiveUsers, s.ActiveUsers)
		}
		for u := range s.Users() {
			if !reflect.DeepEqual(query.Entitlements(fresh, u.ID), query.Entitlements(s, u.ID)) {
				t.Fatalf("%s is entitled differently", u.UserName)
			}
		}
	})
}

func TestAnOlderSnapshotIsNotChangedByDraftsMadeFromIt(t *testing.T) {
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		var questions []access.Question
		var answers []access.Decision
		for range 200 {
			q := c.Question()
			d, _ := s.Check(q)
			questions, answers = append(questions, q), append(answers, d)
		}
		for range 40 {
			c.Change(s, 4)
		}
		for i, q := range questions {
			if d, _ := s.Check(q); d != answers[i] {
				t.Fatalf("%+v: was %v, is %v", q, answers[i], d)
			}
		}
	})
}

// entitled says whether entitlements let a user do an action on a path at an
// instant, on their own or on anybody's.
func entitled(es []query.Entitlement, app fact.ApplicationID, action, path string, at calendar.Instant, own bool) bool {
	return slices.ContainsFunc(es, func(e query.Entitlement) bool {
		return e.Application == app && e.Action == action && patterns.Covers(e.Target, path) && e.When.Holds(at) &&
			(own || !e.Own) && (e.Schedule == nil || e.Schedule.Holds(at))
	})
}

func TestEntitlementsAccessAndReachSayWhatChecksSay(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 60 {
			at := c.Instant()
			ref := string(c.User())
			id, ok := s.FindUser(ref)
			if !ok {
				continue
			}
			var es []query.Entitlement
			for _, e := range query.Entitlements(s, id) {
				if _, registered := s.FindResource(e.Application, e.Target); registered {
					es = append(es, e)
				}
			}
			lines := query.Access(s, id, at)
			for app := range s.Applications() {
				if app.State != fact.StateLive {
					continue
				}
				for _, action := range app.Actions {
					reach, own := query.Reach(s, id, app.ID, action.Key, at), query.OwnReach(s, id, app.ID, action.Key, at)
					for _, r := range s.Resources(app.ID) {
						for _, owner := range []string{"", ref} {
							d, _ := s.Check(access.Question{User: ref, Application: app.Key, Action: action.Key, Path: r.Path, At: at, Owner: owner})
							what := fmt.Sprintf("%s (of %q) %s %s %s at %d", ref, owner, app.Key, action.Key, r.Path, at)
							exact := slices.DeleteFunc(slices.Clone(es), func(e query.Entitlement) bool { return e.Target != r.Path })
							if got := entitled(exact, app.ID, action.Key, r.Path, at, owner != ""); got != d.Allowed {
								t.Fatalf("%s: entitled %v, check %v", what, got, d)
							}
							if r.Retired || d.Reason == access.ResourceUnknown {
								continue // reach is patterns, whatever is registered
							}
							if got := patterns.Reaches(reach, r.Path) || owner != "" && patterns.Reaches(own, r.Path); got != d.Allowed {
								t.Fatalf("%s: reach %v, own %v, check %v", what, reach, own, d)
							}
							var listed, fenced bool
							for _, l := range lines {
								if l.Application == app.ID && slices.Contains(l.Actions, action.Key) && patterns.Covers(l.Pattern, r.Path) && l.When.Holds(at) &&
									(owner != "" || !l.Own) && (l.Schedule == nil || l.Schedule.Holds(at)) {
									listed = true
									fenced = fenced || slices.ContainsFunc(l.Fences, func(f string) bool { return patterns.Overlap(f, r.Path) })
								}
							}
							if d.Allowed && !listed || listed && !d.Allowed && !fenced {
								t.Fatalf("%s: listed %v, fenced %v, check %v", what, listed, fenced, d)
							}
						}
					}
				}
			}
		}
	})
}

// concrete is a path a target stands for: stars become some name that is there,
// or lies below something open.
func concrete(s *access.Snapshot, app fact.ApplicationID, target string) string {
	for _, name := range []string{"q-1", "x", "a", "b", "c"} {
		if path := strings.ReplaceAll(target, "*", name); laws.OracleOf(s).Exists(app, path) {
			return path
		}
	}
	return target
}

// probe asks one thing before and after a change, and holds the preview to it:
// what changed is in it.
func probe(t *testing.T, before, after *access.Snapshot, e effect.Effect, q access.Question, app fact.ApplicationID) {
	t.Helper()
	b, err := before.Check(q)
	if err != nil {
		t.Fatal(err)
	}
	a, _ := after.Check(q)
	_, was := before.FindResource(app, q.Path)
	_, is := after.FindResource(app, q.Path)
	if !was && !is && (b.Reason == access.ResourceUnknown) != (a.Reason == access.ResourceUnknown) {
		return // a resource was opened or closed: its line stands for what lies below
	}
	own := q.Owner != ""
	switch {
	case !b.Allowed && a.Allowed && !entitled(e.Gained, app, q.Action, q.Path, q.At, own):
		t.Fatalf("%+v: gained and not in the preview %v", q, e.Gained)
	case b.Allowed && !a.Allowed && !entitled(e.Lost, app, q.Action, q.Path, q.At, own):
		t.Fatalf("%+v: lost and not in the preview %v", q, e.Lost)
	}
}

// within is an instant in some interval at which a schedule holds.
func instant(e *query.Entitlement, from calendar.Instant) (calendar.Instant, bool) {
	for _, w := range e.When {
		at := max(from, w.From)
		for range 2 * 24 * 8 {
			if w.Holds(at) && (e.Schedule == nil || e.Schedule.Holds(at)) {
				return at, true
			}
			at += 1_800_000_000
		}
	}
	return 0, false
}

func TestAPreviewIsTheDifferenceAfterTheCommit(t *testing.T) {
	tried, touched := 0, 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 60 {
			d, ok := c.Change(s, 3)
			if !ok {
				continue
			}
			from := c.Instant()
			effects := map[fact.UserID]effect.Effect{}
			for _, e := range effect.Of(d, from).Effects {
				for _, u := range e.Users {
					effects[u] = e
				}
			}
			next := d.Seal(d.Revision, from)
			tried++
			for i := range 11 {
				ref, id := fmt.Sprintf("user.%d", i), fact.UserID(0)
				if i == 10 {
					ref = ""
				} else if id, ok = next.FindUser(ref); !ok {
					continue
				}
				e := effects[id]
				for range 25 { // what changed is in the preview
					app := next.Application(fact.ApplicationID(2 + c.IntN(2)))
					if before := s.Application(app.ID); before == nil || before.State != fact.StateLive || app.State != fact.StateLive {
						continue // answered as if live: checks are not
					}
					q := access.Question{User: ref, Application: app.Key, Action: c.Action(), Path: c.Question().Path, At: max(from, c.Instant()), Owner: laws.Pick(c, "", ref)}
					probe(t, s, next, e, q, app.ID)
				}
				// What is in the preview changed, at an instant it says.
				for side, es := range [][]query.Entitlement{e.Gained, e.Lost} {
					for _, x := range es {
						touched++
						without, with := s, next
						if side == 1 {
							without, with = next, s
						}
						changed(t, without, with, x, id, ref, from)
					}
				}
			}
		}
	})
	if touched < tried {
		t.Errorf("only %d entitlements were touched by %d changes", touched, tried)
	}
	t.Logf("%d changes touched %d entitlements", tried, touched)
}

// changed holds one entitlement of a preview to checks on both sides.
func changed(t *testing.T, without, with *access.Snapshot, x query.Entitlement, id fact.UserID, ref string, from calendar.Instant) {
	t.Helper()
	app, was := with.Application(x.Application), without.Application(x.Application)
	at, ok := instant(&x, from)
	if app.State != fact.StateLive || was == nil || was.State != fact.StateLive || !ok {
		return
	}
	q := access.Question{User: ref, Application: app.Key, Action: x.Action, Path: concrete(with, x.Application, x.Target), At: at}
	if x.Own {
		q.Owner = ref
	}
	for _, f := range with.Fences(x.Application) { // a star was given a name that lies behind a fence
		if !patterns.Contains(f.Pattern, x.Target) && patterns.Covers(f.Pattern, q.Path) {
			return
		}
	}
	if d, _ := with.Check(q); !d.Allowed {
		t.Fatalf("%+v: in the preview as held (%+v), the check says %v", q, x, d)
	}
	l := query.Line{App: x.Application, Action: x.Action, Target: x.Target}
	for c := range query.When(without, l, query.PermissionsOf(without, id)) {
		if c.Schedule != "" { // held at other times of the week, perhaps at this instant
			return
		}
	}
	if strings.Contains(x.Target, "*") {
		return // a pattern may be covered in part by others
	}
	if d, _ := without.Check(q); d.Allowed {
		t.Fatalf("%+v: in the preview as not held (%+v), the check says %v", q, x, d)
	}
}

func TestAddingNeverTakesAway(t *testing.T) {
	added := 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 120 {
			op := c.Operation()
			if m, ok := op.(*roles.AddMember); ok { // on new bounds it takes the place of the old one
				m.Window = calendar.Window{}
			}
			switch op.(type) {
			case *roles.Grant, *roles.AddMember, *roles.AddPermission, *roles.IncludeRole:
			case *roles.AddFence: // the other way round
				fence := change.NewDraft(s)
				fence.Apply(0, op, 0)
				if len(fence.Faults) == 0 {
					for _, e := range effect.Of(fence, 1).Effects {
						if len(e.Gained) > 0 {
							t.Fatalf("a fence gave %v to %v", e.Gained, e.Users)
						}
					}
				}
				continue
			default:
				continue
			}
			d := change.NewDraft(s)
			d.Apply(0, op, 0)
			if len(d.Faults) > 0 || len(d.Changes()) == 0 {
				continue
			}
			added++
			for _, e := range effect.Of(d, 1).Effects {
				if len(e.Lost) > 0 {
					t.Fatalf("%#v took %v from %v", op, e.Lost, e.Users)
				}
			}
		}
	})
	if added < 500 {
		t.Errorf("only %d additions were tried", added)
	}
}

func TestAnExplanationNamesWaysThatAreThere(t *testing.T) {
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 400 {
			q := c.Question()
			e, err := query.Explain(s, q)
			if err != nil {
				t.Fatal(err)
			}
			if d, _ := s.Check(q); d != e.Decision {
				t.Fatalf("%+v: check %v, explain %v", q, d, e.Decision)
			}
			if (e.Reason == access.Rehearsal) != (e.Live != e.Reason) || e.Reason == access.Rehearsal && e.Live == access.Granted {
				t.Fatalf("%+v: %s, and live it would be %s", q, e.Reason, e.Live)
			}
			if (e.Live == access.Granted || slices.Contains(laws.Order, e.Live)) != (len(e.Chains) > 0) {
				t.Fatalf("%+v: %s, live %s, with %d chains", q, e.Reason, e.Live, len(e.Chains))
			}
			for i, chain := range e.Chains {
				if want := map[bool]access.Reason{true: "", false: e.Live}[e.Live == access.Granted]; chain.Fails != want {
					t.Fatalf("%+v: a chain fails with %q in an answer %s, live %s", q, chain.Fails, e.Reason, e.Live)
				}
				if i > 0 && chain.Length() < e.Chains[i-1].Length() {
					t.Fatalf("%+v: a longer chain comes first", q)
				}
				a := s.Assignment(chain.Assignment)
				if a.Role != chain.Roles[0] || s.Permission(chain.Permission).Role != chain.Roles[len(chain.Roles)-1] {
					t.Fatalf("%+v: the chain %+v does not hang together", q, chain)
				}
				if windows := chain.Fails == access.NotYet || chain.Fails == access.Ended; !chain.Never && (chain.Fails == "" || windows) && windows == chain.Window.Holds(q.At) {
					t.Fatalf("%+v: the chain says %v and fails %q", q, chain.Window, chain.Fails)
				}
			}
		}
	})
}

func TestHoldersAndRolesHeldAreEachOthersConverse(t *testing.T) {
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for r := range s.Roles() {
			below := map[fact.UserID]bool{}
			s.HoldersBelow(r.ID, func(id fact.UserID) { below[id] = true })
			for u := range s.Users() {
				if _, is := held.RoleIntervals(s, u.ID)[r.ID]; is && !below[u.ID] {
					t.Fatalf("%s holds %s and is not found below it", u.UserName, s.RoleKey(r.ID))
				}
			}
		}
	})
}

// A would-be user is asked about as the same user, once made, will be.
func TestAWouldBeUserHasWhatTheSameUserWillHave(t *testing.T) {
	had := 0
	laws.EachOrganisation(t, func(t *testing.T, c *laws.Chance, s *access.Snapshot) {
		for range 20 {
			u := fact.User{UserFacts: fact.UserFacts{Unit: c.Unit(), Employment: laws.Pick(c, "staff", "contractor"), Start: c.Date(), End: c.Date()}}
			dreamt, id, faults := change.WouldBe(s, u)
			d := change.NewDraft(s)
			d.Apply(0, &people.AddUser{Personal: fact.Personal{UserName: "newcomer"}, UserFacts: fact.UserFacts{Unit: u.Unit, Employment: u.Employment, Start: u.Start, End: u.End}}, s.At)
			d.Finish()
			if (len(faults) > 0) != (len(d.Faults) > 0) {
				t.Fatalf("%+v: %v, made: %v", u, faults, d.Faults)
			}
			if len(faults) > 0 {
				continue
			}
			made, _ := d.FindUser("newcomer")
			for range 20 {
				q := c.Question()
				q.User = id.String()
				got, _ := dreamt.Check(q)
				q.User = made.String()
				want, _ := d.Check(q)
				if got != want {
					t.Fatalf("%+v: %+v: %v, made: %v", u, q, got, want)
				}
				if got.Allowed {
					had++
				}
			}
		}
	})
	if had == 0 {
		t.Error("nobody had anything")
	}
}
