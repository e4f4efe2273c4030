package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/importfile"
	"ableroster/internal/ledger"
	"ableroster/internal/saved"
	"ableroster/internal/strictjson"
	"ableroster/wire"
)

// Views are the caller's own views of the list of users, and those that others
// share.
func (d *Service) Views(ctx context.Context, c Caller) (wire.SavedViewList, error) {
	out := wire.SavedViewList{Views: []wire.SavedView{}}
	v := d.Now(ctx, c)
	return out, d.eachSaved(ctx, c, saved.View, func(i saved.Item) {
		x := wire.SavedView{Key: i.Key, Label: i.Label, Shared: i.Shared, Mine: i.Owner == c.User, Owner: v.userRef(i.Owner), ChangedAt: i.ChangedAt}
		var kept wire.ViewRequest
		_ = json.Unmarshal(i.Body, &kept) // written by PutView
		x.Search, x.Columns = kept.Search, kept.Columns
		out.Views = append(out.Views, x)
	})
}

func (d *Service) eachSaved(ctx context.Context, c Caller, kind saved.Kind, yield func(saved.Item)) error {
	if c.User == 0 || d.Saved == nil {
		return nil
	}
	all, err := d.Saved.List(ctx, kind, c.User)
	for _, i := range all {
		yield(i)
	}
	return ledger.Unavailable(err)
}

// PutView saves a view under a key, in the place of the caller's own of that key.
func (d *Service) PutView(ctx context.Context, c Caller, key string, in wire.ViewRequest) error {
	v := d.Now(ctx, c)
	var faults []wire.Fault
	for i, name := range in.Columns {
		if !slices.Contains(v.ListColumns(), name) {
			faults = append(faults, wire.Fault{Place: fmt.Sprintf("columns[%d]", i), Message: "“" + name + "” is none of " + strings.Join(v.ListColumns(), ", ")})
		}
	}
	if _, err := v.search(Search{Unit: in.Search.Unit, Status: in.Search.Status, Group: in.Search.Group, Filter: in.Search.Filter, Sort: in.Search.Sort, Limit: 1}); err != nil {
		var p *wire.Problem
		if !errors.As(err, &p) {
			return err
		}
		faults = append(faults, p.Faults...)
	}
	return d.save(ctx, c, saved.View, saved.Item{Key: key, Label: in.Label, Shared: in.Shared}, in, faults)
}

var savedKey = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// save keeps something, or refuses it with every fault.
func (d *Service) save(ctx context.Context, c Caller, kind saved.Kind, i saved.Item, body any, faults []wire.Fault) error {
	if c.User == 0 || d.Saved == nil {
		return Refused("nothing is saved for nobody")
	}
	if !savedKey.MatchString(i.Key) || len(i.Key) > 64 {
		faults = append(faults, wire.Fault{Place: "key", Message: "must be lower-case words of letters and digits joined by single hyphens, at most 64 characters"})
	}
	if i.Label = strings.TrimSpace(i.Label); i.Label == "" {
		faults = append(faults, wire.Fault{Place: "label", Message: "is blank"})
	} else if m := fact.CheckWords(i.Label, 200); m != "" {
		faults = append(faults, wire.Fault{Place: "label", Message: m})
	}
	if len(faults) > 0 {
		return Invalid("nothing was saved", faults...)
	}
	if i.Shared && !d.Now(ctx, c).rights().May(access.ActUpdate, "settings") {
		return Refused("you may not share with everybody: save it for yourself")
	}
	raw, err := json.Marshal(body)
	if err != nil {
		return err
	}
	i.Owner, i.Body = c.User, raw
	switch err := d.Saved.Put(ctx, kind, i); {
	case errors.Is(err, saved.ErrTaken):
		return Invalid("nothing was saved", wire.Fault{Place: "key", Message: "is that of one somebody else shares: choose another"})
	case errors.Is(err, saved.ErrTooMany):
		return Invalid("nothing was saved", wire.Fault{Message: fmt.Sprintf("you have saved %d, which is as many as one may", saved.MostOwned)})
	default:
		return ledger.Unavailable(err)
	}
}

