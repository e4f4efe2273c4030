package service

import (
	"cmp"
	"fmt"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/wire"
)

// Attributes are the declared attributes of users; retired ones last.
func (v *View) Attributes() wire.AttributeList {
	out := wire.AttributeList{Basis: v.basis(), BuiltIn: []wire.BuiltInAttribute{}, Attributes: []wire.Attribute{}}
	for i := range fact.UserAttributes {
		a := &fact.UserAttributes[i]
		kind := "text"
		if a.Type == filter.Day {
			kind = "date"
		}
		out.BuiltIn = append(out.BuiltIn, wire.BuiltInAttribute{Key: a.Key, Label: a.Label, Hint: a.Doc, Type: kind, OneOf: a.OneOf, Personal: a.Personal})
	}
	all := v.Snapshot.Attributes()
	having, lacking := make([]int, len(all)), make([]int, len(all))
	for u := range v.Snapshot.Users() {
		if u.Custom == "" && u.More == "" && len(all) == 0 || !v.readsUser(u.ID) {
			continue
		}
		for i, f := range all {
			if f.Of(u) != "" {
				having[i]++
			} else if u.UserKind == fact.Person && u.Status != fact.Departed {
				lacking[i]++
			}
		}
	}
	for i, f := range all {
		x := wire.Attribute{ID: f.ID.String(), Key: f.Key, Label: f.Label, Description: f.Description, Type: string(f.Type), CaseExact: f.CaseExact,
			Personal: f.Personal, Required: f.Required, Pattern: f.Pattern, Allowed: f.Allowed, Retired: f.Retired,
			Having: having[i], Lacking: lacking[i], Given: &wire.Given{Revision: f.Opened}}
		if f.Fill != nil {
			x.Fill = &wire.AttributeFill{From: f.Fill.From, Months: f.Fill.Months, Words: fillWords(f.Fill)}
			for _, y := range f.Fill.Units {
				x.Fill.Units = append(x.Fill.Units, wire.AttributeUnit(y))
			}
		}
		out.Attributes = append(out.Attributes, x)
	}
	slices.SortStableFunc(out.Attributes, func(a, b wire.Attribute) int {
		return cmp.Or(cmp.Compare(order(a.Retired), order(b.Retired)), cmp.Compare(a.Label, b.Label))
	})
	v.reasons(func(g giving) {
		for i := range out.Attributes {
			g(&out.Attributes[i].Given)
		}
	})
	return out
}

func fillWords(f *fact.Fill) string {
	if f.From == "unit" {
		return "from the unit: " + fact.Count(len(f.Units), "unit") + " in the table"
	}
	day := map[string]string{"start_date": "the first day", "end_date": "the last day"}[f.From]
	switch {
	case f.Months > 0:
		return fmt.Sprintf("%s after %s", fact.Count(f.Months, "month"), day)
	case f.Months < 0:
		return fmt.Sprintf("%s before %s", fact.Count(-f.Months, "month"), day)
	}
	return day
}

// customOf are the values of declared attributes that are not retired, by key.
func (v *View) customOf(u *fact.User) map[string]string {
	if u.Custom == "" && u.More == "" {
		return nil
	}
	out := map[string]string{}
	for _, f := range v.Snapshot.Attributes() {
		if value := f.Of(u); value != "" && !f.Retired {
			out[f.Key] = value
		}
	}
	return out
}

// userSchema is what a filter over users may name: what every user has, and the
// declared attributes.
func (v *View) userSchema() filter.Schema {
	out := userSchema[:len(userSchema):len(userSchema)]
	for _, f := range v.Snapshot.Attributes() {
		if !f.Retired {
			out = append(out, f.Schema())
		}
	}
	return out
}

// orderOf is the text by which a list is put in order, nil for none: of what
// every user has, or of a declared attribute.
func orderOf(s *access.Snapshot, name string) func(*fact.User) string {
	if text := userOrder(name); text != nil {
		return text
	}
	f := s.FindAttribute(name)
	if f == nil || f.Retired {
		return nil
	}
	return func(u *fact.User) string {
		value := f.Of(u)
		if f.Type == fact.NumberValue && value != "" {
			return sortableNumber(value)
		}
		return value
	}
}

// sortable are the attributes a list can be put in order by.
func (v *View) sortable() []string {
	return slices.DeleteFunc(v.ListColumns(), func(name string) bool { return orderOf(v.Snapshot, name) == nil })
}

// sortableNumber is a number as a text that is in order as a text is.
func sortableNumber(s string) string {
	var n float64
	_, _ = fmt.Sscan(s, &n) // checked when it was written
	if n < 0 {
		return fmt.Sprintf("0%030.6f", 1e20+n)
	}
	return fmt.Sprintf("1%030.6f", n)
}
