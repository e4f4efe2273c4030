package transfer

import (
	"cmp"
	"context"
	"iter"
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/importfile"
	"ableroster/internal/lists"
	"ableroster/internal/operation/roles"
	"ableroster/internal/seeing"
	"ableroster/internal/strictjson"
	"ableroster/wire"
)

// The columns of the other files, in any order. A user or a group is given, not
// both; scopes are application:pattern with semicolons between them.
var (
	membershipColumns = []string{"group", "user", "member_group", "from", "until"}
	assignmentColumns = []string{"role", "user", "group", "from", "until", "scopes", "schedule"}
)

// tableColumn is the column that a field of an operation came from: they are
// called the same.
func tableColumn(field string, _ change.Operation) string {
	if field == "" {
		return "user"
	}
	return field
}

// importMemberships puts users and groups into groups, from a CSV file (RFC
// 4180), as one change. Nothing is taken away; rows that are so already change
// nothing.
func importMemberships(ctx context.Context, d *seeing.Service, c seeing.Caller, in Import) (wire.ChangeResult, error) {
	b := importing{view: d.Now(ctx, c), file: in.File, column: tableColumn}
	b.head = b.view.Uncut()
	return tracked(ctx, d, c, "memberships", &in, &b, func() {
		for _, row := range b.table(in, membershipColumns, "group") {
			v := row.Values
			op := &roles.AddMember{Group: change.GroupRef(v["group"]), User: change.UserRef(v["user"]), Member: change.GroupRef(v["member_group"]), Window: b.window(row)}
			if g, ok := b.group(v["group"]); ok {
				if m, ok := b.member(v["user"], v["member_group"]); ok && slices.ContainsFunc(b.head.MembershipsOf(m), func(x *fact.Membership) bool {
					return x.Group == g && x.Window == op.Window && x.ByHand()
				}) {
					continue
				}
			}
			b.joined++
			b.op(row, op)
		}
	})
}

// importAssignments gives roles to users and groups, from a CSV file (RFC 4180),
// as one change. Nothing is taken away; rows that are so already change nothing.
func importAssignments(ctx context.Context, d *seeing.Service, c seeing.Caller, in Import) (wire.ChangeResult, error) {
	b := importing{view: d.Now(ctx, c), file: in.File, column: tableColumn}
	b.head = b.view.Uncut()
	return tracked(ctx, d, c, "assignments", &in, &b, func() {
		for _, row := range b.table(in, assignmentColumns, "role") {
			v := row.Values
			op := &roles.Grant{Role: change.RoleRef(v["role"]), User: change.UserRef(v["user"]), Group: change.GroupRef(v["group"]), Window: b.window(row), Origin: fact.Import}
			b.limits(row, op)
			if m, ok := b.member(v["user"], v["group"]); ok && b.given(m, op) {
				continue
			}
			b.granted++
			b.op(row, op)
		}
	})
}

// table reads a file whose columns are called as ours.
func (b *importing) table(in Import, columns []string, must string) []importfile.Row {
	header, rows, bad := importfile.CSV(in.Content, b.format(in))
	b.faults = append(append(b.faults, bad...), importfile.Named(header, rows, columns, must)...)
	return rows
}

func (b *importing) member(user, group string) (m fact.Member, ok bool) {
	if user != "" {
		m.User, ok = b.user(user)
	} else {
		m.Group, ok = b.group(group)
	}
	return m, ok
}

// window reads days, in the organisation's time zone, and instants: from as a day begins, until
// as it ends.
func (b *importing) window(row importfile.Row) (w calendar.Window) {
	for _, x := range []struct {
		column string
		to     *calendar.Instant
	}{{"from", &w.From}, {"until", &w.Until}} {
		cell := row.Values[x.column]
		var err error
		if day, bad := calendar.ReadDate(cell); bad == nil && cell != "" {
			if x.column == "until" { // the last day
				day++
			}
			*x.to = day.Begins(b.head.Zone())
		} else {
			*x.to, err = calendar.ReadInstant(cell)
		}
		if err != nil {
			b.fault(row, x.column, "“%s” is neither a day such as 2027-01-31 nor an instant such as 2027-01-31T18:00:00Z", strictjson.Short(cell))
		}
	}
	return w
}

// limits reads scopes and a schedule.
func (b *importing) limits(row importfile.Row, op *roles.Grant) {
	if cell := row.Values["scopes"]; cell != "" {
		for part := range strings.SplitSeq(cell, ";") {
			app, pattern, ok := strings.Cut(strings.TrimSpace(part), ":")
			if !ok {
				b.fault(row, "scopes", "“%s” is not an application and a pattern, such as berth-planning:berths/north-*", part)
				continue
			}
			op.Scopes = append(op.Scopes, change.ScopeRef{Application: change.ApplicationRef(app), Pattern: pattern})
		}
	}
	if cell := row.Values["schedule"]; cell != "" {
		x, err := calendar.ReadScheduleLine(cell)
		if err != nil {
			b.fault(row, "schedule", "%s", err)
			return
		}
		s, err := calendar.NewSchedule(x.Days, x.From, x.Until, x.TimeZone)
		if err != nil {
			b.fault(row, "schedule", "%s", err)
			return
		}
		op.Schedule = s
	}
}

