package ledger

import (
	"encoding/json"

	"ableroster/internal/access"

	"github.com/jackc/pgx/v5"
)

// table says how facts of one kind lie in PostgreSQL, beside id, opened and
// closed.
type table struct {
	kind    access.FactKind
	name    string
	columns []string
	values  func(access.Fact) []any
	scan    func(pgx.Rows) (row, error)
}

// row is a fact as read, with its lifetime; closed is 0 while open.
type row struct {
	fact           access.Fact
	id             uint32
	opened, closed int64
}

// scanning reads the leading columns of every fact table and then the rest.
func (r *row) into(rows pgx.Rows, rest ...any) error {
	return rows.Scan(append([]any{&r.id, &r.opened, &r.closed}, rest...)...)
}

var tables = []table{
	{
		access.FactOrganisation, "organisation_fact", []string{"name", "time_zone"},
		func(f access.Fact) []any { o := f.(*access.Organisation); return []any{o.Name, o.TimeZone} },
		func(rs pgx.Rows) (r row, err error) {
			f := &access.Organisation{}
			r.fact = f
			return r, r.into(rs, &f.Name, &f.TimeZone)
		},
	},
	{
		access.FactUser, "user_fact",
		[]string{"personal", "kind", "status", "unit", "title", "manager", "employment_type", "location", "start_date", "end_date"},
		func(f access.Fact) []any {
			u := f.(*access.User)
			return []any{u.Digest[:], string(u.UserKind), string(u.Status), u.Unit, u.Title, uint32(u.Manager),
				u.Employment, u.Location, int32(u.Start), int32(u.End)}
		},
		func(rs pgx.Rows) (r row, err error) {
			f := &access.User{}
			r.fact = f
			var digest []byte
			err = r.into(rs, &digest, (*string)(&f.UserKind), (*string)(&f.Status), &f.Unit, &f.Title, (*uint32)(&f.Manager),
				&f.Employment, &f.Location, (*int32)(&f.Start), (*int32)(&f.End))
			f.ID = access.UserID(r.id)
			copy(f.Digest[:], digest)
			return r, err
		},
	},
	{
		access.FactGroup, "group_fact", []string{"key", "label", "description", "unit", "filter"},
		func(f access.Fact) []any {
			g := f.(*access.Group)
			return []any{g.Key, g.Label, g.Description, g.Unit, g.Filter}
		},
		func(rs pgx.Rows) (r row, err error) {
			f := &access.Group{}
			r.fact = f
			err = r.into(rs, &f.Key, &f.Label, &f.Description, &f.Unit, &f.Filter)
			f.ID = access.GroupID(r.id)
			return r, err
		},
	},
	{
		access.FactMembership, "membership_fact", []string{"group_id", "member_user", "member_group", "from_at", "until_at"},
		func(f access.Fact) []any {
			m := f.(*access.Membership)
			return []any{uint32(m.Group), uint32(m.Member.User), uint32(m.Member.Group), int64(m.Window.From), int64(m.Window.Until)}
		},
		func(rs pgx.Rows) (r row, err error) {
			f := &access.Membership{}
			r.fact = f
			err = r.into(rs, (*uint32)(&f.Group), (*uint32)(&f.Member.User), (*uint32)(&f.Member.Group),
				(*int64)(&f.Window.From), (*int64)(&f.Window.Until))
			f.ID, f.Opened = access.MembershipID(r.id), r.opened
			return r, err
		},
	},
	{
		access.FactApplication, "application_fact", []string{"key", "label", "description", "state", "actions", "trial"},
		func(f access.Fact) []any {
			a := f.(*access.Application)
			actions, _ := json.Marshal(a.Actions)
			return []any{a.Key, a.Label, a.Description, string(a.State), actions, uint32(a.Trial)}
		},
		func(rs pgx.Rows) (r row, err error) {
			f := &access.Application{}
			r.fact = f
			err = r.into(rs, &f.Key, &f.Label, &f.Description, (*string)(&f.State), &f.Actions, (*uint32)(&f.Trial))
			f.ID = access.ApplicationID(r.id)
			return r, err
		},
	},
	{
		access.FactResource, "resource_fact", []string{"application", "path", "kind", "label", "description", "open", "retired", "addresses"},
		func(f access.Fact) []any {
			x := f.(*access.Resource)
			addresses := x.Addresses
			if addresses == nil {
				addresses = []string{}
			}
			return []any{uint32(x.Application), x.Path, x.NodeKind, x.Label, x.Description, x.Open, x.Retired, addresses}
		},
		func(rs pgx.Rows) (r row, err error) {
			f := &access.Resource{}
			r.fact = f
			err = r.into(rs, (*uint32)(&f.Application), &f.Path, &f.NodeKind, &f.Label, &f.Description, &f.Open, &f.Retired, &f.Addresses)
			f.ID = access.ResourceID(r.id)
			if len(f.Addresses) == 0 {
				f.Addresses = nil
			}
			return r, err
		},
	},
	{
		access.FactFence, "fence_fact", []string{"application", "pattern", "actions", "why"},
		func(f access.Fact) []any {
			x := f.(*access.Fence)
			return []any{uint32(x.Application), x.Pattern, x.Actions, x.Reason}
		},
		func(rs pgx.Rows) (r row, err error) {
			f := &access.Fence{}
			r.fact = f
			err = r.into(rs, (*uint32)(&f.Application), &f.Pattern, &f.Actions, &f.Reason)
			f.ID = access.FenceID(r.id)
			return r, err
		},
	},
	{
		access.FactRole, "role_fact", []string{"application", "key", "label", "description", "retired"},
		func(f access.Fact) []any {
			x := f.(*access.Role)
			return []any{uint32(x.Application), x.Key, x.Label, x.Description, x.Retired}
		},
		func(rs pgx.Rows) (r row, err error) {
			f := &access.Role{}
			r.fact = f
			err = r.into(rs, (*uint32)(&f.Application), &f.Key, &f.Label, &f.Description, &f.Retired)
			f.ID = access.RoleID(r.id)
			return r, err
		},
	},
	{
		access.FactInclusion, "inclusion_fact", []string{"role", "included"},
		func(f access.Fact) []any {
			i := f.(*access.Inclusion)
			return []any{uint32(i.Role), uint32(i.Included)}
		},
		func(rs pgx.Rows) (r row, err error) {
			f := &access.Inclusion{}
			r.fact = f
			err = r.into(rs, (*uint32)(&f.Role), (*uint32)(&f.Included))
			f.ID = access.InclusionID(r.id)
			return r, err
		},
	},
	{
		access.FactPermission, "permission_fact", []string{"role", "application", "actions", "pattern", "own"},
		func(f access.Fact) []any {
			p := f.(*access.Permission)
			return []any{uint32(p.Role), uint32(p.Application), p.Actions, p.Pattern, p.Own}
		},
		func(rs pgx.Rows) (r row, err error) {
			f := &access.Permission{}
			r.fact = f
			err = r.into(rs, (*uint32)(&f.Role), (*uint32)(&f.Application), &f.Actions, &f.Pattern, &f.Own)
			f.ID, f.Opened = access.PermissionID(r.id), r.opened
			return r, err
		},
	},
	{
		access.FactAssignment, "assignment_fact", []string{"assignee_user", "assignee_group", "role", "from_at", "until_at", "scopes", "schedule", "origin"},
		func(f access.Fact) []any {
			a := f.(*access.Assignment)
			return []any{uint32(a.Assignee.User), uint32(a.Assignee.Group), uint32(a.Role),
				int64(a.Window.From), int64(a.Window.Until), scopesJSON(a.Scopes), scheduleJSON(a.Schedule), string(a.Origin)}
		},
		func(rs pgx.Rows) (r row, err error) {
			f := &access.Assignment{}
			r.fact = f
			err = r.into(rs, (*uint32)(&f.Assignee.User), (*uint32)(&f.Assignee.Group), (*uint32)(&f.Role),
				(*int64)(&f.Window.From), (*int64)(&f.Window.Until), &f.Scopes, &f.Schedule, (*string)(&f.Origin))
			if len(f.Scopes) == 0 {
				f.Scopes = nil
			}
			f.ID, f.Opened = access.AssignmentID(r.id), r.opened
			return r, err
		},
	},
}

func scopesJSON(scopes []access.Scope) string {
	if len(scopes) == 0 {
		return "[]"
	}
	raw, _ := json.Marshal(scopes)
	return string(raw)
}

// scheduleJSON is a schedule as kept, nil for none.
func scheduleJSON(s *access.Schedule) any {
	if s == nil {
		return nil
	}
	raw, _ := json.Marshal(s)
	return string(raw)
}

func tableOf(kind access.FactKind) *table {
	for i := range tables {
		if tables[i].kind == kind {
			return &tables[i]
		}
	}
	panic("ledger: no table for " + kind)
}
