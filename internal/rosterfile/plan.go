package rosterfile

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/patterns"
)

// Plan is the change that makes an organisation as a file says.
type Plan struct {
	Operations []change.Operation
	Places     []string // of each operation, the path in the file that it comes from
	Faults     []Fault  // what no operation can say
}

// Make plans the change from a snapshot to what a document says. Where all is so
// already there are no operations.
func Make(d *Document, s *access.Snapshot) Plan {
	p := planner{s: s, d: d}
	f := &d.File
	if o, now := f.Organisation, s.Organisation(); o != nil && (o.Name != now.Name || o.TimeZone != now.TimeZone) {
		p.op("organisation", &rules.SetOrganisation{Name: o.Name, TimeZone: o.TimeZone})
	}
	each(f.Employment, func(key string, x Employment) { p.employment("employment_types."+key, key, x) })
	each(f.Attributes, func(key string, x Attribute) {
		if x.OfUnits { // units have values of them
			p.attribute("attributes."+key, key, x)
		}
	})
	each(f.Units, func(path string, x Unit) { p.unit("units."+path, path, x) })
	each(f.Attributes, func(key string, x Attribute) { // filters name them
		if !x.OfUnits {
			p.attribute("attributes."+key, key, x)
		}
	})
	each(f.Groups, func(key string, g Group) { p.group("groups."+key, key, g) })
	each(f.Applications, func(key string, a Application) { p.application("applications."+key, key, a) })
	each(f.Roles, func(key string, r Role) { p.role("roles."+key, "", key, r) })
	each(f.Applications, func(key string, a Application) {
		each(a.Roles, func(role string, r Role) { p.role("applications."+key+".roles."+role, key, role, r) })
	})
	// What refers to other things comes after all are there.
	each(f.Applications, func(key string, a Application) { p.applicationAfter("applications."+key, key, a) })
	each(f.Roles, func(key string, r Role) { p.roleAfter("roles."+key, "", key, r) })
	each(f.Applications, func(key string, a Application) {
		each(a.Roles, func(role string, r Role) { p.roleAfter("applications."+key+".roles."+role, key, role, r) })
	})
	each(f.Groups, func(key string, g Group) { p.groupAfter("groups."+key, key, g) })
	each(f.Defaults, func(key string, x Default) { p.defaultRule("defaults."+key, key, x) })
	each(f.SignUpRules, func(domain string, x SignUpRule) { p.signUpRule("sign_up_rules."+domain, domain, x) })
	each(f.TeamRules, func(key string, x TeamRule) { p.teamRule("team_rules."+key, key, x) })
	each(f.SoDRules, func(key string, x SoDRule) { p.sodRule("sod_rules."+key, key, x) })
	each(f.Routes, func(key string, x Route) { p.route("routes."+key, key, x) })
	each(f.Roles, func(key string, r Role) { p.roleLast("roles."+key, "", key, r) })
	each(f.Applications, func(key string, a Application) {
		each(a.Roles, func(role string, r Role) { p.roleLast("applications."+key+".roles."+role, key, role, r) })
	})
	each(f.Expectations, func(key string, x Expectation) { p.expectation("expectations."+key, key, x) })
	return p.Plan
}

// each calls do for the entries of a map in order of key.
func each[T any](m map[string]T, do func(string, T)) {
	for _, key := range slices.Sorted(maps.Keys(m)) {
		do(key, m[key])
	}
}

type planner struct {
	Plan
	s *access.Snapshot
	d *Document
}

func (p *planner) op(place string, op change.Operation) {
	p.Operations = append(p.Operations, op)
	p.Places = append(p.Places, place)
}

func (p *planner) fault(place, message string) {
	line, column := p.d.Find(place)
	p.Faults = append(p.Faults, Fault{line, column, place, message})
}

// differ gives a field of an update where the file says something else than is so;
// nil leaves it.
func differ[T comparable](said *T, now T) *T {
	if said == nil || *said == now {
		return nil
	}
	return said
}

