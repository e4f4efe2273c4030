package transfer

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/importfile"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/seeing"
	"ableroster/internal/strictjson"
	"ableroster/wire"
)

// importing turns rows into operations.
type importing struct {
	view    *seeing.View
	head    *access.Snapshot
	file    string
	mapping *importfile.Mapping // of users; nil for other files
	ops     []change.Operation
	from    []importfile.Row // the row each operation came from
	faults  []importfile.Fault

	leftOut  importfile.LeftOut                             // what of a directory does not come in
	composed int                                            // values of the file that were put into form NFC
	column   func(field string, op change.Operation) string // that a field of an operation came from

	byKey  map[string]fact.UserID // whom a value of the key attribute names; nil where that is the user name
	bosses map[string]fact.UserID // the same of the attribute by which managers are named
	names  map[string]string      // the user name of a row, by the folded value of that attribute
	named  map[fact.UserID]bool   // whom the file names
	linked map[int]fact.UserID    // whose rows are that name nobody, by their line: see link
	links  bool                   // such rows are looked for
	note   *wire.Note             // which they were

	added, updated, granted, joined, left, groups, regrouped, units, types int
	ones                                                                   map[string]int // the last number of a role of one, by application
	single                                                                 []string       // roles with one holder that were made or widened
}

func (b *importing) fault(row importfile.Row, column, format string, args ...any) {
	b.faults = append(b.faults, importfile.Fault{Line: row.Line, Column: b.heading(column), Message: fmt.Sprintf(format, strictjson.Shorts(args)...)})
}

func (b *importing) op(row importfile.Row, op change.Operation) {
	b.ops = append(b.ops, op)
	b.from = append(b.from, row)
}

// keyed readies the finding of users by the key of the file.
func (b *importing) keyed() {
	b.names, b.named = map[string]string{}, map[fact.UserID]bool{}
	b.byKey, b.bosses = b.usersBy(b.mapping.KeyColumn()), b.usersBy(b.mapping.ManagerColumn())
}

// usersBy are the users there by the values of a declared attribute.
func (b *importing) usersBy(key string) map[string]fact.UserID {
	f := b.head.FindAttribute(key)
	if f == nil {
		return nil
	}
	out := map[string]fact.UserID{}
	twice := map[string]bool{}
	for u := range b.head.Users() {
		value := b.fold(key, f.Of(u))
		if value == "" || !b.view.ReadsUser(u.ID) {
			continue
		}
		if _, taken := out[value]; taken && !twice[value] {
			twice[value] = true
			b.faults = append(b.faults, importfile.Fault{Message: fmt.Sprintf("%s “%s” is that of several users here: rows cannot be matched by it", f.Label, value)})
		}
		out[value] = u.ID
	}
	return out
}

// fold makes values of an attribute comparable.
func (b *importing) fold(key, value string) string {
	if f := b.head.FindAttribute(key); f != nil && f.CaseExact {
		return value
	}
	return strings.ToLower(value)
}

// user, group, role and application are what a row names, where its author may know of
// it: what they may not is looked up by nothing, so that it is refused as what is not
// there is, whatever the row says of it.
func (b *importing) user(ref string) (fact.UserID, bool) {
	id, ok := b.head.FindUser(ref)
	return id, ok && b.view.ReadsUser(id)
}

func (b *importing) group(ref string) (fact.GroupID, bool) {
	id, ok := b.head.FindGroup(ref)
	return id, ok && b.view.ReadsGroup(id)
}

func (b *importing) role(ref string) (fact.RoleID, bool) {
	id, ok := b.head.FindRole(ref)
	return id, ok && b.view.ReadsRole(id)
}

func (b *importing) application(ref string) (fact.ApplicationID, bool) {
	id, ok := b.head.FindApplication(ref)
	return id, ok && b.view.ReadsApplication(id)
}

// find is the user a row is about.
func (b *importing) find(row importfile.Row) (fact.UserID, bool) {
	if id, ok := b.linked[row.Line]; ok {
		return id, true
	}
	if b.byKey != nil {
		id, ok := b.byKey[b.fold(b.mapping.KeyColumn(), row.Values[b.mapping.KeyColumn()])]
		return id, ok
	}
	name := row.Values["user_name"]
	if fact.LooksLikeID(name) { // somebody else's numbering, and none of ours
		return 0, false
	}
	return b.user(name)
}

// ref names the user of a row, as somebody who may not know of others would.
func (b *importing) ref(row importfile.Row) change.UserRef {
	_, linked := b.linked[row.Line]
	if id, ok := b.find(row); ok && (linked || b.byKey != nil) {
		return change.UserRef(id.String())
	}
	return change.UserRef(row.Values["user_name"])
}

