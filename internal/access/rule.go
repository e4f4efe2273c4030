package access

import (
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/filter"
	"ableroster/internal/patterns"
)

// A group may choose members by a filter over users' facts. Membership by
// filter follows from the attributes at a revision alone: no groups, no clock,
// and nothing personal, since what can be erased may give no access.

// ruleSchema is what such a filter may name. The manager is named by id.
var ruleSchema = func() filter.Schema {
	out := filter.Schema{{Name: "within", Type: filter.String, CaseExact: true}}
	for i := range UserAttributes {
		if a := &UserAttributes[i]; !a.Personal {
			out = append(out, a.Schema())
		}
	}
	return out
}()

// Schema is what a filter may say of it.
func (a *UserAttribute) Schema() filter.Attribute {
	return filter.Attribute{Name: a.Key, Type: a.Type, CaseExact: a.CaseExact}
}

// ruleSchema is that and the declared attributes that are facts.
func (s *Snapshot) ruleSchema() filter.Schema {
	out := ruleSchema[:len(ruleSchema):len(ruleSchema)]
	for _, f := range s.Attributes() {
		if !f.Retired && !f.Personal {
			out = append(out, f.Schema())
		}
	}
	return out
}

// FilterWords says whom a filter over users chooses, in plain words: "users in Marine and
// below". What cannot be read is said as it is written.
func (s *Snapshot) FilterWords(text string) string {
	e, err := filter.Parse(text)
	if err != nil {
		return "users who match " + text
	}
	return "users " + filter.Words(e, func(name string) string {
		if f := s.FindAttribute(name); f != nil {
			return f.Label
		}
		return strings.ReplaceAll(name, "_", " ")
	})
}

// isPersonal says whether an attribute is one a rule may not name.
func (s *Snapshot) isPersonal(name string) bool {
	if a := UserAttributeOf(name); a != nil {
		return a.Personal
	}
	f := s.FindAttribute(name)
	return f != nil && f.Personal
}

// CheckRule says what is wrong with the filter of a group, fault by fault.
func (s *Snapshot) CheckRule(text string) []string {
	e, err := filter.Parse(text)
	if err != nil {
		return []string{err.Error()}
	}
	var out []string
	for _, a := range filter.Attributes(e) {
		if s.isPersonal(a) {
			out = append(out, "names "+a+", which is personal: it can be erased, so it may give no access")
		}
	}
	if len(out) > 0 {
		return out
	}
	for _, f := range filter.Check(e, text, s.ruleSchema()) {
		out = append(out, f.Error())
	}
	return out
}

// Values implements filter.Source over the facts of a user.
func (u *User) Values(attribute string) []any {
	if attribute == "within" {
		return Within(u.Unit)
	}
	a := UserAttributeOf(attribute)
	if a == nil {
		return u.Custom.Typed(attribute)
	}
	if text := a.Of(u); text != "" {
		return []any{text}
	}
	return nil
}

// Within is a unit and all above it, as values of a filter.
func Within(unit string) []any {
	var out []any
	for i := range len(unit) {
		if unit[i] == '/' {
			out = append(out, unit[:i])
		}
	}
	if unit != "" {
		out = append(out, unit)
	}
	return out
}

// compileRule is a checked filter; nil for none, and for one that is broken.
func compileRule(text string) filter.Expression {
	if text == "" {
		return nil
	}
	e, err := filter.Parse(text)
	if err != nil {
		return nil
	}
	return e
}

// ChosenBy says whether a filter chooses a user.
func ChosenBy(text string, u *User) bool {
	e := compileRule(text)
	return e != nil && filter.Match(e, ruleSchema, u)
}

// choose works out anew which groups choose a user.
func (d *Builder) choose(u *userRec) {
	if len(d.ruled) == 0 && !slices.ContainsFunc(u.groups(), link.byRule) {
		return
	}
	var out []link // afresh: the old slice may be shared with an older snapshot
	for _, j := range u.groups() {
		if !j.byRule() {
			out = append(out, j)
		}
	}
	for _, id := range d.ruled {
		if rule := d.groups.At(int(id)).rule; rule != nil && filter.Match(rule, ruleSchema, u.fact) {
			out = append(out, chosenFor(id))
		}
	}
	u.set(u.given(), out)
}

// chooseAgain works out anew whom a group chooses, after its filter changed.
func (d *Builder) chooseAgain(id GroupID) {
	rule := d.groups.At(int(id)).rule
	has := slices.Contains(d.ruled, id)
	switch {
	case rule != nil && !has:
		d.ruled = with(d.ruled, id)
	case rule == nil && has:
		d.ruled = without(d.ruled, id)
	}
	for i := range d.users.Len() {
		u := d.users.At(i)
		if u == nil || u.fact == nil {
			continue
		}
		in := slices.Contains(u.groups(), chosenFor(id))
		if should := rule != nil && filter.Match(rule, ruleSchema, u.fact); in != should {
			d.choose(d.users.Edit(d.edit, i))
		}
	}
}

// RuleReach is the part of the register of users a filter stays within: that of a
// unit it insists on, else all of it, as for a blank one.
func RuleReach(text string) string {
	if text == "" {
		return "users"
	}
	return ruleReach(text)
}

// ruleReach is the part of the register of users a filter stays within: that
// of a unit it insists on, else all of it.
func ruleReach(text string) string {
	path := "users"
	var walk func(filter.Expression)
	walk = func(e filter.Expression) {
		switch e := e.(type) {
		case *filter.And:
			walk(e.Left)
			walk(e.Right)
		case *filter.Compare:
			unit, ok := e.Value.(string)
			name := strings.ToLower(e.Attribute)
			if ok && e.Operator == filter.Equal && (name == "within" || name == "unit") && patterns.CheckPath(unit) == nil && unit != patterns.Root && path == "users" {
				path = patterns.Join("users", unit)
			}
		}
	}
	walk(compileRule(text))
	return path
}

// chosenRoles are the roles whoever a group chooses comes to hold, at whatever
// time: its own and those of every group above it, by role and bounds.
func (s *Snapshot) chosenRoles(id GroupID) heldRoles {
	out := s.groupRoles(id)
	for i := range out {
		out[i].when = calendar.Always()
	}
	return out
}

// groupRoles are the roles a group gives to whoever is in it, and when: its own and
// those of every group above it, by role and bounds.
func (s *Snapshot) groupRoles(id GroupID) heldRoles {
	var out heldRoles
	reached := map[GroupID]calendar.Intervals{id: calendar.Always()}
	for todo := []GroupID{id}; len(todo) > 0; todo = todo[1:] {
		g := s.groups.At(int(todo[0]))
		if g == nil || g.fact == nil {
			continue
		}
		from := reached[todo[0]]
		for _, x := range g.given {
			l := s.limitsOf(x)
			if when := from.Within(l.window); len(when) > 0 {
				out = out.add(s, x.role(), l.bounds(), when)
			}
		}
		for _, j := range g.parents {
			when := from.Within(s.windowOf(j))
			if up := j.group(); len(when.Minus(reached[up])) > 0 {
				reached[up] = reached[up].Union(when)
				todo = append(todo, up)
			}
		}
	}
	return out
}
