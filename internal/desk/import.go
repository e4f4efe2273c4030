package desk

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"ableroster/internal/access"
	"ableroster/internal/ledger"
	"ableroster/wire"
)

// The columns of a personnel export, in any order. roles and groups hold keys
// with semicolons between them; a "-" there says none, so that a cell left
// blank by mistake is found.
var importColumns = []string{"user_name", "display_name", "email", "kind", "unit", "title", "manager",
	"employment_type", "location", "start_date", "end_date", "roles", "groups"}

// mostImported bounds the rows of one file.
const mostImported = 100_000

// Import is a personnel export to bring in.
type Import struct {
	File        string // its name, for places in faults
	Content     []byte
	Reason      string
	Acknowledge []string
	DryRun      bool
	Key         string
}

// ImportUsers brings users in from a CSV file (RFC 4180) as one change: users
// not there yet are added, those there get the values the file has, and roles
// and groups named and not held yet are given. Nothing is taken away. Rows
// that are so already change nothing.
func (d *Desk) ImportUsers(ctx context.Context, c Caller, in Import) (wire.ChangeResult, error) {
	rows, faults := readPersonnel(in)
	if f := checkReason(in.Reason, in.DryRun); f != nil {
		faults = append(faults, *f)
	}
	b := importing{head: d.Ledger.Head()}
	b.build(rows)
	for _, f := range b.faults {
		f.Place = in.File + " " + f.Place
		faults = append(faults, f)
	}
	place := func(f access.Fault) string {
		if f.Operation >= len(b.from) {
			return in.File
		}
		row := b.from[f.Operation]
		return fmt.Sprintf("%s line %d, column %s", in.File, row.line, importField(f.Field, b.ops[f.Operation]))
	}
	if len(faults) > 0 {
		// What the good lines would run into is told in the same answer.
		faults = append(faults, d.Now(ctx, c).faultsOf(b.ops, place)...)
		return wire.ChangeResult{}, Invalid("nothing was changed", faults...)
	}
	digest := sha256.Sum256(in.Content)
	out, err := d.change(ctx, c, changing{
		Change:      ledger.Change{Author: c.User, Via: c.Via, Reason: in.Reason, Operations: b.ops, Key: in.Key, Request: digest[:]},
		How:         How{DryRun: in.DryRun, Key: in.Key},
		acknowledge: in.Acknowledge,
		place:       place,
	})
	out.Sentences, out.Notes = b.summary(), nil
	return out, err
}

// importField is the column that a field of an operation came from.
func importField(field string, op access.Operation) string {
	switch op.(type) {
	case *access.Grant:
		return "roles"
	case *access.AddMember:
		return "groups"
	}
	if field == "" || field == "user" {
		return "user_name"
	}
	return field
}

// personnelRow is one line of the file by column.
type personnelRow struct {
	line   int
	values map[string]string
}

func readPersonnel(in Import) ([]personnelRow, []wire.Fault) {
	var faults []wire.Fault
	add := func(line int, format string, args ...any) {
		faults = append(faults, wire.Fault{Place: fmt.Sprintf("%s line %d", in.File, line), Message: fmt.Sprintf(format, args...)})
	}
	content := bytes.TrimPrefix(in.Content, []byte("\xef\xbb\xbf"))
	for i, line := range bytes.Split(content, []byte("\n")) {
		if !utf8.Valid(line) {
			add(i+1, "is not UTF-8: save the file in that encoding")
		}
		if bytes.IndexByte(line, 0) >= 0 {
			add(i+1, "has a zero byte: this is not a text file")
		}
		if len(faults) >= 100 {
			break
		}
	}
	if len(faults) > 0 {
		return nil, faults
	}
	r := csv.NewReader(bytes.NewReader(content))
	r.FieldsPerRecord = -1
	header, err := r.Read()
	if err != nil {
		add(1, "has no header row with the names of the columns")
		return nil, faults
	}
	for i, h := range header {
		header[i] = strings.ToLower(strings.TrimSpace(h))
		switch {
		case !slices.Contains(importColumns, header[i]):
			add(1, "has the column “%s”, which is none of %s", h, strings.Join(importColumns, ", "))
		case slices.Contains(header[:i], header[i]):
			add(1, "has the column “%s” twice", h)
		}
	}
	if !slices.Contains(header, "user_name") {
		add(1, "has no column user_name")
	}
	var rows []personnelRow
	for {
		rec, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var pe *csv.ParseError
		if errors.As(err, &pe) {
			add(pe.Line, "cannot be read as CSV (column %d): %s", pe.Column, pe.Err)
			break // what follows an open quote means nothing
		}
		line, _ := r.FieldPos(0)
		if len(rec) != len(header) {
			add(line, "has %d columns where the header has %d", len(rec), len(header))
			continue
		}
		row := personnelRow{line, map[string]string{}}
		for i, v := range rec {
			row.values[header[i]] = strings.TrimSpace(v)
		}
		if rows = append(rows, row); len(rows) > mostImported {
			add(line, "is past the %d rows one import may have", mostImported)
			break
		}
	}
	if len(rows) == 0 && len(faults) == 0 {
		add(2, "is missing: the file has a header and no rows")
	}
	return rows, faults
}

// importing turns rows into operations.
type importing struct {
	head   *access.Snapshot
	ops    []access.Operation
	from   []personnelRow // the row each operation came from
	faults []wire.Fault

	added, updated, granted, joined int
}

