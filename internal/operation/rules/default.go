package rules

import (
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&AddDefault{}, "Add a default rule")
	change.Register(&UpdateDefault{}, "Edit a default rule; what is not given stays")
	change.Register(&EndDefault{}, "End a default rule, and remove what it gave")
}

// AddDefault writes a default rule.
type AddDefault struct {
	Key         string            `json:"key" doc:"lower-case words joined by hyphens"`
	Label       string            `json:"label,omitempty" doc:"what people call it"`
	Description string            `json:"description,omitempty" doc:"what it is for, in plain words"`
	Everybody   bool              `json:"everybody,omitempty" doc:"for every person; else a filter says for whom"`
	Filter      string            `json:"filter,omitempty" flag:"where" doc:"a filter (RFC 7644, section 3.4.2.2) over users' facts"`
	Roles       []change.RoleRef  `json:"roles,omitempty" flag:"role" doc:"a role it gives"`
	Groups      []change.GroupRef `json:"groups,omitempty" flag:"group" doc:"a group it puts into"`
	Owner       change.UserRef    `json:"owner,omitempty" doc:"the user responsible for it"`
	Order       int               `json:"order,omitempty" doc:"rules of a lower order come first"`
	Final       bool              `json:"final,omitempty" doc:"whom it chooses is given nothing by the rules after it"`
	calendar.Window
	Scopes      []change.ScopeRef `json:"scopes,omitempty" doc:"its roles give only what one of these covers; {unit} or another attribute in braces stands for the user's value"`
	AfterDays   int               `json:"after_days,omitempty" doc:"what it gives begins so many days after the user's first day"`
	LastsDays   int               `json:"lasts_days,omitempty" doc:"what it gives lasts so many days; users without a first day are given nothing then"`
	OverlapDays int               `json:"overlap_days,omitempty" doc:"whoever moves keeps what it gave at the old place for so many days"`

	Default change.DefaultRef `json:"default,omitempty" set:"service"`
	Written calendar.Date     `json:"written,omitzero" set:"service"`
}

// Verb implements change.Operation.
func (*AddDefault) Verb() string { return "add_default" }

// ApplyTo implements change.Operation.
func (o AddDefault) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write default rules") {
		return
	}
	before := len(d.Faults)
	if m := d.CheckKey(o.Key); m != "" {
		d.Fault("key", "%s", m)
	} else if _, taken := record.FindDefault(&d.Snapshot, o.Key); taken {
		d.Fault("key", "“%s” is taken: keys are never reused", o.Key)
	}
	d.CheckTexts(&o.Label, o.Key, o.Description)
	f := &fact.Default{Key: o.Key, Label: o.Label, Description: o.Description, Everybody: o.Everybody, Filter: strings.TrimSpace(o.Filter)}
	if len(o.Roles) == 0 {
		o.Roles = nil
	}
	if len(o.Groups) == 0 {
		o.Groups = nil
	}
	f.Roles, f.Groups = gifts(d, &o.Roles, &o.Groups)
	if o.Owner != "" {
		f.Owner, _ = d.SettleUser("owner", &o.Owner)
	}
	if o.Written == 0 && !d.Replays {
		o.Written = settle.Today(d)
	}
	f.Order, f.Final, f.Active, f.Written = o.Order, o.Final, o.Window, o.Written
	f.After, f.Lasts, f.OverlapDays = o.AfterDays, o.LastsDays, o.OverlapDays
	if len(o.Scopes) == 0 {
		o.Scopes = nil
	}
	f.Scopes = filledScopes(d, &o.Scopes)
	d.CheckWindow(o.Window)
	checkDefault(d, f)
	settle.KnownInFilter(d, f.Filter)
	if d.Free(fact.FactDefault) > fact.MostDefaults {
		d.Fault("", "there have been %d default rules, and there is no room for more: change one instead", fact.MostDefaults)
	}
	if len(d.Faults) > before {
		d.Fails(fact.FactDefault, o.Key)
		return
	}
	f.ID = fact.DefaultID(d.Allocate(fact.FactDefault))
	o.Default = change.DefaultRef(f.ID.String())
	d.Put(f)
	return settled
}

// gifts settles the roles and groups a rule names.
func gifts(d *change.Draft, roles *[]change.RoleRef, groups *[]change.GroupRef) ([]fact.RoleID, []fact.GroupID) {
	return settle.Each("roles", roles, d.SettleRole), settle.Each("groups", groups, d.SettleGroup)
}

