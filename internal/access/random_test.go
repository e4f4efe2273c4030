package access

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/patterns"
)

// chance makes random organisations and changes to them, small enough for
// every corner to be met often, all names among few.
type chance struct {
	*rand.Rand
	day0 time.Time
}

func newChance(seed uint64) *chance {
	return &chance{rand.New(rand.NewPCG(seed, 99)), time.Date(2026, 3, 20, 0, 0, 0, 0, time.UTC)}
}

func pick[T any](c *chance, all ...T) T { return all[c.IntN(len(all))] }

// instant is on or beside the edges that windows, days and schedules have.
func (c *chance) instant() calendar.Instant {
	t := c.day0.AddDate(0, 0, c.IntN(24)-2)
	switch c.IntN(4) {
	case 0: // days begin elsewhere
		t = t.Add(time.Duration(c.IntN(5)-2) * time.Hour)
	case 1, 2: // schedules begin and end on the half hour, somewhere
		t = t.Add(time.Duration(c.IntN(48)) * 30 * time.Minute)
	}
	return calendar.At(t) + calendar.Instant(c.IntN(3)-1)
}

func (c *chance) schedule() *calendar.Schedule {
	if c.IntN(4) > 0 {
		return nil
	}
	days := []string{}
	for _, d := range calendar.DayWords {
		if c.IntN(2) == 0 {
			days = append(days, d)
		}
	}
	clock := func() string { return fmt.Sprintf("%02d:%02d", c.IntN(24), 30*c.IntN(2)) }
	s, err := calendar.NewSchedule(append(days, "wed"), clock(), clock(), pick(c, "UTC", "Europe/Lisbon", "Asia/Kolkata", "America/St_Johns", "Australia/Lord_Howe"))
	if err != nil {
		panic(err)
	}
	return s
}

func (c *chance) scopes() []ScopeRef {
	var out []ScopeRef
	if c.IntN(4) == 0 {
		for range 1 + c.IntN(2) {
			out = append(out, ScopeRef{c.application(), c.pattern()})
		}
	}
	return out
}

func (c *chance) window() calendar.Window {
	if c.IntN(2) > 0 {
		return calendar.Window{}
	}
	w := calendar.Window{From: calendar.At(c.day0.AddDate(0, 0, c.IntN(20))), Until: calendar.At(c.day0.AddDate(0, 0, c.IntN(20)))}
	switch c.IntN(3) {
	case 0:
		w.From = 0
	case 1:
		w.Until = 0
	}
	return w // may end before it begins: refused then
}

func (c *chance) date() calendar.Date {
	if c.IntN(4) > 0 {
		return 0
	}
	return calendar.DateOf(c.day0.AddDate(0, 0, c.IntN(20)))
}

func (c *chance) user() UserRef { return UserRef(fmt.Sprintf("user.%d", c.IntN(10))) }
func (c *chance) group() GroupRef {
	if c.IntN(12) == 0 {
		return pick[GroupRef](c, "all-users", "public")
	}
	return GroupRef(fmt.Sprintf("g%d", c.IntN(7)))
}
func (c *chance) application() ApplicationRef {
	return ApplicationRef(fmt.Sprintf("app%d", c.IntN(3)))
}

func (c *chance) role() RoleRef {
	key := fmt.Sprintf("r%d", c.IntN(5))
	if c.IntN(3) == 0 {
		return RoleRef(key)
	}
	return RoleRef(string(c.application()) + "/" + key)
}

// roles and groups are what a default rule gives; one of them may be none.
func (c *chance) roles() []RoleRef {
	out := []RoleRef{}
	for range c.IntN(3) {
		out = append(out, c.role())
	}
	return out
}

func (c *chance) groups() []GroupRef {
	out := []GroupRef{}
	for range c.IntN(2) {
		out = append(out, c.group())
	}
	return out
}

func (c *chance) action() string { return pick(c, "read", "update", "release") }

// path is one of few; names that stars match part of are among them.
func (c *chance) path() string {
	return pick(c, "/", "a", "a/north-1", "a/north-2", "a/south-1", "b", "b/x", "b/x/y", "b/x/y/z", "c", "c/north-1")
}

