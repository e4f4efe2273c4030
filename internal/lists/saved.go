package lists

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
	"ableroster/internal/ledger/database"
	"ableroster/internal/saved"
	"ableroster/internal/seeing"
	"ableroster/internal/strictjson"
	"ableroster/wire"
)

// Views are the caller's own views of the list of users, and those that others
// share.
func Views(ctx context.Context, d *seeing.Service, c seeing.Caller) (wire.SavedViewList, error) {
	out := wire.SavedViewList{Views: []wire.SavedView{}}
	v := d.Now(ctx, c)
	return out, EachSaved(ctx, d, c, saved.View, func(i saved.Item) {
		x := wire.SavedView{Key: i.Key, Label: i.Label, Shared: i.Shared, Mine: i.Owner == c.User, Owner: v.UserRef(i.Owner), ChangedAt: i.ChangedAt}
		var kept wire.ViewRequest
		_ = json.Unmarshal(i.Body, &kept) // written by PutView
		x.Search, x.Columns = kept.Search, kept.Columns
		out.Views = append(out.Views, x)
	})
}

// View is the caller's own view of a key, or the one that is shared under it.
func View(ctx context.Context, d *seeing.Service, c seeing.Caller, key string) (wire.SavedView, error) {
	all, err := Views(ctx, d, c)
	if err != nil {
		return wire.SavedView{}, err
	}
	for _, x := range all.Views { // the caller's own come first
		if x.Key == key {
			return x, nil
		}
	}
	return wire.SavedView{}, seeing.NotFound("you have no view “%s”", strictjson.Short(key))
}

// EachSaved calls a function for each saved thing of a kind that the caller may use.
func EachSaved(ctx context.Context, d *seeing.Service, c seeing.Caller, kind saved.Kind, yield func(saved.Item)) error {
	if c.User == 0 || d.Saved == nil {
		return nil
	}
	all, err := d.Saved.List(ctx, kind, c.User)
	for _, i := range all {
		yield(i)
	}
	return database.Unavailable(err)
}

// PutView saves a view under a key, in the place of the caller's own of that key.
func PutView(ctx context.Context, d *seeing.Service, c seeing.Caller, key string, in wire.ViewRequest, seen saved.Seen) error {
	v := d.Now(ctx, c)
	var faults []wire.Fault
	for i, name := range in.Columns {
		if !slices.Contains(v.ListColumns(), name) {
			faults = append(faults, wire.Fault{Place: fmt.Sprintf("columns[%d]", i), Message: "“" + name + "” is none of " + strings.Join(v.ListColumns(), ", ")})
		}
	}
	if _, err := FindUsers(v, UserSearch{Unit: in.Search.Unit, Status: in.Search.Status, Group: in.Search.Group, Filter: in.Search.Filter, Sort: in.Search.Sort, Limit: 1}); err != nil {
		var p *wire.Problem
		if !errors.As(err, &p) {
			return err
		}
		faults = append(faults, p.Faults...)
	}
	return Save(ctx, d, c, saved.View, saved.Item{Key: key, Label: in.Label, Shared: in.Shared}, in, faults, seen)
}

var savedKey = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// Save keeps something, or refuses it with every fault.
func Save(ctx context.Context, d *seeing.Service, c seeing.Caller, kind saved.Kind, i saved.Item, body any, faults []wire.Fault, seen saved.Seen) error {
	if c.User == 0 || d.Saved == nil {
		return seeing.Refused("nothing is saved for nobody")
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
		return seeing.Invalid("nothing was saved", faults...)
	}
	if i.Shared && !d.Now(ctx, c).Rights().May(access.ActUpdate, "settings") {
		return seeing.Refused("you may not share with everybody: save it for yourself")
	}
	raw, err := json.Marshal(body)
	if err != nil {
		return err
	}
	i.Owner, i.Body = c.User, raw
	switch err := d.Saved.Put(ctx, kind, i, seen); {
	case errors.Is(err, saved.ErrMoved):
		return seeing.PreconditionFailed()
	case errors.Is(err, saved.ErrTaken):
		return seeing.Invalid("nothing was saved", wire.Fault{Place: "key", Message: "is that of one somebody else shares: choose another"})
	case errors.Is(err, saved.ErrTooMany):
		return seeing.Invalid("nothing was saved", wire.Fault{Message: fmt.Sprintf("you have saved %d, which is as many as one may", saved.MostOwned)})
	default:
		return database.Unavailable(err)
	}
}

// DeleteView takes one of the caller's own views away, or one that anybody shares,
// for whoever may write the settings.
func DeleteView(ctx context.Context, d *seeing.Service, c seeing.Caller, key string, seen saved.Seen) error {
	return Unsave(ctx, d, c, saved.View, "view", key, seen)
}

// Unsave removes a saved thing of the caller's.
func Unsave(ctx context.Context, d *seeing.Service, c seeing.Caller, kind saved.Kind, what, key string, seen saved.Seen) error {
	found := false
	var err error
	each := EachSaved(ctx, d, c, kind, func(i saved.Item) {
		mayTake := i.Owner == c.User || d.Now(ctx, c).Rights().May(access.ActUpdate, "settings")
		if i.Key == key && !found && mayTake && err == nil {
			if found, err = d.Saved.Delete(ctx, kind, i.Owner, key, seen); !found && err == nil && seen != (saved.Seen{}) {
				err = seeing.PreconditionFailed()
			}
		}
	})
	if err := errors.Join(each, database.Unavailable(err)); err != nil {
		return err
	}
	if !found {
		return seeing.NotFound("you have no %s “%s”", what, key)
	}
	return nil
}
