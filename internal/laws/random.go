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