// DeleteView takes one of the caller's own views away, or one that anybody shares,
// for whoever may write the settings.
func (d *Service) DeleteView(ctx context.Context, c Caller, key string) error {
	return d.unsave(ctx, c, saved.View, "view", key)
}

func (d *Service) unsave(ctx context.Context, c Caller, kind saved.Kind, what, key string) error {
	found := false
	var err error
	each := d.eachSaved(ctx, c, kind, func(i saved.Item) {
		mayTake := i.Owner == c.User || d.Now(ctx, c).rights().May(access.ActUpdate, "settings")
		if i.Key == key && !found && mayTake && err == nil {
			found, err = d.Saved.Delete(ctx, kind, i.Owner, key)
		}
	})
	if err := errors.Join(each, ledger.Unavailable(err)); err != nil {
		return err
	}
	if !found {
		return notFound("you have no %s “%s”", what, key)
	}
	return nil
}

// ListColumns are what a list of users can show.
func (v *View) ListColumns() []string {
	out := []string{"name"}
	for i := range fact.UserAttributes {
		if key := fact.UserAttributes[i].Key; key != "display_name" {
			out = append(out, key)
		}
	}
	for _, f := range v.Snapshot.Attributes() {
		if !f.Retired {
			out = append(out, f.Key)
		}
	}
	return out
}

// Mappings are the caller's own mappings of files of users, and those that others
// share.
func (d *Service) Mappings(ctx context.Context, c Caller) (wire.SavedMappingList, error) {
	v := d.Now(ctx, c)
	ours, dates := mappingColumns(v.Snapshot)
	out := wire.SavedMappingList{Mappings: []wire.SavedMapping{}, Columns: ours, Dates: dates, Encodings: importfile.Encodings()}
	return out, d.eachSaved(ctx, c, saved.Mapping, func(i saved.Item) {
		out.Mappings = append(out.Mappings, wire.SavedMapping{Key: i.Key, Label: i.Label, Shared: i.Shared, Mine: i.Owner == c.User, Owner: v.userRef(i.Owner), Mapping: i.Body, ChangedAt: i.ChangedAt})
	})
}

// PutMapping saves a mapping under a key, in the place of the caller's own of that
// key.
func (d *Service) PutMapping(ctx context.Context, c Caller, key, label string, shared bool, m importfile.Mapping) error {
	v := d.Now(ctx, c)
	var faults []wire.Fault
	ours, dates := mappingColumns(v.Snapshot)
	for _, wrong := range m.Check(ours, dates) {
		faults = append(faults, wire.Fault{Place: "mapping", Message: wrong})
	}
	for field, k := range map[string]string{"key": m.KeyColumn(), "manager_by": m.ManagerColumn()} {
		if f := v.FindAttribute(k); k != "user_name" && (f == nil || f.Retired) {
			faults = append(faults, wire.Fault{Place: "mapping", Message: field + " “" + strictjson.Short(k) + "” is neither user_name nor a declared attribute"})
		}
	}
	_, wrong := v.where(m.MissingOf)
	for _, f := range wrong {
		faults = append(faults, wire.Fault{Place: "mapping", Message: "missing_of: " + f.Message})
	}
	return d.save(ctx, c, saved.Mapping, saved.Item{Key: key, Label: label, Shared: shared}, m, faults)
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
func (d *Service) DeleteMapping(ctx context.Context, c Caller, key string) error {
	return d.unsave(ctx, c, saved.Mapping, "mapping", key)
}

// mapping is a saved one under a key.
func (d *Service) mapping(ctx context.Context, c Caller, key string) (*importfile.Mapping, error) {
	var out *importfile.Mapping
	err := d.eachSaved(ctx, c, saved.Mapping, func(i saved.Item) {
		if i.Key == key && out == nil {
			out = &importfile.Mapping{}
			_ = json.Unmarshal(i.Body, out) // written by PutMapping
		}
	})
	if err == nil && out == nil {
		err = notFound("there is no mapping “%s”; roster mappings list has those you can use", key)
	}
	return out, err
}
