package rosterfile

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/roles"
	"ableroster/internal/request"
)

func roleKey(app, key string) string {
	if app == "" {
		return key
	}
	return app + "/" + key
}

// inApp is a role as an application's own roles name it.
func inApp(app, ref string) string {
	if app != "" && !strings.Contains(ref, "/") {
		return app + "/" + ref
	}
	return ref
}

func (p *planner) role(place, app, key string, r Role) {
	id, known := p.s.FindRole(roleKey(app, key))
	if !known {
		p.op(place, &roles.AddRole{Key: key, Application: change.ApplicationRef(app), Label: or(r.Label), Description: or(r.Description), Risk: fact.Risk(or(r.Risk)), MaxDays: or(r.MaxDays), HeldWithin: or(r.HeldWithin), MaxShares: or(r.MaxShares)})
		return
	}
	now := p.s.Role(id)
	o := &roles.UpdateRole{Role: change.RoleRef(roleKey(app, key)), Label: differ(r.Label, now.Label), Description: differ(r.Description, now.Description), MaxDays: differ(r.MaxDays, now.MaxDays), HeldWithin: differ(r.HeldWithin, now.HeldWithin), MaxShares: differ(r.MaxShares, now.MaxShares)}
	if r.Risk != nil && fact.Risk(*r.Risk) != now.Risk {
		risk := fact.Risk(*r.Risk)
		o.Risk = &risk
	}
	if r.Retired != nil && !*r.Retired && now.Retired { // a retired one is given nothing
		o.Retired = r.Retired
	}
	if o.Label != nil || o.Description != nil || o.MaxDays != nil || o.Risk != nil || o.Retired != nil || o.HeldWithin != nil || o.MaxShares != nil {
		p.op(place, o)
	}
}

func (p *planner) roleAfter(place, app, key string, r Role) {
	full := roleKey(app, key)
	id, known := p.s.FindRole(full)
	now := &fact.Role{}
	if known {
		now = p.s.Role(id)
	}
	if o := p.owner(r.Owner, now.Owner); o != nil {
		p.op(place+".owner", &roles.UpdateRole{Role: change.RoleRef(full), Owner: o})
	}
	if r.Permissions != nil {
		p.permissions(place, app, full, id, r.Permissions)
	}
	if r.Includes != nil {
		p.includes(place, app, full, id, r.Includes)
	}
}

func permissionKey(app, pattern string, own bool, actions []string) string {
	return strings.Join(append([]string{app, pattern, fmt.Sprint(own)}, slices.Compact(slices.Sorted(slices.Values(actions)))...), "\n")
}

func (p *planner) permissions(place, app, full string, id fact.RoleID, said []Permission) {
	now := map[string]*fact.Permission{}
	if id != 0 {
		for _, x := range p.s.RolePermissions(id) {
			now[permissionKey(p.s.Application(x.Application).Key, x.Pattern, x.Own, x.Actions)] = x
		}
	}
	for i, x := range said {
		in := cmp.Or(x.Application, app)
		k := permissionKey(in, x.On, x.Own, x.Actions)
		if now[k] != nil {
			delete(now, k)
			continue
		}
		p.op(fmt.Sprintf("%s.permissions[%d]", place, i), &roles.AddPermission{Role: change.RoleRef(full), Application: change.ApplicationRef(in), Actions: slices.Clone(x.Actions), Pattern: x.On, Own: x.Own})
	}
	for _, k := range slices.Sorted(maps.Keys(now)) {
		p.op(place+".permissions", &roles.RemovePermission{Permission: change.PermissionRef(now[k].ID.String())})
	}
}

func (p *planner) includes(place, app, full string, id fact.RoleID, said []string) {
	now := map[string]bool{}
	if id != 0 {
		for _, x := range p.s.RoleIncludes(id) {
			now[p.s.RoleKey(x)] = true
		}
	}
	for i, x := range said {
		ref := inApp(app, x)
		if !now[ref] {
			p.op(fmt.Sprintf("%s.includes[%d]", place, i), &roles.IncludeRole{Role: change.RoleRef(full), Includes: change.RoleRef(ref)})
		}
		delete(now, ref)
	}
	for _, ref := range slices.Sorted(maps.Keys(now)) {
		p.op(place+".includes", &roles.ExcludeRole{Role: change.RoleRef(full), Excludes: change.RoleRef(ref)})
	}
}

// roleLast offers a role, by a route that is there by now, or retires it.
func (p *planner) roleLast(place, app, key string, r Role) {
	full := roleKey(app, key)
	id, known := p.s.FindRole(full)
	if o := r.Requestable; o != nil {
		var now *request.Requestable
		if known {
			now = request.RequestableOf(p.s, id)
		}
		if now == nil || now.Words != o.Words || now.MaxDays != o.MaxDays || request.RouteOf(p.s, now.Route).Key != o.Route {
			p.op(place+".offer", &request.MakeRequestable{Role: change.RoleRef(full), Words: o.Words, Route: request.RouteRef(o.Route), MaxDays: o.MaxDays})
		}
		p.translations(place+".offer.translations", full, o.Translations, now)
	}
	if r.Retired != nil && *r.Retired && (!known || !p.s.Role(id).Retired) {
		p.op(place+".retired", &roles.RetireRole{Role: change.RoleRef(full)})
	}
}

// translations say a requestable role in other languages; a file that has none leaves them as
// they are.
func (p *planner) translations(place, role string, said []Translation, now *request.Requestable) {
	if said == nil {
		return
	}
	left := map[string]request.Translation{}
	if now != nil {
		for _, t := range now.Translations {
			left[strings.ToLower(t.Language)] = t
		}
	}
	for i, t := range said {
		if left[strings.ToLower(t.Language)] != request.Translation(t) {
			p.op(fmt.Sprintf("%s[%d]", place, i), &request.TranslateRequestable{Role: change.RoleRef(role), Language: t.Language, Label: t.Label, Words: t.Words})
		}
		delete(left, strings.ToLower(t.Language))
	}
	for _, t := range slices.Sorted(maps.Keys(left)) {
		p.op(place, &request.TranslateRequestable{Role: change.RoleRef(role), Language: left[t].Language})
	}
}
