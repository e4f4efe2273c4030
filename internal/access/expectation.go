package access

import (
	"slices"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

// FactExpectation is the kind of expectations.
var FactExpectation = RecordKind("expectation")

// Expectation is a saved check that must keep holding: that somebody may do an
// action on what a pattern covers, or that they may not. Whoever holds it on a
// condition only, on their own or at some times of the week, counts as one who
// may.
type Expectation struct {
	Lifetime
	ID          ExpectationID `json:"-"`
	Key         string        `json:"key"`
	Label       string        `json:"label"` // the plain sentence
	Description string        `json:"description,omitempty"`
	Of          Subjects      `json:"of"`
	Application ApplicationID `json:"application"`
	Action      string        `json:"action"`
	Pattern     string        `json:"pattern"`
	May         bool          `json:"may,omitempty"`      // on all of it; else they may not, on any of it
	Blocking    bool          `json:"blocking,omitempty"` // refuse what would break it; else warn
	Owner       UserID        `json:"owner,omitempty"`
	Ended       bool          `json:"ended,omitempty"`
}

// Subjects are whom an expectation is about; exactly one of User, Group and
// Nobody is given.
type Subjects struct {
	User   UserID  `json:"user,omitempty"`
	Group  GroupID `json:"group,omitempty"`  // each of its members
	Except bool    `json:"except,omitempty"` // everybody but its members, nobody signed in too
	Nobody bool    `json:"nobody,omitempty"` // nobody signed in
}

// mostExpectations bounds how many stand at once: each is judged with every
// change.
const mostExpectations = 5000

// Kind and Row identify it.
func (*Expectation) Kind() FactKind { return FactExpectation }
func (f *Expectation) Row() uint32  { return uint32(f.ID) }

// Expectation is the one under a number, or nil.
func (s *Snapshot) Expectation(id ExpectationID) *Expectation {
	f, _ := s.RecordFact(FactExpectation, uint32(id)).(*Expectation)
	return f
}

// Expectations are all of them, ended ones too.
func (s *Snapshot) Expectations() []*Expectation {
	return RecordFactsOf[*Expectation](s, FactExpectation)
}

// FindExpectation finds one by key or id.
func (s *Snapshot) FindExpectation(ref string) (ExpectationID, bool) {
	if f, ok := FindKeyed[*Expectation](s, FactExpectation, ref, Same); ok {
		return f.ID, true
	}
	return 0, false
}

// Name and Over implement Keyed.
func (f *Expectation) Name() string { return f.Key }
func (f *Expectation) Over() bool   { return f.Ended }

// judging judges one user after another by the facts of a snapshot, each thing
// once.
type judging struct {
	s       *Snapshot
	user    UserID
	counts  calendar.Intervals // when the user counts at all
	groups  map[GroupID]calendar.Intervals
	class   allowances // of those who hold what the user does; nil while it was not needed
	perms   []held     // the user's, once they were needed
	classes map[string]allowances
	covered map[*Expectation][]string
	key     []byte
}

// allowances are when those who hold equally may do what expectations speak of,
// as far as it was asked.
type allowances map[*Expectation]calendar.Intervals

func (j *judging) of(id UserID) {
	j.user, j.counts, j.groups, j.class = id, j.s.effective(id), j.s.groupIntervals(id), nil
	j.perms = nil
}

// may is when the user may do what an expectation speaks of.
func (j *judging) may(f *Expectation) calendar.Intervals {
	if j.class == nil {
		j.key = j.s.appendHolding(j.key[:0], j.user, 0)
		if j.class = j.classes[string(j.key)]; j.class == nil {
			if j.classes == nil {
				j.classes = map[string]allowances{}
			}
			j.class = allowances{}
			j.classes[string(j.key)] = j.class
		}
	}
	may, known := j.class[f]
	if !known {
		if j.perms == nil {
			j.perms = j.s.permissionsOf(j.user)
		}
		where, known := j.covered[f]
		if !known {
			if j.covered == nil {
				j.covered = map[*Expectation][]string{}
			}
			where = j.s.covered(f)
			j.covered[f] = where
		}
		may = j.s.allowed(f, where, j.perms)
		j.class[f] = may
	}
	return may
}

// counted is when the user is one of those an expectation is about. User 0 is
// nobody signed in. Whoever does not count at all breaks nothing.
func (j *judging) counted(o Subjects) calendar.Intervals {
	switch {
	case o.Nobody:
		if j.user == 0 {
			return calendar.Always()
		}
		return nil
	case o.User != 0:
		if j.user != o.User {
			return nil
		}
		return j.counts
	case j.user == 0:
		if o.Except {
			return calendar.Always()
		}
		return nil
	case o.Except:
		return j.counts.Minus(j.groups[o.Group])
	}
	return j.counts.Intersect(j.groups[o.Group])
}

// broken is when the user breaks an expectation.
func (j *judging) broken(f *Expectation) calendar.Intervals {
	if f.Ended {
		return nil
	}
	if f.May {
		if counted := j.counted(f.Of); len(counted) > 0 {
			return counted.Minus(j.may(f))
		}
		return nil
	}
	if may := j.may(f); len(may) > 0 { // seldom, where all is well
		return j.counted(f.Of).Intersect(may)
	}
	return nil
}

// aboutWhom are expectations by whom they are about.
type aboutWhom struct {
	users  map[UserID][]*Expectation // nobody as 0
	groups map[GroupID][]*Expectation
	except []*Expectation
}

func sortOut(all []*Expectation) aboutWhom {
	out := aboutWhom{map[UserID][]*Expectation{}, map[GroupID][]*Expectation{}, nil}
	for _, f := range all {
		switch {
		case f.Of.Except:
			out.except = append(out.except, f)
		case f.Of.Group != 0:
			out.groups[f.Of.Group] = append(out.groups[f.Of.Group], f)
		default:
			out.users[f.Of.User] = append(out.users[f.Of.User], f)
		}
	}
	return out
}

// each calls yield for every expectation that may be about a user in some groups.
func (a *aboutWhom) each(id UserID, groups map[GroupID]calendar.Intervals, yield func(*Expectation)) {
	for _, f := range a.users[id] {
		yield(f)
	}
	for g := range groups {
		for _, f := range a.groups[g] {
			yield(f)
		}
	}
	for _, f := range a.except {
		yield(f)
	}
}

// allowed is when a user may do what an expectation speaks of, on whatever
// condition: for one that says they may, on all the pattern covers; else on
// anything of it. covered are the registered resources that the pattern covers.
func (s *Snapshot) allowed(f *Expectation, covered []string, perms []held) calendar.Intervals {
	app := s.applications.At(int(f.Application))
	if app == nil || app.fact == nil || !app.fact.declares(f.Action) {
		return nil
	}
	var bearing []held
	for _, p := range perms {
		if p.Application == f.Application && p.gives(f.Action) && overlap(p.Pattern, f.Pattern) {
			bearing = append(bearing, p)
		}
	}
	at := func(target string) calendar.Intervals {
		var out calendar.Intervals
		for _, when := range s.when(line{f.Application, f.Action, target}, bearing) {
			out = out.Union(when)
		}
		return out
	}
	if f.May {
		if len(covered) == 0 {
			return at(f.Pattern)
		}
		out := calendar.Always()
		for _, target := range covered {
			if out = out.Intersect(at(target)); len(out) == 0 {
				return nil
			}
		}
		return out
	}
	// The pattern itself, which a wider permission may hold, and what lies in it.
	out := at(f.Pattern)
	for _, target := range covered {
		if slices.ContainsFunc(bearing, func(p held) bool { return patterns.Covers(p.Pattern, target) }) {
			out = out.Union(at(target))
		}
	}
	for _, p := range bearing {
		for _, pattern := range narrowed(p.Application, p.Pattern, p.scopes) {
			for _, target := range s.unregistered(app, pattern) {
				if patterns.Contains(f.Pattern, target) {
					out = out.Union(at(target))
				}
			}
		}
	}
	return out
}

// covered are the registered resources that the pattern of an expectation covers.
func (s *Snapshot) covered(f *Expectation) []string {
	var out []string
	if app := s.applications.At(int(f.Application)); app != nil && app.fact != nil {
		s.activeResources(app, func(r *Resource) {
			if patterns.Covers(f.Pattern, r.Path) {
				out = append(out, r.Path)
			}
		})
	}
	return out
}

// candidates calls yield for every user who could break an expectation.
func (s *Snapshot) candidates(f *Expectation, yield func(UserID)) {
	switch {
	case f.Of.Nobody:
		yield(0)
	case f.Of.User != 0:
		yield(f.Of.User)
	case f.May && f.Of.Except:
		yield(0)
		s.members(PublicGroup, nil, yield)
	case !f.May && (f.Of.Except || f.Of.Group == AllUsersGroup || f.Of.Group == PublicGroup):
		// Fewer hold anything than there are.
		s.eachHolder(f.Application, f.Action, f.Pattern, yield)
	default:
		s.members(f.Of.Group, map[GroupID]bool{}, yield)
	}
}

// eachHolder calls yield, perhaps more than once, for everybody who holds a role
// that gives an action on anything of a pattern.
func (s *Snapshot) eachHolder(app ApplicationID, action, pattern string, yield func(UserID)) {
	for i := range s.roles.Len() {
		rec := s.roles.At(i)
		if rec == nil || rec.fact == nil {
			continue
		}
		for _, x := range rec.permissions {
			if p := s.permissions.At(int(x)).fact; p.Application == app && p.gives(action) && overlap(p.Pattern, pattern) {
				s.holdersBelow(RoleID(i), yield)
				break
			}
		}
	}
}

// NewlyBroken are those a draft breaks, where they were not broken before or for
// less time. An expectation it writes refuses nothing that breaks it already.
func (d *Draft) NewlyBroken(p Preview, from calendar.Instant) []Broken {
	var standing []*Expectation
	for _, f := range d.Expectations() {
		if !f.Ended && d.base.Expectation(f.ID) == f {
			standing = append(standing, f)
		}
	}
	if len(standing) == 0 {
		return nil
	}
	redescribed, moves := map[ApplicationID]bool{}, false
	for _, c := range d.Changes() {
		for _, f := range []Fact{c.Before, c.After} {
			switch f := f.(type) {
			case *Resource:
				redescribed[f.Application] = true
			case *Application:
				redescribed[f.ID] = true
			case *User, *Group, *Membership, *Organisation:
				moves = true
			}
		}
	}
	var out []Broken
	rest := standing[:0]
	for _, f := range standing {
		if redescribed[f.Application] {
			out = append(out, d.brokenAnew(f, from)...)
		} else {
			rest = append(rest, f)
		}
	}
	effect := make(map[UserID]*Effect, len(p.Touched))
	for i := range p.Effects {
		for _, id := range p.Effects[i].Users {
			effect[id] = &p.Effects[i]
		}
	}
	ahead := calendar.Window{From: from}
	about := sortOut(rest)
	before, after := judging{s: d.base}, judging{s: &d.Snapshot}
	for _, id := range p.Touched {
		e := effect[id]
		if e == nil && !moves {
			continue
		}
		before.of(id)
		after.of(id)
		isNew := id != 0 && d.base.User(id) == nil
		about.each(id, after.groups, func(f *Expectation) {
			counted := after.counted(f.Of)
			if len(counted) == 0 || !e.bearsOn(f) && !isNew && slices.Equal(counted, before.counted(f.Of)) {
				return
			}
			when := after.broken(f).Within(ahead)
			if len(when) > 0 && !isNew {
				when = when.Minus(before.broken(f))
			}
			if len(when) > 0 {
				out = append(out, Broken{f, id, when})
			}
		})
	}
	slices.SortStableFunc(out, func(a, b Broken) int { return int(a.Expectation.ID) - int(b.Expectation.ID) })
	return out
}

// brokenAnew compares all who break an expectation before and after.
func (d *Draft) brokenAnew(f *Expectation, from calendar.Instant) []Broken {
	before := map[UserID]calendar.Intervals{}
	for _, b := range d.base.BrokenBy(f, from) {
		before[b.User] = b.When
	}
	var out []Broken
	for _, b := range d.BrokenBy(f, from) {
		if b.When = b.When.Minus(before[b.User]); len(b.When) > 0 {
			out = append(out, b)
		}
	}
	return out
}

// bearsOn says whether what is gained or lost could break an expectation.
func (e *Effect) bearsOn(f *Expectation) bool {
	if e == nil {
		return false
	}
	some := e.Gained
	if f.May {
		some = e.Lost
	}
	return slices.ContainsFunc(some, func(x Entitlement) bool {
		return x.Application == f.Application && x.Action == f.Action && overlap(x.Target, f.Pattern)
	})
}

// BrokenSpans are when a user broke an expectation, over eras in order of time,
// each with the revision at whose facts it began.
func BrokenSpans(eras []Era, f *Expectation, id UserID) []Span {
	var out []Span
	for _, era := range eras {
		judge := judging{s: era.Snapshot}
		judge.of(id)
		for _, w := range judge.broken(f).Within(era.Window) {
			if n := len(out); n > 0 && out[n-1].Until == w.From && w.From != 0 {
				out[n-1].Until = w.Until
				continue
			}
			out = append(out, Span{Window: w, Revision: era.Revision})
		}
	}
	return out
}

// WroteExpectations are those a draft writes or alters.
func (d *Draft) WroteExpectations() []*Expectation {
	var out []*Expectation
	for _, f := range d.Expectations() {
		if !f.Ended && d.base.Expectation(f.ID) != f {
			out = append(out, f)
		}
	}
	return out
}

// Words says what is expected, in plain words: "Members of Pilots may not update
// tariffs in Tariff ledger".
func (f *Expectation) Words(s *Snapshot, n Names) string {
	var b strings.Builder
	switch {
	case f.Of.Nobody:
		b.WriteString("Nobody signed in")
	case f.Of.User != 0:
		b.WriteString(n.UserName(f.Of.User))
	case f.Of.Except:
		b.WriteString("Users outside " + s.Group(f.Of.Group).Label)
	default:
		b.WriteString("Members of " + s.Group(f.Of.Group).Label)
	}
	b.WriteString(map[bool]string{true: " may ", false: " may not "}[f.May])
	b.WriteString(f.Action + " " + f.Pattern)
	if a := s.Application(f.Application); a != nil {
		b.WriteString(" in " + a.Label)
	}
	return b.String()
}