// filledScopes settles the scopes of a rule, in which a name of an attribute may stand in
// braces for the user's value.
func filledScopes(d *change.Draft, list *[]change.ScopeRef) []fact.Scope {
	asked := slices.Clone(*list)
	plain := slices.Clone(asked)
	for i := range plain {
		names, ok := fact.InBraces(plain[i].Pattern)
		if !ok {
			d.Fault("scopes", "%d: a brace in the pattern is not closed", i+1)
			continue
		}
		for _, name := range names {
			if m := d.CheckInBraces(name); m != "" {
				d.Fault("scopes", "%d: {%s} %s", i+1, name, m)
			}
			plain[i].Pattern = strings.ReplaceAll(plain[i].Pattern, "{"+name+"}", "x")
		}
	}
	d.SettleScopes(&plain)
	var out []fact.Scope
	for i := range plain {
		asked[i].Application = plain[i].Application
		app, _ := d.FindApplication(string(plain[i].Application))
		out = append(out, fact.Scope{Application: app, Pattern: asked[i].Pattern})
	}
	*list = asked
	return out
}

// checkDefault files the faults of a rule.
func checkDefault(d *change.Draft, f *fact.Default) {
	switch {
	case f.Everybody && f.Filter != "":
		d.Fault("filter", "and everybody exclude each other: say one of them")
	case !f.Everybody && f.Filter == "":
		d.Fault("filter", "is blank, which does not mean everybody: give a filter, or say everybody")
	default:
		settle.CheckFilter(d, f.Filter)
	}
	if len(f.Roles)+len(f.Groups) == 0 {
		d.Fault("roles", "and groups are both empty: the rule would give nothing")
	}
	for _, r := range f.Roles {
		if d.Role(r).Retired {
			d.Fault("roles", "%s is retired and would give nothing", d.RoleKey(r))
		}
		if n := d.Role(r).MaxDays; n > 0 && (f.Lasts == 0 || f.Lasts > n) {
			d.Fault("roles", "%s is held for %s at most, and the rule gives it for longer: say lasts_days", d.RoleKey(r), fact.Count(n, "day"))
		}
	}
	for _, x := range []struct {
		field string
		n     int
	}{{"after_days", f.After}, {"lasts_days", f.Lasts}, {"overlap_days", f.OverlapDays}} {
		if x.n < 0 || x.n > settle.MostDays {
			d.Fault(x.field, "is a number of days from 0 to %d", settle.MostDays)
		}
	}
	if f.Order < 0 || f.Order > settle.MostDays {
		d.Fault("order", "is a number from 0 to %d", settle.MostDays)
	}
	if len(f.Scopes) > 0 && len(f.Roles) == 0 {
		d.Fault("scopes", "are of roles, and the rule gives groups alone")
	}
	if o := d.User(f.Owner); o != nil && o.Status == fact.Departed {
		d.Judged("owner", "%s has departed", o.UserName)
	}
	for _, r := range f.Roles {
		d.DefaultInside("roles", f, d.RoleKey(r), d.Role(r).HeldWithin)
	}
	for _, g := range f.Groups {
		d.DefaultInside("groups", f, d.Group(g).Key, d.Group(g).HeldWithin)
		if g == fact.PublicGroup || g == fact.AllUsersGroup {
			d.Fault("groups", "the group %s is built in and has no listed members", d.Group(g).Key)
		}
	}
}

// Sentence implements change.Operation.
func (o *AddDefault) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Wrote the default rule " + o.Label + ": " + defaultWords(s, o.Default)
}

// defaultWords says whom a rule gives what.
func defaultWords(s *access.Snapshot, ref change.DefaultRef) string {
	id, _ := record.FindDefault(s, string(ref))
	f := record.Default(s, id)
	if f == nil {
		return string(ref)
	}
	return DefaultWords(f, s)
}

// DefaultWords says whom a rule gives what, in plain words.
func DefaultWords(f *fact.Default, s *access.Snapshot) string {
	var gives []string
	for _, r := range f.Roles {
		gives = append(gives, "the role "+change.RoleLabel(s, r))
	}
	for _, g := range f.Groups {
		gives = append(gives, "a place in the group "+s.Group(g).Label)
	}
	whom := "everybody gets "
	if !f.Everybody {
		whom = s.FilterWords(f.Filter) + " get "
	}
	for i, x := range f.Scopes {
		if gives[len(gives)-1] += map[bool]string{true: " within ", false: " or "}[i == 0] + x.Pattern; s.Application(x.Application) != nil {
			gives[len(gives)-1] += " of " + s.Application(x.Application).Label
		}
	}
	return whom + strings.Join(gives, ", ") + change.WindowWords(s, f.Active) + countedWords(f)
}

// countedWords says what is counted in days, or nothing.
func countedWords(f *fact.Default) string {
	out := ""
	switch {
	case f.After > 0 && f.Lasts > 0:
		out = ", from " + fact.Count(f.After, "day") + " after their first day for " + fact.Count(f.Lasts, "day")
	case f.After > 0:
		out = ", from " + fact.Count(f.After, "day") + " after their first day"
	case f.Lasts > 0:
		out = ", for " + fact.Count(f.Lasts, "day") + " from their first day"
	}
	if f.OverlapDays > 0 {
		out += ", and for " + fact.Count(f.OverlapDays, "day") + " after a move"
	}
	if f.Final {
		out += ", and nothing by later rules"
	}
	return out
}

