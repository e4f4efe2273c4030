package main

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/internal/calendar"
	"ableroster/wire"
)

// names gathers a flag that may be given several times.
type names []string

func (n *names) String() string     { return strings.Join(*n, ",") }
func (n *names) Set(s string) error { *n = append(*n, s); return nil }

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	if what == "person" {
		return strconv.Itoa(n) + " people"
	}
	return strconv.Itoa(n) + " " + what + "s"
}

func (c *call) asOfWords(s wire.Basis) string {
	if !s.AsOf {
		return ""
	}
	return ", as of " + s.At.In(c.zone()).Format("2 January 2006 15:04") + fmt.Sprintf(" (revision %d)", s.Revision)
}

func (c *call) window(from, until *time.Time) string {
	out := ""
	if from != nil {
		out = "from " + calendar.FromWords(*from, c.zone())
	}
	if until != nil {
		out = strings.TrimSpace(out + " until " + calendar.UntilWords(*until, c.zone()))
	}
	return out
}

func usersShow(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{}, "USER")
	if err != nil {
		return err
	}
	u, err := c.client.User(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	if c.output != "table" {
		rows := [][]string{}
		for _, g := range u.Groups {
			rows = append(rows, []string{"group", g.Group.Key, g.Group.Label, c.window(g.From, g.Until), throughGroup(g)})
		}
		for _, a := range u.Assignments {
			rows = append(rows, []string{"role", a.Role.Key, a.Role.Label, c.limits(a), given(a.Given)})
		}
		c.table(u, []string{"kind", "key", "label", "window", "note"}, rows)
		return nil
	}
	c.say("%s (%s)%s", u.DisplayName, u.UserName, c.asOfWords(u.Basis))
	line := []string{u.Kind, u.Status}
	for _, s := range []string{u.Title, u.Unit, u.EmploymentType, u.Location, u.Email} {
		if s != "" {
			line = append(line, s)
		}
	}
	if u.Manager != nil {
		line = append(line, "reports to "+u.Manager.Label)
	}
	if u.EndDate != "" {
		line = append(line, "last day "+u.EndDate)
	}
	for _, key := range slices.Sorted(maps.Keys(u.Custom)) {
		line = append(line, key+" "+u.Custom[key])
	}
	c.say("  %s", strings.Join(line, " · "))
	c.say("\nGroups")
	for _, g := range u.Groups {
		c.say("  %-28s %s", g.Group.Key, strings.TrimSpace(g.Group.Label+" "+throughGroup(g)+" "+c.window(g.From, g.Until)))
	}
	if len(u.Groups) == 0 {
		c.say("  none")
	}
	c.say("\nRoles held directly")
	for _, a := range u.Assignments {
		c.say("  %-28s %s", a.Role.Key, strings.TrimSpace(a.Role.Label+" "+c.limits(a)+" "+given(a.Given)))
	}
	if len(u.Assignments) == 0 {
		c.say("  none")
	}
	return nil
}

func throughGroup(g wire.Membership) string {
	if g.Rule != "" {
		return "(chosen by " + g.Rule + ")"
	}
	if g.Through == nil {
		return ""
	}
	return "(through " + g.Through.Label + ")"
}

func given(g *wire.Given) string {
	if g == nil || g.At.IsZero() {
		return ""
	}
	by := "the host"
	if g.By != nil {
		by = g.By.Label
	}
	return fmt.Sprintf("· given by %s on %s: %s", by, g.At.Format("2 Jan 2006"), g.Reason)
}

// setFlags adds the option that sets declared attributes; give writes what was given into
// an operation.
func setFlags(c *call) (give func(op map[string]any) error) {
	var custom names
	c.flags.Var(&custom, "set", "a declared attribute: KEY=VALUE, blank after = to clear; may be given again")
	return func(op map[string]any) error {
		values := map[string]string{}
		for _, s := range custom {
			key, value, ok := strings.Cut(s, "=")
			if !ok {
				return &usageError{"-set is KEY=VALUE, such as cost_centre=4711"}
			}
			values[key] = value
		}
		if len(values) > 0 {
			op["custom"] = values
		}
		return nil
	}
}

func usersChange(c *call) error {
	o := c.operation("update_user", "user")
	give, unit := setFlags(c), newUnit(c)
	change := c.changes()
	if err := c.parse("USER"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"user": c.args[0]})
	if err := give(op); err != nil {
		return err
	}
	if len(op) == 2 {
		return &usageError{"says nothing to change; give -unit, -title, -status …"}
	}
	ops, err := unit(op)
	if err != nil {
		return err
	}
	return change.make(c, append(ops, op)...)
}

