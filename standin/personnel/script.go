package main

import (
	"context"
	"net/url"
)

const (
	userSchema       = "urn:ietf:params:scim:schemas:core:2.0:User"
	groupSchema      = "urn:ietf:params:scim:schemas:core:2.0:Group"
	enterpriseSchema = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
	patchSchema      = "urn:ietf:params:scim:api:messages:2.0:PatchOp"
)

// step is one step of the script.
type step struct {
	Says string
	do   func(context.Context, *office)
}

// person is somebody as the personnel system has them.
type person struct{ Number, UserName, Given, Family, Title, Department string }

var hired = []person{
	{"P-9001", "liv.aasgaard", "Liv", "Aasgaard", "Tug hand", "marine/tugs"},
	{"P-9002", "dinis.vasco-roe", "Dinis", "Vasco-Roe", "Pilot apprentice", "marine/pilotage"},
	{"P-9003", "petra.ilves", "Petra", "Ilves", "Tally clerk", "terminal"},
}

var script = []step{
	{"Three people are hired", func(ctx context.Context, o *office) {
		for _, p := range hired {
			o.hire(ctx, p)
		}
	}},
	{"Petra Ilves marries, and is Petra Brisk from today", func(ctx context.Context, o *office) {
		o.patch(ctx, "P-9003", map[string]any{"op": "replace", "path": "name.formatted", "value": "Petra Brisk"})
	}},
	{"Dinis Vasco-Roe moves to the tugs", func(ctx context.Context, o *office) {
		o.patch(ctx, "P-9002", map[string]any{"op": "replace", "path": enterpriseSchema + ":department", "value": "marine/tugs"}, map[string]any{"op": "replace", "path": "title", "value": "Tug hand"})
	}},
	{"The night watch of the tugs is a group", func(ctx context.Context, o *office) {
		var members []map[string]any
		for _, n := range []string{"P-9001", "P-9002"} {
			if o.ids[n] != "" {
				members = append(members, map[string]any{"value": o.ids[n]})
			}
		}
		if g := o.call(ctx, "POST", "/Groups", map[string]any{"schemas": []string{groupSchema}, "displayName": "Tugs at night", "externalId": "G-90", "members": members}); g != nil {
			o.ids["G-90"], _ = g["id"].(string)
		}
	}},
	{"Petra Brisk is to move to a unit that nobody made", func(ctx context.Context, o *office) {
		o.patch(ctx, "P-9003", map[string]any{"op": "replace", "path": enterpriseSchema + ":department", "value": "terminal/moon-base"})
	}},
	{"Liv Aasgaard leaves", func(ctx context.Context, o *office) { o.call(ctx, "DELETE", "/Users/"+o.ids["P-9001"], nil) }},
	{"Liv Aasgaard comes back: the same record, with its history", func(ctx context.Context, o *office) { o.hire(ctx, hired[0]) }},
	{"The list of engineering is lost, and all of it is let go at once", func(ctx context.Context, o *office) {
		for _, id := range o.list(ctx, enterpriseSchema+`:department sw "engineering" and active eq true`) {
			if o.call(ctx, "PATCH", "/Users/"+id, patchBody(map[string]any{"op": "replace", "path": "active", "value": false})) == nil {
				return // stopped: somebody has to look
			}
			o.ids["lost "+id] = id
		}
	}},
	{"The list is found again", func(ctx context.Context, o *office) {
		for key, id := range o.ids {
			if len(key) > 5 && key[:5] == "lost " {
				o.call(ctx, "PATCH", "/Users/"+id, patchBody(map[string]any{"op": "replace", "path": "active", "value": true}))
				delete(o.ids, key)
			}
		}
	}},
	{"Everybody of this script leaves, and it begins again", func(ctx context.Context, o *office) {
		for _, p := range hired {
			if o.ids[p.Number] != "" {
				o.call(ctx, "DELETE", "/Users/"+o.ids[p.Number], nil)
			}
		}
		if o.ids["G-90"] != "" {
			o.call(ctx, "DELETE", "/Groups/"+o.ids["G-90"], nil)
		}
	}},
}

// hire tells of somebody; where the service has them already, it takes over their id.
func (o *office) hire(ctx context.Context, p person) {
	made := o.call(ctx, "POST", "/Users", map[string]any{"schemas": []string{userSchema, enterpriseSchema}, "userName": p.UserName, "externalId": p.Number,
		"name": map[string]any{"givenName": p.Given, "familyName": p.Family}, "title": p.Title, "userType": "staff", "active": true,
		"emails":         []map[string]any{{"value": p.UserName + "@larkhaven.example", "type": "work", "primary": true}},
		enterpriseSchema: map[string]any{"department": p.Department}})
	if made != nil {
		o.ids[p.Number], _ = made["id"].(string)
	} else if there := o.list(ctx, `externalId eq "`+p.Number+`"`); len(there) > 0 {
		o.ids[p.Number] = there[0]
	}
}

func patchBody(ops ...map[string]any) map[string]any {
	return map[string]any{"schemas": []string{patchSchema}, "Operations": ops}
}

func (o *office) patch(ctx context.Context, number string, ops ...map[string]any) {
	o.call(ctx, "PATCH", "/Users/"+o.ids[number], patchBody(ops...))
}

// list are the ids of people that a filter chooses.
func (o *office) list(ctx context.Context, filter string) (ids []string) {
	answer := o.call(ctx, "GET", "/Users?count=500&attributes=id&filter="+url.QueryEscape(filter), nil)
	all, _ := answer["Resources"].([]any)
	for _, x := range all {
		r, _ := x.(map[string]any)
		if id, _ := r["id"].(string); id != "" {
			ids = append(ids, id)
		}
	}
	return ids
}
