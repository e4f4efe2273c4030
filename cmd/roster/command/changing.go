package command

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

// Changing are the options of everything that changes.
type Changing struct {
	dryRun      bool
	cursor      string
	Reason      string
	Reference   string
	acknowledge Names
	BasedOn     int64
	passOn      bool
	passTo      string
	Pending     []string
	at          string
}

// Changes adds the options of everything that changes something.
func (c *Call) Changes() *Changing {
	x := &Changing{}
	c.Flags.BoolVar(&x.dryRun, "dry-run", false, "only say what it would do")
	c.Flags.StringVar(&x.cursor, "cursor", "", "with -dry-run: the next page of effects, as the page before named it")
	c.Flags.StringVar(&x.Reason, "reason", "", "why; asked for at a terminal when not given")
	c.Flags.StringVar(&x.Reference, "reference", "", "where the work was asked for, such as the number of a ticket")
	c.Flags.Var(&x.acknowledge, "acknowledge", "a guard rail to pass, by its code; may be given again")
	c.Flags.Int64Var(&x.BasedOn, "based-on", 0, "the revision you looked at: refused when what this builds on has changed since")
	c.Flags.BoolVar(&x.passOn, "pass-on", false, "where you may not make it: pass it on to whoever may")
	c.Flags.StringVar(&x.passTo, "pass-to", "", "the same, to one user")
	c.Flags.StringVar(&x.at, "at", "", "make it at this time and not now: a day or an instant within a year")
	return x
}

func (x *Changing) why(c *Call) (string, error) {
	if x.Reason == "" && !x.dryRun {
		answer, err := c.Ask("Reason: ", false)
		switch answer = strings.TrimSpace(answer); {
		case errors.Is(err, ErrInterrupted):
			return "", err
		case err != nil || answer == "":
			return "", WrongUse("say why with -reason")
		}
		x.Reason = answer
	}
	return x.Reason, nil
}

// Make makes a change of some operations, or shows its effect, and tells what came of it.
func (x *Changing) Make(c *Call, ops ...map[string]any) error {
	var all []json.RawMessage
	for _, op := range ops {
		raw, err := json.Marshal(op)
		if err != nil {
			return err
		}
		all = append(all, raw)
	}
	return x.Send(c, all)
}

