package questions

import (
	"cmp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// ShareSearch chooses shares; blank fields do not narrow.
type ShareSearch struct {
	Application, Path string // within the resource and those below it
	Role, User, By    string
	Own               bool // whom the caller acts for is the owner of what is looked at
	Cursor            string
	Limit             int
}

// Shares are what is shared within resources, of what the caller shared, what is shared with
// them, what is shared of roles that they own, and what they may read; of what an account may read, when it acts for somebody, those
// that person has to do with: theirs, and those of what they hold themselves.
func Shares(v *seeing.View, q ShareSearch) (wire.ShareList, error) {
	out := wire.ShareList{Basis: v.Basis(), Shares: []wire.Share{}}
	var want struct {
		app      fact.ApplicationID
		role     fact.RoleID
		user, by fact.UserID
	}
	if q.Path != "" {
		if err := patterns.CheckPath(q.Path); err != nil {
			return out, seeing.Invalid("the question cannot be asked", wire.Fault{Place: "path", Message: err.Error()})
		}
	}
	s, ok := v.Uncut(), true
	if q.Application != "" {
		if want.app, ok = s.FindApplication(q.Application); !ok || !v.ReadsApplication(want.app) {
			return out, v.Missing(fact.FactApplication, q.Application)
		}
	}
	if q.Role != "" {
		if want.role, ok = s.FindRole(q.Role); !ok || !v.ReadsRole(want.role) {
			return out, v.Missing(fact.FactRole, q.Role)
		}
	}
	for _, x := range []struct {
		name string
		id   *fact.UserID
	}{{q.User, &want.user}, {q.By, &want.by}} {
		if x.name == "" {
			continue
		}
		if *x.id, ok = s.FindUser(x.name); !ok || !v.ReadsUser(*x.id) {
			return out, v.Missing(fact.FactUser, x.name)
		}
	}
	var all []*fact.Assignment
	holds := &change.Holdings{S: s, User: v.Caller.Author(), Own: q.Own && v.Caller.For != 0, At: v.At}
	for r := range s.Roles() {
		if r.Application == 0 || want.app != 0 && r.Application != want.app || want.role != 0 && r.ID != want.role {
			continue
		}
		for f := range query.SharesOf(s, r.ID) {
			if q.Path != "" && !patterns.Covers(q.Path, f.Scopes[0].Pattern) || want.user != 0 && f.Assignee.User != want.user || want.by != 0 && f.SharedBy != want.by {
				continue
			}
			if !v.Over(f.Window) && seesShare(v, f, holds) {
				all = append(all, f)
			}
		}
	}
	slices.SortFunc(all, func(a, b *fact.Assignment) int {
		return cmp.Or(strings.Compare(s.Application(a.Scopes[0].Application).Key, s.Application(b.Scopes[0].Application).Key), strings.Compare(a.Scopes[0].Pattern, b.Scopes[0].Pattern),
			cmp.Compare(a.Role, b.Role), cmp.Compare(a.Assignee.User, b.Assignee.User), cmp.Compare(a.ID, b.ID))
	})
	page, next, err := seeing.Cut(all, q.Cursor, q.Limit)
	if err != nil {
		return out, err
	}
	out.Total, out.Next = len(all), next
	for _, f := range page {
		out.Shares = append(out.Shares, share(v, f, holds))
	}
	v.Reasons(func(g seeing.Giving) {
		for i := range out.Shares {
			g(&out.Shares[i].Given)
		}
	})
	return out, nil
}

// ofCaller says whether the caller shared something, or it is shared with them.
func ofCaller(v *seeing.View, f *fact.Assignment) bool {
	id := v.Caller.Author()
	return id != 0 && (f.SharedBy == id || f.Assignee.User == id)
}

// seesShare says whether the caller may know of a share; holds is of the caller, or of whom they act for.
func seesShare(v *seeing.View, f *fact.Assignment, holds *change.Holdings) bool {
	reads := v.ReadsRole(f.Role) && v.ReadsUser(f.Assignee.User)
	if v.Caller.For != 0 {
		return reads && (ofCaller(v, f) || holds.There(f.Role, f.Scopes[0], f.Window))
	}
	return reads || ofCaller(v, f) || ownsShared(v, f)
}

// ownsShared says whether the caller is the owner of what is shared, and so reviews it.
func ownsShared(v *seeing.View, f *fact.Assignment) bool {
	return v.Caller.User != 0 && v.Caller.For == 0 && v.UncutToday().OwnerOf(f.Role) == v.Caller.User
}

// share draws one: whoever shared it, or has it, knows what it is and with whom.
func share(v *seeing.View, f *fact.Assignment, holds *change.Holdings) wire.Share {
	own := v.Caller.For == 0 && ofCaller(v, f)
	w := v
	if own || ownsShared(v, f) { // they know each other
		x := *v
		x.Known = map[fact.UserID]bool{f.Assignee.User: true, f.SharedBy: true}
		w = &x
	}
	in := f.Scopes[0]
	out := wire.Share{Assignment: f.ID.String(), Application: w.ApplicationRef(in.Application, own || ownsShared(v, f)), Path: in.Pattern, Role: w.RoleRef(f.Role, own || ownsShared(v, f)), User: w.UserRef(f.Assignee.User),
		From: seeing.Instant(f.Window.From), Until: seeing.Instant(f.Window.Until), LastDay: v.LastDay(f.Window.Until), Given: &wire.Given{Revision: f.Opened}}
	if r, ok := v.Uncut().FindResource(in.Application, in.Pattern); ok {
		out.Resource = r.Label
	}
	if f.SharedBy != 0 {
		by := w.UserRef(f.SharedBy)
		out.SharedBy = &by
	}
	if !v.Past {
		assigns := v.Rights().May(access.ActAssign, v.Uncut().RolePath(f.Role)) && v.Rights().May(access.ActAssign, v.Uncut().UserPath(f.Assignee.User))
		out.MayEnd = own || assigns && (v.Caller.For == 0 || ofCaller(v, f)) || (assigns || v.Caller.For == 0) && holds.There(f.Role, f.Scopes[0], f.Window)
	}
	return out
}
