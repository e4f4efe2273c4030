package questions

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/query"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// NewUserPreview is what a new user of given facts would have, and why; to whoever may
// see or add users there.
func NewUserPreview(v *seeing.View, u fact.User) (wire.NewUserPreview, error) {
	out := wire.NewUserPreview{Basis: v.Basis(), Rules: []wire.Ref{}, Roles: []wire.NewUserRole{}, Groups: []wire.Membership{}, Lines: []wire.AccessLine{}}
	w, id, err := lists.WouldBe(v, u)
	if err != nil {
		return out, err
	}
	if where := w.Uncut().UserPath(id); !v.Rights().May(access.ActRead, where) && !v.Rights().May(access.ActCreate, where) {
		return out, seeing.Refused("you may neither see nor add users there")
	}
	for _, f := range record.Defaults(w.Uncut()) {
		if f.Chooses(w.Uncut().User(id)) {
			out.Rules = append(out.Rules, *w.DefaultRef(f.ID))
		}
	}
	for r := range w.Uncut().Roles() {
		if c := query.WayToRole(w.Uncut(), id, r.ID, v.At); c != nil && v.ReadsRole(r.ID) {
			out.Roles = append(out.Roles, wire.NewUserRole{Role: v.RoleRef(r.ID, false), Path: w.Path(id, *c)})
		}
	}
	slices.SortFunc(out.Roles, func(a, b wire.NewUserRole) int { return cmp.Compare(a.Role.Label, b.Role.Label) })
	out.Groups = lists.User(w, id).Groups
	out.Lines = Access(w, id).Lines
	for i := range out.Groups {
		if out.Groups[i].MemberKind == "user" {
			out.Groups[i].Member, out.Groups[i].SinceRevision = lists.NewUser, 0
		}
	}
	for i := range out.Roles {
		lists.Unmade(&out.Roles[i].Path)
	}
	for i := range out.Lines {
		for k := range out.Lines[i].Paths {
			lists.Unmade(&out.Lines[i].Paths[k])
		}
	}
	return out, nil
}