// given says whether somebody has a role with these limits already, wherever it came
// from but a default rule.
func (b *importing) given(m fact.Member, op *roles.Grant) bool {
	role, ok := b.role(string(op.Role))
	if !ok {
		return false
	}
	return slices.ContainsFunc(b.head.Given(m), func(a *fact.Assignment) bool {
		return a.Role == role && a.Rule == 0 && a.Window == op.Window && a.Schedule.String() == op.Schedule.String() && slices.EqualFunc(a.Scopes, op.Scopes, func(x fact.Scope, y change.ScopeRef) bool {
			app, ok := b.application(string(y.Application))
			return ok && x.Application == app && x.Pattern == y.Pattern
		})
	})
}

// Table is a list as a file: a header, and lines that are made as they are written.
type Table struct {
	Name   string
	Header []string
	Rows   iter.Seq[[]string]
}

// UsersTable is all users the caller may read, in the columns that importing them
// reads. Roles and groups have files of their own.
func UsersTable(v *seeing.View) Table {
	var declared []string
	for _, f := range v.Uncut().Attributes() {
		if !f.Retired && f.Fill == nil { // what fills itself in is not brought in
			declared = append(declared, f.Key)
		}
	}
	return Table{"users", append(slices.Clone(exportColumns), declared...), func(yield func([]string) bool) { userRows(v, declared, yield) }}
}

func userRows(v *seeing.View, declared []string, yield func([]string) bool) {
	for u := range v.Uncut().Users() {
		if !v.ReadsUser(u.ID) {
			continue
		}
		manager := ""
		if u.Manager != 0 {
			manager = v.UserRef(u.Manager).Key
		}
		var row []string
		for i := range fact.UserAttributes {
			text := fact.UserAttributes[i].Of(u)
			if fact.UserAttributes[i].Key == "manager" {
				text = manager
			}
			row = append(row, text)
		}
		custom := v.CustomOf(u)
		for _, key := range declared {
			row = append(row, custom[key])
		}
		if !yield(row) {
			return
		}
	}
}

// MembershipsTable is who was put into which group, but by a rule, of those the
// caller may read and who have not departed; without what is over.
func MembershipsTable(v *seeing.View) Table {
	return Table{"memberships", membershipColumns, func(yield func([]string) bool) { membershipRows(v, yield) }}
}

func membershipRows(v *seeing.View, yield func([]string) bool) {
	for g := range v.Uncut().Groups() {
		if !v.ReadsGroup(g.ID) {
			continue
		}
		all := v.Uncut().Members(g.ID)
		slices.SortFunc(all, func(a, b *fact.Membership) int { return cmp.Compare(a.ID, b.ID) })
		for _, m := range all {
			ref, kind := v.MemberRef(m.Member, false)
			if !m.ByHand() || ref.Outside || v.Gone(m.Member.User) || m.Window.Over(v.At) {
				continue
			}
			row := []string{g.Key, ref.Key, "", when(m.Window.From), when(m.Window.Until)}
			if kind == "group" {
				row[1], row[2] = "", ref.Key
			}
			if !yield(row) {
				return
			}
		}
	}
}

// AssignmentsTable is who was given which role, but by a default rule, of those
// the caller may read and who have not departed; without what is over.
func AssignmentsTable(v *seeing.View) Table {
	return Table{"assignments", assignmentColumns, func(yield func([]string) bool) { assignmentRows(v, yield) }}
}

func assignmentRows(v *seeing.View, yield func([]string) bool) {
	for a := range v.Uncut().AllAssignments() {
		if a.Rule != 0 || !lists.ReadsAssignment(v, a) || v.Gone(a.Assignee.User) || a.Window.Over(v.At) {
			continue
		}
		ref, kind := v.MemberRef(a.Assignee, false)
		row := []string{v.Uncut().RoleKey(a.Role), ref.Key, "", when(a.Window.From), when(a.Window.Until), v.ScopesText(a.Scopes), seeing.ScheduleText(a.Schedule)}
		if kind == "group" {
			row[1], row[2] = "", ref.Key
		}
		if !yield(row) {
			return
		}
	}
}

func when(i calendar.Instant) string {
	if i == 0 {
		return ""
	}
	raw, _ := i.MarshalText()
	return string(raw)
}