func or[T any](said *T) (out T) {
	if said != nil {
		out = *said
	}
	return out
}

// userName is how a user is named in a file, blank for nobody.
func userName(s *access.Snapshot, id fact.UserID) string {
	if u := s.User(id); u != nil {
		return u.UserName
	}
	return ""
}

// owner is a field of an update that says who answers for something.
func (p *planner) owner(said *string, now fact.UserID) *change.UserRef {
	if said == nil || strings.EqualFold(*said, userName(p.s, now)) {
		return nil
	}
	ref := change.UserRef(*said)
	return &ref
}

func builtInGroup(key string) bool { return key == "public" || key == "all-users" }

func (p *planner) group(place, key string, g Group) {
	if builtInGroup(key) {
		if g.Label != nil || g.Description != nil || g.Unit != nil || g.Owner != nil || g.Filter != nil || g.In != nil {
			p.fault(place, "is built in: it can hold roles, and nothing else can be said of it")
		}
		return
	}
	if id, ok := p.s.FindGroup(key); ok {
		now := p.s.Group(id)
		o := &roles.UpdateGroup{Group: change.GroupRef(key), Label: differ(g.Label, now.Label), Description: differ(g.Description, now.Description), Unit: differ(g.Unit, now.Unit), Filter: differ(g.Filter, now.Filter), HeldWithin: differ(g.HeldWithin, now.HeldWithin)}
		if o.Label != nil || o.Description != nil || o.Unit != nil || o.Filter != nil || o.HeldWithin != nil {
			p.op(place, o)
		}
		return
	}
	p.op(place, &roles.AddGroup{Key: key, Label: or(g.Label), Description: or(g.Description), Unit: or(g.Unit), Filter: or(g.Filter), HeldWithin: or(g.HeldWithin)})
}

func (p *planner) groupAfter(place, key string, g Group) {
	id, known := p.s.FindGroup(key)
	var owner fact.UserID
	if known {
		owner = p.s.Group(id).Owner
	}
	if o := p.owner(g.Owner, owner); o != nil {
		p.op(place+".owner", &roles.UpdateGroup{Group: change.GroupRef(key), Owner: o})
	}
	if g.In != nil {
		p.in(place, key, id, g.In)
	}
	if g.Holds != nil {
		p.holds(place, key, id, g.Holds)
	}
}

// in puts a group into others, and takes it out of those that are not named.
func (p *planner) in(place, key string, id fact.GroupID, said []string) {
	now := map[string]bool{}
	if id != 0 {
		for _, m := range p.s.MembershipsOf(fact.Member{Group: id}) {
			if m.Window != (calendar.Window{}) { // no roster file speaks of those
				continue
			}
			now[p.s.Group(m.Group).Key] = true
		}
	}
	for i, up := range said {
		if !now[up] {
			p.op(fmt.Sprintf("%s.in[%d]", place, i), &roles.AddMember{Group: change.GroupRef(up), Member: change.GroupRef(key)})
		}
		delete(now, up)
	}
	for _, up := range slices.Sorted(maps.Keys(now)) {
		p.op(place+".in", &roles.RemoveMember{Group: change.GroupRef(up), Member: change.GroupRef(key)})
	}
}

