package rosterfile

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/request"

	"ableroster/internal/record"
	"go.yaml.in/yaml/v3"
)

// Export writes a snapshot down as a file, of what reads lets be known. Rules
// that have ended are left out.
func Export(s *access.Snapshot, reads func(fact.FactKind, uint32) bool) File {
	x := exporter{s, reads}
	f := File{Version: Version, Units: map[string]Unit{}, Attributes: map[string]Attribute{}, Applications: map[string]Application{}, Roles: map[string]Role{}, Groups: map[string]Group{}, Defaults: map[string]Default{}, Employment: map[string]Employment{}, SignUpRules: map[string]SignUpRule{}, TeamRules: map[string]TeamRule{},
		SoDRules: map[string]SoDRule{}, Routes: map[string]Route{}, Expectations: map[string]Expectation{}}
	if o := s.Organisation(); o.Name != "" && reads(fact.FactDefault, 0) {
		f.Organisation = &Organisation{o.Name, o.TimeZone}
	}
	for _, t := range s.EmploymentTypes() {
		if !t.Ended {
			f.Employment[t.Key] = employment(t)
		}
	}
	for _, r := range record.SignUpRules(s) {
		if !r.Ended && reads(fact.FactSignUpRule, r.Row()) {
			f.SignUpRules[r.Domain] = x.signUpRule(r)
		}
	}
	for _, r := range record.TeamRules(s) {
		if !r.Ended && reads(fact.FactDefault, 0) {
			f.TeamRules[r.Key] = x.teamRule(r)
		}
	}
	for _, u := range s.Units() {
		if !u.Ended && reads(fact.FactUnit, u.Row()) {
			f.Units[u.Path] = x.unit(u)
		}
	}
	for _, a := range append(s.Attributes(), s.UnitAttributes()...) {
		if !a.Retired && reads(fact.FactAttribute, a.Row()) {
			f.Attributes[a.Key] = attribute(a)
		}
	}
	for a := range s.Applications() {
		if a.ID != fact.AbleRoster && reads(fact.FactApplication, uint32(a.ID)) {
			f.Applications[a.Key] = x.application(a)
		}
	}
	for r := range s.Roles() {
		if !reads(fact.FactRole, uint32(r.ID)) {
			continue
		}
		if r.Application == 0 {
			f.Roles[r.Key] = x.role(r)
		} else if a, ok := f.Applications[s.Application(r.Application).Key]; ok {
			a.Roles[r.Key] = x.role(r)
		}
	}
	for g := range s.Groups() {
		if y := x.group(g); reads(fact.FactGroup, uint32(g.ID)) && (!builtInGroup(g.Key) || y.Holds != nil) {
			f.Groups[g.Key] = y
		}
	}
	for _, d := range record.Defaults(s) {
		if !d.Ended && reads(fact.FactDefault, d.Row()) {
			e := Default{Label: &d.Label, Description: said(d.Description), Everybody: d.Everybody, Filter: d.Filter}
			for _, r := range d.Roles {
				e.Roles = append(e.Roles, s.RoleKey(r))
			}
			for _, g := range d.Groups {
				e.Groups = append(e.Groups, s.Group(g).Key)
			}
			if o := s.User(d.Owner); o != nil && reads(fact.FactUser, uint32(o.ID)) {
				e.Owner = o.UserName
			}
			e.Order, e.Final, e.From, e.Until, e.Scopes = d.Order, d.Final, text(d.Active.From), text(d.Active.Until), scopes(s, d.Scopes)
			e.AfterDays, e.LastsDays, e.OverlapDays = d.After, d.Lasts, d.OverlapDays
			f.Defaults[d.Key] = e
		}
	}
	for _, c := range record.SoDRules(s) {
		if !c.Ended && reads(fact.FactSoDRule, c.Row()) {
			e := SoDRule{Label: &c.Label, Description: said(c.Description), Prevent: c.Prevent}
			for _, r := range c.Roles {
				e.Roles = append(e.Roles, s.RoleKey(r))
			}
			f.SoDRules[c.Key] = e
		}
	}
	for _, r := range request.Routes(s) {
		if reads(request.FactRoute, r.Row()) {
			f.Routes[r.Key] = route(s, r)
		}
	}
	for _, e := range record.Expectations(s) {
		if !e.Ended && reads(fact.FactExpectation, e.Row()) {
			f.Expectations[e.Key] = expectation(s, e)
		}
	}
	return f
}