func usersDepart(c *call) error {
	to := c.flags.String("hand-over-to", "", "user name of whoever takes over what they answer for, and the people who report to them")
	day := c.flags.String("last-day", "", "their last day, YYYY-MM-DD")
	change := c.changes()
	if err := c.parse("USER"); err != nil {
		return err
	}
	var ops []map[string]any
	if *to != "" {
		ops = append(ops, map[string]any{"op": "hand_over", "user": c.args[0], "to": *to})
	}
	op := map[string]any{"op": "update_user", "user": c.args[0], "status": "departed"}
	if *day != "" {
		op["end_date"] = *day
	}
	return change.make(c, append(ops, op)...)
}

func usersErase(c *call) error {
	change := c.changes()
	if err := c.parse("USER"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "erase_user", "user": c.args[0]})
}

func usersAdd(c *call) error { return addUser(c, "") }

// addUser adds a user, with a status where one is given.
func addUser(c *call, status string) error {
	o := c.operation("add_user", "user_name", "status")
	give, unit := setFlags(c), newUnit(c)
	var roles, groups names
	c.flags.Var(&roles, "role", "a role to grant in the same change; may be given again")
	c.flags.Var(&groups, "group", "a group to put the user into in the same change; may be given again")
	change := c.changes()
	if err := c.parse("USER_NAME"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"user_name": c.args[0]})
	if status != "" {
		op["status"] = status
	}
	if err := give(op); err != nil {
		return err
	}
	ops, err := unit(op)
	if err != nil {
		return err
	}
	ops = append(ops, op)
	for _, g := range groups {
		ops = append(ops, map[string]any{"op": "add_member", "group": g, "user": c.args[0]})
	}
	for _, r := range roles {
		ops = append(ops, map[string]any{"op": "grant", "role": r, "user": c.args[0]})
	}
	return change.make(c, ops...)
}

// changing are the options of everything that changes.
type changing struct {
	dryRun      bool
	cursor      string
	reason      string
	reference   string
	acknowledge names
	basedOn     int64
	passOn      bool
	passTo      string
	pending     []string
	at          string
}

func (c *call) changes() *changing {
	x := &changing{}
	c.flags.BoolVar(&x.dryRun, "dry-run", false, "only say what it would do")
	c.flags.StringVar(&x.cursor, "cursor", "", "with -dry-run: the next page of effects, as the page before named it")
	c.flags.StringVar(&x.reason, "reason", "", "why; asked for at a terminal when not given")
	c.flags.StringVar(&x.reference, "reference", "", "where the work was asked for, such as the number of a ticket")
	c.flags.Var(&x.acknowledge, "acknowledge", "a guard rail to pass, by its code; may be given again")
	c.flags.Int64Var(&x.basedOn, "based-on", 0, "the revision you looked at: refused when what this builds on has changed since")
	c.flags.BoolVar(&x.passOn, "pass-on", false, "where you may not make it: pass it on to whoever may")
	c.flags.StringVar(&x.passTo, "pass-to", "", "the same, to one user")
	c.flags.StringVar(&x.at, "at", "", "make it at this time and not now: a day or an instant within a year")
	return x
}

func (x *changing) why(c *call) (string, error) {
	if x.reason == "" && !x.dryRun {
		answer, err := c.ask("Reason: ", false)
		switch answer = strings.TrimSpace(answer); {
		case errors.Is(err, errInterrupted):
			return "", err
		case err != nil || answer == "":
			return "", &usageError{"say why with -reason"}
		}
		x.reason = answer
	}
	return x.reason, nil
}

func (x *changing) make(c *call, ops ...map[string]any) error {
	var all []json.RawMessage
	for _, op := range ops {
		raw, err := json.Marshal(op)
		if err != nil {
			return err
		}
		all = append(all, raw)
	}
	return x.send(c, all)
}

func (x *changing) send(c *call, ops []json.RawMessage) error {
	reason, err := x.why(c)
	if err != nil {
		return err
	}
	if x.passOn || x.passTo != "" {
		if x.dryRun {
			return &usageError{"-pass-on and -dry-run do not go together"}
		}
		return x.passOnTo(c, ops, reason)
	}
	if x.at != "" && !x.dryRun {
		return x.makeAt(c, ops, reason)
	}
	req := wire.ChangeRequest{Reason: reason, Reference: x.reference, Acknowledge: x.acknowledge, BasedOn: x.basedOn, Operations: ops, PendingChanges: x.pending}
	if x.cursor != "" && !x.dryRun {
		return &usageError{"-cursor goes with -dry-run"}
	}
	var out wire.ChangeResult
	if x.dryRun {
		out, err = c.client.Preview(c.ctx, req, client.Query{"cursor": x.cursor})
	} else {
		out, err = c.client.Change(c.ctx, req, false)
	}
	if err != nil {
		return err
	}
	x.tell(c, out)
	return refusedFor(out)
}