// holds gives a group its roles, and takes those that are not named.
func (p *planner) holds(place, key string, id fact.GroupID, said []Holding) {
	now := map[string]*fact.Assignment{}
	if id != 0 {
		for _, a := range p.s.Given(fact.Assignee{Group: id}) {
			now[limitsKey(holding(p.s, a))] = a
		}
	}
	for i, h := range said {
		at := fmt.Sprintf("%s.holds[%d]", place, i)
		k := limitsKey(h)
		if now[k] != nil {
			delete(now, k)
			continue
		}
		o := &roles.Grant{Role: change.RoleRef(h.Role), Group: change.GroupRef(key)}
		var err error
		if o.From, err = calendar.ReadInstant(h.From); err != nil {
			p.fault(at+".from", err.Error())
		}
		if o.Until, err = calendar.ReadInstant(h.Until); err != nil {
			p.fault(at+".until", err.Error())
		}
		o.Scopes = scopeRefs(h.Scopes)
		if h.Schedule != nil {
			var err error
			if o.Schedule, err = calendar.NewSchedule(h.Schedule.Days, h.Schedule.From, h.Schedule.Until, h.Schedule.TimeZone); err != nil {
				p.fault(at+".schedule", err.Error())
			}
		}
		p.op(at, o)
	}
	for _, k := range slices.Sorted(maps.Keys(now)) {
		p.op(place+".holds", &roles.Revoke{Assignment: change.AssignmentRef(now[k].ID.String())})
	}
}

// limitsKey is equal for holdings with equal limits.
func limitsKey(h Holding) string {
	for _, t := range []*string{&h.From, &h.Until} {
		var i calendar.Instant
		if *t != "" && i.UnmarshalText([]byte(*t)) == nil {
			*t = i.Time().UTC().Format("2006-01-02T15:04:05.999999Z")
		}
	}
	h.Scopes = slices.SortedFunc(slices.Values(h.Scopes), func(a, b Scope) int {
		return cmp.Or(cmp.Compare(a.Application, b.Application), cmp.Compare(a.Pattern, b.Pattern))
	})
	if h.Schedule != nil {
		if x, err := calendar.NewSchedule(h.Schedule.Days, h.Schedule.From, h.Schedule.Until, h.Schedule.TimeZone); err == nil {
			h.Schedule = schedule(x)
		}
	}
	raw, _ := json.Marshal(h)
	return string(raw)
}

func (p *planner) application(place, key string, a Application) {
	id, known := p.s.FindApplication(key)
	if known && id == fact.AbleRoster {
		p.fault(place, "is built in: nothing can be said of it")
		return
	}
	if !known {
		o := &roles.AddApplication{Key: key, Label: or(a.Label), Description: or(a.Description), State: fact.State(or(a.State))}
		if o.State == fact.StateRetired { // once it is described
			o.State = ""
		}
		for _, x := range a.Actions {
			o.Actions = append(o.Actions, fact.Action(x))
		}
		p.op(place, o)
	}
	paths := slices.SortedFunc(maps.Keys(a.Resources), func(x, y string) int {
		return cmp.Or(cmp.Compare(strings.Count(x, "/"), strings.Count(y, "/")), cmp.Compare(x, y))
	})
	for _, path := range paths {
		at := place + ".resources." + path
		r := a.Resources[path]
		var now *fact.Resource
		if known {
			now, _ = p.s.FindResource(id, path)
		}
		if now == nil && path == patterns.Root { // made with the application
			now = &fact.Resource{Path: patterns.Root, NodeKind: "application", Label: cmp.Or(or(a.Label), key)}
		}
		if now == nil {
			p.op(at, &roles.AddResource{Application: change.ApplicationRef(key), Path: path, NodeKind: or(r.Kind), Label: or(r.Label), Description: or(r.Description), Open: or(r.Open), Addresses: r.Addresses})
			now = &fact.Resource{NodeKind: or(r.Kind), Label: cmp.Or(or(r.Label), path), Description: or(r.Description), Open: or(r.Open), Addresses: r.Addresses}
		}
		o := &roles.UpdateResource{Application: change.ApplicationRef(key), Path: path, Label: differ(r.Label, now.Label), Description: differ(r.Description, now.Description),
			NodeKind: differ(r.Kind, now.NodeKind), Open: differ(r.Open, now.Open), Retired: differ(r.Retired, now.Retired)}
		if r.Addresses != nil && !slices.Equal(r.Addresses, now.Addresses) {
			o.Addresses = r.Addresses
		}
		if o.Label != nil || o.Description != nil || o.NodeKind != nil || o.Open != nil || o.Retired != nil || o.Addresses != nil {
			p.op(at, o)
		}
	}
}