// UpdateDefault alters a default rule; what is not given stays.
type UpdateDefault struct {
	Default     change.DefaultRef `json:"default" doc:"key or id"`
	Label       *string           `json:"label,omitempty" doc:"what people call it"`
	Description *string           `json:"description,omitempty" doc:"what it is for, in plain words"`
	Everybody   *bool             `json:"everybody,omitempty" doc:"for every person"`
	Filter      *string           `json:"filter,omitempty" flag:"where" doc:"a filter over users' facts: whom it gives to"`
	Roles       []change.RoleRef  `json:"roles,omitzero" flag:"role" doc:"all the roles it gives from now on"`
	Groups      []change.GroupRef `json:"groups,omitzero" flag:"group" doc:"all the groups it puts into from now on"`
	Owner       *change.UserRef   `json:"owner,omitempty" doc:"the user responsible for it; blank for nobody"`
	Order       *int              `json:"order,omitempty" doc:"rules of a lower order come first"`
	Final       *bool             `json:"final,omitempty" doc:"whom it chooses is given nothing by the rules after it"`
	From        *calendar.Instant `json:"from,omitempty" doc:"when it begins to give; blank for always"`
	Until       *calendar.Instant `json:"until,omitempty" doc:"when it ends giving; blank for never"`
	Scopes      []change.ScopeRef `json:"scopes,omitzero" doc:"all the scopes of its roles from now on; {unit} or another attribute in braces stands for the user's value"`
	AfterDays   *int              `json:"after_days,omitempty" doc:"what it gives begins so many days after the user's first day"`
	LastsDays   *int              `json:"lasts_days,omitempty" doc:"what it gives lasts so many days"`
	OverlapDays *int              `json:"overlap_days,omitempty" doc:"whoever moves keeps what it gave at the old place for so many days"`
}

// Verb implements change.Operation.
func (*UpdateDefault) Verb() string { return "update_default" }

// ApplyTo implements change.Operation.
func (o UpdateDefault) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write default rules") {
		return
	}
	old := defaultRule(d, &o.Default)
	if old == nil {
		return
	}
	settle.Alter(d, old, func(f *fact.Default) {
		fact.SetIf(&f.Label, o.Label)
		fact.SetIf(&f.Description, o.Description)
		fact.SetIf(&f.Everybody, o.Everybody)
		fact.SetIf(&f.Filter, o.Filter)
		roles, groups := gifts(d, &o.Roles, &o.Groups)
		if o.Roles != nil {
			f.Roles = roles
		}
		if o.Groups != nil {
			f.Groups = groups
		}
		settle.Other("owner", &f.Owner, &o.Owner, d.SettleUser)
		fact.SetIf(&f.Order, o.Order)
		fact.SetIf(&f.Final, o.Final)
		fact.SetIf(&f.Active.From, o.From)
		fact.SetIf(&f.Active.Until, o.Until)
		fact.SetIf(&f.After, o.AfterDays)
		fact.SetIf(&f.Lasts, o.LastsDays)
		fact.SetIf(&f.OverlapDays, o.OverlapDays)
		if scopes := filledScopes(d, &o.Scopes); o.Scopes != nil {
			f.Scopes = scopes
		}
		if o.From != nil || o.Until != nil {
			d.CheckWindow(f.Active)
		}
		d.CheckTexts(&f.Label, f.Key, f.Description)
		checkDefault(d, f)
		if o.Filter != nil {
			settle.KnownInFilter(d, f.Filter)
		}
	})
	return settled
}

// defaultRule settles a rule that has not ended.
func defaultRule(d *change.Draft, ref *change.DefaultRef) *fact.Default {
	f, _ := change.SettleKeyed[*fact.Default](d, fact.FactDefault, "default", ref, access.Same, "%s has ended; write another")
	return f
}

// Sentence implements change.Operation.
func (o *UpdateDefault) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Changed the default rule: " + defaultWords(s, o.Default)
}

// EndDefault ends a default rule, and takes back what it gave.
type EndDefault struct {
	Default change.DefaultRef `json:"default" doc:"key or id"`
}

// Verb implements change.Operation.
func (*EndDefault) Verb() string { return "end_default" }

// ApplyTo implements change.Operation.
func (o EndDefault) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "write default rules") {
		return
	}
	if old := defaultRule(d, &o.Default); old != nil {
		settle.Alter(d, old, func(f *fact.Default) { f.Ended = true })
	}
	return settled
}

// Sentence implements change.Operation.
func (o *EndDefault) Sentence(s *access.Snapshot, _ change.Names) string {
	id, _ := record.FindDefault(s, string(o.Default))
	return "Ended the default rule " + record.Default(s, id).Label
}
