package access

import (
	"slices"
	"strconv"

	"ableroster/internal/calendar"
	"ableroster/internal/filter"
	"ableroster/internal/patterns"
)

// The workflows have rooms of their own: their operations do to a draft what is
// below, and nothing else.

// At is the instant at which the change is judged.
func (d *Draft) At() calendar.Instant { return d.at }

// Fault files a fault of the operation being applied.
func (d *Draft) Fault(field, format string, args ...any) { d.fault(field, format, args...) }

// Note says something about the operation being applied.
func (d *Draft) Note(code NoteCode, since int64) { d.note(code, since) }

// Need asks for a right of the author of the change, and says whether they have it:
// an operation does nothing more where they have not.
func (d *Draft) Need(action, path, what string, args ...any) bool {
	return d.need(action, path, what, args...)
}

// Allocate is the next number of a kind of facts.
func (d *Draft) Allocate(kind FactKind) uint32 { return d.allocate(kind) }

// SettleUser, SettleGroup, SettleRole and SettleScopes turn what an operation
// names into ids, or file the fault.
func (d *Draft) SettleUser(field string, r *UserRef) (UserID, bool)    { return d.user(field, r) }
func (d *Draft) SettleGroup(field string, r *GroupRef) (GroupID, bool) { return d.group(field, r) }
func (d *Draft) SettleRole(field string, r *RoleRef) (RoleID, bool)    { return d.role(field, r) }
func (d *Draft) SettleScopes(refs *[]ScopeRef) ([]Scope, bool)         { return d.scopes(refs) }

// CheckNew files the faults of the key and the texts of a new thing; taken says
// whether the key is.
func (d *Draft) CheckNew(key string, taken bool, label *string, description string) bool {
	before := len(d.Faults)
	if m := d.checkKey(key); m != "" {
		d.fault("key", "%s", m)
	} else if taken {
		d.fault("key", "“%s” is taken: keys are never reused", key)
	}
	d.checkTexts(label, key, description)
	return len(d.Faults) == before
}

// CheckText files the fault of a text of at most so many bytes.
func (d *Draft) CheckText(field, text string, limit int) bool {
	m := checkLabel(text, limit)
	if m != "" {
		d.fault(field, "%s", m)
	}
	return m == ""
}

// Reads says that the operation builds on a record fact: see Moved.
func (d *Draft) Reads(f RecordFact) { d.read(f.Kind(), f.Row()) }

// Promise has the author judged as if they gave a role to everybody who may hold
// it: what a workflow gives later, it gives on that authority.
func (d *Draft) Promise(role RoleID) {
	d.promised = append(d.promised, RoleGain{Role: role, Within: d.roleReach(role)})
}

// Offering is a record fact by which a role is given to whoever asks and is
// approved: whoever makes the role give more is judged as if they gave that to
// everybody.
type Offering interface {
	RecordFact
	// Offers is the role, 0 when it is not offered any more.
	Offers() RoleID
}

// Asking is a record fact by which somebody waits for a role: what it gives when they
// asked is what they are given, or more on the authority of whoever alters it.
type Asking interface {
	RecordFact
	// Asks is what is asked for, ok is false once it is decided.
	Asks() (g RoleGain, ok bool)
}

// offerGains are what roles that are offered, or asked for, come to give beyond what
// they gave.
func (d *Draft) offerGains(widened map[RoleID]bool) []RoleGain {
	var out []RoleGain
	for p := range d.records {
	rows:
		for i := range d.records[p].Len() {
			var g RoleGain
			switch f := d.records[p].Get(i).(type) {
			case nil:
				continue
			case Offering:
				if g.Role = f.Offers(); g.Role != 0 {
					g.Within = d.roleReach(g.Role)
				}
			case Asking:
				g, _ = f.Asks()
			default:
				break rows // a table holds one kind
			}
			if g.Role != 0 {
				out = append(out, d.more(g, widened)...)
			}
		}
	}
	return out
}

// more are what a role comes to give beyond what it gave, as gains like another.
func (d *Draft) more(g RoleGain, widened map[RoleID]bool) []RoleGain {
	var before []RoleID
	if r := d.base.roles.At(int(g.Role)); r != nil {
		before = r.closure
	}
	var out []RoleGain
	for _, x := range d.roles.At(int(g.Role)).closure {
		if widened[x] || !slices.Contains(before, x) {
			g.Role = x
			out = append(out, g)
		}
	}
	return out
}

