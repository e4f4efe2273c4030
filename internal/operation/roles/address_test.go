package roles_test

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/roles"
	"ableroster/internal/patterns"
)

// naiveAddressed looks at each address of each resource, and takes the one that says most.
func naiveAddressed(s *access.Snapshot, app fact.ApplicationID, method, host string, segments []string) (action, path string) {
	best := ""
	for _, r := range s.Resources(app) {
		for _, text := range r.Addresses {
			a, err := patterns.ParseAddress(text)
			if err != nil || r.Retired || a.Method != "" && a.Method != method || a.Host != "" && a.Host != host || len(a.Segments) != len(segments) {
				continue
			}
			weight, below, fits := "0", []string{r.Path}, true
			if a.Host != "" {
				weight = "1"
			}
			for i, x := range a.Segments {
				switch {
				case x == segments[i]:
					weight += "1"
				case strings.HasPrefix(x, "{"):
					weight, below = weight+"0", append(below, segments[i])
				default:
					fits = false
				}
			}
			if a.Method != "" {
				weight += "1"
			} else {
				weight += "0"
			}
			if weight = "x" + weight; fits && weight > best {
				best, action, path = weight, a.Action, r.Path
				if action == "" {
					action = patterns.ActionOf(method)
				}
				if r.Open {
					path = patterns.Join(below...)
				}
			}
		}
	}
	return action, path
}

// A call comes to the resource whose address says most of it, and no two resources have
// addresses between which it could not be told, whatever was added, altered and retired.
func TestACallComesToTheAddressThatSaysMost(t *testing.T) {
	met, refused := 0, 0
	for seed := range uint64(30) {
		c := laws.NewChance(seed)
		s := laws.Port(t)
		app, _ := s.FindApplication("berths")
		segment := func() string { return laws.Pick(c, "a", "b", "{x}", "{y}") }
		some := func() (out []string) {
			for range 1 + c.IntN(2) {
				text := laws.Pick(c, "", "", "https://h.example")
				for range c.IntN(4) {
					text += "/" + segment()
				}
				if !strings.Contains(strings.TrimPrefix(text, "https://"), "/") {
					text += "/"
				}
				if m := laws.Pick(c, "", "", "GET", "POST"); m != "" {
					text = m + " " + text
				}
				out = append(out, text+laws.Pick(c, "", "", " update"))
			}
			return out
		}
		var paths []string
		for i := range 60 {
			var op change.Operation
			if i < 25 {
				path := "r" + string(rune('a'+i))
				op = &roles.AddResource{Application: "berths", Path: path, Open: c.IntN(3) == 0, Addresses: some()}
				paths = append(paths, path)
			} else {
				o := &roles.UpdateResource{Application: "berths", Path: laws.Pick(c, paths...)}
				if retired := c.IntN(2) == 0; c.IntN(2) == 0 {
					o.Retired = &retired
				} else {
					o.Addresses = some()
				}
				op = o
			}
			d := laws.DraftOf(s, op)
			if len(d.Faults) > 0 {
				refused++
				continue
			}
			s = d.Seal(d.Revision, s.At+calendar.Instant(1))
			shapes := map[string]string{}
			for _, r := range s.Resources(app) {
				for _, text := range r.Addresses {
					if a, err := patterns.ParseAddress(text); err == nil && !r.Retired {
						all := a.Shapes()
						if there := shapes[all[len(all)-1]]; there != "" {
							t.Fatalf("%q of %s is %s's too", text, r.Path, there)
						}
						shapes[all[len(all)-1]] = r.Path
					}
				}
			}
			for range 20 {
				var segments []string
				for range c.IntN(4) {
					segments = append(segments, laws.Pick(c, "a", "b", "c"))
				}
				host, method := laws.Pick(c, "", "https://h.example", "https://other.example"), laws.Pick(c, "GET", "POST", "DELETE")
				action, path, ok, err := s.Addressed(app, method, host+"/"+strings.Join(segments, "/"))
				wantAction, wantPath := naiveAddressed(s, app, method, host, segments)
				if err != nil || ok != (wantPath != "") || action != wantAction || path != wantPath {
					t.Fatalf("seed %d: %s %s%q: %s %s (%v), one by one: %s %s", seed, method, host, segments, action, path, err, wantAction, wantPath)
				}
				if ok {
					met++
				}
			}
		}
	}
	if met < 5000 || refused < 100 {
		t.Errorf("%d calls came to an address, %d operations were refused", met, refused)
	}
}

// Addresses that were written before they had a form stay with their resource, and name no call.
func TestOldAddressesStay(t *testing.T) {
	s := laws.Port(t)
	d := change.NewDraft(s)
	d.Replays = true
	d.Apply(0, &roles.AddResource{Application: "berths", Path: "pontoon", Addresses: []string{"behind the shed", "/a", "GET /a/{x}"}}, s.At+1)
	if len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	s = d.Seal(d.Revision, s.At+1)
	label := "Pontoon"
	if d := laws.DraftOf(s, &roles.UpdateResource{Application: "berths", Path: "pontoon", Label: &label}); len(d.Faults) > 0 {
		t.Error(&d.Faults[0])
	}
	if d := laws.DraftOf(s, &roles.UpdateResource{Application: "berths", Path: "pontoon", Addresses: []string{"behind the shed"}}); len(d.Faults) > 0 {
		t.Error(&d.Faults[0])
	}
	if d := laws.DraftOf(s, &roles.UpdateResource{Application: "berths", Path: "pontoon", Addresses: []string{"behind the barn"}}); len(d.Faults) == 0 {
		t.Error("a new address without a form is taken")
	}
	if d := laws.DraftOf(s, &roles.AddResource{Application: "berths", Path: "raft", Addresses: []string{"GET /a/{y} dance"}}); !slices.ContainsFunc(d.Faults, func(f change.Fault) bool { return strings.Contains(f.Message, "declares no action") }) {
		t.Errorf("%v", d.Faults)
	}
}
