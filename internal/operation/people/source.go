package people

import (
	"maps"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&SetAttributeSource{}, "Say which attributes of users come from a machine account, such as a personnel system's: nobody else changes these")
}

// SetAttributeSource says which attributes of users come from a machine account: all of them, from
// now on; none, with both lists blank.
type SetAttributeSource struct {
	User        change.UserRef `json:"user" doc:"the machine account: user name or id"`
	Attributes  []string       `json:"attributes,omitempty" flag:"attribute" doc:"key of an attribute that nobody else changes"`
	Overridable []string       `json:"overridable,omitempty" doc:"key of an attribute that may be changed here all the same: what is changed here stays, until the account sends just that"`
	Filter      string         `json:"filter,omitempty" doc:"a filter over the users it is for; blank for every person"`
}

// Verb implements change.Operation.
func (*SetAttributeSource) Verb() string { return "set_attribute_source" }

// ApplyTo implements change.Operation.
func (o SetAttributeSource) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleUser("user", &o.User)
	if !ok || !d.Need(access.ActUpdate, "settings", "say which attributes come from where") {
		return
	}
	before := len(d.Faults)
	old := record.MachineAccount(&d.Snapshot, id)
	if old == nil {
		d.Fault("user", "nobody has said what %s is for: say that first", d.User(id).UserName)
		return
	}
	seen := map[string]bool{}
	known := sourced(&d.Snapshot)
	for _, of := range []struct {
		field string
		keys  []string
	}{{"attributes", o.Attributes}, {"overridable", o.Overridable}} {
		for _, key := range of.keys {
			personal, ok := known[key]
			switch {
			case !ok:
				d.Judged(of.field, "there is no attribute “%s” that can come from elsewhere; there are %s", key, strings.Join(slices.Sorted(maps.Keys(known)), ", "))
			case seen[key]:
				d.Fault(of.field, "“%s” is there twice", key)
			case personal && of.field == "overridable":
				d.Judged(of.field, "“%s” is personal: what was sent of it is not kept, so nobody would know whether it was changed here", key)
			}
			seen[key] = true
		}
	}
	settle.CheckFilter(d, o.Filter)
	settle.KnownInFilter(d, o.Filter)
	if len(d.Faults) > before {
		return
	}
	d.Reads(fact.FactMachineAccount, uint32(id))
	f := *old
	f.Lifetime = fact.Lifetime{}
	f.Attributes, f.Overridable, f.Filter = slices.Clone(o.Attributes), slices.Clone(o.Overridable), o.Filter
	if sameSource(old, &f) {
		d.Note(change.AlreadySo, old.Since())
		return
	}
	d.Put(&f)
	d.SourcesChange()
	return settled
}

func sameSource(a, b *fact.MachineAccount) bool {
	return slices.Equal(a.Attributes, b.Attributes) && slices.Equal(a.Overridable, b.Overridable) && a.Filter == b.Filter
}

// sourced are the attributes that can come from elsewhere, and whether each is personal.
func sourced(s *access.Snapshot) map[string]bool {
	out := map[string]bool{}
	for _, a := range fact.UserAttributes {
		if a.Described || a.Key == "display_name" || a.Key == "email" || a.Key == "manager" {
			out[a.Key] = a.Personal
		}
	}
	for _, a := range s.Attributes() {
		if !a.Retired && a.Fill == nil {
			out[a.Key] = a.Personal
		}
	}
	return out
}

// fromElsewhere files a fault for each attribute that changes and comes from a machine account that
// is not the author.
func fromElsewhere(d *change.Draft, old, now *fact.User) {
	if d.Replays || d.Author == 0 {
		return
	}
	for _, m := range d.Sources() {
		if m.User == d.Author || len(m.Attributes) == 0 || !m.IsSourceOf(old) || d.User(m.User).Status != fact.Active {
			continue
		}
		for _, key := range m.Attributes {
			field, was, is := key, "", ""
			if a := fact.UserAttributeOf(key); a != nil {
				was, is = a.Of(old), a.Of(now)
			} else if a := d.FindAttribute(key); a != nil {
				field, was, is = "custom."+key, a.Of(old), a.Of(now)
			}
			if was == is || key == "end_date" && now.End != 0 && (old.End == 0 || now.End < old.End) { // whoever leaves, leaves
				continue
			}
			name := "another system"
			if d.MaySee(fact.FactUser, uint32(m.User)) {
				name = d.User(m.User).UserName
			}
			d.Judged(field, "comes from %s: it is changed there", name)
		}
	}
}

// Sentence implements change.Operation.
func (o *SetAttributeSource) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	if len(o.Attributes)+len(o.Overridable) == 0 {
		return "No attribute comes from " + n.UserName(id) + " any more"
	}
	label := func(keys []string) string {
		var out []string
		for _, key := range keys {
			if a := fact.UserAttributeOf(key); a != nil {
				out = append(out, lowerFirst(a.Label))
			} else {
				out = append(out, attributeLabel(s, change.AttributeRef(key)))
			}
		}
		return fact.ActionWords(out)
	}
	out := "Attributes that come from " + n.UserName(id) + ": "
	if len(o.Attributes) > 0 {
		out += label(o.Attributes)
	}
	if len(o.Overridable) > 0 {
		if len(o.Attributes) > 0 {
			out += "; and "
		}
		out += label(o.Overridable) + ", which may be changed here"
	}
	if o.Filter != "" {
		out += ", of " + s.FilterWords(o.Filter)
	}
	return out
}