// GrantByRequest opens an assignment that was asked for and approved, on the
// authority of the route.
func (d *Draft) GrantByRequest(user UserID, role RoleID, w calendar.Window, scopes []Scope) AssignmentID {
	f := &Assignment{ID: AssignmentID(d.allocate(FactAssignment)), Assignee: Assignee{User: user}, Role: role, Window: w, Scopes: scopes, Origin: ByRequest, Opened: d.Revision}
	d.put(f)
	return f.ID
}

// MaySee says whether the author may know of a thing.
func (d *Draft) MaySee(kind FactKind, row uint32) bool { return d.visible(kind, row) }

// Judged files the fault of a rule that revisions made before it may break, and says
// whether the operation goes on: as one that is replayed does.
func (d *Draft) Judged(field, format string, args ...any) bool {
	return d.judged(field, format, args...)
}

// Missing files the fault of a name that was not found.
func (d *Draft) Missing(kind FactKind, field, given string) { d.missing(kind, field, given) }

// Narrower says whether scopes give no more than others do.
func Narrower(scopes, than []Scope) bool {
	if len(than) == 0 {
		return true
	}
	if len(scopes) == 0 {
		return false
	}
	for _, s := range scopes {
		inside := false
		for _, o := range than {
			inside = inside || o.Application == s.Application && patterns.Contains(o.Pattern, s.Pattern)
		}
		if !inside {
			return false
		}
	}
	return true
}

// RoleLabel is what people call a role.
func (s *Snapshot) RoleLabel(id RoleID) string { return roleLabel(s, id) }

// WindowWords says a window: " until 2 Jan 2026 15:04", or nothing for always.
func (s *Snapshot) WindowWords(w calendar.Window) string { return windowWords(w, s) }

// SettleApplication turns what an operation names into an id, in place, or files
// the fault.
func (d *Draft) SettleApplication(field string, r *ApplicationRef) (ApplicationID, bool) {
	return d.application(field, r)
}

// TakeBack ends an assignment, for which the author needs the right to assign.
func (d *Draft) TakeBack(f *Assignment) {
	if d.needAssign(f.Role, f.Assignee) {
		d.end(f)
	}
}

// EachAssignment calls yield for each assignment whose window holds for a user at
// an instant, to them or to a group that counts for them, whatever its schedule.
func (s *Snapshot) EachAssignment(id UserID, at calendar.Instant, yield func(*Assignment)) {
	each := func(all []link) {
		for _, g := range all {
			if s.limitsOf(g).window.Holds(at) {
				yield(s.Assignment(g.assignment()))
			}
		}
	}
	each(s.givenTo(Assignee{User: id}))
	for _, g := range s.groupsAt(nil, id, at) {
		each(s.groups.At(int(g)).given)
	}
}

// HoldsThrough says whether an assignment is made to a user, or to a group that
// counts for them at some time.
func (s *Snapshot) HoldsThrough(id UserID, f *Assignment) bool {
	if f.Assignee.User != 0 {
		return f.Assignee.User == id
	}
	return len(s.groupIntervals(id)[f.Assignee.Group]) > 0
}

// EverIn says whether a user is in a group at any time.
func (s *Snapshot) EverIn(id UserID, group GroupID) bool {
	return len(s.groupIntervals(id)[group]) > 0
}

// RoleReaches says whether a role, with all it includes, gives anything in an
// application.
func (s *Snapshot) RoleReaches(id RoleID, app ApplicationID) bool {
	for _, r := range s.roles.At(int(id)).rules {
		if r.app == app {
			return true
		}
	}
	return false
}

// DefaultInto is the default rule that puts a user into a group, or 0.
func (s *Snapshot) DefaultInto(id UserID, group GroupID) DefaultID {
	for _, j := range s.joinedTo(Member{User: id}) {
		if j.group() == group && !j.byRule() {
			return s.Membership(j.membership()).Rule
		}
	}
	return 0
}

// MatchesRule says whether a parsed filter over users' facts chooses a user.
func MatchesRule(e filter.Expression, u *User) bool { return filter.Match(e, ruleSchema, u) }

// Count says a number of things: "1 line", "3 lines".
func Count(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.Itoa(n) + " " + one + "s"
}
