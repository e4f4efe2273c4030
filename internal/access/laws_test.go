package access

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"
)

// organisations is how many random ones each law is tried on.
const organisations = 60

func eachOrganisation(t *testing.T, f func(t *testing.T, c *chance, s *Snapshot)) {
	t.Helper()
	for seed := range uint64(organisations) {
		c := newChance(seed)
		s := c.organisation(t)
		t.Run(fmt.Sprint("seed ", seed), func(t *testing.T) { f(t, c, s) })
	}
}

func TestChecksAgreeWithTheOracle(t *testing.T) {
	asked, reasons := 0, map[Reason]int{}
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		o := oracleOf(s)
		for range 2500 {
			q := c.question()
			got, err := s.Check(q)
			if err != nil {
				t.Fatal(err)
			}
			if want := o.check(q); got != want {
				t.Fatalf("%+v: %v, the oracle says %v", q, got, want)
			}
			asked++
			reasons[got.Reason]++
		}
	})
	// A law tried only on the easy half would prove nothing.
	for _, r := range Reasons {
		if reasons[r.Code] < asked/500 {
			t.Errorf("only %d of %d questions were answered %s", reasons[r.Code], asked, r.Code)
		}
	}
	t.Logf("%d checks without a difference: %v", asked, reasons)
}

func TestASnapshotMadeByDifferenceIsTheOneMadeAfresh(t *testing.T) {
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		d := Loader(s.Revision)
		for _, kind := range FactKinds {
			for row := range uint32(600) {
				if f := s.fact(factKey{kind, row}); f != nil {
					d.Put(f, 1)
				}
			}
		}
		fresh := d.Seal(s.Revision, s.At)
		for range 300 {
			q := c.question()
			got, _ := fresh.Check(q)
			want, _ := s.Check(q)
			if got != want {
				t.Fatalf("%+v: afresh %v, by difference %v", q, got, want)
			}
		}
		if fresh.active != s.active {
			t.Fatalf("active users: afresh %d, by difference %d", fresh.active, s.active)
		}
		for u := range s.Users() {
			if !reflect.DeepEqual(fresh.Entitlements(u.ID), s.Entitlements(u.ID)) {
				t.Fatalf("%s is entitled differently", u.UserName)
			}
		}
	})
}

func TestAnOlderSnapshotIsNotChangedByDraftsMadeFromIt(t *testing.T) {
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		var questions []Question
		var answers []Decision
		for range 200 {
			q := c.question()
			d, _ := s.Check(q)
			questions, answers = append(questions, q), append(answers, d)
		}
		for range 40 {
			c.change(s, 4)
		}
		for i, q := range questions {
			if d, _ := s.Check(q); d != answers[i] {
				t.Fatalf("%+v: was %v, is %v", q, answers[i], d)
			}
		}
	})
}

// holds says whether an entitlement of the list is held at an instant.
func holds(es []Entitlement, app ApplicationID, action, target string, at Instant) bool {
	for _, e := range es {
		if e.Application == app && e.Action == action && e.Target == target {
			return e.When.Holds(at)
		}
	}
	return false
}

func TestEntitlementsAccessAndReachSayWhatChecksSay(t *testing.T) {
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		for range 60 {
			at := c.instant()
			ref := string(c.user())
			id, ok := s.FindUser(ref)
			if !ok {
				continue
			}
			es, lines := s.Entitlements(id), s.Access(id, at)
			for app := range s.Applications() {
				if app.State != StateLive {
					continue
				}
				for _, action := range app.Actions {
					reach := s.Reach(id, app.ID, action.Key, at)
					for _, r := range s.Resources(app.ID) {
						d, _ := s.Check(Question{ref, app.Key, action.Key, r.Path, at})
						what := fmt.Sprintf("%s %s %s %s", ref, app.Key, action.Key, r.Path)
						if got := holds(es, app.ID, action.Key, r.Path, at); got != d.Allowed {
							t.Fatalf("%s: entitled %v, check %v", what, got, d)
						}
						if got := Reaches(reach, r.Path); got != d.Allowed {
							t.Fatalf("%s: reach %v, check %v", what, reach, d)
						}
						listed := slices.ContainsFunc(lines, func(l AccessLine) bool {
							return l.Application == app.ID && slices.Contains(l.Actions, action.Key) && Covers(l.Pattern, r.Path) && l.When.Holds(at)
						})
						if listed != d.Allowed {
							t.Fatalf("%s: listed %v, check %v", what, listed, d)
						}
					}
				}
			}
		}
	})
}

// concrete is a path a target stands for: stars become some name that is there,
// or lies below something open.
func concrete(s *Snapshot, app ApplicationID, target string) string {
	for _, name := range []string{"q-1", "x", "a", "b", "c"} {
		if path := strings.ReplaceAll(target, "*", name); oracleOf(s).exists(app, path) {
			return path
		}
	}
	return target
}