// WriteYAML writes a file down as text, entry by entry: the memory it takes does not grow
// with the number of entries.
func (f File) WriteYAML(w io.Writer) error {
	v := reflect.ValueOf(f)
	for i := range v.NumField() {
		key, omit, _ := strings.Cut(v.Type().Field(i).Tag.Get("json"), ",")
		switch x := v.Field(i); {
		case omit == "omitempty" && x.IsZero():
		case x.Kind() != reflect.Map:
			if err := writeEntry(w, map[string]any{key: x.Interface()}, ""); err != nil {
				return err
			}
		default:
			above := key + ":\n" // stands once
			names := x.MapKeys()
			slices.SortFunc(names, func(a, b reflect.Value) int { return strings.Compare(a.String(), b.String()) })
			for j, name := range names {
				skip := above
				if j == 0 {
					skip = ""
				}
				if err := writeEntry(w, map[string]any{key: map[string]any{name.String(): x.MapIndex(name).Interface()}}, skip); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// writeEntry writes one entry of a file, without the line that stands above it already.
func writeEntry(w io.Writer, entry map[string]any, above string) error {
	// By way of JSON, which YAML contains: the fields keep their order and names.
	raw, err := json.Marshal(entry)
	if err != nil {
		return err
	}
	var n yaml.Node
	if err := yaml.Unmarshal(raw, &n); err != nil {
		return err
	}
	plainStyle(&n)
	var out bytes.Buffer
	e := yaml.NewEncoder(&out)
	e.SetIndent(2)
	if err := errors.Join(e.Encode(&n), e.Close()); err != nil {
		return err
	}
	_, err = w.Write(bytes.TrimPrefix(out.Bytes(), []byte(above)))
	return err
}

// elsewhere are texts that a reader of YAML 1.1 takes for something else: a time of day for a
// number of base 60, y and off for truth, 1_000, 0o17 and .5 for numbers, = and << for more.
var elsewhere = regexp.MustCompile(`^(?i:y|n|yes|no|on|off|true|false|null|~|=|<<|[-+]?[0-9][0-9_]*(:[0-5]?[0-9])+(\.[0-9_]*)?|[-+]?[0-9_]*\.?[0-9_]+(e[-+]?[0-9]+)?|[-+]?0[box]?[0-9a-f_]+|[-+]?\.(inf|nan)|[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}.*)$`)

// plainStyle lets the encoder choose how to write each value, keeps short lists on one line, and
// quotes what an older reader would misread.
func plainStyle(n *yaml.Node) {
	text := n.Kind == yaml.ScalarNode && n.Style != 0 // as JSON has texts
	n.Style = 0
	if text && elsewhere.MatchString(n.Value) {
		n.Style = yaml.DoubleQuotedStyle
	}
	short := n.Kind == yaml.SequenceNode && len(n.Content) > 0 && len(n.Content) < 8
	for _, x := range n.Content {
		plainStyle(x)
		short = short && x.Kind == yaml.ScalarNode
	}
	if short || len(n.Content) == 0 && n.Kind != yaml.ScalarNode {
		n.Style = yaml.FlowStyle
	}
}

// said is a text, nil for none.
func said(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}

type exporter struct {
	s     *access.Snapshot
	reads func(fact.FactKind, uint32) bool
}

// user is a user's name, nil for nobody and for somebody who may not be known.
func (x *exporter) user(id fact.UserID) *string {
	if id == 0 || !x.reads(fact.FactUser, uint32(id)) {
		return nil
	}
	return said(userName(x.s, id))
}

func (x *exporter) application(a *fact.Application) Application {
	state := string(a.State)
	out := Application{Label: &a.Label, Description: said(a.Description), State: &state, Owner: x.user(a.Owner), Resources: map[string]Resource{}, Roles: map[string]Role{}}
	if g := x.s.Group(a.Trial); g != nil && x.reads(fact.FactGroup, uint32(a.Trial)) {
		out.TrialGroup = &g.Key
	}
	out.Direct = said(string(a.Direct))
	for _, y := range a.Actions {
		out.Actions = append(out.Actions, Action(y))
	}
	for _, r := range x.s.Resources(a.ID) {
		y := Resource{Kind: said(r.NodeKind), Label: &r.Label, Description: said(r.Description), Addresses: r.Addresses}
		if r.Open {
			y.Open = &r.Open
		}
		if r.Retired {
			y.Retired = &r.Retired
		}
		out.Resources[r.Path] = y
	}
	for _, y := range x.s.Fences(a.ID) {
		out.Fences = append(out.Fences, Fence{y.Pattern, y.Actions, y.Reason})
	}
	return out
}

func (x *exporter) role(r *fact.Role) Role {
	out := Role{Label: &r.Label, Description: said(r.Description), Owner: x.user(r.Owner), Risk: said(string(r.Risk)), HeldWithin: said(r.HeldWithin)}
	if r.MaxDays > 0 {
		out.MaxDays = &r.MaxDays
	}
	if r.MaxShares > 0 {
		out.MaxShares = &r.MaxShares
	}
	if r.Retired {
		out.Retired = &r.Retired
	}
	own := ""
	if r.Application != 0 {
		own = x.s.Application(r.Application).Key
	}
	for _, p := range x.s.RolePermissions(r.ID) {
		y := Permission{Actions: p.Actions, On: p.Pattern, Own: p.Own}
		if key := x.s.Application(p.Application).Key; key != own {
			y.Application = key
		}
		out.Permissions = append(out.Permissions, y)
	}
	for _, i := range x.s.RoleIncludes(r.ID) {
		if x.reads(fact.FactRole, uint32(i)) {
			out.Includes = append(out.Includes, x.s.RoleKey(i))
		}
	}
	if o := request.RequestableOf(x.s, r.ID); o != nil && x.reads(request.FactRoute, uint32(o.Route)) {
		out.Requestable = &Requestable{Words: o.Words, Route: request.RouteOf(x.s, o.Route).Key, MaxDays: o.MaxDays}
		for _, t := range o.Translations {
			out.Requestable.Translations = append(out.Requestable.Translations, Translation(t))
		}
	}
	return out
}

func (x *exporter) group(g *fact.Group) Group {
	var out Group
	if !builtInGroup(g.Key) {
		out = Group{Label: &g.Label, Description: said(g.Description), Unit: said(g.Unit), Owner: x.user(g.Owner), Filter: said(g.Filter), HeldWithin: said(g.HeldWithin)}
	}
	for _, m := range x.s.MembershipsOf(fact.Member{Group: g.ID}) {
		if x.reads(fact.FactGroup, uint32(m.Group)) && m.Window == (calendar.Window{}) {
			out.In = append(out.In, x.s.Group(m.Group).Key)
		}
	}
	for _, a := range x.s.Given(fact.Assignee{Group: g.ID}) {
		if x.reads(fact.FactRole, uint32(a.Role)) {
			out.Holds = append(out.Holds, holding(x.s, a))
		}
	}
	return out
}

func holding(s *access.Snapshot, a *fact.Assignment) Holding {
	out := Holding{Role: s.RoleKey(a.Role), From: text(a.Window.From), Until: text(a.Window.Until), Schedule: schedule(a.Schedule)}
	out.Scopes = scopes(s, a.Scopes)
	return out
}

func scopes(s *access.Snapshot, list []fact.Scope) (out []Scope) {
	for _, x := range list {
		out = append(out, Scope{s.Application(x.Application).Key, x.Pattern})
	}
	return out
}

func text(i calendar.Instant) string {
	if i == 0 {
		return ""
	}
	return i.Time().UTC().Format("2006-01-02T15:04:05.999999Z")
}

func schedule(x *calendar.Schedule) *Schedule {
	if x == nil {
		return nil
	}
	days, from, until, zone := x.Parts()
	return &Schedule{days, from, until, zone}
}

func route(s *access.Snapshot, r *request.Route) Route {
	out := Route{Label: &r.Label}
	for _, t := range r.Steps {
		step := Step{Whose: string(t.Whose), All: t.All}
		if g := s.Group(t.Group); g != nil {
			step.Group = g.Key
		}
		for _, u := range t.Users {
			step.Users = append(step.Users, userName(s, u))
		}
		out.Steps = append(out.Steps, step)
	}
	return out
}

func expectation(s *access.Snapshot, f *fact.Expectation) Expectation {
	out := Expectation{Label: f.Label, Description: f.Description, User: userName(s, f.Of.User), Except: f.Of.Except, Nobody: f.Of.Nobody, WouldBe: f.Of.WouldBe.Attributes(),
		Application: s.Application(f.Application).Key, Action: f.Action, On: f.Pattern, May: f.May, Blocking: f.Blocking, Owner: userName(s, f.Owner)}
	if g := s.Group(f.Of.Group); g != nil {
		out.Group = g.Key
	}
	return out
}