func (c *chance) pattern() string {
	return pick(c, "/", "a", "a/north-*", "a/*-1", "*/north-1", "*", "b/x", "b/*/y", "b/x/*", "a/*", "c", "b/x/y/z/*", "a/*o*-1")
}

func (c *chance) unit() string { return pick(c, "", "marine", "marine/pilotage", "finance") }

// filter is a rule for a group, or none.
func (c *chance) filter() string {
	if c.IntN(2) == 0 {
		return ""
	}
	return pick(c, slices.Sorted(maps.Keys(rules))...)
}

func (c *chance) holder() (UserRef, GroupRef) {
	if c.IntN(2) == 0 {
		return c.user(), ""
	}
	return "", c.group()
}

// operation is one that may or may not fit.
func (c *chance) operation() Operation {
	user, group := c.holder()
	switch c.IntN(62) { // what has no case of its own is a grant
	case 0:
		return &AddUser{Personal: Personal{UserName: string(c.user())}, UserKind: pick(c, Person, Person, Service), UserFacts: UserFacts{Unit: c.unit(), Start: c.date(), End: c.date()}}
	case 1:
		start, end := c.date(), c.date()
		return &UpdateUser{User: c.user(), UserEdits: UserEdits{Start: &start, End: &end}}
	case 2:
		status := pick(c, Active, Active, Active, Active, Active, Active, Active, Suspended, Departed)
		return &UpdateUser{User: c.user(), Status: &status}
	case 3:
		return &AddGroup{Key: fmt.Sprintf("g%d", c.IntN(7)), Unit: c.unit(), Filter: c.filter()}
	case 40:
		text := c.filter()
		return &UpdateGroup{Group: c.group(), Filter: &text}
	case 41:
		unit, title := c.unit(), pick(c, "pilot", "clerk", "")
		return &UpdateUser{User: c.user(), UserEdits: UserEdits{Unit: &unit, Title: &title}}
	case 54, 55:
		return &UpdateUser{User: c.user(), Custom: map[string]string{pick(c, "grade", "ticket"): pick(c, "A", "a", ""), "bonus": pick(c, "", "3", "7.50"), "badge": pick(c, "", "x")}}
	case 57:
		return &HandOver{User: c.user(), To: c.user()}
	case 56:
		return &UpdateAttribute{Attribute: "desk", Fill: &Fill{From: "unit", Units: []UnitFill{{pick(c, "marine", "finance"), pick(c, "M1", "M2")}}}}
	case 4, 5, 6, 27, 28:
		m := &AddMember{Group: c.group(), User: user, Window: c.window()}
		if user == "" {
			m.Member = group
		}
		return m
	case 7:
		m := &RemoveMember{Group: c.group(), User: user}
		if user == "" {
			m.Member = group
		}
		return m
	case 8:
		return &AddApplication{Key: string(c.application()), State: pick(c, StateLive, StateLive, StateLive, StateDraft),
			Actions: []Action{{Key: "read"}, {Key: "update"}}, Open: c.IntN(6) == 0}
	case 9:
		state := pick(c, StateLive, StateLive, StateLive, StateLive, StateLive, StateLive, StateLive, StateLive, StateRehearsal, StateDraft, StateRetired)
		return &UpdateApplication{Application: c.application(), State: &state,
			Actions: pick(c, []Action{{Key: "read"}, {Key: "update"}}, []Action{{Key: "read"}, {Key: "update"}, {Key: "release"}})}
	case 10, 11:
		return &AddResource{Application: c.application(), Path: c.path(), Open: c.IntN(3) == 0}
	case 12:
		app, key := c.application(), fmt.Sprintf("r%d", c.IntN(5))
		if c.IntN(3) == 0 {
			app = ""
		}
		return &AddRole{Key: key, Application: app}
	case 13:
		if c.IntN(4) > 0 {
			return &IncludeRole{Role: c.role(), Includes: c.role()}
		}
		return &RetireRole{Role: c.role()}
	case 14:
		return &IncludeRole{Role: c.role(), Includes: c.role()}
	case 15, 25, 30, 31:
		return &ExcludeRole{Role: c.role(), Excludes: c.role()}
	case 16, 17, 18:
		return &AddPermission{Role: c.role(), Application: pick(c, "", c.application()), Actions: pick(c, []string{"read"}, []string{"read", "update"}, []string{"*"}), Pattern: c.pattern()}
	case 19:
		if c.IntN(3) == 0 {
			return &RemovePermission{Permission: PermissionRef(fmt.Sprintf("permission-%d", 1+c.IntN(30)))}
		}
		return &Revoke{Role: c.role(), User: user, Group: group}
	case 20, 21:
		return &Grant{Role: c.role(), User: user, Group: group, Window: c.window(), Scopes: c.scopes(), Schedule: c.schedule()}
	case 32, 33:
		if c.IntN(3) == 0 {
			return &RemoveFence{Fence: FenceRef(fmt.Sprintf("fence-%d", 1+c.IntN(12)))}
		}
		return &AddFence{Application: c.application(), Pattern: c.pattern(), Actions: pick(c, []string{"read"}, []string{"update"}, []string{"*"})}
	case 34:
		open, retired := c.IntN(3) == 0, c.IntN(3) == 0
		o := &UpdateResource{Application: c.application(), Path: c.path()}
		if c.IntN(2) == 0 {
			o.Open = &open
		} else {
			o.Retired = &retired
		}
		return o
	case 35:
		trial := c.group()
		if c.IntN(3) == 0 {
			trial = ""
		}
		return &UpdateApplication{Application: c.application(), Trial: &trial}
	case 22, 23, 24, 29:
		return &AddPermission{Role: c.role(), Actions: []string{"*"}, Pattern: pick(c, "/", "a", "b", "*")}
	case 26:
		return &RemoveMember{Group: c.group(), User: c.user()}
	case 36, 37, 38, 39:
		return &AddPermission{Role: c.role(), Actions: pick(c, []string{"read"}, []string{"*"}), Pattern: c.pattern(), Own: true}
	case 42:
		key, text := fmt.Sprintf("d%d", c.IntN(4)), c.filter()
		return &AddDefault{Key: key, Everybody: text == "", Filter: text, Roles: c.roles(), Groups: c.groups()}
	case 43:
		o := &UpdateDefault{Default: DefaultRef(fmt.Sprintf("d%d", c.IntN(4)))}
		switch c.IntN(3) {
		case 0:
			text := c.filter()
			everybody := text == ""
			o.Filter, o.Everybody = &text, &everybody
		case 1:
			o.Roles = c.roles()
		default:
			o.Groups = c.groups()
		}
		return o
	case 48:
		owner := pick(c, c.user(), "")
		switch c.IntN(3) {
		case 0:
			return &UpdateRole{Role: c.role(), Owner: &owner}
		case 1:
			return &UpdateGroup{Group: c.group(), Owner: &owner}
		}
		return &UpdateApplication{Application: c.application(), Owner: &owner}
	case 45:
		key := fmt.Sprintf("c%d", c.IntN(3))
		return &AddSoDRule{Key: key, Roles: []RoleRef{c.role(), c.role()}, Prevent: c.IntN(2) == 0}
	case 46:
		prevent := c.IntN(2) == 0
		o := &UpdateSoDRule{SoDRule: SoDRuleRef(fmt.Sprintf("c%d", c.IntN(3))), Prevent: &prevent}
		if c.IntN(2) == 0 {
			o.Roles = []RoleRef{c.role(), c.role()}
		}
		return o
	case 47:
		return &EndSoDRule{SoDRule: SoDRuleRef(fmt.Sprintf("c%d", c.IntN(12)))}
	case 50, 51:
		return c.expectation()
	case 52:
		return &EndExpectation{Expectation: ExpectationRef(fmt.Sprintf("e%d", c.IntN(6)))}
	case 53: // seldom what keeps others from being given anything
		owner, risk, longest := c.user(), pick(c, RiskUnsaid, RiskLow, RiskHigh), pick(c, 0, 0, 0, 0, 0, 0, 0, 5)
		switch c.IntN(3) {
		case 0:
			return &UpdateRole{Role: c.role(), Owner: &owner, Risk: &risk, MaxDays: &longest}
		case 1:
			back := false
			return &UpdateRole{Role: c.role(), Retired: &back}
		}
		direct := pick(c, DirectWelcome, DirectWelcome, DirectWelcome, DirectWelcome, DirectWelcome, DirectWarned, DirectWarned, DirectRefused)
		return &UpdateApplication{Application: c.application(), Direct: &direct}
	case 44:
		return &EndDefault{Default: DefaultRef(fmt.Sprintf("d%d", c.IntN(12)))}
	default:
		return &Grant{Role: c.role(), User: c.user(), Window: c.window(), Scopes: c.scopes(), Schedule: c.schedule()}
	}
}