func (b *importing) build(rows []importfile.Row) {
	b.keyed()
	key := b.mapping.KeyColumn()
	firstLine := map[string]int{}
	var whole []importfile.Row
	for _, row := range rows {
		value := b.fold(key, row.Values[key])
		switch first, twice := firstLine[value]; {
		case value == "":
			b.fault(row, key, "is blank")
			row = standIn(row, key)
		case row.Values["user_name"] == "":
			b.fault(row, "user_name", "is blank")
			row = standIn(row, key)
		case twice:
			b.fault(row, key, "“%s” is there twice: line %d has it too", row.Values[key], first)
			row = standIn(row, key)
		}
		value = b.fold(key, row.Values[key])
		firstLine[value] = row.Line
		if by := b.mapping.ManagerColumn(); row.Values[by] != "" {
			b.names[b.fold(by, row.Values[by])] = row.Values["user_name"]
		}
		whole = append(whole, row)
	}
	if b.links {
		b.link(whole)
		for _, row := range whole {
			if id, ok := b.linked[row.Line]; ok { // so managers are named
				by := b.mapping.ManagerColumn()
				b.names[b.fold(by, row.Values[by])] = b.head.User(id).UserName
			}
		}
	}
	// Whoever works for another company comes after the rest, with their sponsor.
	for _, external := range []bool{false, true} {
		for _, row := range whole {
			if b.external(row) == external {
				b.person(row, external)
			}
		}
	}
	// Managers after all users are there, whatever the order of the rows.
	for _, row := range whole {
		if to := b.manager(row); to != nil && !b.external(row) {
			b.op(row, &people.UpdateUser{User: b.ref(row), Manager: to})
		}
	}
	for _, row := range whole {
		id, known := b.find(row)
		for _, key := range b.list(row, "groups") {
			if g, ok := b.group(key); ok && known && b.isMember(id, g) {
				continue
			}
			b.joined++
			b.op(row, &roles.AddMember{Group: change.GroupRef(key), User: b.ref(row)})
		}
		for _, key := range b.list(row, "roles") {
			if r, ok := b.role(key); ok && known && b.holds(id, r) {
				continue
			}
			b.granted++
			b.op(row, &roles.Grant{Role: change.RoleRef(key), User: b.ref(row), Origin: fact.Import})
		}
		b.rights(row)
	}
}

// standIn gives a row that nobody can be found by a name of its own, so that what
// else is wrong with it is told too; nothing comes of it.
func standIn(row importfile.Row, key string) importfile.Row {
	row.Values = maps.Clone(row.Values)
	row.Values["user_name"] = fmt.Sprintf("line-%d.of.this.file", row.Line)
	if key != "user_name" {
		delete(row.Values, key)
	}
	return row
}

// external says whether a row is of somebody of a kind that has a sponsor.
func (b *importing) external(row importfile.Row) bool {
	u := fact.User{UserKind: fact.Person}
	u.Employment = row.Values["employment_type"]
	if id, ok := b.find(row); ok && u.Employment == "" {
		u.Employment = b.head.User(id).Employment
	}
	t := b.head.EmploymentTypeOf(&u)
	return t != nil && t.External
}

// manager is a row's manager, named by the key of the file or by user name; nil where the row
// names none, or has them already.
func (b *importing) manager(row importfile.Row) *change.UserRef {
	m := row.Values["manager"]
	if m == "" {
		return nil
	}
	var boss fact.UserID
	value := b.fold(b.mapping.ManagerColumn(), m)
	if name, ok := b.names[value]; ok {
		m = name
		boss, _ = b.user(m)
	} else if id, ok := b.bosses[value]; ok {
		boss, m = id, id.String()
	} else {
		boss, _ = b.user(m)
	}
	if id, ok := b.find(row); ok && boss != 0 && b.head.User(id).Manager == boss {
		return nil
	}
	to := change.UserRef(m)
	return &to
}

// list reads the keys of a roles or groups cell.
func (b *importing) list(row importfile.Row, column string) []string {
	cell, there := row.Values[column]
	if !there || cell == "-" || cell == "" && b.mapping.Columns != nil { // a mapping says where they come from, blank or not
		return nil
	}
	var out []string
	for key := range strings.SplitSeq(cell, ";") {
		key = strings.TrimSpace(key)
		if key == "" {
			b.fault(row, column, "has a blank where a key belongs; write - for none")
			continue
		}
		if !slices.Contains(out, key) {
			out = append(out, key)
		}
	}
	return out
}

func (b *importing) isMember(id fact.UserID, g fact.GroupID) bool {
	return slices.ContainsFunc(b.head.MembershipsOf(fact.Member{User: id}), func(m *fact.Membership) bool { return m.Group == g })
}

func (b *importing) holds(id fact.UserID, r fact.RoleID) bool {
	return slices.ContainsFunc(b.head.Given(fact.Assignee{User: id}), func(a *fact.Assignment) bool {
		return a.Role == r && a.Window == calendar.Window{}
	})
}

