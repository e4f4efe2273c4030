package transfer

import (
	"cmp"
	"context"
	"crypto/sha256"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ableroster/internal/change"
	"ableroster/internal/changing"
	"ableroster/internal/fact"
	"ableroster/internal/gctune"
	"ableroster/internal/importfile"
	"ableroster/internal/ledger"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/patterns"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// The columns of a personnel export, in any order, beside those of declared
// attributes. roles and groups hold keys with semicolons between them; a "-" there
// says none, so that a cell left blank by mistake is found. permissions are rights
// that a source gives straight to a person: application:pattern:action+action.
var importColumns = append(slices.Clone(exportColumns), "roles", "groups", "permissions")

// Columns are those that a file of a kind may have: users, groups, memberships or assignments; of users
// the declared attributes come beside them.
func Columns(kind string) []string {
	return map[string][]string{"users": importColumns, "groups": groupColumns, "memberships": membershipColumns, "assignments": assignmentColumns}[kind]
}

// exportColumns are those that users go out in.
var exportColumns = func() (out []string) {
	for i := range fact.UserAttributes {
		out = append(out, fact.UserAttributes[i].Key)
	}
	return out
}()

// Import is a file to bring in.
type Import struct {
	File        string   `json:"file,omitempty"`      // its name, for places in faults
	Format      string   `json:"format,omitempty"`    // csv, or ldif for users
	Encoding    string   `json:"encoding,omitempty"`  // of CSV; blank: as the mapping says, or UTF-8
	Separator   string   `json:"separator,omitempty"` // of CSV; blank: as the mapping says, or seen from the header
	Mapping     string   `json:"mapping,omitempty"`   // the key of a saved mapping; blank: the columns are called as ours
	NewUnits    bool     `json:"new_units,omitempty"` // make the units and employment types that it names and that are not there
	Link        bool     `json:"link,omitempty"`      // rows of users who are not there, and who look like one who is, are theirs
	Reason      string   `json:"reason,omitempty"`
	Reference   string   `json:"reference,omitempty"`
	Acknowledge []string `json:"acknowledge,omitempty"`
	DryRun      bool     `json:"dry_run,omitempty"`
	Key         string   `json:"key,omitempty"`

	Content []byte                                                `json:"-"`
	stage   func(what string, done, of int, published bool) error // told how far it is; an error stops it
}

// watch is stage as the ledger tells it.
func (in *Import) watch(phase ledger.Phase, done, of int) error {
	return in.stage(string(phase), done, of, phase == ledger.Publishing)
}

// digestOf is equal for equal texts in the same places.
func digestOf(texts ...string) [sha256.Size]byte {
	h := sha256.New()
	for _, t := range texts {
		fmt.Fprintf(h, "%d:%s", len(t), t)
	}
	return [sha256.Size]byte(h.Sum(nil))
}

// importUsers brings users in from a file as one change: users not there yet are
// added, those there get the values the file has, and roles and groups named and
// not held yet are given. Rows that are so already change nothing; what the file
// does not say stays, unless the mapping says what becomes of users it does not
// name.
func importUsers(ctx context.Context, d *seeing.Service, c seeing.Caller, in Import) (wire.ChangeResult, error) {
	b := importing{view: d.Now(ctx, c), file: in.File, column: importField}
	b.head = b.view.Uncut()
	return tracked(ctx, d, c, "users", &in, &b, func() {
		m, header, rows, faults := b.read(ctx, in)
		b.faults = append(b.faults, faults...)
		b.mapping = m
		if header != nil || len(rows) > 0 {
			if in.NewUnits {
				b.newUnits(rows)
				b.newTypes(rows)
			}
			b.links = in.Link
			b.build(rows)
			b.missing()
			b.note = b.linkedNote(rows)
		}
	})
}

// mayImport refuses a file before it is read, where the caller may do none of some
// actions anywhere in a register: actions and registers by turns.
func mayImport(v *seeing.View, pairs ...string) error {
	for i := 0; i < len(pairs); i += 2 {
		for _, p := range v.Rights().Reach(pairs[i]) {
			if patterns.Covers(p.Pattern, pairs[i+1]) || patterns.Covers(pairs[i+1], p.Pattern) {
				return nil
			}
		}
	}
	return seeing.Refused("nothing was changed: you may not %s %s anywhere, so the file was not read", pairs[0], pairs[1])
}

// read reads the rows of a file of users, in our columns.
func (b *importing) read(ctx context.Context, in Import) (*importfile.Mapping, []string, []importfile.Row, []importfile.Fault) {
	var m *importfile.Mapping
	if in.Mapping != "" {
		kept, err := mapping(ctx, b.view.Service, b.view.Caller, in.Mapping)
		if err != nil {
			return nil, nil, nil, []importfile.Fault{{Message: err.Error()}}
		}
		m = kept
	}
	if in.Format == "ldif" {
		entries, bad := importfile.LDIF(in.Content)
		if m == nil {
			m = ldifMapping
		}
		rows, left, wrong := importfile.Directory(m, entries, func(group string) bool {
			_, ok := b.group(group)
			return ok
		})
		b.leftOut = left
		return m, []string{}, rows, append(bad, wrong...)
	}
	f := b.format(in)
	if m != nil {
		f.Separator, f.Encoding = cmp.Or(f.Separator, m.Separator), cmp.Or(f.Encoding, m.Encoding)
	}
	header, rows, bad := importfile.CSV(in.Content, f)
	if m != nil {
		if header == nil {
			return m, nil, nil, bad
		}
		out, wrong := m.Apply(header, rows)
		return m, header, out, append(bad, wrong...)
	}
	wrong := importfile.Named(header, rows, b.columns(), "user_name")
	return &importfile.Mapping{}, header, rows, append(bad, wrong...)
}

// columns are those a file of users may have.
func (b *importing) columns() []string {
	out := slices.Clone(importColumns)
	for _, f := range b.head.Attributes() {
		if !f.Retired {
			out = append(out, f.Key)
		}
	}
	return out
}

// ldifMapping reads entries of inetOrgPerson (RFC 2798).
var ldifMapping = &importfile.Mapping{Columns: []importfile.ColumnSource{
	{Column: "user_name", From: []string{"uid"}, Pick: "first"}, {Column: "display_name", From: []string{"displayname"}, Else: []string{"cn"}, Pick: "first"}, {Column: "email", From: []string{"mail"}, Pick: "first"},
	{Column: "title", From: []string{"title"}, Pick: "first"}, {Column: "manager", From: []string{"manager"}, Pick: "first"}, {Column: "employment_type", From: []string{"employeetype"}, Pick: "first"},
	{Column: "location", From: []string{"l"}, Pick: "first"}, {Column: "unit", From: []string{"ou"}, Pick: "first"},
}}

// tracked builds a change from a file of a kind and makes it, or refuses it with every
// fault. It tells how far it is.
func tracked(ctx context.Context, d *seeing.Service, c seeing.Caller, what string, in *Import, b *importing, build func()) (wire.ChangeResult, error) {
	if len(in.Content) > 1<<20 {
		defer gctune.Busy()()
	}
	if err := in.stage("reading", 0, 0, false); err != nil {
		return wire.ChangeResult{}, err
	}
	build()
	faults := changing.CheckWhy(d, in.Reason, in.Reference, in.DryRun)
	for _, f := range b.faults {
		faults = append(faults, b.wireFault(f.Line, f.Column, f.Message))
	}
	place := func(f change.Fault) wire.Fault {
		if f.Operation >= len(b.from) {
			return wire.Fault{Place: in.File}
		}
		return b.wireFault(b.from[f.Operation].Line, b.heading(b.column(f.Field, b.ops[f.Operation])), "")
	}
	if len(faults) > 0 {
		// What the good lines would run into is told in the same answer.
		faults = append(faults, changing.FaultsOf(b.view, b.ops, place)...)
		return wire.ChangeResult{}, seeing.Invalid("nothing was changed", inOrder(faults)...)
	}
	digest := digestOf(what, in.Format, in.Encoding, in.Separator, in.Mapping, strconv.FormatBool(in.NewUnits), in.Reason, in.Reference, strings.Join(in.Acknowledge, "\x00"), string(in.Content), map[bool]string{true: "link"}[in.Link])
	out, err := changing.Make(ctx, d, c, changing.Wanted{
		Change:      ledger.Change{Author: c.User, Via: c.Via, Reason: in.Reason, Reference: in.Reference, Operations: b.ops, Key: in.Key, Request: digest[:], Watch: in.watch},
		How:         changing.How{DryRun: in.DryRun, Key: in.Key},
		Acknowledge: in.Acknowledge,
		Place:       place,
		Quiet:       true,
	})
	switch out.Notes = nil; {
	case out.Repeated:
		out.Sentences = []string{fmt.Sprintf("The file was brought in before, as revision %d", out.Revision)}
	default:
		out.Sentences = b.summary()
	}
	if b.note != nil {
		out.Notes = append(out.Notes, *b.note)
	}
	if left := b.without(); left != "" {
		out.Notes = append(out.Notes, wire.Note{Code: "left_out", Message: left})
	}
	if b.composed > 0 {
		out.Notes = append(out.Notes, wire.Note{Code: "composed", Message: fact.Count(b.composed, "value") + " had signs apart that are one sign, such as e and ´, and were put together (NFC)"})
	}
	return out, err
}

// without says what of a directory did not come in: people do, and those of its groups
// that are here and seen.
func (b *importing) without() string {
	var all []string
	if n := b.leftOut.Machines; n > 0 {
		all = append(all, fact.Count(n, "machine"))
	}
	if groups := b.leftOut.Groups; len(groups) > 0 {
		named := strings.Join(groups[:min(5, len(groups))], ", ")
		if len(groups) > 5 {
			named += " …"
		}
		all = append(all, fact.Count(len(groups), "group")+" not here, or outside what you may see ("+named+")")
	}
	if n := b.leftOut.Members; n > 0 {
		all = append(all, fact.Count(n, "member")+" of groups that are no people")
	}
	if all == nil {
		return ""
	}
	return "Left out of the directory: " + strings.Join(all, "; ")
}

// format is how a file is said to be written.
func (b *importing) format(in Import) importfile.Format {
	return importfile.Format{Separator: in.Separator, Encoding: in.Encoding, Composed: func(n int) { b.composed = n }}
}

// wireFault is a fault at a place in the file.
func (b *importing) wireFault(line int, column, message string) wire.Fault {
	out := wire.Fault{Place: b.file, Line: line, Column: column, Message: message}
	if line > 0 {
		out.Place += fmt.Sprintf(" line %d", line)
	}
	if column != "" {
		out.Place += ", column " + column
	}
	return out
}

// inOrder puts faults in the order of the file, as whoever mends it goes through
// it.
func inOrder(faults []wire.Fault) []wire.Fault {
	slices.SortStableFunc(faults, func(a, b wire.Fault) int { return a.Line - b.Line })
	return slices.CompactFunc(faults, func(a, b wire.Fault) bool { return a.Place == b.Place && a.Message == b.Message })
}

// importField is the column that a field of an operation came from.
func importField(field string, op change.Operation) string {
	switch op.(type) {
	case *roles.Grant:
		return "roles"
	case *roles.AddMember:
		return "groups"
	case *people.AddUnit:
		return "unit"
	case *roles.AddRole, *roles.AddPermission:
		return "permissions"
	}
	if field == "" || field == "user" {
		return "user_name"
	}
	return strings.TrimPrefix(field, "custom.")
}

// heading is what the file calls one of our columns.
func (b *importing) heading(column string) string {
	if b.mapping != nil {
		for _, c := range b.mapping.Columns {
			if c.Column == column && len(c.From) > 0 {
				return strings.Join(c.From, " + ")
			}
		}
	}
	return column
}
