package seeing

import (
	"fmt"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
)

// CustomOf are the values of declared attributes that are not retired, by key.
func (v *View) CustomOf(u *fact.User) map[string]string {
	if u.Custom == "" && u.More == "" {
		return nil
	}
	out := map[string]string{}
	for _, f := range v.snapshot.Attributes() {
		if value := f.Of(u); value != "" && !f.Retired {
			out[f.Key] = value
		}
	}
	return out
}

// UserSchema is what a filter over users may name: what every user has, and the
// declared attributes.
func (v *View) UserSchema() filter.Schema {
	out := userSchema[:len(userSchema):len(userSchema)]
	for _, f := range v.snapshot.Attributes() {
		if !f.Retired {
			out = append(out, f.Schema())
		}
	}
	return out
}

// OrderOf is the text by which a list is put in order, nil for none: of what
// every user has, or of a declared attribute.
func OrderOf(s *access.Snapshot, name string) func(*fact.User) string {
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

// Sortable are the attributes a list can be put in order by.
func (v *View) Sortable() []string {
	return slices.DeleteFunc(v.ListColumns(), func(name string) bool { return OrderOf(v.snapshot, name) == nil })
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
