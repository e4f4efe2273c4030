package roles

import (
	"cmp"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/record"
)

func init() {
	change.Register(&ShareRole{}, "Share a role with a user within one resource: by an application's account, for somebody who holds all that it gives there")
	change.Register(&EndShares{}, "End what is shared within a resource: all of it, or of one role, or with one user")
}

// ShareRole gives a user a shareable role within one resource, on the authority of who holds
// all that it gives there.
type ShareRole struct {
	Role change.RoleRef `json:"role" doc:"a shareable role of the application: application/key, or an id"`
	User change.UserRef `json:"user" doc:"with whom: user name or id"`
	Path string         `json:"path" doc:"the one resource within which it is shared"`
	calendar.Window
	Own bool `json:"own,omitempty" doc:"the application says that the thing is the author's own: what they may do with their own things counts"`

	Assignment change.AssignmentRef `json:"assignment,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*ShareRole) Verb() string { return "share_role" }

// ApplyTo implements change.Operation.
func (o ShareRole) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	role, ok1 := d.SettleRole("role", &o.Role)
	to, ok2 := d.SettleUser("user", &o.User)
	if err := patterns.CheckPath(o.Path); err != nil {
		d.Fault("path", "%s", err)
		return
	}
	if ok3 := d.CheckWindow(o.Window); !ok1 || !ok2 || !ok3 {
		return
	}
	r, u := d.Role(role), d.User(to)
	in := fact.Scope{Application: r.Application, Pattern: o.Path}
	if !o.may(d, r, u, in) {
		return
	}
	switch {
	case r.Retired:
		d.Fault("role", "%s is retired and would give nothing", d.RoleKey(role))
		return
	case r.MaxShares == 0 && !d.Judged("role", "%s is not shareable", d.RoleKey(role)):
		return
	case u.Status == fact.Departed:
		d.Fault("user", "%s has departed", u.UserName)
		return
	case o.Path == patterns.Root || query.UnknownPath(&d.Snapshot, r.Application, o.Path):
		d.Fault("path", "“%s” is no single resource of %s", o.Path, d.Application(r.Application).Key)
		return
	case to == d.Author && !d.Judged("user", "nobody shares with themselves"):
		return
	case change.GivesNothingThere(&d.Snapshot, role, in):
		d.Fault("path", "%s gives nothing within “%s”", d.RoleKey(role), o.Path)
		return
	}
	if !lasts(d, role, o.Window) || !d.MayHold("user", d.RoleKey(role), r.HeldWithin, fact.Member{User: to}) {
		return
	}
	for _, g := range d.GivenTo(fact.Assignee{User: to}) {
		f := d.Assignment(g.Assignment())
		if f.Role != role || f.Origin != fact.ByShare || f.Scopes[0] != in {
			continue
		}
		if f.Window == o.Window {
			o.Assignment = change.AssignmentRef(f.ID.String())
			d.Note(change.AlreadyHeld, f.Opened)
			return
		}
		d.EndShare(f) // it lasts otherwise from now on
		break
	}
	if n := d.SharesOn(role, o.Path); n >= r.MaxShares && !d.Judged("", "%s is shared within “%s” with as many users as may be: %d", d.RoleKey(role), o.Path, r.MaxShares) {
		return
	}
	f := &fact.Assignment{ID: fact.AssignmentID(d.Allocate(fact.FactAssignment)), Assignee: fact.Assignee{User: to}, Role: role, Window: o.Window, Scopes: []fact.Scope{in}}
	o.Assignment = change.AssignmentRef(f.ID.String())
	if d.OfAccount() {
		d.PromiseTo(f)
	}
	d.Share(f)
	return settled
}

// may says whether a role may be shared: by an account of its application that may assign it,
// for somebody who holds there what it gives.
func (o *ShareRole) may(d *change.Draft, r *fact.Role, u *fact.User, in fact.Scope) bool {
	switch m := record.MachineAccount(&d.Snapshot, d.Account); {
	case d.Replays || d.Author == 0 || d.May == nil: // nobody is asked for rights
		return true
	case m == nil || !m.ActsFor || m.Application != r.Application || r.Application == 0:
		d.Lacks("share %s: an account of its application does so, for whoever is signed in there", d.RoleKey(r.ID))
		return false
	case d.OfAccount():
		return d.NeedAssign(r.ID, fact.Assignee{User: u.ID})
	case !change.HoldsThere(d.Base(), d.Author, r.ID, in, o.Window, o.Own, d.At()):
		d.Lacks("share %s within “%s”: who shares it holds all that it gives there, for as long, and not by a share", d.RoleKey(r.ID), in.Pattern)
		return false
	}
	return true
}

// Sentence implements change.Operation.
func (o *ShareRole) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	role, _ := s.FindRole(string(o.Role))
	text := "Shared " + refRole(s, o.Role) + " with " + n.UserName(id) + change.WindowWords(s, o.Window) + " within " + o.Path
	if r := s.Role(role); r != nil {
		text += " of " + s.Application(r.Application).Label
	}
	return text
}

// EndShares ends what is shared within a resource.
type EndShares struct {
	Application change.ApplicationRef `json:"application" doc:"key or id"`
	Path        string                `json:"path" doc:"the resource; what is shared within those below it ends too"`
	Role        change.RoleRef        `json:"role,omitempty" doc:"of this role alone"`
	User        change.UserRef        `json:"user,omitempty" doc:"with this user alone"`
	Own         bool                  `json:"own,omitempty" doc:"the application says that the thing is the author's own: what they may do with their own things counts"`

	Ended []change.AssignmentRef `json:"ended,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*EndShares) Verb() string { return "end_shares" }

// ApplyTo implements change.Operation.
func (o EndShares) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	app, ok := d.FindApplication(string(o.Application))
	if !ok || !d.MaySee(fact.FactApplication, uint32(app)) && !o.concerns(d, app) {
		d.Missing(fact.FactApplication, "application", string(o.Application))
		return
	}
	if err := patterns.CheckPath(o.Path); err != nil {
		d.Fault("path", "%s", err)
		return
	}
	role, there := d.FindRole(string(o.Role))
	user, known := d.FindUser(string(o.User))
	var ends []*fact.Assignment
	for f := range query.SharesIn(&d.Snapshot, app) {
		if !patterns.Covers(o.Path, f.Scopes[0].Pattern) || o.Role != "" && f.Role != role || o.User != "" && f.Assignee.User != user {
			continue
		}
		if sees(d, f) {
			ends = append(ends, f)
		}
	}
	switch {
	case len(ends) > 0:
	case o.Role != "" && (!there || !d.MaySee(fact.FactRole, uint32(role))):
		d.Missing(fact.FactRole, "role", string(o.Role))
		return
	case o.User != "" && (!known || !d.MaySee(fact.FactUser, uint32(user))):
		d.Missing(fact.FactUser, "user", string(o.User))
		return
	default:
		d.Fault("path", "nothing of that is shared within “%s”", o.Path)
		return
	}
	o.Application = change.ApplicationRef(app.String())
	if o.Role != "" {
		o.Role = change.RoleRef(role.String())
	}
	if o.User != "" {
		o.User = change.UserRef(user.String())
	}
	o.Ended = nil
	slices.SortFunc(ends, func(a, b *fact.Assignment) int { return cmp.Compare(a.ID, b.ID) })
	for _, f := range ends {
		d.Reads(fact.FactUser, uint32(f.Assignee.User))
		if !o.mayEnd(d, f) {
			return
		}
		o.Ended = append(o.Ended, change.AssignmentRef(f.ID.String()))
		d.EndShare(f)
	}
	return settled
}

