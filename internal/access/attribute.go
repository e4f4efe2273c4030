package access

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

// FactAttribute is the kind of declared attributes of users.
var FactAttribute = RecordKind("attribute")

// Attribute is an attribute of users that the organisation declared itself. Its
// key, its type, its case rule and whether it is personal never change: values
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
	Fill        *Fill       `json:"fill,omitempty"`       // filled in by itself, and by nobody
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

// Attribute is the declared attribute under a number, or nil.
func (s *Snapshot) Attribute(id AttributeID) *Attribute {
	f, _ := s.RecordFact(FactAttribute, uint32(id)).(*Attribute)
	return f
}

// Attributes are all that were declared, retired ones too, in order of number.
func (s *Snapshot) Attributes() []*Attribute { return RecordFactsOf[*Attribute](s, FactAttribute) }

// FindAttribute finds a declared attribute by key, without case, or id.
func (s *Snapshot) FindAttribute(ref string) *Attribute {
	f, _ := FindKeyed[*Attribute](s, FactAttribute, ref, strings.EqualFold)
	return f
}

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

// normal is a value as it is kept, or what is wrong with it.
func (f *Attribute) normal(text string) (value, wrong string) {
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
	if m := checkLabel(text, 500); m != "" {
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
	p, err := regexp.Compile(wholly(f.Pattern))
	return err == nil && p.MatchString(text)
}

func wholly(pattern string) string { return `^(?:` + pattern + `)$` }

// filled is what the attribute is of a user by itself.
func (f *Attribute) filled(u *User) string {
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

// fill fills in what fills itself in.
func (s *Snapshot) fill(u *User) {
	s.EachRecordFact(FactAttribute, func(k RecordFact) bool {
		f := k.(*Attribute)
		switch {
		case f.Fill == nil || f.Retired:
		case f.Personal:
			u.More = u.More.with(f, f.filled(u))
		default:
			u.Custom = u.Custom.with(f, f.filled(u))
		}
		return true
	})
}

// custom sets the values an operation gives, a blank one clears, and files
// their faults. What is personal it hands back apart: the ledger keeps that
// sealed.
func (d *Draft) custom(u *User, back unsealed, given, sealed map[string]string) (facts, personal map[string]string) {
	put := func(key, text string) {
		field := "custom." + key
		f := d.FindAttribute(key)
		switch {
		case f == nil || f.Retired:
			d.fault(field, "is no declared attribute%s", d.attributesThere())
			return
		case f.Fill != nil:
			d.fault(field, "is filled in by itself from %s", f.Fill.From)
			return
		}
		if text = strings.TrimSpace(text); text != "" {
			value, wrong := f.normal(text)
			if f.Type == DateValue && wrong == "" && !d.Replays {
				if _, err := calendar.ReadDate(value); err != nil {
					wrong = err.Error()
				}
			}
			if wrong != "" {
				d.fault(field, "%s", wrong)
				return
			}
			text = value
		}
		if text == "" && f.Required && u.UserKind == Person {
			d.fault(field, "is required of every person")
			return
		}
		if f.Personal {
			u.More = u.More.with(f, text)
			personal = withEntry(personal, f.Key, text)
			return
		}
		u.Custom = u.Custom.with(f, text)
		facts = withEntry(facts, f.Key, text)
	}
	all := []map[string]string{given, sealed}
	if back.back {
		all = all[:1]
	}
	for _, m := range all {
		for _, key := range sortedKeys(m) {
			put(key, m[key])
		}
	}
	d.fill(u)
	if back.back {
		u.More = back.more
		personal = sealed
	}
	return facts, personal
}

func (s *Snapshot) attributesThere() string {
	var keys []string
	for _, f := range s.Attributes() {
		if !f.Retired {
			keys = append(keys, f.Key)
		}
	}
	if len(keys) == 0 {
		return ": none is declared yet"
	}
	return "; there are " + strings.Join(keys, ", ")
}

func withEntry(m map[string]string, key, text string) map[string]string {
	if m == nil {
		m = map[string]string{}
	}
	m[key] = text
	return m
}

func sortedKeys(m map[string]string) []string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// requires files the faults of a new person without what is required.
func (d *Draft) requires(u *User) {
	if u.UserKind != Person {
		return
	}
	for _, f := range d.Attributes() {
		if f.Required && !f.Retired && f.Fill == nil && f.Of(u) == "" {
			d.fault("custom."+f.Key, "is required of every person (%s)", f.Label)
		}
	}
}

// Same says whether a value, as it would be kept, is the user's already.
func (f *Attribute) Same(u *User, text string) bool {
	value, wrong := f.normal(text)
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
