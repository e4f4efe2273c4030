package lists

import (
	"cmp"
	"context"
	"reflect"
	"strings"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/patterns"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// UserSearch chooses and orders users for a list.
type UserSearch struct {
	Text   string // in the name, user name, title or e-mail, without case
	Unit   string // this unit and all below it
	Status string
	Group  string // members of this group, at any depth, now
	Filter string // RFC 7644, section 3.4.2.2
	Sort   string // name (default), user_name, unit, title, status, a declared attribute; "-" before it for the other way round
	Cursor string
	Limit  int
}

// UsersAsOf is Users at a past instant; the zero time is now. What the register
// alone can answer does not wait for the whole organisation of an old day.
func UsersAsOf(ctx context.Context, d *seeing.Service, c seeing.Caller, at time.Time, q UserSearch) (wire.UserList, error) {
	v := d.Now(ctx, c)
	schema := v.UserSchema()
	e, faults := seeing.UserFilter(q.Filter, schema)
	if !at.IsZero() && q.Group == "" && len(faults) == 0 {
		s, ok, err := d.Ledger.Register(ctx, calendar.At(at), e, schema)
		if err != nil {
			return wire.UserList{}, err
		}
		if ok {
			return Users(v.In(s, at), q)
		}
	}
	v, err := d.AsOf(ctx, c, at)
	if err != nil {
		return wire.UserList{}, err
	}
	return Users(v, q)
}

// Users is a page of the users the caller may read.
func Users(v *seeing.View, q UserSearch) (wire.UserList, error) {
	page, err := FindUsers(v, q)
	if err != nil {
		return wire.UserList{}, err
	}
	out := wire.UserList{Basis: v.Basis(), Total: page.Total, Next: page.Next, Users: []wire.User{}}
	for _, u := range page.Users {
		out.Users = append(out.Users, user(v, u))
	}
	return out, nil
}

// found is one page of a search.
type found struct {
	Users []*fact.User
	Total int
	Next  string
}

// FindUsers is one page of the users a search finds, as facts.
func FindUsers(v *seeing.View, q UserSearch) (out found, err error) {
	var faults []wire.Fault
	sortText := seeing.OrderOf(v.Uncut(), strings.TrimPrefix(q.Sort, "-"))
	if sortText == nil {
		faults = append(faults, wire.Fault{Place: "sort", Message: "is none of " + strings.Join(v.Sortable(), ", ")})
	}
	switch fact.Status(q.Status) {
	case "", fact.Invited, fact.Active, fact.Suspended, fact.Departed:
	default:
		faults = append(faults, wire.Fault{Place: "status", Message: "is invited, active, suspended or departed"})
	}
	fits, wrong := v.Where(q.Filter)
	faults = append(faults, wrong...)
	if len(faults) > 0 {
		return out, seeing.Invalid("the list could not be made", faults...)
	}
	from, err := seeing.Position(q.Cursor)
	if err != nil {
		return out, err
	}
	var inGroup map[fact.UserID]bool
	if q.Group != "" {
		id, ok := v.Uncut().FindGroup(q.Group)
		if !ok || !v.ReadsGroup(id) {
			return out, v.Missing(fact.FactGroup, q.Group)
		}
		inGroup = held.MembersNow(v.Uncut(), id, v.At)
	}
	if e, _ := seeing.UserFilter(q.Filter, v.UserSchema()); e != nil && inGroup == nil {
		if some, ok := v.Among(e); ok {
			inGroup = some
		}
	}
	text := seeing.Folded(strings.TrimSpace(q.Text))
	everybody := v.Rights().ReadsAllUsers()
	chosen := func(r *seeing.RollRow) bool {
		u := r.User
		return strings.Contains(r.Sought, text) && (q.Status == "" || string(u.Status) == q.Status) &&
			(q.Unit == "" || patterns.Covers(q.Unit, cmp.Or(u.Unit, patterns.Root))) &&
			(inGroup == nil || inGroup[u.ID]) && (everybody || v.ReadsUser(u.ID)) && fits(u)
	}
	limit := seeing.PageSize(q.Limit)
	all := v.Roll(strings.TrimPrefix(q.Sort, "-"), sortText).Rows
	row := func(i int) *seeing.RollRow { return &all[i] }
	if strings.HasPrefix(q.Sort, "-") {
		row = func(i int) *seeing.RollRow { return &all[len(all)-1-i] }
	}
	if everybody && inGroup == nil && text == "" && q.Status == "" && q.Unit == "" && q.Filter == "" {
		for i := min(from, len(all)); i < min(from+limit, len(all)); i++ {
			out.Users = append(out.Users, row(i).User)
		}
		out.Total = len(all)
	} else {
		for i := range all {
			r := row(i)
			if !chosen(r) {
				continue
			}
			if out.Total >= from && len(out.Users) < limit {
				out.Users = append(out.Users, r.User)
			}
			out.Total++
		}
	}
	if to := from + len(out.Users); to < out.Total {
		out.Next = seeing.CursorTo(to)
	}
	return out, nil
}

func user(v *seeing.View, u *fact.User) wire.User {
	out := wire.User{ID: u.ID.String(), UserName: u.UserName, DisplayName: seeing.Label(u), Email: u.Email,
		Kind: string(u.UserKind), Status: string(u.Status), Effective: v.Uncut().Effective(u.ID, v.At), Custom: v.CustomOf(u)}
	describe(&out, u)
	if u.Manager != 0 {
		m := v.UserRef(u.Manager)
		out.Manager = &m
	}
	return out
}

// describe writes the described attributes of a user into the fields of the same name.
func describe(out *wire.User, u *fact.User) {
	to := reflect.ValueOf(out).Elem()
	for i := range fact.UserAttributes {
		if a := &fact.UserAttributes[i]; a.Described {
			to.FieldByIndex(wireFields[a.Key]).SetString(a.Of(u))
		}
	}
}

// wireFields are where the attributes of users lie in the API's type, by key.
var wireFields = func() map[string][]int {
	out := map[string][]int{}
	for _, f := range reflect.VisibleFields(reflect.TypeFor[wire.User]()) {
		key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		out[key] = f.Index
	}
	return out
}()

// User is one user with what was given to them.
func User(v *seeing.View, id fact.UserID) wire.UserDetail {
	u := v.Uncut().User(id)
	own := id == v.Caller.User
	out := wire.UserDetail{Basis: v.Basis(), User: user(v, u), Groups: []wire.Membership{}, Assignments: []wire.Assignment{},
		Positions: positions(v, id), Absences: absences(v, id), Closed: v.Uncut().IsClosed(u)}
	out.Substitutes, out.StandsInFor = substitutes(v, id)
	if into := record.MergedInto(v.Uncut(), id); into != 0 {
		ref := v.UserRef(into)
		out.MergedInto = &ref
	}
	for _, from := range record.MergedFrom(v.Uncut(), id) {
		if v.ReadsUser(from) {
			out.MergedFrom = append(out.MergedFrom, v.UserRef(from))
		}
	}
	if out.Closed {
		out.Opening = opening(v, id)
	}
	seen := map[fact.GroupID]bool{}
	var climb func(m fact.Member, through *wire.Ref)
	climb = func(m fact.Member, through *wire.Ref) {
		var next []fact.GroupID
		for _, f := range v.Uncut().MembershipsOf(m) {
			if seen[f.Group] {
				continue
			}
			seen[f.Group] = true
			out.Groups = append(out.Groups, Membership(v, f, own, through))
			next = append(next, f.Group)
		}
		for _, g := range next {
			ref := v.GroupRef(g, own)
			climb(fact.Member{Group: g}, &ref)
		}
	}
	climb(fact.Member{User: id}, nil)
	for _, g := range v.Uncut().ChosenBy(id) {
		if seen[g] {
			continue
		}
		seen[g] = true
		ref := v.GroupRef(g, own)
		m := wire.Membership{ID: "rule-of-" + g.String(), Group: ref, Member: v.UserRef(id), MemberKind: "user"}
		if !ref.Outside {
			m.Rule = v.Uncut().Group(g).Filter
		}
		out.Groups = append(out.Groups, m)
		climb(fact.Member{Group: g}, &ref)
	}
	for _, a := range v.Uncut().Given(fact.Assignee{User: id}) {
		out.Assignments = append(out.Assignments, AssignmentOf(v, a, own))
	}
	out.Sources = sourcesOf(v, v.Uncut().User(id))
	if v.ReadsSettings() && record.IsHeld(v.Uncut(), id, v.At) {
		hold := record.LegalHold(v.Uncut(), id)
		out.LegalHold = &wire.LegalHold{LastDay: hold.Until.String(), Given: &wire.Given{Revision: hold.Opened}}
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Assignments {
			g(&out.Assignments[i].Given)
		}
		if out.LegalHold != nil {
			g(&out.LegalHold.Given)
		}
	})
	return out
}

