package scim

import (
	"slices"
	"strings"

	"ableroster/internal/fact"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
)

// Users and Groups are the types of resources, as their addresses have them.
const (
	Users  = "Users"
	Groups = "Groups"
)

// there says whether a user is there for a client: a person who has not departed, whom it may
// read.
func there(v *seeing.View, u *fact.User) bool { return isThere(u) && v.ReadsUser(u.ID) }

func isThere(u *fact.User) bool {
	return u != nil && u.UserKind == fact.Person && u.Status != fact.Departed
}

// person gives the attributes of a user to filters, without making a resource of them.
type person struct {
	c        *Client
	v        *seeing.View
	u        *fact.User
	external map[uint32]string
}

// Text implements filter.Texts.
func (p *person) Text(name string) (string, bool) {
	u := p.u
	switch name {
	case "id":
		return u.ID.String(), true
	case "externalId":
		return p.external[uint32(u.ID)], true
	case "userName":
		return u.UserName, true
	case "displayName":
		return seeing.Label(u), true
	case "title":
		return u.Title, true
	case "userType":
		return u.Employment, true
	case "organization":
		return u.Company, true
	case "department":
		return u.Unit, true
	case "location":
		return u.Location, true
	case "startDate":
		return u.Start.String(), true
	case "endDate":
		return u.End.String(), true
	case "active", "name", "emails", "manager", "groups", "roles", "entitlements", "schemas", "meta":
		return "", false
	}
	if key, ok := declared[name]; ok {
		name = key
	}
	if a := p.v.Uncut().FindAttribute(name); a != nil && !a.Retired {
		return a.Of(u), true
	}
	return "", true
}

// Has implements filter.Texts.
func (p *person) Has(string, string) (has, ok bool) { return false, false }

var yes, no = []any{true}, []any{false}

// Values implements filter.Source.
func (p *person) Values(name string) []any {
	if text, ok := p.Text(name); ok {
		if text == "" {
			return nil
		}
		return []any{text}
	}
	u := p.u
	switch name {
	case "active":
		if u.Status == fact.Active {
			return yes
		}
		return no
	case "name":
		return []any{object{"formatted": seeing.Label(u)}}
	case "emails":
		if u.Email == "" {
			return nil
		}
		return []any{object{"value": u.Email, "type": "work", "primary": true}}
	case "manager":
		if u.Manager == 0 {
			return nil
		}
		m := p.v.UserRef(u.Manager)
		if m.Outside {
			return nil
		}
		return []any{object{"value": m.ID, "displayName": m.Label}}
	}
	return asValues(p.c.draw(p.v, u, p.external[uint32(u.ID)], false), name)
}

// user is a user as a resource; all says with what they can do.
func (c *Client) user(v *seeing.View, u *fact.User, external string, all bool) Resource {
	return c.finish(c.draw(v, u, external, all), Users)
}

// draw is user without meta data.
func (c *Client) draw(v *seeing.View, u *fact.User, external string, all bool) Resource {
	out := Resource{"id": u.ID.String(), "userName": u.UserName, "active": u.Status == fact.Active,
		"displayName": seeing.Label(u), "name": Resource{"formatted": seeing.Label(u)}}
	put := func(to Resource, name, value string) {
		if value != "" {
			to[name] = value
		}
	}
	put(out, "externalId", external)
	put(out, "title", u.Title)
	put(out, "userType", u.Employment)
	if u.Email != "" {
		out["emails"] = []any{Resource{"value": u.Email, "type": "work", "primary": true}}
	}
	enterprise, own := Resource{}, Resource{}
	put(enterprise, "organization", u.Company)
	put(enterprise, "department", u.Unit)
	put(own, "location", u.Location)
	put(own, "startDate", u.Start.String())
	put(own, "endDate", u.End.String())
	for _, a := range v.Uncut().Attributes() {
		if value := a.Of(u); value != "" && !a.Retired {
			own[a.Key] = value
			for name, key := range declared {
				if key == a.Key {
					enterprise[name] = value
				}
			}
		}
	}
	if u.Manager != 0 {
		if m := v.UserRef(u.Manager); !m.Outside {
			enterprise["manager"] = Resource{"value": m.ID, "$ref": c.at(Users, m.ID), "displayName": m.Label}
		}
	}
	schemas := []any{UserSchema}
	for uri, x := range map[string]Resource{EnterpriseSchema: enterprise, RosterSchema: own} {
		if len(x) > 0 {
			out[uri] = x
			schemas = append(schemas, uri)
		}
	}
	slices.SortFunc(schemas, func(a, b any) int { return strings.Compare(b.(string), a.(string)) })
	out["schemas"] = schemas
	var groups, roles []any
	for _, m := range v.Uncut().MembershipsOf(fact.Member{User: u.ID}) {
		if m.Window.Holds(v.At) && v.ReadsGroup(m.Group) {
			ref := v.GroupRef(m.Group, false)
			groups = append(groups, Resource{"value": ref.ID, "$ref": c.at(Groups, ref.ID), "display": ref.Label, "type": "direct"})
		}
	}
	for _, a := range v.Uncut().Given(fact.Assignee{User: u.ID}) {
		if a.Window.Holds(v.At) && v.ReadsRole(a.Role) {
			ref := v.RoleRef(a.Role, false)
			roles = append(roles, Resource{"value": ref.Key, "display": ref.Label})
		}
	}
	if groups != nil {
		out["groups"] = groups
	}
	if roles != nil {
		out["roles"] = roles
	}
	if all {
		var can []any
		for _, l := range query.Access(v.Uncut(), u.ID, v.At) {
			app := v.ApplicationRef(l.Application, false)
			if app.Outside || !l.When.Holds(v.At) {
				continue
			}
			for _, action := range l.Actions {
				can = append(can, Resource{"value": app.Key + " " + action + " " + l.Pattern, "display": app.Label})
			}
		}
		if can != nil {
			out["entitlements"] = can
		}
	}
	return out
}