// probe asks one thing before and after a change, and holds the preview to it:
// what changed is in it, and what is in it changed.
func probe(t *testing.T, before, after *Snapshot, e Effect, ref string, app *Application, action, path string, at Instant) {
	t.Helper()
	q := Question{ref, app.Key, action, path, at}
	b, err := before.Check(q)
	if err != nil {
		t.Fatal(err)
	}
	a, _ := after.Check(q)
	in := func(es []Entitlement) bool {
		return slices.ContainsFunc(es, func(e Entitlement) bool {
			return e.Application == app.ID && e.Action == action && Covers(e.Target, path) && e.When.Holds(at)
		})
	}
	gained, lost := in(e.Gained), in(e.Lost)
	switch {
	case !b.Allowed && a.Allowed && !gained:
		t.Fatalf("%+v: gained and not in the preview %v", q, e.Gained)
	case b.Allowed && !a.Allowed && !lost:
		t.Fatalf("%+v: lost and not in the preview %v", q, e.Lost)
	}
}

func TestAPreviewIsTheDifferenceAfterTheCommit(t *testing.T) {
	tried, touched := 0, 0
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		for range 60 {
			d, ok := c.change(s, 3)
			if !ok {
				continue
			}
			from := c.instant()
			p := d.Preview(from)
			effects := map[UserID]Effect{}
			for _, e := range p.Effects {
				for _, u := range e.Users {
					effects[u] = e
				}
			}
			next := d.Seal(d.Revision, from)
			tried++
			for i := range 11 {
				ref, id := fmt.Sprintf("user.%d", i), UserID(0)
				if i == 10 {
					ref = ""
				} else if found, ok := next.FindUser(ref); ok {
					id = found
				} else {
					continue
				}
				e := effects[id]
				for range 25 { // what changed is in the preview
					app := next.Application(ApplicationID(2 + c.IntN(2)))
					at := max(from, c.instant())
					if before := s.Application(app.ID); before == nil || before.State != StateLive || app.State != StateLive {
						continue // answered as if live: checks are not
					}
					probe(t, s, next, e, ref, app, c.action(), c.question().Path, at)
				}
				// What is in the preview changed, at the first instant it says.
				for side, es := range [][]Entitlement{e.Gained, e.Lost} {
					for _, x := range es {
						touched++
						without, with := s, next
						if side == 1 {
							without, with = next, s
						}
						app, was := with.Application(x.Application), without.Application(x.Application)
						if app.State != StateLive || was == nil || was.State != StateLive {
							continue
						}
						q := Question{ref, app.Key, x.Action, concrete(with, x.Application, x.Target), max(from, x.When[0].From)}
						if d, _ := with.Check(q); !d.Allowed {
							t.Fatalf("%+v: in the preview as held (side %d), the check says %v", q, side, d)
						}
						if _, registered := without.FindResource(x.Application, x.Target); registered || !strings.Contains(x.Target, "*") {
							if d, _ := without.Check(q); d.Allowed {
								t.Fatalf("%+v: in the preview as not held (side %d), the check says %v", q, side, d)
							}
						}
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

func TestAddingNeverTakesAway(t *testing.T) {
	added := 0
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		for range 120 {
			op := c.operation()
			if m, ok := op.(*AddMember); ok { // on new terms it takes the place of the old one
				m.Window = Window{}
			}
			switch op.(type) {
			case *Grant, *AddMember, *AddPermission, *IncludeRole:
			default:
				continue
			}
			d := s.Draft()
			d.Apply(0, op, 0)
			if len(d.Faults) > 0 || len(d.Changes()) == 0 {
				continue
			}
			added++
			for _, e := range d.Preview(1).Effects {
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
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		for range 400 {
			q := c.question()
			e, err := s.Explain(q)
			if err != nil {
				t.Fatal(err)
			}
			if d, _ := s.Check(q); d != e.Decision {
				t.Fatalf("%+v: check %v, explain %v", q, d, e.Decision)
			}
			near := e.Reason == NotYet || e.Reason == Ended
			if (e.Allowed || near) != (len(e.Chains) > 0) {
				t.Fatalf("%+v: %s with %d chains", q, e.Reason, len(e.Chains))
			}
			for i, chain := range e.Chains {
				if want := map[bool]Reason{true: "", false: e.Reason}[e.Allowed]; chain.Fails != want {
					t.Fatalf("%+v: a chain fails with %q in an answer %s", q, chain.Fails, e.Reason)
				}
				if i > 0 && chain.Length() < e.Chains[i-1].Length() {
					t.Fatalf("%+v: a longer chain comes first", q)
				}
				a := s.Assignment(chain.Assignment)
				if a.Role != chain.Roles[0] || s.Permission(chain.Permission).Role != chain.Roles[len(chain.Roles)-1] {
					t.Fatalf("%+v: the chain %+v does not hang together", q, chain)
				}
				if !chain.Never && (chain.Fails == "") != chain.Window.Holds(q.At) {
					t.Fatalf("%+v: the chain says %v and fails %q", q, chain.Window, chain.Fails)
				}
			}
		}
	})
}

func TestHoldersAndRolesHeldAreEachOthersConverse(t *testing.T) {
	eachOrganisation(t, func(t *testing.T, c *chance, s *Snapshot) {
		for r := range s.Roles() {
			below := map[UserID]bool{}
			s.holdersBelow(r.ID, func(id UserID) { below[id] = true })
			for u := range s.Users() {
				if _, held := s.roleIntervals(u.ID)[r.ID]; held && !below[u.ID] {
					t.Fatalf("%s holds %s and is not found below it", u.UserName, s.RoleKey(r.ID))
				}
			}
		}
	})
}
