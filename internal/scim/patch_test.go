package scim

import (
	"context"
	"encoding/json"
	"reflect"
	"slices"
	"testing"
)

var portSchemas = []Schema{{ID: UserSchema, Attributes: userAttributes}, {ID: EnterpriseSchema, Attributes: enterpriseAttributes}}

func somebody() Resource {
	return Resource{"schemas": []any{UserSchema, EnterpriseSchema}, "id": "user-7", "userName": "ines.halloran", "displayName": "Inês Halloran", "name": Resource{"formatted": "Inês Halloran"}, "active": true,
		"emails":         []any{Resource{"value": "a@larkhaven.example", "type": "work", "primary": true}, Resource{"value": "b@larkhaven.example", "type": "home"}},
		"groups":         []any{Resource{"value": "group-3", "type": "direct"}},
		EnterpriseSchema: Resource{"department": "marine", "manager": Resource{"value": "user-2", "displayName": "Tomas Brandt"}}}
}

// fits says what in a resource is not as its schemas have it.
func fits(t *testing.T, r Resource) {
	t.Helper()
	for _, s := range portSchemas {
		for name, value := range place(portSchemas, r, s.ID, true) {
			a, in := find(portSchemas, s.ID, name)
			if a == nil || in != s.ID || a.Name == "schemas" {
				continue
			}
			if again, err := typed(a, value); err != nil || !reflect.DeepEqual(again, value) {
				t.Errorf("%s is %v, which is not of its type (%v)", name, value, err)
			}
			all, _ := value.([]any)
			if n := len(slices.DeleteFunc(slices.Clone(all), func(x any) bool { return x.(Resource)["primary"] != true })); n > 1 {
				t.Errorf("%s has %d primaries", name, n)
			}
		}
	}
}

// Whatever is sent as a patch is refused, or leaves a resource that its schemas allow, with what is
// only read as it was.
func FuzzPatch(f *testing.F) {
	for _, ops := range []string{
		`{"op":"add","path":"emails","value":[{"value":"c@x.example","primary":true}]}`,
		`{"op":"add","path":"emails","value":[{"value":"c@x.example","primary":true},{"value":"d@x.example","primary":true}]}`,
		`{"op":"replace","path":"emails[type eq \"work\"].value","value":"c@x.example"}`,
		`{"op":"replace","path":"emails[type eq \"home\"].primary","value":true}`,
		`{"op":"replace","path":"emails[type eq \"a\"] or x[type eq \"b\"]","value":{"value":"c"}}`,
		`{"op":"add","path":"emails[type eq \"pager\" and primary eq true]","value":{"value":"c@x.example"}}`,
		`{"op":"remove","path":"emails[not (type eq \"work\")]"}`,
		`{"op":"remove","path":"emails[type eq \"work\"].type"}`,
		`{"op":"remove","path":"emails.type"}`,
		`{"op":"replace","path":"emails","value":{"value":{"value":[]}}}`,
		`{"op":"replace","path":"name","value":"x"}`,
		`{"op":"replace","path":"name","value":null}`,
		`{"op":"remove","path":"` + EnterpriseSchema + `:manager.value"}`,
		`{"op":"replace","path":"` + EnterpriseSchema + `","value":{"department":"x"}}`,
		`{"op":"replace","value":{"` + EnterpriseSchema + `":{"manager":"user-9"}}}`,
		`{"op":"replace","value":{"userName":null}}`,
		`{"op":"add","value":{"groups":[],"name.formatted":"x","EMAILS":[]}}`,
		`{"op":"replace","path":"active","value":"TRUE"}`,
		`{"op":"replace","path":"active.x","value":true}`,
		`{"op":"replace","path":"[]","value":true}`,
		`{"op":"replace","path":":","value":true}`,
		`{"op":"replace","path":"emails[","value":true}`,
		`{"op":"replace","path":"emails]","value":true}`,
	} {
		f.Add(`{"schemas":["` + PatchSchema + `"],"Operations":[` + ops + `]}`)
	}
	f.Fuzz(func(t *testing.T, text string) {
		var body PatchBody
		if json.Unmarshal([]byte(text), &body) != nil {
			return
		}
		r := somebody()
		if err := patch(context.Background(), portSchemas, r, body); err != nil {
			if e, ok := err.(*Error); !ok || e.Status < 400 || e.Detail == "" {
				t.Errorf("%v", err)
			}
			return
		}
		fits(t, r)
		was := somebody()
		for _, name := range []string{"id", "groups", "roles", "entitlements", "meta", "schemas"} {
			if !reflect.DeepEqual(r[name], was[name]) {
				t.Errorf("%s is only read, and %v by %s", name, r[name], text)
			}
		}
		if textOf(r, "userName") == "" && r["userName"] == nil {
			t.Errorf("the user name is gone by %s", text)
		}
	})
}
