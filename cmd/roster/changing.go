package main

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/wire"
)

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