// mostSentences is how many operations a person is told of one by one.
const mostSentences = 25

// tell says what a change did, or would do.
func (x *changing) tell(c *call, r wire.ChangeResult) {
	if !c.people() {
		c.table(r, effectHeader, effectRows(r.Preview))
		return
	}
	switch {
	case r.DryRun && r.Unchanged && len(r.Sentences) == 0:
		c.say("Nothing was changed, and nothing would be: everything is so already.")
	case r.DryRun && r.Unchanged:
		c.say("Nothing was changed, and nothing would be:")
	case r.DryRun && r.Preview != nil && r.Preview.Refused:
		c.say("Nothing was changed, and it would be refused: see the guard rails below. Without them the ledger would say:")
	case r.DryRun:
		c.say("Nothing was changed. The ledger would say:")
	case r.Unchanged && len(r.Sentences) == 0:
		c.say("Nothing to change: everything is so already.")
	case r.Unchanged:
		c.say("Nothing to change:")
	case r.Repeated:
		c.say("Done before, as revision %d.", r.Revision)
	default:
		c.say("Done, as revision %d:", r.Revision)
	}
	for i, s := range r.Sentences {
		if i == mostSentences && len(r.Sentences) > mostSentences+3 {
			c.say("  … and %d more; -output json has them.", len(r.Sentences)-i)
			break
		}
		var notes []string
		for _, n := range r.Notes {
			if n.Operation == i {
				notes = append(notes, n.Message)
			}
		}
		if notes == nil || !r.Unchanged {
			c.say("  %s", s)
		}
		for _, n := range notes {
			c.say("  %s", n)
		}
	}
	if r.Preview != nil && !r.Unchanged {
		c.effect(r.Preview, r.DryRun)
	}
}

func (c *call) effect(p *wire.Preview, would bool) {
	for _, s := range p.States {
		c.say("%s", s.Message)
	}
	if len(p.Effects) == 0 && len(p.States) == 0 && !p.Outside {
		c.say("%s", cmp.Or(c.unchanged, "No access changes."))
	}
	for i, e := range p.Effects {
		if i == p.EffectCount { // what follows are more of the users of these
			break
		}
		if i == 10 {
			c.say("… and %d more effects; -output json has them.", p.EffectCount-10)
			break
		}
		who := c.who(e)
		for _, side := range []struct {
			verb  string
			lines []wire.Entitlement
		}{{"gain", e.Gained}, {"lose", e.Lost}} {
			if len(side.lines) == 0 {
				continue
			}
			verb := side.verb
			if !would && e.UserCount == 1 {
				verb += "s"
			}
			if would {
				verb = "would " + verb
			}
			early := ""
			if e.EndEarly > 0 {
				early = fmt.Sprintf(" (%d of them until their own last day)", e.EndEarly)
			}
			c.say("%s %s %s%s:", who, verb, count(len(side.lines), "entitlement"), early)
			for j, l := range side.lines {
				if j == 12 {
					c.say("    … and %d more", len(side.lines)-12)
					break
				}
				c.say("    %s: %s %s%s", l.Application.Label, l.Action, l.Target, c.conditions(l.Own, l.Schedule, l.From, l.Until, l.When))
			}
		}
	}
	if p.Next != "" && would {
		c.say("There is more; the next page: -cursor %s", p.Next)
	}
	if p.Outside {
		c.say("This may also affect people you cannot see.")
	}
	for _, r := range p.Rails {
		c.say("Guard rail %s: %s", r.Code, r.Message)
	}
}

// conditions are on what and when something holds, behind a comma each.
// conditions says on what conditions, and when, something is held; when is each of
// several times.
func (c *call) conditions(own bool, s *wire.Schedule, from, until *time.Time, when []wire.Window) string {
	out := ""
	if own {
		out += ", their own"
	}
	if s != nil {
		out += ", " + s.Words
	}
	if len(when) > 0 {
		var all []string
		for _, w := range when {
			all = append(all, c.window(w.From, w.Until))
		}
		return out + " " + strings.Join(all, ", and ")
	}
	if w := c.window(from, until); w != "" {
		out += " " + w
	}
	return out
}

func (c *call) who(e wire.Effect) string {
	var labels []string
	for i, u := range e.Users {
		if i == 3 {
			break
		}
		labels = append(labels, u.Label)
	}
	s := strings.Join(labels, ", ")
	if e.UserCount > len(labels) {
		s += fmt.Sprintf(" and %d more", e.UserCount-len(labels))
	}
	return s
}