// person adds a user, or updates one with the values the file has; a blank
// cell leaves what is there.
// person adds or updates the user of a row, with their manager where sponsored says so.
func (b *importing) person(row importfile.Row, sponsored bool) {
	v := row.Values
	var facts fact.UserFacts
	for column, text := range v {
		if _, err := fact.PutAttribute(&facts, column, text); err != nil {
			b.fault(row, column, "%s", err)
		}
	}
	var sponsor *change.UserRef
	if sponsored {
		sponsor = b.manager(row)
	}
	status := fact.Status(v["status"])
	id, known := b.find(row)
	if !known {
		b.added++
		departs := &people.UpdateUser{User: change.UserRef(v["user_name"]), Status: &status}
		if kind := facts.Employment; status == fact.Departed { // nothing is required of them any more
			facts.Employment, departs.Employment = "", &kind
		}
		o := &people.AddUser{
			Personal: fact.Personal{UserName: v["user_name"], DisplayName: v["display_name"], Email: v["email"]},
			UserKind: fact.UserKind(v["kind"]), UserFacts: facts, Status: fact.Status(strings.TrimPrefix(v["status"], string(fact.Departed))),
			Custom: b.custom(row, nil)}
		if sponsor != nil {
			o.Manager = *sponsor
		}
		b.op(row, o)
		if status == fact.Departed { // kept for what they once had, and for their name
			b.op(row, departs)
		}
		return
	}
	b.named[id] = true
	u := b.head.User(id)
	if _, linked := b.linked[row.Line]; !linked && b.byKey != nil && !strings.EqualFold(u.UserName, v["user_name"]) {
		b.fault(row, "user_name", "“%s” is %s here: user names never change", v["user_name"], u.UserName)
		return
	}
	o := &people.UpdateUser{User: b.ref(row), Custom: b.custom(row, u), Manager: sponsor}
	changed := differs(&o.DisplayName, u.DisplayName, v["display_name"])
	changed = differs(&o.Email, u.Email, v["email"]) || changed
	edits, more := fact.EditsTo(u.UserFacts, facts)
	o.UserEdits, changed = edits, changed || more
	changed = differs(&o.Status, u.Status, status) || changed
	if changed || o.Custom != nil || sponsor != nil {
		b.updated++
		b.op(row, o)
	}
}

// custom are the values of declared attributes that a row has and its user has
// not.
func (b *importing) custom(row importfile.Row, u *fact.User) map[string]string {
	var out map[string]string
	for _, f := range b.head.Attributes() {
		value := row.Values[f.Key]
		if value == "" || f.Retired || f.Fill != nil || u != nil && f.Same(u, value) {
			continue
		}
		if out == nil {
			out = map[string]string{}
		}
		out[f.Key] = value
	}
	return out
}

func differs[T comparable](field **T, old, value T) bool {
	var blank T
	if value == blank || value == old {
		return false
	}
	*field = &value
	return true
}

// missing suspends, or has depart, those of whom the file is the whole list and
// whom it does not name.
func (b *importing) missing() {
	to := map[string]fact.Status{"suspend": fact.Suspended, "depart": fact.Departed}[b.mapping.Missing]
	if to == "" {
		return
	}
	fits, wrong := b.view.Where(b.mapping.MissingOf)
	for _, f := range wrong {
		b.faults = append(b.faults, importfile.Fault{Message: "missing_of: " + f.Message})
	}
	if len(wrong) > 0 || b.mapping.MissingOf == "" {
		return
	}
	for u := range b.head.Users() {
		if b.named[u.ID] || u.Status == fact.Departed || u.Status == to || !b.view.ReadsUser(u.ID) || !fits(u) {
			continue
		}
		b.left++
		b.op(importfile.Row{}, &people.UpdateUser{User: change.UserRef(u.ID.String()), Status: &to})
	}
}

func (b *importing) summary() []string {
	out := []string{}
	gone := map[string]string{"suspend": "user%s the file does not name suspended", "depart": "user%s the file does not name departed"}[b.missingMeans()]
	for _, x := range []struct {
		n    int
		what string
	}{{b.units, "unit%s added"}, {b.types, "employment type%s added"}, {b.added, "user%s added"}, {b.updated, "user%s updated"}, {b.groups, "group%s added"}, {b.regrouped, "group%s updated"}, {b.joined, "membership%s added"}, {b.granted, "role%s granted"}, {b.left, gone}} {
		plural := "s"
		if x.n == 1 {
			plural = ""
		}
		if x.n > 0 {
			out = append(out, fmt.Sprintf("%d "+x.what, x.n, plural))
		}
	}
	if len(b.single) > 0 {
		out = append(out, fact.Count(len(b.single), "role")+" with one holder made or widened, for rights given straight to a person: "+strings.Join(b.single, ", "))
	}
	if len(out) == 0 {
		out = append(out, "Every row is so already")
	}
	return out
}

func (b *importing) missingMeans() string {
	if b.mapping == nil {
		return ""
	}
	return b.mapping.Missing
}
