package alike_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/alike"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
)

// Whoever looks like somebody is found, whatever was added, renamed and moved since the index
// was made, on older snapshots too, and nobody else.
func TestWhoLooksLikeSomebodyIsWhomALookAtEachSays(t *testing.T) {
	names := []string{"", "Ana", "Ana Sá", "Sa, Ana", "ANA  SÁ", "Ivo Ó Dálaigh", "Ivo O Dalaigh"}
	plain := map[string]string{"Ana Sá": "a", "Sa, Ana": "a", "ANA  SÁ": "a", "Ivo Ó Dálaigh": "i", "Ivo O Dalaigh": "i"}
	emails := []string{"", "a@b.example", "A@B.example", "i@b.example"}
	met := 0
	for seed := range uint64(20) {
		c := laws.NewChance(seed)
		s := laws.Port(t, &people.DeclareAttribute{Key: "number", Identifies: seed%2 == 0}, &people.DeclareAttribute{Key: "secret", Personal: true, Identifies: true})
		all, added := []*access.Snapshot{s}, []string(nil)
		some := func() (fact.Personal, fact.UserFacts, map[string]string) {
			return fact.Personal{DisplayName: laws.Pick(c, names...), Email: laws.Pick(c, emails...)},
				fact.UserFacts{Unit: laws.Pick(c, "", "marine", "finance"), Start: laws.Pick(c, calendar.Date(0), 20_000, 20_001)},
				map[string]string{"number": laws.Pick(c, "", "47", "48"), "secret": laws.Pick(c, "", "x", "X")}
		}
		for i := range 60 {
			p, f, custom := some()
			var op change.Operation
			if p.UserName = fmt.Sprintf("user.%d", i); i%3 < 2 && i != 30 {
				added = append(added, p.UserName)
				op = &people.AddUser{Personal: p, UserFacts: f, Custom: custom}
			} else {
				op = &people.UpdateUser{User: change.UserRef(laws.Pick(c, added...)), DisplayName: &p.DisplayName, Email: &p.Email, UserEdits: fact.UserEdits{Unit: &f.Unit, Start: &f.Start}, Custom: custom}
			}
			if i == 30 {
				yes := true
				op = &people.UpdateAttribute{Attribute: "number", Identifies: &yes}
			}
			d := laws.DraftOf(s, op)
			if len(d.Faults) > 0 {
				t.Fatal(&d.Faults[0])
			}
			s = d.Seal(d.Revision, s.At+1)
			all = append(all, s)
			at := laws.Pick(c, s, s, all[c.IntN(len(all))])
			probe := fact.User{ID: 1 << 20, UserKind: fact.Person}
			probe.Personal, probe.UserFacts, custom = some()
			number := at.FindAttribute("number")
			probe.Custom = probe.Custom.With(number, custom["number"])
			probe.More = probe.More.With(at.FindAttribute("secret"), custom["secret"])
			want, got := map[string]bool{}, map[string]bool{}
			for u := range at.Users() {
				like := u.Email != "" && strings.EqualFold(u.Email, probe.Email) ||
					number.Identifies && custom["number"] != "" && u.Custom.Get("number") == custom["number"] ||
					custom["secret"] != "" && strings.EqualFold(u.More.Get("secret"), custom["secret"])
				if a := plain[u.DisplayName]; a != "" && a == plain[probe.DisplayName] {
					if u.Start != 0 && probe.Start != 0 {
						like = like || u.Start == probe.Start
					} else {
						like = like || u.Unit != "" && u.Unit == probe.Unit
					}
				}
				if like && u.UserKind == fact.Person {
					want[u.UserName] = true
					met++
				}
			}
			alike.To(at, &probe, func(u *fact.User) bool { got[u.UserName] = true; return true })
			if !maps.Equal(want, got) {
				t.Fatalf("seed %d, step %d: %+v looks like %v, found %v", seed, i, probe, slices.Sorted(maps.Keys(want)), slices.Sorted(maps.Keys(got)))
			}
		}
		if seed%2 == 1 {
			alike.Warm(s, func() {})
		}
	}
	if met < 1000 {
		t.Errorf("only %d were alike", met)
	}
}

// However many share a name and however many of that name are sought, each is asked about once: most of
// them hidden, all of them hidden, or more than are told.
func TestWhoSharesANameIsAskedAboutOnce(t *testing.T) {
	const many, told = 1500, 1000
	s, start := laws.Port(t), calendar.Date(20_000)
	before := len(slices.Collect(s.Users()))
	d := change.NewDraft(s)
	for i := range many {
		d.Apply(i, &people.AddUser{Personal: fact.Personal{UserName: fmt.Sprintf("ana.%d", i), DisplayName: "Ana Sá"}, UserFacts: fact.UserFacts{Start: start}}, 1)
	}
	if d.Finish(); len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	s = d.Seal(d.Revision, 1)
	probe := &fact.User{ID: 1 << 20, UserKind: fact.Person, Personal: fact.Personal{DisplayName: "Sá, Ana"}, UserFacts: fact.UserFacts{Start: start}}
	for hidden, want := range map[int]int{many: 0, many - 1: 1, 0: told} {
		asked := 0
		find := alike.Among(s, func(id fact.UserID) bool { asked++; return int(id) > before+hidden })
		for range 20 {
			found := 0
			find.To(probe, func(*fact.User) bool { found++; return true })
			if found != want {
				t.Fatalf("of %d hidden of %d, %d are found", hidden, many, found)
			}
		}
		if asked != many {
			t.Errorf("%d are asked about %d times", many, asked)
		}
	}
}