func (b *importing) fault(row personnelRow, column, format string, args ...any) {
	b.faults = append(b.faults, wire.Fault{Place: fmt.Sprintf("line %d, column %s", row.line, column), Message: fmt.Sprintf(format, args...)})
}

func (b *importing) op(row personnelRow, op access.Operation) {
	b.ops = append(b.ops, op)
	b.from = append(b.from, row)
}

func (b *importing) build(rows []personnelRow) {
	firstLine := map[string]int{}
	for _, row := range rows {
		name := strings.ToLower(row.values["user_name"])
		if name == "" {
			b.fault(row, "user_name", "is blank")
			continue
		}
		if first, twice := firstLine[name]; twice {
			b.fault(row, "user_name", "“%s” is there twice: line %d has it too", row.values["user_name"], first)
			continue
		}
		firstLine[name] = row.line
		b.person(row)
	}
	// Managers after all users are there, whatever the order of the rows.
	for _, row := range rows {
		if m := row.values["manager"]; m != "" {
			if id, ok := b.head.FindUser(row.values["user_name"]); ok {
				if boss, ok := b.head.FindUser(m); ok && b.head.User(id).Manager == boss {
					continue
				}
			}
			ref := access.UserRef(m)
			b.op(row, &access.UpdateUser{User: access.UserRef(row.values["user_name"]), Manager: &ref})
		}
	}
	for _, row := range rows {
		who := access.UserRef(row.values["user_name"])
		id, known := b.head.FindUser(string(who))
		for _, key := range b.list(row, "groups") {
			if g, ok := b.head.FindGroup(key); ok && known && b.isMember(id, g) {
				continue
			}
			b.joined++
			b.op(row, &access.AddMember{Group: access.GroupRef(key), User: who})
		}
		for _, key := range b.list(row, "roles") {
			if r, ok := b.head.FindRole(key); ok && known && b.holds(id, r) {
				continue
			}
			b.granted++
			b.op(row, &access.Grant{Role: access.RoleRef(key), User: who, Origin: access.Import})
		}
	}
}

// list reads the keys of a roles or groups cell.
func (b *importing) list(row personnelRow, column string) []string {
	cell, there := row.values[column]
	if !there || cell == "-" {
		return nil
	}
	var out []string
	for key := range strings.SplitSeq(cell, ";") {
		key = strings.TrimSpace(key)
		if key == "" {
			b.fault(row, column, "has a blank where a key belongs; write - for none")
			continue
		}
		out = append(out, key)
	}
	return out
}

func (b *importing) isMember(id access.UserID, g access.GroupID) bool {
	return slices.ContainsFunc(b.head.MembershipsOf(access.Member{User: id}), func(m *access.Membership) bool { return m.Group == g })
}

func (b *importing) holds(id access.UserID, r access.RoleID) bool {
	return slices.ContainsFunc(b.head.Given(access.Assignee{User: id}), func(a *access.Assignment) bool {
		return a.Role == r && a.Window == access.Window{}
	})
}

// person adds a user, or updates one with the values the file has; a blank
// cell leaves what is there.
func (b *importing) person(row personnelRow) {
	v := row.values
	dates := map[string]access.Date{}
	for _, column := range []string{"start_date", "end_date"} {
		var d access.Date
		if err := d.UnmarshalText([]byte(v[column])); err != nil {
			b.fault(row, column, "%s", err)
		}
		dates[column] = d
	}
	id, known := b.head.FindUser(v["user_name"])
	if !known {
		b.added++
		b.op(row, &access.AddUser{
			Personal: access.Personal{UserName: v["user_name"], DisplayName: v["display_name"], Email: v["email"]},
			UserKind: access.UserKind(v["kind"]), Unit: v["unit"], Title: v["title"], Employment: v["employment_type"],
			Location: v["location"], Start: dates["start_date"], End: dates["end_date"]})
		return
	}
	u := b.head.User(id)
	o := &access.UpdateUser{User: access.UserRef(id.String())}
	changed := differs(&o.DisplayName, u.DisplayName, v["display_name"])
	changed = differs(&o.Email, u.Email, v["email"]) || changed
	changed = differs(&o.Unit, u.Unit, v["unit"]) || changed
	changed = differs(&o.Title, u.Title, v["title"]) || changed
	changed = differs(&o.Employment, u.Employment, v["employment_type"]) || changed
	changed = differs(&o.Location, u.Location, v["location"]) || changed
	changed = differs(&o.Start, u.Start, dates["start_date"]) || changed
	changed = differs(&o.End, u.End, dates["end_date"]) || changed
	if changed {
		b.updated++
		b.op(row, o)
	}
}

func differs[T comparable](field **T, old, value T) bool {
	var blank T
	if value == blank || value == old {
		return false
	}
	*field = &value
	return true
}

func (b *importing) summary() []string {
	out := []string{}
	for _, x := range []struct {
		n    int
		what string
	}{{b.added, "user%s added"}, {b.updated, "user%s updated"}, {b.joined, "membership%s added"}, {b.granted, "role%s granted"}} {
		plural := "s"
		if x.n == 1 {
			plural = ""
		}
		if x.n > 0 {
			out = append(out, fmt.Sprintf("%d "+x.what, x.n, plural))
		}
	}
	if len(out) == 0 {
		out = append(out, "Every row is so already")
	}
	return out
}
