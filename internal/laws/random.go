package laws

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	_ "ableroster/internal/operation"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/patterns"
)

// Chance makes random organisations and changes to them, small enough for
// every corner to be met often, all names among few.
type Chance struct {
	*rand.Rand
	Day0 time.Time
}

// NewChance is the chance of a seed: the same seed, the same choices.
func NewChance(seed uint64) *Chance {
	return &Chance{rand.New(rand.NewPCG(seed, 99)), time.Date(2026, 3, 20, 0, 0, 0, 0, time.UTC)}
}

// Pick is one of some.
func Pick[T any](c *Chance, all ...T) T { return all[c.IntN(len(all))] }

// Instant is on or beside the edges that windows, days and schedules have.
func (c *Chance) Instant() calendar.Instant {
	t := c.Day0.AddDate(0, 0, c.IntN(24)-2)
	switch c.IntN(4) {
	case 0: // days begin elsewhere
		t = t.Add(time.Duration(c.IntN(5)-2) * time.Hour)
	case 1, 2: // schedules begin and end on the half hour, somewhere
		t = t.Add(time.Duration(c.IntN(48)) * 30 * time.Minute)
	}
	return calendar.At(t) + calendar.Instant(c.IntN(3)-1)
}

func (c *Chance) schedule() *calendar.Schedule {
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
	s, err := calendar.NewSchedule(append(days, "wed"), clock(), clock(), Pick(c, "UTC", "Europe/Lisbon", "Asia/Kolkata", "America/St_Johns", "Australia/Lord_Howe"))
	if err != nil {
		panic(err)
	}
	return s
}

func (c *Chance) scopes() []change.ScopeRef {
	var out []change.ScopeRef
	if c.IntN(4) == 0 {
		for range 1 + c.IntN(2) {
			out = append(out, change.ScopeRef{Application: c.application(), Pattern: c.Pattern()})
		}
	}
	return out
}

// Window is one of many shapes, mostly around now.
func (c *Chance) Window() calendar.Window {
	if c.IntN(2) > 0 {
		return calendar.Window{}
	}
	w := calendar.Window{From: calendar.At(c.Day0.AddDate(0, 0, c.IntN(20))), Until: calendar.At(c.Day0.AddDate(0, 0, c.IntN(20)))}
	switch c.IntN(3) {
	case 0:
		w.From = 0
	case 1:
		w.Until = 0
	}
	return w // may end before it begins: refused then
}

// Date is a day around now.
func (c *Chance) Date() calendar.Date {
	if c.IntN(4) > 0 {
		return 0
	}
	return calendar.DateOf(c.Day0.AddDate(0, 0, c.IntN(20)))
}

// User is one that may be there.
func (c *Chance) User() change.UserRef { return change.UserRef(fmt.Sprintf("user.%d", c.IntN(10))) }

// Group is one that may be there.
func (c *Chance) Group() change.GroupRef {
	if c.IntN(12) == 0 {
		return Pick[change.GroupRef](c, "all-users", "public")
	}
	return change.GroupRef(fmt.Sprintf("g%d", c.IntN(7)))
}
func (c *Chance) application() change.ApplicationRef {
	return change.ApplicationRef(fmt.Sprintf("app%d", c.IntN(3)))
}

func (c *Chance) role() change.RoleRef {
	key := fmt.Sprintf("r%d", c.IntN(5))
	if c.IntN(3) == 0 {
		return change.RoleRef(key)
	}
	return change.RoleRef(string(c.application()) + "/" + key)
}

// roles and groups are what a default rule gives; one of them may be none.
func (c *Chance) roles() []change.RoleRef {
	out := []change.RoleRef{}
	for range c.IntN(3) {
		out = append(out, c.role())
	}
	return out
}

func (c *Chance) groups() []change.GroupRef {
	out := []change.GroupRef{}
	for range c.IntN(2) {
		out = append(out, c.Group())
	}
	return out
}

// Action is one that the applications declare.
func (c *Chance) Action() string { return Pick(c, "read", "update", "release") }

