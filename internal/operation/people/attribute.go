package people

import (
	"regexp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/operation/settle"
	"ableroster/internal/patterns"
	"ableroster/internal/record"
)

func init() {
	change.Register(&DeclareAttribute{}, "Declare an attribute of users, or of units")
	change.Register(&UpdateAttribute{}, "Edit a declared attribute; what is not given stays")
	change.Register(&RetireAttribute{}, "Retire a declared attribute; its values stay on past days")
}

// DeclareAttribute declares an attribute of users, or of units.
type DeclareAttribute struct {
	Key         string         `json:"key" doc:"lower-case words joined by underscores, as filters and files write it"`
	Label       string         `json:"label,omitempty" doc:"what people call it"`
	Description string         `json:"description,omitempty" doc:"what it is for, in plain words"`
	Type        fact.ValueType `json:"type,omitempty" enum:"text,number,date,truth" doc:"text by default"`
	CaseExact   bool           `json:"case_exact,omitempty" doc:"texts are compared with case"`
	Personal    bool           `json:"personal,omitempty" doc:"can be erased, and may give no access; else a fact, kept for ever"`
	Required    bool           `json:"required,omitempty" doc:"of every person, or unit, that is added from now on"`
	Identifies  bool           `json:"identifies,omitempty" doc:"no two people share a value, such as a personnel number: whoever is added with one that is there looks like that person"`
	Pattern     string         `json:"pattern,omitempty" doc:"regular expression that a whole text must match"`
	Allowed     []string       `json:"allowed,omitempty" flag:"allow" doc:"the texts there may be, and no others"`
	Fill        *fact.Fill     `json:"fill,omitempty" doc:"fills itself in from the unit or from a date, and nobody else does"`
	OfUnits     bool           `json:"of_units,omitempty" doc:"of units, and of no user: it is a fact, and gives no access"`

	Attribute change.AttributeRef `json:"attribute,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*DeclareAttribute) Verb() string { return "declare_attribute" }

var attributeKeyShape = regexp.MustCompile(`^[a-z][a-z0-9]*(_[a-z0-9]+)*$`)

// otherNames are names that filters, files and lists have for something else than an
// attribute.
var otherNames = []string{"id", "user", "effective", "within", "groups", "roles", "custom", "and", "or", "not", "pr", "true", "false", "null"}

// ApplyTo implements change.Operation.
func (o DeclareAttribute) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "declare attributes") {
		return
	}
	before := len(d.Faults)
	o.Fill = o.Fill.Copied()
	switch {
	case !attributeKeyShape.MatchString(o.Key) || len(o.Key) > 64:
		d.Fault("key", "must be lower-case words of letters and digits joined by single underscores, at most 64 characters")
	case slices.Contains(otherNames, o.Key):
		d.Fault("key", "“%s” means something else in filters", o.Key)
	case fact.UserAttributeOf(o.Key) != nil: // one that is newer than a declaration ends none
		d.Judged("key", "“%s” is there already, of every user", o.Key)
	case d.DeclaredAttribute(o.Key) != nil:
		d.Fault("key", "“%s” is taken: keys are never reused", o.Key)
	}
	d.CheckTexts(&o.Label, o.Key, o.Description)
	if o.Type == "" {
		o.Type = fact.TextValue
	}
	f := &fact.Attribute{ID: fact.AttributeID(d.Allocate(fact.FactAttribute)), Key: o.Key, Label: o.Label, Description: o.Description, Type: o.Type,
		CaseExact: o.CaseExact, Personal: o.Personal, Required: o.Required, Identifies: o.Identifies, Pattern: o.Pattern, Allowed: o.Allowed, Fill: o.Fill, OfUnits: o.OfUnits}
	checkAttribute(d, f)
	if len(d.Faults) > before {
		d.Fails(fact.FactAttribute, o.Key)
		return
	}
	o.Attribute = change.AttributeRef(f.ID.String())
	d.Put(f)
	fillAgain(d, f)
	return settled
}

// mostAllowed bounds how many texts an attribute may allow, and how many units
// fill one in.
const mostAllowed = 1000

func checkAttribute(d *change.Draft, f *fact.Attribute) {
	if f.OfUnits {
		for field, there := range map[string]bool{"personal": f.Personal, "case_exact": f.CaseExact, "identifies": f.Identifies, "fill": f.Fill != nil} {
			if there {
				d.Fault(field, "goes with attributes of users alone")
			}
		}
	}
	texts := f.Type == fact.TextValue
	switch f.Type {
	case fact.TextValue, fact.NumberValue, fact.DateValue, fact.TruthValue:
	default:
		d.Fault("type", "is text, number, date or truth")
	}
	if !texts {
		for field, there := range map[string]bool{"case_exact": f.CaseExact, "pattern": f.Pattern != "", "allowed": len(f.Allowed) > 0} {
			if there {
				d.Fault(field, "goes with texts alone")
			}
		}
	}
	if f.Pattern != "" {
		if m := fact.CheckLabel(f.Pattern, 500); m != "" {
			d.Fault("pattern", "%s", m)
		} else if _, err := regexp.Compile(fact.Wholly(f.Pattern)); err != nil {
			d.Fault("pattern", "is no regular expression: %s", strings.TrimPrefix(err.Error(), "error parsing regexp: "))
		}
	}
	if len(f.Allowed) > mostAllowed {
		d.Fault("allowed", "names more than %d texts", mostAllowed)
	}
	for i, a := range f.Allowed {
		if m := fact.CheckLabel(a, 500); m != "" || a == "" {
			d.Fault("allowed", "“%s” cannot be a value", a)
		}
		if slices.ContainsFunc(f.Allowed[:i], func(b string) bool { return strings.EqualFold(a, b) }) {
			d.Fault("allowed", "names “%s” twice", a)
		}
	}
	if f.Fill != nil {
		checkFill(d, f)
	}
}

func checkFill(d *change.Draft, f *fact.Attribute) {
	if f.Required {
		d.Fault("required", "says nothing of what fills itself in")
	}
	switch f.Fill.From {
	case "unit":
		if f.Fill.Months != 0 {
			d.Fault("fill", "counts months from a date, not from a unit")
		}
		if len(f.Fill.Units) == 0 || len(f.Fill.Units) > mostAllowed {
			d.Fault("fill", "names the value of one unit at least, of %d at most", mostAllowed)
		}
		for i, x := range f.Fill.Units {
			if err := patterns.CheckPath(x.Unit); err != nil || x.Unit == patterns.Root {
				d.Fault("fill", "“%s” is not a unit such as marine/pilotage", x.Unit)
			} else {
				d.KnownUnit("fill", x.Unit)
			}
			if slices.ContainsFunc(f.Fill.Units[:i], func(y fact.UnitFill) bool { return y.Unit == x.Unit }) {
				d.Fault("fill", "names the unit %s twice", x.Unit)
			}
			value, wrong := f.Normal(x.Value)
			if wrong != "" || x.Value == "" {
				d.Fault("fill", "the value of %s %s", x.Unit, wrong)
				continue
			}
			f.Fill.Units[i].Value = value
		}
	case "start_date", "end_date":
		if f.Type != fact.DateValue {
			d.Fault("fill", "from a date is a date: the type must be date")
		}
		if len(f.Fill.Units) > 0 {
			d.Fault("fill", "names units, and is from a date")
		}
		if f.Fill.Months < -1200 || f.Fill.Months > 1200 {
			d.Fault("fill", "is at most 1200 months away")
		}
	default:
		d.Fault("fill", "is from unit, start_date or end_date")
	}
}

// fillAgain fills an attribute in for everybody.
func fillAgain(d *change.Draft, f *fact.Attribute) {
	if f.Fill == nil || f.Personal {
		return // a personal one is filled in when its user is next written: the ledger seals it then
	}
	for i := range d.UserTable.Len() {
		r := d.UserTable.At(i)
		if r == nil || r.Fact == nil || r.Fact.Erased {
			continue
		}
		u := *r.Fact
		if u.Custom = u.Custom.With(f, f.Filled(&u)); u != *r.Fact {
			d.Put(&u)
		}
	}
}

// Sentence implements change.Operation.
func (o *DeclareAttribute) Sentence(*access.Snapshot, change.Names) string {
	if o.OfUnits {
		return "Declared the attribute " + o.Label + " of units"
	}
	return "Declared the attribute " + o.Label + " of users"
}

// UpdateAttribute alters a declared attribute; what is not given stays. Its key,
// type, case rule and whether it is personal never change.
type UpdateAttribute struct {
	Attribute   change.AttributeRef `json:"attribute" doc:"key or id"`
	Label       *string             `json:"label,omitempty" doc:"what people call it"`
	Description *string             `json:"description,omitempty" doc:"what it is for, in plain words"`
	Required    *bool               `json:"required,omitempty" doc:"of every person, or unit, that is added from now on"`
	Identifies  *bool               `json:"identifies,omitempty" doc:"no two people share a value"`
	Pattern     *string             `json:"pattern,omitempty" doc:"regular expression that a whole text must match"`
	Allowed     []string            `json:"allowed,omitzero" flag:"allow" doc:"all the texts there may be from now on; values that are there stay"`
	Fill        *fact.Fill          `json:"fill,omitempty" doc:"for an attribute that fills itself in already"`
}

// Verb implements change.Operation.
func (*UpdateAttribute) Verb() string { return "update_attribute" }

// ApplyTo implements change.Operation.
func (o UpdateAttribute) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "declare attributes") {
		return
	}
	old := attribute(d, &o.Attribute)
	if old == nil {
		return
	}
	f := settle.Alter(d, old, func(f *fact.Attribute) {
		fact.SetIf(&f.Label, o.Label)
		fact.SetIf(&f.Description, o.Description)
		fact.SetIf(&f.Required, o.Required)
		fact.SetIf(&f.Pattern, o.Pattern)
		fact.SetIf(&f.Identifies, o.Identifies)
		if o.Allowed != nil {
			f.Allowed = o.Allowed
		}
		if o.Fill != nil {
			if old.Fill == nil {
				d.Fault("fill", "is for an attribute that was declared to fill itself in; declare another")
			}
			o.Fill = o.Fill.Copied()
			f.Fill = o.Fill
		}
		d.CheckTexts(&f.Label, f.Key, f.Description)
		checkAttribute(d, f)
	})
	if f != nil {
		fillAgain(d, f)
	}
	return settled
}

// attribute settles a declared attribute that is not retired.
func attribute(d *change.Draft, ref *change.AttributeRef) *fact.Attribute {
	f, _ := change.SettleKeyed[*fact.Attribute](d, fact.FactAttribute, "attribute", ref, strings.EqualFold, "%s is retired; declare another")
	return f
}

// Sentence implements change.Operation.
func (o *UpdateAttribute) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Changed the attribute " + attributeLabel(s, o.Attribute)
}

func attributeLabel(s *access.Snapshot, ref change.AttributeRef) string {
	if f := s.DeclaredAttribute(string(ref)); f != nil {
		return f.Label
	}
	return string(ref)
}

// RetireAttribute retires a declared attribute: no value is given any more, and
// no list shows it. The values there are stay on every past day.
type RetireAttribute struct {
	Attribute change.AttributeRef `json:"attribute" doc:"key or id"`
}

// Verb implements change.Operation.
func (*RetireAttribute) Verb() string { return "retire_attribute" }

// ApplyTo implements change.Operation.
func (o RetireAttribute) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "declare attributes") {
		return
	}
	old := attribute(d, &o.Attribute)
	if old == nil {
		return
	}
	for _, name := range rulesNaming(d, old.Key) {
		d.Fault("attribute", "%s is named by %s: alter that first", old.Key, name)
	}
	settle.Alter(d, old, func(f *fact.Attribute) { f.Retired = true })
	return settled
}

// rulesNaming are the groups and default rules whose filter names an attribute, and the machine
// accounts that it comes from.
func rulesNaming(d *change.Draft, key string) []string {
	var out []string
	names := func(text string) bool {
		e := fact.CompileRule(text)
		return e != nil && slices.Contains(filter.Attributes(e), key)
	}
	for _, id := range d.Ruled {
		if g := d.Group(id); names(g.Filter) {
			out = append(out, "the group "+g.Label)
		}
	}
	for _, r := range record.Defaults(&d.Snapshot) {
		if !r.Ended && names(r.Filter) {
			out = append(out, "the default rule "+r.Label)
		}
	}
	for _, f := range record.TeamRules(&d.Snapshot) {
		if !f.Ended && names(f.Filter) {
			out = append(out, "the team rule "+f.Label)
		}
	}
	for _, m := range access.RecordFactsOf[*fact.MachineAccount](&d.Snapshot, fact.FactMachineAccount) {
		if names(m.Filter) || slices.Contains(m.Attributes, key) || slices.Contains(m.Overridable, key) {
			out = append(out, "what comes from the machine account "+d.User(m.User).UserName)
		}
	}
	return out
}

// Sentence implements change.Operation.
func (o *RetireAttribute) Sentence(s *access.Snapshot, _ change.Names) string {
	return "Retired the attribute " + attributeLabel(s, o.Attribute)
}