// change applies a few random operations; ok is false when they do not fit.
func (c *chance) change(s *Snapshot, most int) (d *Draft, ok bool) {
	d = s.Draft()
	for i := range 1 + c.IntN(most) {
		d.Apply(i, c.operation(), c.instant())
		if len(d.Faults) > 0 {
			return nil, false
		}
	}
	d.Finish()
	return d, len(d.Faults) == 0
}

// organisation is a snapshot after many revisions, each made by difference.
func (c *chance) organisation(t testing.TB) *Snapshot {
	t.Helper()
	d := Empty().Draft()
	zone := pick(c, "UTC", "Europe/Lisbon", "Asia/Kolkata", "America/St_Johns")
	seeds := []Operation{&SetOrganisation{"Larkhaven", zone}}
	seeds = append(seeds, &DeclareAttribute{Key: "grade"}, &DeclareAttribute{Key: "ticket", CaseExact: true}, &DeclareAttribute{Key: "bonus", Type: NumberValue},
		&DeclareAttribute{Key: "badge", Personal: true}, &DeclareAttribute{Key: "desk", Fill: &Fill{From: "unit", Units: []UnitFill{{"marine", "M1"}, {"marine/pilotage", "P1"}}}})
	for i := range 8 {
		seeds = append(seeds, &AddUser{Personal: Personal{UserName: fmt.Sprintf("user.%d", i)}, UserFacts: UserFacts{Unit: c.unit()}})
	}
	for i := range 2 {
		key := fmt.Sprintf("app%d", i)
		seeds = append(seeds, &AddApplication{Key: key, State: StateLive, Actions: []Action{{Key: "read"}, {Key: "update"}}})
		for _, p := range []string{"a", "a/north-1", "a/north-2", "a/south-1", "b", "b/x", "c"} {
			seeds = append(seeds, &AddResource{Application: ApplicationRef(key), Path: p, Open: p == "b/x" && i == 0})
		}
		for r := range 3 {
			seeds = append(seeds, &AddRole{Key: fmt.Sprintf("r%d", r), Application: ApplicationRef(key)})
		}
	}
	for i, op := range seeds {
		d.Apply(i, op, 0)
	}
	if len(d.Faults) > 0 {
		t.Fatalf("the organisation does not fit: %v", &d.Faults[0])
	}
	s := d.Seal(1, calendar.At(c.day0))
	for range 500 {
		if d, ok := c.change(s, 2); ok && len(d.Changes()) > 0 {
			s = d.Seal(d.Revision, s.At+1)
		}
	}
	return s
}

func (c *chance) question() Question {
	q := Question{User: string(c.user()), Application: string(c.application()), Action: c.action(), Path: c.path(), At: c.instant()}
	if c.IntN(8) == 0 {
		q.User = ""
	}
	if c.IntN(40) == 0 {
		q.Application = "nothing"
	}
	switch c.IntN(6) {
	case 0, 1:
		q.Owner = q.User
	case 2:
		q.Owner = string(c.user())
	case 3:
		q.Owner = UserID(c.IntN(9)).String()
	}
	if c.IntN(6) == 0 {
		q.Path = patterns.Join(q.Path, pick(c, "north-1", "unseen", "y"))
	}
	return q
}
