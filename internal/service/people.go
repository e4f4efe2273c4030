package service

import (
	"cmp"
	"context"
	"encoding/base64"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/wire"
)

// Search chooses and orders users for a list.
type Search struct {
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
func (d *Service) UsersAsOf(ctx context.Context, c Caller, at time.Time, q Search) (wire.UserList, error) {
	v := d.Now(ctx, c)
	schema := v.userSchema()
	e, faults := userFilter(q.Filter, schema)
	if !at.IsZero() && q.Group == "" && len(faults) == 0 {
		s, ok, err := d.Ledger.Register(ctx, calendar.At(at), e, schema)
		if err != nil {
			return wire.UserList{}, err
		}
		if ok {
			return v.in(s, at).Users(q)
		}
	}
	v, err := d.AsOf(ctx, c, at)
	if err != nil {
		return wire.UserList{}, err
	}
	return v.Users(q)
}

// Users is a page of the users the caller may read.
func (v *View) Users(q Search) (wire.UserList, error) {
	page, err := v.search(q)
	if err != nil {
		return wire.UserList{}, err
	}
	out := wire.UserList{Basis: v.basis(), Total: page.total, Next: page.next, Users: []wire.User{}}
	for _, u := range page.users {
		out.Users = append(out.Users, v.user(u))
	}
	return out, nil
}

// found is one page of a search.
type found struct {
	users []*fact.User
	total int
	next  string
}

func (v *View) search(q Search) (out found, err error) {
	var faults []wire.Fault
	sortText := orderOf(v.Snapshot, strings.TrimPrefix(q.Sort, "-"))
	if sortText == nil {
		faults = append(faults, wire.Fault{Place: "sort", Message: "is none of " + strings.Join(v.sortable(), ", ")})
	}
	switch fact.Status(q.Status) {
	case "", fact.Invited, fact.Active, fact.Suspended, fact.Departed:
	default:
		faults = append(faults, wire.Fault{Place: "status", Message: "is invited, active, suspended or departed"})
	}
	fits, wrong := v.where(q.Filter)
	faults = append(faults, wrong...)
	if len(faults) > 0 {
		return out, Invalid("the list could not be made", faults...)
	}
	from, err := position(q.Cursor)
	if err != nil {
		return out, err
	}
	var inGroup map[fact.UserID]bool
	if q.Group != "" {
		id, ok := v.FindGroup(q.Group)
		if !ok || !v.readsGroup(id) {
			return out, v.missing(fact.FactGroup, q.Group)
		}
		inGroup = v.MembersNow(id, v.at)
	}
	if e, _ := userFilter(q.Filter, v.userSchema()); e != nil && inGroup == nil {
		if some, ok := v.among(e); ok {
			inGroup = some
		}
	}
	text := folded(strings.TrimSpace(q.Text))
	everybody := v.rights().ReadsAllUsers()
	chosen := func(r *rollRow) bool {
		u := r.user
		return strings.Contains(r.sought, text) && (q.Status == "" || string(u.Status) == q.Status) &&
			(q.Unit == "" || patterns.Covers(q.Unit, cmp.Or(u.Unit, patterns.Root))) &&
			(inGroup == nil || inGroup[u.ID]) && (everybody || v.readsUser(u.ID)) && fits(u)
	}
	limit := pageSize(q.Limit)
	all := v.roll(strings.TrimPrefix(q.Sort, "-"), sortText).rows
	row := func(i int) *rollRow { return &all[i] }
	if strings.HasPrefix(q.Sort, "-") {
		row = func(i int) *rollRow { return &all[len(all)-1-i] }
	}
	if everybody && inGroup == nil && text == "" && q.Status == "" && q.Unit == "" && q.Filter == "" {
		for i := min(from, len(all)); i < min(from+limit, len(all)); i++ {
			out.users = append(out.users, row(i).user)
		}
		out.total = len(all)
	} else {
		for i := range all {
			r := row(i)
			if !chosen(r) {
				continue
			}
			if out.total >= from && len(out.users) < limit {
				out.users = append(out.users, r.user)
			}
			out.total++
		}
	}
	if to := from + len(out.users); to < out.total {
		out.next = cursorTo(to)
	}
	return out, nil
}

// roll is the users of the view in order, from those kept where it is of today.
func (v *View) roll(sort string, text func(*fact.User) string) *roll {
	if v.Snapshot == v.head {
		return v.service.rolls.get(v.head, cmp.Or(sort, "name"), text)
	}
	return newRoll(v.Snapshot, text)
}

// userOrder is the text that lists can be ordered by under a name, or nil.
func userOrder(name string) func(*fact.User) string {
	if name == "" || name == "name" || name == "display_name" {
		return label
	}
	if a := fact.UserAttributeOf(name); a != nil && name != "manager" {
		return a.Of
	}
	return nil
}

// A cursor is opaque: where the page begins.
func cursorTo(from int) string {
	return base64.RawURLEncoding.EncodeToString([]byte("from " + strconv.Itoa(from)))
}

// position reads a cursor; a blank one is the beginning.
func position(cursor string) (from int, err error) {
	if cursor == "" {
		return 0, nil
	}
	raw, err := base64.RawURLEncoding.DecodeString(cursor)
	if err == nil {
		from, err = strconv.Atoi(strings.TrimPrefix(string(raw), "from "))
	}
	if err != nil || from < 0 || !strings.HasPrefix(string(raw), "from ") {
		return 0, Invalid("the cursor is not one this service gave", wire.Fault{Place: "cursor", Message: "is malformed; begin again without one"})
	}
	return from, nil
}

func pageSize(limit int) int {
	if limit <= 0 {
		return 50
	}
	return limit
}

// cut takes one page out of a list.
func cut[T any](all []T, cursor string, limit int) (page []T, next string, err error) {
	from, err := position(cursor)
	if err != nil {
		return nil, "", err
	}
	from = min(from, len(all))
	to := min(from+pageSize(limit), len(all))
	if to < len(all) {
		next = cursorTo(to)
	}
	return all[from:to], next, nil
}

func (v *View) user(u *fact.User) wire.User {
	out := wire.User{ID: u.ID.String(), UserName: u.UserName, DisplayName: label(u), Email: u.Email,
		Kind: string(u.UserKind), Status: string(u.Status), Effective: v.Effective(u.ID, v.at), Custom: v.customOf(u)}
	describe(&out, u)
	if u.Manager != 0 {
		m := v.userRef(u.Manager)
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
func (v *View) User(id fact.UserID) wire.UserDetail {
	u := v.Snapshot.User(id)
	own := id == v.caller.User
	out := wire.UserDetail{Basis: v.basis(), User: v.user(u), Groups: []wire.Membership{}, Assignments: []wire.Assignment{}}
	seen := map[fact.GroupID]bool{}
	var climb func(m fact.Member, through *wire.Ref)
	climb = func(m fact.Member, through *wire.Ref) {
		var next []fact.GroupID
		for _, f := range v.MembershipsOf(m) {
			if seen[f.Group] {
				continue
			}
			seen[f.Group] = true
			out.Groups = append(out.Groups, v.membership(f, own, through))
			next = append(next, f.Group)
		}
		for _, g := range next {
			ref := v.groupRef(g, own)
			climb(fact.Member{Group: g}, &ref)
		}
	}
	climb(fact.Member{User: id}, nil)
	for _, g := range v.ChosenBy(id) {
		if seen[g] {
			continue
		}
		seen[g] = true
		ref := v.groupRef(g, own)
		m := wire.Membership{ID: "rule-of-" + g.String(), Group: ref, Member: v.userRef(id), MemberKind: "user"}
		if !ref.Outside {
			m.Rule = v.Snapshot.Group(g).Filter
		}
		out.Groups = append(out.Groups, m)
		climb(fact.Member{Group: g}, &ref)
	}
	for _, a := range v.Given(fact.Assignee{User: id}) {
		out.Assignments = append(out.Assignments, v.assignment(a, own))
	}
	v.reasons(func(g giving) {
		for i := range out.Assignments {
			g(&out.Assignments[i].Given)
		}
	})
	return out
}

func (v *View) membership(f *fact.Membership, own bool, through *wire.Ref) wire.Membership {
	member, kind := v.memberRef(f.Member, own)
	return wire.Membership{ID: f.ID.String(), Group: v.groupRef(f.Group, own), Member: member, MemberKind: kind,
		Through: through, Default: v.defaultRef(f.Rule), From: instant(f.Window.From), Until: instant(f.Window.Until), SinceRevision: f.Opened}
}

func (v *View) assignment(a *fact.Assignment, own bool) wire.Assignment {
	to, kind := v.memberRef(a.Assignee, own)
	return wire.Assignment{ID: a.ID.String(), Role: v.roleRef(a.Role, own), Assignee: to, AssigneeKind: kind,
		From: instant(a.Window.From), Until: instant(a.Window.Until), Origin: string(a.Origin), Default: v.defaultRef(a.Rule),
		Scopes: v.scopes(a.Scopes), Schedule: schedule(a.Schedule),
		Given: &wire.Given{Revision: a.Opened}}
}

func (v *View) scopes(all []fact.Scope) []wire.Scope {
	var out []wire.Scope
	for _, s := range all {
		out = append(out, wire.Scope{Application: v.applicationRef(s.Application, true), Pattern: s.Pattern})
	}
	return out
}

func schedule(s *calendar.Schedule) *wire.Schedule {
	if s == nil {
		return nil
	}
	out := &wire.Schedule{Words: s.String()}
	out.Days, out.From, out.Until, out.TimeZone = s.Parts()
	return out
}

// giving fills in who gave something and why, from its revision.
type giving func(**wire.Given)

// reasons reads who gave the things each visits, and why, from the ledger. The
// names stay blank while the database is away: the answer stands without them.
func (v *View) reasons(visit func(giving)) {
	var numbers []int64
	visit(func(g **wire.Given) {
		if *g != nil && !slices.Contains(numbers, (*g).Revision) {
			numbers = append(numbers, (*g).Revision)
		}
	})
	if len(numbers) == 0 {
		return
	}
	revs, err := v.service.Ledger.Reasons(v.ctx, numbers)
	if err != nil {
		return
	}
	visit(func(g **wire.Given) {
		if *g == nil {
			return
		}
		r, ok := revs[(*g).Revision]
		if !ok {
			return
		}
		(*g).At, (*g).Reason = r.At.Time(), r.Reason
		if r.Author != 0 {
			if v.mine {
				v.known[r.Author] = true
			}
			by := v.userRef(r.Author)
			(*g).By = &by
		}
	})
}