// Send is Make for operations that are JSON already.
func (x *Changing) Send(c *Call, ops []json.RawMessage) error {
	reason, err := x.why(c)
	if err != nil {
		return err
	}
	if x.passOn || x.passTo != "" {
		if x.dryRun {
			return WrongUse("-pass-on and -dry-run do not go together")
		}
		return x.passOnTo(c, ops, reason)
	}
	if x.at != "" && !x.dryRun {
		return x.makeAt(c, ops, reason)
	}
	req := wire.ChangeRequest{Reason: reason, Reference: x.Reference, Acknowledge: x.acknowledge, BasedOn: x.BasedOn, Operations: ops, PendingChanges: x.Pending}
	if x.cursor != "" && !x.dryRun {
		return WrongUse("-cursor goes with -dry-run")
	}
	var out wire.ChangeResult
	if x.dryRun {
		out, err = c.Client.Preview(c.Ctx, req, client.Query{"cursor": x.cursor})
	} else {
		out, err = c.Client.Change(c.Ctx, req, false)
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
func (x *Changing) tell(c *Call, r wire.ChangeResult) {
	if !c.People() {
		c.Table(r, effectHeader, effectRows(r.Preview))
		return
	}
	switch {
	case r.DryRun && r.Unchanged && len(r.Sentences) == 0:
		c.Say("Nothing was changed, and nothing would be: everything is so already.")
	case r.DryRun && r.Unchanged:
		c.Say("Nothing was changed, and nothing would be:")
	case r.DryRun && r.Preview != nil && r.Preview.Refused:
		c.Say("Nothing was changed, and it would be refused: see the guard rails below. Without them the ledger would say:")
	case r.DryRun:
		c.Say("Nothing was changed. The ledger would say:")
	case r.Unchanged && len(r.Sentences) == 0:
		c.Say("Nothing to change: everything is so already.")
	case r.Unchanged:
		c.Say("Nothing to change:")
	case r.Repeated:
		c.Say("Done before, as revision %d.", r.Revision)
	default:
		c.Say("Done, as revision %d:", r.Revision)
	}
	for i, s := range r.Sentences {
		if i == mostSentences && len(r.Sentences) > mostSentences+3 {
			c.Say("  … and %d more; -output json has them.", len(r.Sentences)-i)
			break
		}
		var notes []string
		for _, n := range r.Notes {
			if n.Operation == i {
				notes = append(notes, n.Message)
			}
		}
		if notes == nil || !r.Unchanged {
			c.Say("  %s", s)
		}
		for _, n := range notes {
			c.Say("  %s", n)
		}
	}
	if r.Preview != nil && !r.Unchanged {
		c.effect(r.Preview, r.DryRun)
	}
}

func (c *Call) effect(p *wire.Preview, would bool) {
	for _, s := range p.States {
		c.Say("%s", s.Message)
	}
	if len(p.Effects) == 0 && len(p.States) == 0 && !p.Outside {
		c.Say("%s", cmp.Or(c.Unchanged, "No access changes."))
	}
	for i, e := range p.Effects {
		if i == p.EffectCount { // what follows are more of the users of these
			break
		}
		if i == 10 {
			c.Say("… and %d more effects; -output json has them.", p.EffectCount-10)
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
			c.Say("%s %s %s%s:", who, verb, Count(len(side.lines), "entitlement"), early)
			for j, l := range side.lines {
				if j == 12 {
					c.Say("    … and %d more", len(side.lines)-12)
					break
				}
				c.Say("    %s: %s %s%s", l.Application.Label, l.Action, l.Target, c.Conditions(l.Own, l.Schedule, l.From, l.Until, l.When))
			}
		}
	}
	if p.Next != "" && would {
		c.Say("There is more; the next page: -cursor %s", p.Next)
	}
	if p.Outside {
		c.Say("This may also affect people you cannot see.")
	}
	for _, r := range p.Rails {
		c.Say("Guard rail %s: %s", r.Code, r.Message)
	}
}

// Conditions are on what and when something holds, behind a comma each.
// conditions says on what conditions, and when, something is held; when is each of
// several times.
func (c *Call) Conditions(own bool, s *wire.Schedule, from, until *time.Time, when []wire.Window) string {
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
			all = append(all, c.Window(w.From, w.Until))
		}
		return out + " " + strings.Join(all, ", and ")
	}
	if w := c.Window(from, until); w != "" {
		out += " " + w
	}
	return out
}

func (c *Call) who(e wire.Effect) string {
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

// passOn passes operations on instead of making them.
func (x *Changing) passOnTo(c *Call, ops []json.RawMessage, reason string) error {
	p, err := c.Client.AddPendingChange(c.Ctx, wire.PendingChangeRequest{To: x.passTo, Reason: reason, Reference: x.Reference, Lines: []wire.PendingLine{{Operations: ops}}})
	if err != nil {
		return err
	}
	if !c.People() {
		c.Table(p, []string{"pending_change", "sentence"}, pairs(p.ID, p.Sentences))
		return nil
	}
	whom := "anybody who may make it"
	if p.To != nil {
		whom = p.To.Label
	}
	c.Say("Nothing was changed. Passed on to %s, as %s:", whom, p.ID)
	for _, s := range p.Sentences {
		c.Say("  %s", s)
	}
	c.Say("It is on their Today page. roster pending list shows what became of it.")
	return nil
}

// makeAt has operations made at a time.
func (x *Changing) makeAt(c *Call, ops []json.RawMessage, reason string) error {
	t, err := c.Instant("at", x.at)
	if err != nil {
		return err
	}
	at, _ := time.Parse(time.RFC3339, t) // instant wrote it
	p, err := c.Client.AddPendingChange(c.Ctx, wire.PendingChangeRequest{At: &at, Reason: reason, Reference: x.Reference, BasedOn: x.BasedOn, Acknowledge: x.acknowledge, Lines: []wire.PendingLine{{Operations: ops}}})
	if err != nil {
		return err
	}
	if !c.People() {
		c.Table(p, []string{"pending_change", "sentence"}, pairs(p.ID, p.Sentences))
		return nil
	}
	c.Say("Nothing was changed yet. %s is made at %s:", p.ID, at.In(c.Zone()).Format("2 Jan 2006 15:04"))
	for _, s := range p.Sentences {
		c.Say("  %s", s)
	}
	c.Say("If its effect is another by then, it comes back to you. roster pending withdraw %s takes it back.", p.ID)
	return nil
}
