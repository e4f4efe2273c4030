package e2e

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// Lists are what a look at each resource says: filtered, put in order, by pages, cut to what is
// asked for.
func TestSCIMListsAreWhatALookAtEachSays(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	p := provision(t, s, marta, "personnel.system", everything)
	for i, name := range []string{"ines.halloran", "tomas.brandt"} {
		id := p.list("Users", `userName eq "`+strings.ToUpper(name)+`"`)
		if len(id) != 1 {
			t.Fatal(name, id)
		}
		p.must(200, "PATCH", "/Users/"+id[0], patchOf(m{"op": "add", "path": "externalId", "value": fmt.Sprintf("P-%d", i)}))
	}
	var all []m
	for start := 1; ; {
		page := p.must(200, "GET", fmt.Sprintf("/Users?startIndex=%d&count=50", start), nil)
		got := page["Resources"].([]any)
		for _, x := range got {
			all = append(all, x.(m))
		}
		if start += len(got); len(got) == 0 || page["itemsPerPage"] != float64(len(got)) || page["startIndex"] != float64(start-len(got)) {
			if page["totalResults"] != float64(len(all)) || len(all) < 200 {
				t.Fatalf("%v, %d on the pages", page["totalResults"], len(all))
			}
			break
		}
	}
	str := func(x m, names ...any) string { s, _ := in(x, names...).(string); return s }
	for filter, fits := range map[string]func(m) bool{
		`userName eq "INES.HALLORAN"`:                    func(x m) bool { return x["userName"] == "ines.halloran" },
		`userName sw "i"`:                                func(x m) bool { return strings.HasPrefix(str(x, "userName"), "i") },
		`USERNAME co "an"`:                               func(x m) bool { return strings.Contains(str(x, "userName"), "an") },
		`externalId eq "P-1"`:                            func(x m) bool { return x["externalId"] == "P-1" },
		`externalId eq "p-1"`:                            func(x m) bool { return false },
		`externalId pr`:                                  func(x m) bool { return x["externalId"] != nil },
		`id eq "user-3"`:                                 func(x m) bool { return x["id"] == "user-3" },
		`title pr and not (userType eq "staff")`:         func(x m) bool { return x["title"] != nil && x["userType"] != "staff" },
		`active eq false`:                                func(x m) bool { return x["active"] == false },
		`emails[type eq "work" and value co "halloran"]`: func(x m) bool { return strings.Contains(str(x, "emails", 0, "value"), "halloran") },
		`emails.value ew "larkhaven.example"`:            func(x m) bool { return strings.HasSuffix(str(x, "emails", 0, "value"), "larkhaven.example") },
		`emails co "halloran" or emails.value sw "x"`:    nil,
		scimEnterprise + `:department sw "marine"`:       func(x m) bool { return strings.HasPrefix(str(x, scimEnterprise, "department"), "marine") },
		scimEnterprise + `:manager.value eq "user-2"`:    func(x m) bool { return str(x, scimEnterprise, "manager", "value") == "user-2" },
		`name.formatted gt "M"`:                          func(x m) bool { return strings.ToLower(str(x, "name", "formatted")) > "m" },
		scimOwn + `:startDate ge "2024-01-01"`:           func(x m) bool { return str(x, scimOwn, "startDate") >= "2024-01-01" },
		`groups.display eq "Pilots"`: func(x m) bool {
			groups, _ := x["groups"].([]any)
			for _, g := range groups {
				if in(g, "display") == "Pilots" {
					return true
				}
			}
			return false
		},
	} {
		if fits == nil {
			p.must(400, "GET", "/Users?filter="+url.QueryEscape(filter), nil)
			continue
		}
		var want []string
		for _, x := range all {
			if fits(x) {
				want = append(want, x["id"].(string))
			}
		}
		if got := p.list("Users", filter, "count", "500"); strings.Join(got, " ") != strings.Join(want, " ") {
			t.Errorf("%s: %v, one by one %v", filter, got, want)
		}
		found := p.must(200, "POST", "/Users/.search", m{"schemas": []string{"urn:ietf:params:scim:api:messages:2.0:SearchRequest"}, "filter": filter, "count": 0})
		if found["totalResults"] != float64(len(want)) || len(found["Resources"].([]any)) != 0 {
			t.Errorf("searched %s: %v", filter, found)
		}
	}
	for _, filter := range []string{"userName", "userName eq", `userName is "x"`, `shoe eq "x"`, `userName eq "x`, `(userName eq "x"`, `meta.created gt "2020-01-01T00:00:00Z"`, strings.Repeat("(", 5000) + `userName eq "x"`, `active gt true`, `userName eq 7`} {
		if e := p.must(400, "GET", "/Users?filter="+url.QueryEscape(filter), nil); e["scimType"] != "invalidFilter" {
			t.Errorf("%.40s: %v", filter, e)
		}
	}
	for by, key := range map[string]func(m) string{
		"userName":                  func(x m) string { return str(x, "userName") },
		"name.formatted":            func(x m) string { return str(x, "name", "formatted") },
		"emails":                    func(x m) string { return str(x, "emails", 0, "value") },
		scimEnterprise + ":manager": func(x m) string { return str(x, scimEnterprise, "manager", "value") },
	} {
		for _, order := range []string{"", "descending"} {
			sorted := slices.Clone(all)
			slices.SortStableFunc(sorted, func(a, b m) int {
				x, y := strings.ToLower(key(a)), strings.ToLower(key(b))
				n := strings.Compare(x, y)
				if x == "" || y == "" { // none is last, or first the other way round
					n = -n
				}
				if order != "" {
					n = -n
				}
				return n
			})
			var want []string
			for _, x := range sorted {
				want = append(want, x["id"].(string))
			}
			if got := p.list("Users", "", "count", "500", "sortBy", by, "sortOrder", order); strings.Join(got, " ") != strings.Join(want, " ") {
				t.Errorf("by %s %s: another order", by, order)
			}
		}
	}
	p.must(400, "GET", "/Users?sortBy=shoes", nil)
	p.must(400, "GET", "/Users?count=many", nil)
	if page := p.must(200, "GET", "/Users?startIndex=-5&count=-1", nil); page["startIndex"] != 1.0 || page["itemsPerPage"] != 0.0 {
		t.Errorf("%v", page)
	}
	for query, want := range map[string]string{
		"attributes=userName":        "id schemas userName",
		"attributes=username,emails": "emails id schemas userName",
		"attributes=name.formatted,emails.value," + scimEnterprise + ":department":                                                           "emails id name schemas " + scimEnterprise,
		"excludedAttributes=emails,name,groups,roles,title,displayName,active,userType,externalId,meta,id," + scimEnterprise + "," + scimOwn: "id schemas userName",
		"attributes=entitlements": "entitlements id schemas",
	} {
		x := p.must(200, "GET", "/Users/"+p.list("Users", `userName eq "ines.halloran"`)[0]+"?"+query, nil)
		var names []string
		for n := range x {
			names = append(names, n)
		}
		slices.Sort(names)
		if strings.Join(names, " ") != want {
			t.Errorf("%s: %v", query, names)
		}
	}
	p.must(400, "GET", "/Users?attributes=a&excludedAttributes=b", nil)
}
