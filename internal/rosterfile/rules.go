package rosterfile

import (
	"encoding/json"
	"reflect"
	"slices"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/rules"
	"ableroster/internal/record"
	"ableroster/internal/request"
)

func (p *planner) defaultRule(place, key string, x Default) {
	var active calendar.Window
	var err error
	if active.From, err = calendar.ReadInstant(x.From); err != nil {
		p.fault(place+".from", err.Error())
	}
	if active.Until, err = calendar.ReadInstant(x.Until); err != nil {
		p.fault(place+".until", err.Error())
	}
	id, known := record.FindDefault(p.s, key)
	if !known {
		p.op(place, &rules.AddDefault{Key: key, Label: or(x.Label), Description: or(x.Description), Everybody: x.Everybody, Filter: x.Filter, Roles: roleRefs(x.Roles), Groups: groupRefs(x.Groups),
			Owner: change.UserRef(x.Owner), Order: x.Order, Final: x.Final, Window: active, Scopes: scopeRefs(x.Scopes), AfterDays: x.AfterDays, LastsDays: x.LastsDays, OverlapDays: x.OverlapDays})
		return
	}
	now := record.Default(p.s, id)
	o := &rules.UpdateDefault{Default: change.DefaultRef(key), Label: differ(x.Label, now.Label), Description: differ(x.Description, now.Description), Everybody: differ(&x.Everybody, now.Everybody), Filter: differ(&x.Filter, now.Filter),
		Order: differ(&x.Order, now.Order), Final: differ(&x.Final, now.Final), From: differ(&active.From, now.Active.From), Until: differ(&active.Until, now.Active.Until),
		AfterDays: differ(&x.AfterDays, now.After), LastsDays: differ(&x.LastsDays, now.Lasts), OverlapDays: differ(&x.OverlapDays, now.OverlapDays)}
	if !same(x.Roles, now.Roles, p.s.RoleKey) {
		o.Roles = append([]change.RoleRef{}, roleRefs(x.Roles)...)
	}
	if !same(x.Groups, now.Groups, p.groupKey) {
		o.Groups = groupRefs(x.Groups)
	}
	if !slices.Equal(x.Scopes, scopes(p.s, now.Scopes)) {
		o.Scopes = append([]change.ScopeRef{}, scopeRefs(x.Scopes)...)
	}
	if owner := p.s.User(now.Owner); x.Owner != "" && (owner == nil || owner.UserName != x.Owner) {
		ref := change.UserRef(x.Owner)
		o.Owner = &ref
	}
	if none := (rules.UpdateDefault{Default: o.Default}); now.Ended || !reflect.DeepEqual(*o, none) {
		p.op(place, o)
	}
}

func scopeRefs(list []Scope) (out []change.ScopeRef) {
	for _, x := range list {
		out = append(out, change.ScopeRef{Application: change.ApplicationRef(x.Application), Pattern: x.Pattern})
	}
	return out
}

func (p *planner) sodRule(place, key string, x SoDRule) {
	id, known := record.FindSoDRule(p.s, key)
	if !known {
		p.op(place, &rules.AddSoDRule{Key: key, Label: or(x.Label), Description: or(x.Description), Roles: roleRefs(x.Roles), Prevent: x.Prevent})
		return
	}
	now := record.SoDRule(p.s, id)
	o := &rules.UpdateSoDRule{SoDRule: change.SoDRuleRef(key), Label: differ(x.Label, now.Label), Description: differ(x.Description, now.Description), Prevent: differ(&x.Prevent, now.Prevent)}
	if !same(x.Roles, now.Roles, p.s.RoleKey) {
		o.Roles = roleRefs(x.Roles)
	}
	if now.Ended || o.Label != nil || o.Description != nil || o.Prevent != nil || o.Roles != nil {
		p.op(place, o)
	}
}

func (p *planner) route(place, key string, x Route) {
	if now := request.FindRoute(p.s, key); now != nil {
		old := route(p.s, now)
		a, _ := json.Marshal(old.Steps)
		b, _ := json.Marshal(x.Steps)
		if string(a) == string(b) && differ(x.Label, now.Label) == nil {
			return
		}
	}
	o := &request.SetRoute{Key: key, Label: or(x.Label)}
	for _, t := range x.Steps {
		step := request.StepRef{Whose: request.Whose(t.Whose), Group: change.GroupRef(t.Group), All: t.All}
		for _, u := range t.Users {
			step.Users = append(step.Users, change.UserRef(u))
		}
		o.Steps = append(o.Steps, step)
	}
	p.op(place, o)
}

func (p *planner) expectation(place, key string, x Expectation) {
	if id, ok := record.FindExpectation(p.s, key); ok && !record.Expectation(p.s, id).Ended {
		now := expectation(p.s, record.Expectation(p.s, id))
		if x.Owner == "" {
			now.Owner = ""
		}
		if reflect.DeepEqual(now, x) {
			return
		}
	}
	described, wrong := fact.ReadWouldBe(x.WouldBe)
	for _, message := range wrong {
		p.fault(place+".would_be", message)
	}
	p.op(place, &rules.SetExpectation{Key: key, Label: x.Label, Description: x.Description, User: change.UserRef(x.User), Group: change.GroupRef(x.Group), Except: x.Except, Nobody: x.Nobody, WouldBe: described,
		Application: change.ApplicationRef(x.Application), Action: x.Action, Pattern: x.On, May: x.May, Blocking: x.Blocking, Owner: change.UserRef(x.Owner)})
}
