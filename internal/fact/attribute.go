package fact

import (
	"encoding/json"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/filter"
	"ableroster/internal/patterns"
)

// FactAttribute is the kind of declared attributes of users and of units.
var FactAttribute = RecordKind("attribute")

// Attribute is an attribute of users, or of units, that the organisation declared itself. Its
// key, its type, its case rule, whose it is and whether it is personal never change: values
// that are there already, and filters that name it, keep their meaning.
type Attribute struct {
	Lifetime
	ID          AttributeID `json:"-"`
	Key         string      `json:"key"`
	Label       string      `json:"label"`
	Description string      `json:"description,omitempty"`
	Type        ValueType   `json:"type"`
	CaseExact   bool        `json:"case_exact,omitempty"` // texts are compared with case
	Personal    bool        `json:"personal,omitempty"`   // can be erased, and may give no access; else a fact
	Required    bool        `json:"required,omitempty"`   // of every person who is added
	Pattern     string      `json:"pattern,omitempty"`    // that the whole text must match
	Allowed     []string    `json:"allowed,omitempty"`    // and no others
	Identifies  bool        `json:"identifies,omitempty"` // no two people share a value, such as a personnel number
	Fill        *Fill       `json:"fill,omitempty"`       // filled in by itself, and by nobody
	OfUnits     bool        `json:"of_units,omitempty"`   // of units, and of no user
	Retired     bool        `json:"retired,omitempty"`
}

// Fill says what an attribute is filled in from: the unit by a table, where the
// nearest unit above counts too, or a date so many months later.
type Fill struct {
	From   string     `json:"from" enum:"unit,start_date,end_date" doc:"what it is filled in from"`
	Units  []UnitFill `json:"units,omitempty" doc:"from the unit: which value each unit gives, and the units below it"`
	Months int        `json:"months,omitempty" doc:"from a date: so many months later, or earlier when negative"`
}

// UnitFill is the value that a unit gives.
type UnitFill struct {
	Unit  string `json:"unit"`
	Value string `json:"value"`
}

// Kind and Row identify it.
func (*Attribute) Kind() FactKind { return FactAttribute }
func (f *Attribute) Row() uint32  { return uint32(f.ID) }

// Name and Over implement Keyed.
func (f *Attribute) Name() string { return f.Key }
func (f *Attribute) Over() bool   { return f.Retired }

// Schema is what a filter may say of it.
func (f *Attribute) Schema() filter.Attribute {
	t := map[ValueType]filter.Type{NumberValue: filter.Number, DateValue: filter.Day, TruthValue: filter.Boolean}[f.Type]
	if t == "" {
		t = filter.String
	}
	return filter.Attribute{Name: f.Key, Type: t, CaseExact: f.CaseExact}
}

// Normal is a value as it is kept, or what is wrong with it.
func (f *Attribute) Normal(text string) (value, wrong string) {
	switch f.Type {
	case NumberValue:
		n, err := json.Number(text).Float64()
		if err != nil || math.IsInf(n, 0) || math.IsNaN(n) {
			return "", "is not a number such as 12 or 0.5"
		}
		return strconv.FormatFloat(n, 'f', -1, 64), ""
	case DateValue:
		var d calendar.Date
		if err := d.UnmarshalText([]byte(text)); err != nil {
			return "", err.Error()
		}
		return d.String(), ""
	case TruthValue:
		if text != "true" && text != "false" {
			return "", "is true or false"
		}
		return text, ""
	}
	if m := CheckLabel(text, 500); m != "" {
		return "", m
	}
	if len(f.Allowed) > 0 {
		i := slices.IndexFunc(f.Allowed, func(a string) bool {
			return a == text || !f.CaseExact && strings.EqualFold(a, text)
		})
		if i < 0 {
			return "", "“" + text + "” is none of " + strings.Join(f.Allowed, ", ")
		}
		return f.Allowed[i], ""
	}
	if f.Pattern != "" && !f.matches(text) {
		return "", "“" + text + "” does not match " + f.Pattern
	}
	return text, ""
}

func (f *Attribute) matches(text string) bool {
	p, err := regexp.Compile(Wholly(f.Pattern))
	return err == nil && p.MatchString(text)
}

// Wholly is a regular expression that a whole text has to match.
func Wholly(pattern string) string { return `^(?:` + pattern + `)$` }

// Filled is what the attribute is of a user by itself.
func (f *Attribute) Filled(u *User) string {
	from := calendar.Date(0)
	switch f.Fill.From {
	case "unit":
		value, longest := "", -1
		for _, x := range f.Fill.Units {
			if u.Unit != "" && patterns.Covers(x.Unit, u.Unit) && len(x.Unit) > longest {
				value, longest = x.Value, len(x.Unit)
			}
		}
		return value
	case "start_date":
		from = u.Start
	case "end_date":
		from = u.End
	}
	if from == 0 {
		return ""
	}
	return from.AddMonths(f.Fill.Months).String()
}

// Same says whether a value, as it would be kept, is the user's already.
func (f *Attribute) Same(u *User, text string) bool {
	value, wrong := f.Normal(text)
	return wrong == "" && value == f.Of(u)
}

// Of is the value of the attribute for a user, or nothing.
func (f *Attribute) Of(u *User) string {
	if f.Personal {
		return u.More.Get(f.Key)
	}
	return u.Custom.Get(f.Key)
}

// Typed is the value of the attribute for a user, as filters compare it.
func (f *Attribute) Typed(u *User) []any {
	if f.Personal {
		return u.More.Typed(f.Key)
	}
	return u.Custom.Typed(f.Key)
}
