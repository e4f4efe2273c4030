package access

import (
	"slices"
	"strings"

	"ableroster/internal/fact"
	"ableroster/internal/filter"
)

// ruleSchema is that and the declared attributes that are facts.
func (s *Snapshot) ruleSchema() filter.Schema {
	out := fact.RuleSchema[:len(fact.RuleSchema):len(fact.RuleSchema)]
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

// CheckInBraces says why an attribute may not fill a scope, or nothing.
func (s *Snapshot) CheckInBraces(name string) string {
	if s.isPersonal(name) {
		return "is personal: it can be erased, so it may give no access"
	}
	for _, a := range s.ruleSchema() {
		if a.Name == name && a.Type == filter.String && name != "within" {
			return ""
		}
	}
	return "is no attribute of users that is a text"
}

// isPersonal says whether an attribute is one a rule may not name.
func (s *Snapshot) isPersonal(name string) bool {
	if a := fact.UserAttributeOf(name); a != nil {
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

// choose works out anew which groups choose a user.
func (d *Builder) choose(u *UserEntry) {
	if len(d.Ruled) == 0 && !slices.ContainsFunc(u.Groups(), Link.ByRule) {
		return
	}
	var out []Link // afresh: the old slice may be shared with an older snapshot
	for _, j := range u.Groups() {
		if !j.ByRule() {
			out = append(out, j)
		}
	}
	for _, id := range d.Ruled {
		if rule := d.GroupTable.At(int(id)).Rule; rule != nil && filter.Match(rule, fact.RuleSchema, u.Fact) {
			out = append(out, chosenFor(id))
		}
	}
	u.set(u.Given(), out)
}

// chooseAgain works out anew whom a group chooses, after its filter changed.
func (d *Builder) chooseAgain(id fact.GroupID) {
	rule := d.GroupTable.At(int(id)).Rule
	has := slices.Contains(d.Ruled, id)
	switch {
	case rule != nil && !has:
		d.Ruled = With(d.Ruled, id)
	case rule == nil && has:
		d.Ruled = without(d.Ruled, id)
	}
	for i := range d.UserTable.Len() {
		u := d.UserTable.At(i)
		if u == nil || u.Fact == nil {
			continue
		}
		in := slices.Contains(u.Groups(), chosenFor(id))
		if should := rule != nil && filter.Match(rule, fact.RuleSchema, u.Fact); in != should {
			d.choose(d.UserTable.Edit(d.edit, i))
		}
	}
}