// Path is one of few; names that stars match part of are among them.
func (c *Chance) Path() string {
	return Pick(c, "/", "a", "a/north-1", "a/north-2", "a/south-1", "b", "b/x", "b/x/y", "b/x/y/z", "c", "c/north-1")
}

// Pattern is one over the paths that Path makes.
func (c *Chance) Pattern() string {
	return Pick(c, "/", "a", "a/north-*", "a/*-1", "*/north-1", "*", "b/x", "b/*/y", "b/x/*", "a/*", "c", "b/x/y/z/*", "a/*o*-1")
}

// Unit is one of few, or none.
func (c *Chance) Unit() string { return Pick(c, "", "marine", "marine/pilotage", "finance") }

// filter is a rule for a group, or none.
func (c *Chance) filter() string {
	if c.IntN(2) == 0 {
		return ""
	}
	return Pick(c, slices.Sorted(maps.Keys(Rules))...)
}

func (c *Chance) holder() (change.UserRef, change.GroupRef) {
	if c.IntN(2) == 0 {
		return c.User(), ""
	}
	return "", c.Group()
}

// Operation is one that may or may not fit.
func (c *Chance) Operation() change.Operation {
	user, group := c.holder()
	n := c.IntN(73)
	if n >= 62 && c.IntN(2) == 0 { // seldom, so that much is given all the same
		n = -1
	}
	if n >= 69 && c.IntN(2) == 0 { // more seldom still
		n = -1
	}
	switch n { // what has no case of its own is a grant
	case 0:
		return &people.AddUser{Personal: fact.Personal{UserName: string(c.User())}, UserKind: Pick(c, fact.Person, fact.Person, fact.Service), UserFacts: fact.UserFacts{Unit: c.Unit(), Start: c.Date(), End: c.Date()}}
	case 1:
		start, end := c.Date(), c.Date()
		return &people.UpdateUser{User: c.User(), UserEdits: fact.UserEdits{Start: &start, End: &end}}
	case 2:
		status := Pick(c, fact.Active, fact.Active, fact.Active, fact.Active, fact.Active, fact.Active, fact.Active, fact.Suspended, fact.Departed)
		return &people.UpdateUser{User: c.User(), Status: &status}
	case 3:
		return &roles.AddGroup{Key: fmt.Sprintf("g%d", c.IntN(7)), Unit: c.Unit(), Filter: c.filter()}
	case 40:
		text := c.filter()
		return &roles.UpdateGroup{Group: c.Group(), Filter: &text}
	case 41:
		unit, title := c.Unit(), Pick(c, "pilot", "clerk", "")
		return &people.UpdateUser{User: c.User(), UserEdits: fact.UserEdits{Unit: &unit, Title: &title}}
	case 54, 55:
		return &people.UpdateUser{User: c.User(), Custom: map[string]string{Pick(c, "grade", "ticket"): Pick(c, "A", "a", ""), "bonus": Pick(c, "", "3", "7.50"), "badge": Pick(c, "", "x")}}
	case 57:
		return &people.HandOver{User: c.User(), To: c.User()}
	case 56:
		return &people.UpdateAttribute{Attribute: "desk", Fill: &fact.Fill{From: "unit", Units: []fact.UnitFill{{Unit: Pick(c, "marine", "finance"), Value: Pick(c, "M1", "M2")}}}}
	case 4, 5, 6, 27, 28:
		m := &roles.AddMember{Group: c.Group(), User: user, Window: c.Window()}
		if user == "" {
			m.Member = group
		}
		return m
	case 7:
		m := &roles.RemoveMember{Group: c.Group(), User: user}
		if user == "" {
			m.Member = group
		}
		return m
	case 8:
		return &roles.AddApplication{Key: string(c.application()), State: Pick(c, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateDraft),
			Actions: []fact.Action{{Key: "read"}, {Key: "update"}}, Open: c.IntN(6) == 0}
	case 9:
		state := Pick(c, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateRehearsal, fact.StateDraft, fact.StateRetired)
		return &roles.UpdateApplication{Application: c.application(), State: &state,
			Actions: Pick(c, []fact.Action{{Key: "read"}, {Key: "update"}}, []fact.Action{{Key: "read"}, {Key: "update"}, {Key: "release"}})}
	case 10, 11:
		return &roles.AddResource{Application: c.application(), Path: c.Path(), Open: c.IntN(3) == 0}
	case 12:
		app, key := c.application(), fmt.Sprintf("r%d", c.IntN(5))
		if c.IntN(3) == 0 {
			app = ""
		}
		return &roles.AddRole{Key: key, Application: app}
	case 13:
		if c.IntN(4) > 0 {
			return &roles.IncludeRole{Role: c.role(), Includes: c.role()}
		}
		return &roles.RetireRole{Role: c.role()}
	case 14:
		return &roles.IncludeRole{Role: c.role(), Includes: c.role()}
	case 15, 25, 30, 31:
		return &roles.ExcludeRole{Role: c.role(), Excludes: c.role()}
	case 16, 17, 18:
		return &roles.AddPermission{Role: c.role(), Application: Pick(c, "", c.application()), Actions: Pick(c, []string{"read"}, []string{"read", "update"}, []string{"*"}), Pattern: c.Pattern()}
	case 19:
		if c.IntN(3) == 0 {
			return &roles.RemovePermission{Permission: change.PermissionRef(fmt.Sprintf("permission-%d", 1+c.IntN(30)))}
		}
		return &roles.Revoke{Role: c.role(), User: user, Group: group}
	case 20, 21:
		return &roles.Grant{Role: c.role(), User: user, Group: group, Window: c.Window(), Scopes: c.scopes(), Schedule: c.schedule()}
	case 32, 33:
		if c.IntN(3) == 0 {
			return &roles.RemoveFence{Fence: change.FenceRef(fmt.Sprintf("fence-%d", 1+c.IntN(12)))}
		}
		return &roles.AddFence{Application: c.application(), Pattern: c.Pattern(), Actions: Pick(c, []string{"read"}, []string{"update"}, []string{"*"})}
	case 34:
		open, retired := c.IntN(3) == 0, c.IntN(3) == 0
		o := &roles.UpdateResource{Application: c.application(), Path: c.Path()}
		if c.IntN(2) == 0 {
			o.Open = &open
		} else {
			o.Retired = &retired
		}
		return o
	case 35:
		trial := c.Group()
		if c.IntN(3) == 0 {
			trial = ""
		}
		return &roles.UpdateApplication{Application: c.application(), Trial: &trial}
	case 22, 23, 24, 29:
		return &roles.AddPermission{Role: c.role(), Actions: []string{"*"}, Pattern: Pick(c, "/", "a", "b", "*")}
	case 26:
		return &roles.RemoveMember{Group: c.Group(), User: c.User()}
	case 36, 37, 38, 39:
		return &roles.AddPermission{Role: c.role(), Actions: Pick(c, []string{"read"}, []string{"*"}), Pattern: c.Pattern(), Own: true}
	case 42:
		key, text := fmt.Sprintf("d%d", c.IntN(4)), c.filter()
		o := &rules.AddDefault{Key: key, Everybody: text == "", Filter: text, Roles: c.roles(), Groups: c.groups(), Order: c.IntN(3), Final: c.IntN(4) == 0}
		if c.IntN(2) == 0 {
			o.Window, o.AfterDays, o.LastsDays, o.OverlapDays = c.Window(), Pick(c, 0, 0, 2), Pick(c, 0, 0, 5), Pick(c, 0, 3, 10)
			o.Scopes = Pick(c, nil, c.scopes(), []change.ScopeRef{{Application: c.application(), Pattern: "a/{desk}"}, {Application: c.application(), Pattern: "{unit}"}})
		}
		return o
	case 43:
		o := &rules.UpdateDefault{Default: change.DefaultRef(fmt.Sprintf("d%d", c.IntN(4)))}
		switch c.IntN(5) {
		case 3:
			order, final, overlap := c.IntN(3), c.IntN(3) == 0, Pick(c, 0, 7)
			o.Order, o.Final, o.OverlapDays = &order, &final, &overlap
		case 4:
			w, lasts := c.Window(), Pick(c, 0, 4)
			o.From, o.Until, o.LastsDays = &w.From, &w.Until, &lasts
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
		owner := Pick(c, c.User(), "")
		switch c.IntN(3) {
		case 0:
			return &roles.UpdateRole{Role: c.role(), Owner: &owner}
		case 1:
			return &roles.UpdateGroup{Group: c.Group(), Owner: &owner}
		}
		return &roles.UpdateApplication{Application: c.application(), Owner: &owner}
	case 45:
		key := fmt.Sprintf("c%d", c.IntN(3))
		return &rules.AddSoDRule{Key: key, Roles: []change.RoleRef{c.role(), c.role()}, Prevent: c.IntN(2) == 0}
	case 46:
		prevent := c.IntN(2) == 0
		o := &rules.UpdateSoDRule{SoDRule: change.SoDRuleRef(fmt.Sprintf("c%d", c.IntN(3))), Prevent: &prevent}
		if c.IntN(2) == 0 {
			o.Roles = []change.RoleRef{c.role(), c.role()}
		}
		return o
	case 47:
		return &rules.EndSoDRule{SoDRule: change.SoDRuleRef(fmt.Sprintf("c%d", c.IntN(12)))}
	case 50, 51:
		return c.Expectation()
	case 52:
		return &rules.EndExpectation{Expectation: change.ExpectationRef(fmt.Sprintf("e%d", c.IntN(6)))}
	case 53: // seldom what keeps others from being given anything
		owner, risk, longest := c.User(), Pick(c, fact.RiskUnsaid, fact.RiskLow, fact.RiskHigh), Pick(c, 0, 0, 0, 0, 0, 0, 0, 5)
		switch c.IntN(3) {
		case 0:
			return &roles.UpdateRole{Role: c.role(), Owner: &owner, Risk: &risk, MaxDays: &longest}
		case 1:
			back := false
			return &roles.UpdateRole{Role: c.role(), Retired: &back}
		}
		direct := Pick(c, fact.DirectWelcome, fact.DirectWelcome, fact.DirectWelcome, fact.DirectWelcome, fact.DirectWelcome, fact.DirectWarned, fact.DirectWarned, fact.DirectRefused)
		return &roles.UpdateApplication{Application: c.application(), Direct: &direct}
	case 62:
		start := calendar.DateOf(c.Day0.AddDate(0, 0, c.IntN(20)))
		return &people.AddPosition{User: c.User(), Unit: c.Unit(), Title: Pick(c, "", "senior pilot"), Start: start, End: start + calendar.Date(c.IntN(12))}
	case 66:
		hours := Pick(c, 0, 0, 48)
		return &people.SetEmploymentType{Key: Pick(c, "vendor", "guest"), Closed: hours > 0, MaxHours: hours}
	case 67:
		kind := Pick(c, "Vendor", "guest", "staff", "")
		return &people.UpdateUser{User: c.User(), UserEdits: fact.UserEdits{Employment: &kind}}
	case 68:
		if c.IntN(4) == 0 {
			return &people.CloseAccess{User: c.User()}
		}
		from := c.Instant()
		return &people.OpenAccess{User: c.User(), Window: calendar.Window{From: from, Until: from + calendar.Days(1+c.IntN(2))}, Reference: "TCK-1"}
	case 63:
		o := &people.EndPosition{User: c.User(), Position: 1 + c.IntN(3)}
		if c.IntN(2) == 0 {
			o.End = calendar.DateOf(c.Day0.AddDate(0, 0, c.IntN(25)))
		}
		return o
	case 64:
		start := calendar.DateOf(c.Day0.AddDate(0, 0, c.IntN(20)))
		return &people.AddAbsence{User: c.User(), Start: start, End: Pick(c, start, start, start+2, 0)}
	case 69:
		most := Pick(c, 0, 1, 3, 3, 3, 3)
		return &roles.UpdateRole{Role: c.role(), MaxShares: &most}
	case 70, 71:
		return &roles.ShareRole{Role: c.role(), User: c.User(), Path: c.Path(), Window: c.Window()}
	case 72:
		return &roles.EndShares{Application: c.application(), Path: Pick(c, "/", c.Path())}
	case 65:
		return &people.EndAbsence{User: c.User(), Absence: 1 + c.IntN(2)}
	case 44:
		return &rules.EndDefault{Default: change.DefaultRef(fmt.Sprintf("d%d", c.IntN(12)))}
	default:
		return &roles.Grant{Role: c.role(), User: c.User(), Window: c.Window(), Scopes: c.scopes(), Schedule: c.schedule()}
	}
}

// Change applies a few random operations; ok is false when they do not fit.
func (c *Chance) Change(s *access.Snapshot, most int) (d *change.Draft, ok bool) {
	return c.ChangeBy(0, s, most)
}

// ChangeBy is Change with an author.
func (c *Chance) ChangeBy(author fact.UserID, s *access.Snapshot, most int) (d *change.Draft, ok bool) {
	d = change.NewDraft(s)
	if d.Author = author; author != 0 { // whose rights are asked for, and judged by who calls
		d.May = func(string, string) bool { return true }
	}
	for i := range 1 + c.IntN(most) {
		d.Apply(i, c.Operation(), c.Instant())
		if len(d.Faults) > 0 {
			return nil, false
		}
	}
	d.Finish()
	return d, len(d.Faults) == 0
}

// Organisation is a snapshot after many revisions, each made by difference.
func (c *Chance) Organisation(t testing.TB) *access.Snapshot {
	t.Helper()
	d := change.NewDraft(access.Empty())
	zone := Pick(c, "UTC", "Europe/Lisbon", "Asia/Kolkata", "America/St_Johns")
	seeds := []change.Operation{&rules.SetOrganisation{Name: "Larkhaven", TimeZone: zone}, &rules.SetMoveReviews{On: true}}
	seeds = append(seeds, &people.DeclareAttribute{Key: "grade"}, &people.DeclareAttribute{Key: "ticket", CaseExact: true}, &people.DeclareAttribute{Key: "bonus", Type: fact.NumberValue},
		&people.DeclareAttribute{Key: "badge", Personal: true}, &people.DeclareAttribute{Key: "desk", Fill: &fact.Fill{From: "unit", Units: []fact.UnitFill{{Unit: "marine", Value: "M1"}, {Unit: "marine/pilotage", Value: "P1"}}}})
	for _, key := range []string{"staff", "contractor", "vendor"} {
		seeds = append(seeds, &people.SetEmploymentType{Key: key})
	}
	for i := range 8 {
		seeds = append(seeds, &people.AddUser{Personal: fact.Personal{UserName: fmt.Sprintf("user.%d", i)}, UserFacts: fact.UserFacts{Unit: c.Unit()}})
	}
	for i := range 2 {
		key := fmt.Sprintf("app%d", i)
		seeds = append(seeds, &roles.AddApplication{Key: key, State: fact.StateLive, Actions: []fact.Action{{Key: "read"}, {Key: "update"}}})
		for _, p := range []string{"a", "a/north-1", "a/north-2", "a/south-1", "b", "b/x", "c"} {
			seeds = append(seeds, &roles.AddResource{Application: change.ApplicationRef(key), Path: p, Open: p == "b/x" && i == 0})
		}
		for r := range 3 {
			seeds = append(seeds, &roles.AddRole{Key: fmt.Sprintf("r%d", r), Application: change.ApplicationRef(key)})
		}
	}
	for i, op := range seeds {
		d.Apply(i, op, 0)
	}
	if len(d.Faults) > 0 {
		t.Fatalf("the organisation does not fit: %v", &d.Faults[0])
	}
	s := d.Seal(1, calendar.At(c.Day0))
	for range 530 {
		if d, ok := c.Change(s, 2); ok && len(d.Changes()) > 0 {
			s = d.Seal(d.Revision, s.At+1)
		}
	}
	return s
}

// Question is one that may mean something.
func (c *Chance) Question() access.Question {
	q := access.Question{User: string(c.User()), Application: string(c.application()), Action: c.Action(), Path: c.Path(), At: c.Instant()}
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
		q.Owner = string(c.User())
	case 3:
		q.Owner = fact.UserID(c.IntN(9)).String()
	}
	if c.IntN(6) == 0 {
		q.Path = patterns.Join(q.Path, Pick(c, "north-1", "unseen", "y"))
	}
	return q
}