// applicationAfter says what of an application refers to groups and people, and
// its fences.
func (p *planner) applicationAfter(place, key string, a Application) {
	id, known := p.s.FindApplication(key)
	if known && id == fact.AbleRoster {
		return
	}
	now := &fact.Application{Label: or(a.Label), Description: or(a.Description), State: fact.State(cmp.Or(or(a.State), "draft"))}
	if now.State == fact.StateRetired && !known {
		now.State = fact.StateDraft
	}
	if known {
		now = p.s.Application(id)
	}
	o := &roles.UpdateApplication{Application: change.ApplicationRef(key), Label: differ(a.Label, now.Label), Description: differ(a.Description, now.Description), Owner: p.owner(a.Owner, now.Owner)}
	if a.State != nil && fact.State(*a.State) != now.State {
		state := fact.State(*a.State)
		o.State = &state
	}
	if a.Direct != nil {
		direct := fact.Direct(strings.TrimPrefix(*a.Direct, "welcome"))
		o.Direct = differ(&direct, now.Direct)
	}
	if a.TrialGroup != nil {
		trial := ""
		if g := p.s.Group(now.Trial); g != nil {
			trial = g.Key
		}
		if *a.TrialGroup != trial {
			ref := change.GroupRef(*a.TrialGroup)
			o.Trial = &ref
		}
	}
	if known && a.Actions != nil {
		var said []fact.Action
		for _, x := range a.Actions {
			said = append(said, fact.Action(x))
		}
		if !slices.Equal(said, now.Actions) {
			o.Actions = said
		}
	}
	if o.Label != nil || o.Description != nil || o.State != nil || o.Owner != nil || o.Trial != nil || o.Direct != nil || o.Actions != nil {
		p.op(place, o)
	}
	if a.Fences != nil {
		p.fences(place, key, id, a.Fences)
	}
}

func fenceKey(pattern string, actions []string, why string) string {
	return strings.Join(append([]string{pattern, why}, slices.Sorted(slices.Values(actions))...), "\n")
}

func (p *planner) fences(place, key string, id fact.ApplicationID, said []Fence) {
	now := map[string]*fact.Fence{}
	for _, f := range p.s.Fences(id) {
		now[fenceKey(f.Pattern, f.Actions, f.Reason)] = f
	}
	var fresh []int
	for i, f := range said {
		if k := fenceKey(f.Pattern, f.Actions, f.Why); now[k] != nil {
			delete(now, k)
		} else {
			fresh = append(fresh, i)
		}
	}
	for _, k := range slices.Sorted(maps.Keys(now)) { // before one that differs in its reason alone
		p.op(place+".fences", &roles.RemoveFence{Fence: change.FenceRef(now[k].ID.String())})
	}
	for _, i := range fresh {
		f := said[i]
		p.op(fmt.Sprintf("%s.fences[%d]", place, i), &roles.AddFence{Application: change.ApplicationRef(key), Pattern: f.Pattern, Actions: slices.Clone(f.Actions), Reason: f.Why})
	}
}

func roleRefs(all []string) []change.RoleRef {
	var out []change.RoleRef
	for _, x := range all {
		out = append(out, change.RoleRef(x))
	}
	return out
}

func groupRefs(all []string) []change.GroupRef {
	out := []change.GroupRef{}
	for _, x := range all {
		out = append(out, change.GroupRef(x))
	}
	return out
}

// same says whether keys, whatever their order, are those of some ids.
func same[T any](said []string, now []T, key func(T) string) bool {
	var keys []string
	for _, x := range now {
		keys = append(keys, key(x))
	}
	return slices.Equal(slices.Sorted(slices.Values(said)), slices.Sorted(slices.Values(keys)))
}

func (p *planner) groupKey(id fact.GroupID) string { return p.s.Group(id).Key }
