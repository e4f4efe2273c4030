package transfer

import (
	"context"
	"encoding/json"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/importfile"
	"ableroster/internal/lists"
	"ableroster/internal/saved"
	"ableroster/internal/seeing"
	"ableroster/internal/strictjson"
	"ableroster/wire"
)

// Mappings are the caller's own mappings of files of users, and those that others
// share.
func Mappings(ctx context.Context, d *seeing.Service, c seeing.Caller) (wire.SavedMappingList, error) {
	v := d.Now(ctx, c)
	ours, dates := mappingColumns(v.Uncut())
	out := wire.SavedMappingList{Mappings: []wire.SavedMapping{}, Columns: ours, Dates: dates, Encodings: importfile.Encodings()}
	return out, lists.EachSaved(ctx, d, c, saved.Mapping, func(i saved.Item) {
		out.Mappings = append(out.Mappings, wire.SavedMapping{Key: i.Key, Label: i.Label, Shared: i.Shared, Mine: i.Owner == c.User, Owner: v.UserRef(i.Owner), Mapping: i.Body, ChangedAt: i.ChangedAt})
	})
}

// OneMapping is the caller's own mapping of a key, or the one that is shared under it.
func OneMapping(ctx context.Context, d *seeing.Service, c seeing.Caller, key string) (wire.SavedMapping, error) {
	all, err := Mappings(ctx, d, c)
	if err != nil {
		return wire.SavedMapping{}, err
	}
	for _, x := range all.Mappings { // the caller's own come first
		if x.Key == key {
			return x, nil
		}
	}
	return wire.SavedMapping{}, seeing.NotFound("you have no mapping “%s”", strictjson.Short(key))
}

// PutMapping saves a mapping under a key, in the place of the caller's own of that
// key.
func PutMapping(ctx context.Context, d *seeing.Service, c seeing.Caller, key, label string, shared bool, m importfile.Mapping, seen saved.Seen) error {
	v := d.Now(ctx, c)
	var faults []wire.Fault
	ours, dates := mappingColumns(v.Uncut())
	for _, wrong := range m.Check(ours, dates) {
		faults = append(faults, wire.Fault{Place: "mapping", Message: wrong})
	}
	for field, k := range map[string]string{"key": m.KeyColumn(), "manager_by": m.ManagerColumn()} {
		if f := v.Uncut().FindAttribute(k); k != "user_name" && (f == nil || f.Retired) {
			faults = append(faults, wire.Fault{Place: "mapping", Message: field + " “" + strictjson.Short(k) + "” is neither user_name nor a declared attribute"})
		}
	}
	_, wrong := v.Where(m.MissingOf)
	for _, f := range wrong {
		faults = append(faults, wire.Fault{Place: "mapping", Message: "missing_of: " + f.Message})
	}
	return lists.Save(ctx, d, c, saved.Mapping, saved.Item{Key: key, Label: label, Shared: shared}, m, faults, seen)
}

// mappingColumns are the columns a mapping may name, and those that are days.
func mappingColumns(s *access.Snapshot) (ours, dates []string) {
	ours = slices.Clone(importColumns)
	for i := range fact.UserAttributes {
		if a := &fact.UserAttributes[i]; a.Type == filter.Day {
			dates = append(dates, a.Key)
		}
	}
	for _, f := range s.Attributes() {
		if f.Retired || f.Fill != nil {
			continue
		}
		ours = append(ours, f.Key)
		if f.Type == fact.DateValue {
			dates = append(dates, f.Key)
		}
	}
	return ours, dates
}

// DeleteMapping takes one of the caller's own mappings away, or a shared one, for
// whoever may write the settings.
func DeleteMapping(ctx context.Context, d *seeing.Service, c seeing.Caller, key string, seen saved.Seen) error {
	return lists.Unsave(ctx, d, c, saved.Mapping, "mapping", key, seen)
}

// mapping is a saved one under a key.
func mapping(ctx context.Context, d *seeing.Service, c seeing.Caller, key string) (*importfile.Mapping, error) {
	var out *importfile.Mapping
	err := lists.EachSaved(ctx, d, c, saved.Mapping, func(i saved.Item) {
		if i.Key == key && out == nil {
			out = &importfile.Mapping{}
			_ = json.Unmarshal(i.Body, out) // written by PutMapping
		}
	})
	if err == nil && out == nil {
		err = seeing.NotFound("there is no mapping “%s”; roster mappings list has those you can use", key)
	}
	return out, err
}
