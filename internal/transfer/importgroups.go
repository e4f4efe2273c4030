package transfer

import (
	"context"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/roles"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

var groupColumns = []string{"group", "label", "description", "unit", "owner", "filter", "held_within"}

// importGroups makes and changes groups from a CSV file (RFC 4180), as one change.
// A blank cell leaves what is there; nothing is taken away.
func importGroups(ctx context.Context, d *seeing.Service, c seeing.Caller, in Import) (wire.ChangeResult, error) {
	b := importing{view: d.Now(ctx, c), file: in.File, column: func(field string, _ change.Operation) string {
		if field == "" || field == "key" {
			return "group"
		}
		return field
	}}
	b.head = b.view.Uncut()
	return tracked(ctx, d, c, "groups", &in, &b, func() {
		for _, row := range b.table(in, groupColumns, "group") {
			v := row.Values
			key := v["group"]
			id, there := b.group(key)
			if !there {
				b.groups++
				b.op(row, &roles.AddGroup{Key: key, Label: v["label"], Description: v["description"], Unit: v["unit"], Filter: v["filter"], HeldWithin: v["held_within"]})
			}
			op := &roles.UpdateGroup{Group: change.GroupRef(key)}
			changed := false
			set := func(column, old string, to **string) {
				if given := v[column]; there && given != "" && given != old {
					*to, changed = &given, true
				}
			}
			if there {
				g := b.head.Group(id)
				set("label", g.Label, &op.Label)
				set("description", g.Description, &op.Description)
				set("unit", g.Unit, &op.Unit)
				set("filter", g.Filter, &op.Filter)
				set("held_within", g.HeldWithin, &op.HeldWithin)
			}
			if owner := change.UserRef(v["owner"]); owner != "" {
				if known, ok := b.user(string(owner)); !there || !ok || b.head.Group(id).Owner != known {
					op.Owner, changed = &owner, true
				}
			}
			if changed {
				if there {
					b.regrouped++
				}
				b.op(row, op)
			}
		}
	})
}

// GroupsTable is the groups the caller may read, in the columns that importing them
// reads.
func GroupsTable(v *seeing.View) Table {
	return Table{"groups", groupColumns, func(yield func([]string) bool) { groupRows(v, yield) }}
}

func groupRows(v *seeing.View, yield func([]string) bool) {
	for g := range v.Uncut().Groups() {
		if !v.ReadsGroup(g.ID) || g.ID == fact.PublicGroup || g.ID == fact.AllUsersGroup {
			continue
		}
		owner := ""
		if g.Owner != 0 {
			owner = v.UserRef(g.Owner).Key
		}
		if !yield([]string{g.Key, g.Label, g.Description, g.Unit, owner, g.Filter, g.HeldWithin}) {
			return
		}
	}
}
