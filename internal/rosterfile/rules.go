package rosterfile

import (
	"encoding/json"

	"ableroster/internal/change"
	"ableroster/internal/operation"
	"ableroster/internal/request"
)

func (p *planner) defaultRule(place, key string, x Default) {
	id, known := p.s.FindDefault(key)
	if !known {
		p.op(place, &operation.AddDefault{Key: key, Label: or(x.Label), Description: or(x.Description), Everybody: x.Everybody, Filter: x.Filter, Roles: roleRefs(x.Roles), Groups: groupRefs(x.Groups)})
		return
	}
	now := p.s.Default(id)
	o := &operation.UpdateDefault{Default: change.DefaultRef(key), Label: differ(x.Label, now.Label), Description: differ(x.Description, now.Description), Everybody: differ(&x.Everybody, now.Everybody), Filter: differ(&x.Filter, now.Filter)}
	if !same(x.Roles, now.Roles, p.s.RoleKey) {
		o.Roles = append([]change.RoleRef{}, roleRefs(x.Roles)...)
	}
	if !same(x.Groups, now.Groups, p.groupKey) {
		o.Groups = groupRefs(x.Groups)
	}
	if now.Ended || o.Label != nil || o.Description != nil || o.Everybody != nil || o.Filter != nil || o.Roles != nil || o.Groups != nil {
		p.op(place, o)
	}
}

func (p *planner) sodRule(place, key string, x SoDRule) {
	id, known := p.s.FindSoDRule(key)
	if !known {
		p.op(place, &operation.AddSoDRule{Key: key, Label: or(x.Label), Description: or(x.Description), Roles: roleRefs(x.Roles), Prevent: x.Prevent})
		return
	}
	now := p.s.SoDRule(id)
	o := &operation.UpdateSoDRule{SoDRule: change.SoDRuleRef(key), Label: differ(x.Label, now.Label), Description: differ(x.Description, now.Description), Prevent: differ(&x.Prevent, now.Prevent)}
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
	if id, ok := p.s.FindExpectation(key); ok && !p.s.Expectation(id).Ended {
		now := expectation(p.s, p.s.Expectation(id))
		if x.Owner == "" {
			now.Owner = ""
		}
		if now == x {
			return
		}
	}
	p.op(place, &operation.SetExpectation{Key: key, Label: x.Label, Description: x.Description, User: change.UserRef(x.User), Group: change.GroupRef(x.Group), Except: x.Except, Nobody: x.Nobody,
		Application: change.ApplicationRef(x.Application), Action: x.Action, Pattern: x.On, May: x.May, Blocking: x.Blocking, Owner: change.UserRef(x.Owner)})
}
