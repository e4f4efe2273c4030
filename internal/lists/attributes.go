package lists

import (
	"cmp"
	"fmt"
	"slices"

	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Attributes are the declared attributes of users, and of units; retired ones last.
func Attributes(v *seeing.View) wire.AttributeList {
	out := wire.AttributeList{Basis: v.Basis(), BuiltIn: []wire.BuiltInAttribute{}, Attributes: []wire.Attribute{}, OfUnits: []wire.Attribute{}}
	for i := range fact.UserAttributes {
		a := &fact.UserAttributes[i]
		kind := "text"
		if a.Type == filter.Day {
			kind = "date"
		}
		out.BuiltIn = append(out.BuiltIn, wire.BuiltInAttribute{Key: a.Key, Label: a.Label, Hint: a.Doc, Type: kind, OneOf: a.OneOf, Personal: a.Personal})
	}
	all := v.Uncut().Attributes()
	having, lacking := make([]int, len(all)), make([]int, len(all))
	for u := range v.Uncut().Users() {
		if u.Custom == "" && u.More == "" && len(all) == 0 || !v.ReadsUser(u.ID) {
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
		out.Attributes = append(out.Attributes, attribute(f, having[i], lacking[i]))
	}
	for _, f := range v.Uncut().UnitAttributes() {
		having, lacking := 0, 0
		for _, u := range v.Uncut().Units() {
			switch {
			case u.Ended || !v.ReadsUnit(u.Path):
			case u.Custom.Get(f.Key) != "":
				having++
			default:
				lacking++
			}
		}
		out.OfUnits = append(out.OfUnits, attribute(f, having, lacking))
	}
	for _, list := range [][]wire.Attribute{out.Attributes, out.OfUnits} {
		slices.SortStableFunc(list, func(a, b wire.Attribute) int {
			return cmp.Or(cmp.Compare(seeing.Order(a.Retired), seeing.Order(b.Retired)), cmp.Compare(a.Label, b.Label))
		})
	}
	v.Reasons(func(g seeing.Giving) {
		for _, list := range [][]wire.Attribute{out.Attributes, out.OfUnits} {
			for i := range list {
				g(&list[i].Given)
			}
		}
	})
	return out
}

func attribute(f *fact.Attribute, having, lacking int) wire.Attribute {
	x := wire.Attribute{ID: f.ID.String(), Key: f.Key, Label: f.Label, Description: f.Description, Type: string(f.Type), CaseExact: f.CaseExact,
		Personal: f.Personal, Required: f.Required, Identifies: f.Identifies, Pattern: f.Pattern, Allowed: f.Allowed, Retired: f.Retired,
		Having: having, Lacking: lacking, Given: &wire.Given{Revision: f.Opened}}
	if f.Fill != nil {
		x.Fill = &wire.AttributeFill{From: f.Fill.From, Months: f.Fill.Months, Words: fillWords(f.Fill)}
		for _, y := range f.Fill.Units {
			x.Fill.Units = append(x.Fill.Units, wire.AttributeUnit(y))
		}
	}
	return x
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