// concerns says whether something in an application is shared by the author, or with them.
func (o *EndShares) concerns(d *change.Draft, app fact.ApplicationID) bool {
	for f := range query.SharesIn(&d.Snapshot, app) {
		if ofAuthor(d, f) {
			return true
		}
	}
	return false
}

// ofAuthor says whether the author shared something, or it is shared with them.
func ofAuthor(d *change.Draft, f *fact.Assignment) bool {
	return d.Author != 0 && (f.SharedBy == d.Author || f.Assignee.User == d.Author)
}

// sees says whether the author may know of a share.
func sees(d *change.Draft, f *fact.Assignment) bool {
	return ofAuthor(d, f) || d.MaySee(fact.FactRole, uint32(f.Role)) && d.MaySee(fact.FactUser, uint32(f.Assignee.User))
}

// mayEnd says whether the author may end a share: one of theirs or with them, or of what they
// hold there themselves; or by the right to assign.
func (o *EndShares) mayEnd(d *change.Draft, f *fact.Assignment) bool {
	if d.Replays || d.May == nil || !d.OfAccount() && (ofAuthor(d, f) || d.Author != 0 && change.HoldsThere(d.Base(), d.Author, f.Role, f.Scopes[0], f.Window, o.Own && d.Account != 0, d.At())) {
		return true
	}
	return d.NeedAssign(f.Role, f.Assignee)
}

// Sentence implements change.Operation.
func (o *EndShares) Sentence(s *access.Snapshot, n change.Names) string {
	what := fact.Count(len(o.Ended), "share")
	if o.Role != "" {
		what += " of " + refRole(s, o.Role)
	}
	if o.User != "" {
		id, _ := s.FindUser(string(o.User))
		what += " with " + n.UserName(id)
	}
	id, _ := s.FindApplication(string(o.Application))
	return "Ended " + what + " within " + o.Path + " of " + s.Application(id).Label
}
