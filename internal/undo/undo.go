package undo

import (
	"encoding/json"
	"fmt"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

// Step is an operation that takes something back.
type Step struct {
	Operation change.Operation
	About     []string // the ids of what it speaks of
	phase     phase
}

// phase is when an operation comes: what gives needs what holds it first.
type phase int

const (
	restoring phase = iota // people, roles and things as they were
	taking
	giving
	ending // what was made
)

// Left is what stays as it is, and why.
type Left struct {
	About []string // the ids of what it speaks of
	Why   string   // a sentence
}

// Undone is what takes back a change.
type Undone struct {
	Steps []Step // in the order in which they are made
	Left  []Left
}

// undoing gathers it.
type undoing struct {
	head *access.Snapshot
	at   calendar.Instant
	out  Undone

	about []string // of the change that is looked at
	moves []move   // of units
}

// Of is what takes back the changes that a revision made to facts, on a head, at an instant.
// What others have changed since stays theirs.
func Of(changes []access.RowChange, head *access.Snapshot, at calendar.Instant) Undone {
	u := &undoing{head: head, at: at, moves: moves(changes)}
	for _, c := range changes {
		if !u.followed(c) {
			u.one(c)
		}
	}
	slices.SortStableFunc(u.out.Steps, func(a, b Step) int { return int(a.phase - b.phase) })
	u.fit()
	return u.out
}

// fit leaves out what is so already, and what cannot be done any more: that is told.
func (u *undoing) fit() {
	d := change.NewDraft(u.head)
	var out []Step
	for i, s := range u.out.Steps {
		notes, faults := len(d.Notes), len(d.Faults)
		d.Apply(i, s.Operation, u.at)
		so := slices.ContainsFunc(d.Notes[notes:], func(n change.Note) bool {
			return n.Code == change.AlreadyHeld || n.Code == change.AlreadyMember || n.Code == change.AlreadySo
		})
		switch {
		case len(d.Faults) > faults:
			u.about = s.About
			u.left("Not taken back: %s.", d.Faults[faults].Message)
		case !so:
			out = append(out, s)
		}
	}
	u.out.Steps = out
}

// one takes back what was done to one fact.
func (u *undoing) one(c access.RowChange) {
	about := c.After
	if about == nil {
		about = c.Before
	}
	u.about = ids(about)
	switch f := about.(type) {
	case *fact.Assignment:
		u.assignment(f, c)
	case *fact.Membership:
		u.membership(f, c)
	case *fact.Permission:
		u.permission(f, c)
	case *fact.Inclusion:
		u.inclusion(f, c)
	case *fact.Fence:
		u.fence(f, c)
	case *fact.User:
		u.user(f, c)
	case *fact.Group:
		u.group(f, c)
	case *fact.Role:
		u.role(f, c)
	case *fact.Application:
		u.application(f, c)
	case *fact.Resource:
		u.resource(f, c)
	case *fact.Default:
		u.defaultRule(f, c)
	case *fact.SoDRule:
		u.sodRule(f, c)
	case *fact.Expectation:
		u.expectation(f, c)
	case *fact.Freeze:
		u.freeze(f, c)
	case *fact.Unit:
		u.unit(f, c)
	case *fact.EmploymentType:
		u.employmentType(f, c)
	case *fact.SignUpRule:
		u.signUpRule(f, c)
	case *fact.TeamRule:
		u.teamRule(f, c)
	case *fact.Team:
		u.team(f, c)
	case *fact.Opening:
		u.opening(f, c)
	case *fact.LegalHold:
		u.legalHold(f, c)
	case *fact.Merged:
		u.left("The records %s and %s stay merged: bring %s back, and grant anew what is theirs.", u.called(f.User), u.called(f.Into), u.called(f.User))
	case *fact.Positions:
		u.positions(f, c)
	case *fact.Absences:
		u.absences(f, c)
	case *fact.Substitutes:
		u.substitutes(f, c)
	case *fact.MachineAccount:
		u.machineAccount(f, c)
	case *fact.SharedAccount:
		u.sharedAccount(f, c)
	case *fact.CheckOut:
		u.left("Who had %s, and what became of its secret, stays as it was recorded.", u.called(f.User))
	case *fact.Organisation:
		u.organisation(f, c)
	case *fact.Attribute:
		u.left("The attribute %s stays as it is: edit or retire it on its page.", f.Label)
	default:
		u.left("%s", stays(about.Kind()))
	}
}

// stays says why what is no access is not taken back.
func stays(kind fact.FactKind) string {
	switch kind {
	case "request", "route", "requestable":
		return "Requests and what was decided on them stay; what they gave is taken back."
	case "review", "round", "decision", "pending_removal":
		return "Reviews and what was decided in them stay; what they took is given back."
	}
	return "What was recorded beside access (" + string(kind) + ") stays."
}

// left notes what stays, once.
func (u *undoing) left(format string, args ...any) {
	l := Left{u.about, fmt.Sprintf(format, args...)}
	if !slices.ContainsFunc(u.out.Left, func(x Left) bool { return x.Why == l.Why }) {
		u.out.Left = append(u.out.Left, l)
	}
}

// does adds an operation of a kind with fields.
func (u *undoing) does(p phase, verb string, fields map[string]any) {
	all := map[string]any{"op": verb}
	for k, v := range fields {
		all[k] = v
	}
	raw, err := json.Marshal(all)
	if err != nil {
		panic(fmt.Sprintf("undo: %s: %v", verb, err)) // of texts, numbers and truths
	}
	op, faults := change.DecodeOperation(raw)
	if len(faults) > 0 {
		panic(fmt.Sprintf("undo: %s: %v", raw, &faults[0]))
	}
	u.out.Steps = append(u.out.Steps, Step{op, u.about, p})
}

// ids are those of what a fact speaks of.
func ids(f fact.Fact) []string {
	var out []string
	add := func(kind fact.FactKind, row uint32) {
		if row != 0 {
			out = append(out, fmt.Sprintf("%s-%d", kind, row))
		}
	}
	switch f := f.(type) {
	case *fact.Assignment:
		add(fact.FactUser, uint32(f.Assignee.User))
		add(fact.FactGroup, uint32(f.Assignee.Group))
		add(fact.FactRole, uint32(f.Role))
	case *fact.Membership:
		add(fact.FactUser, uint32(f.Member.User))
		add(fact.FactGroup, uint32(f.Member.Group))
		add(fact.FactGroup, uint32(f.Group))
	case *fact.Permission:
		add(fact.FactRole, uint32(f.Role))
	case *fact.Inclusion:
		add(fact.FactRole, uint32(f.Role))
		add(fact.FactRole, uint32(f.Included))
	case *fact.Fence:
		add(fact.FactApplication, uint32(f.Application))
	case *fact.Resource:
		add(fact.FactApplication, uint32(f.Application))
	default:
		add(f.Kind(), f.Row())
	}
	return out
}

func (u *undoing) name(id fact.UserID) string {
	if x := u.head.User(id); x != nil {
		return x.UserName
	}
	return ""
}

// called is what people call a user.
func (u *undoing) called(id fact.UserID) string {
	x := u.head.User(id)
	if x == nil {
		return "somebody"
	}
	if x.DisplayName != "" {
		return x.DisplayName
	}
	return x.UserName
}