// sourcesOf are where attributes of a user come from.
func sourcesOf(v *seeing.View, u *fact.User) (out []wire.Source) {
	for _, m := range access.RecordFactsOf[*fact.MachineAccount](v.Uncut(), fact.FactMachineAccount) {
		if !m.IsSourceOf(u) || v.Uncut().User(m.User).Status != fact.Active {
			continue
		}
		for _, key := range m.Attributes {
			out = append(out, wire.Source{Attribute: key, Account: v.UserRef(m.User)})
		}
		for _, key := range m.Overridable {
			out = append(out, wire.Source{Attribute: key, Account: v.UserRef(m.User), Overridable: true})
		}
	}
	return out
}

// Membership is one as it is told; own says that it is among the caller's own.
func Membership(v *seeing.View, f *fact.Membership, own bool, through *wire.Ref) wire.Membership {
	member, kind := v.MemberRef(f.Member, own)
	return wire.Membership{ID: f.ID.String(), Group: v.GroupRef(f.Group, own), Member: member, MemberKind: kind,
		Through: through, Default: v.DefaultRef(f.Rule), Position: f.Position, From: seeing.Instant(f.Window.From), Until: seeing.Instant(f.Window.Until), LastDay: v.LastDay(f.Window.Until), SinceRevision: f.Opened}
}

// AssignmentOf is an assignment as it is told; own says that it is among the caller's own.
func AssignmentOf(v *seeing.View, a *fact.Assignment, own bool) wire.Assignment {
	to, kind := v.MemberRef(a.Assignee, own)
	return wire.Assignment{ID: a.ID.String(), Role: v.RoleRef(a.Role, own), Assignee: to, AssigneeKind: kind,
		From: seeing.Instant(a.Window.From), Until: seeing.Instant(a.Window.Until), LastDay: v.LastDay(a.Window.Until), Origin: string(a.Origin), Default: v.DefaultRef(a.Rule), SharedBy: sharedBy(v, a),
		Scopes: v.Scopes(a.Scopes), Schedule: seeing.Schedule(a.Schedule),
		Given: &wire.Given{Revision: a.Opened}}
}

// sharedBy is who shared an assignment, nil for one that nobody did.
func sharedBy(v *seeing.View, a *fact.Assignment) *wire.Ref {
	if a.SharedBy == 0 {
		return nil
	}
	by := v.UserRef(a.SharedBy)
	return &by
}
