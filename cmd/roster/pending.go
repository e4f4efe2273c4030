package main

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/wire"
)

func pendingList(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	l, err := c.client.PendingChanges(c.ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	add := func(what string, all []wire.PendingChange) {
		for _, p := range all {
			whom := p.Author.Label
			if what == "yours" {
				whom = ""
				switch {
				case p.To != nil:
					whom = p.To.Label
				case p.Name == "" && p.Due == nil:
					whom = "anybody who may make it"
				}
			}
			does := p.Sentences
			if len(does) == 0 {
				does = []string{""}
			}
			for i, s := range does {
				if i == 0 {
					rows = append(rows, []string{what, p.ID, whom, c.stateOf(p), s, p.Reason})
				} else {
					rows = append(rows, []string{"", "", "", "", s, ""})
				}
			}
		}
	}
	add("to make", l.ToMake)
	add("yours", l.Mine)
	c.table(l, []string{"what", "pending_change", "with", "state", "does", "why"}, rows)
	switch {
	case len(rows) == 0:
		c.say("No pending change waits for you, and you prepared none.")
	case len(l.ToMake) > 0:
		c.say("\nroster pending make %s makes it; add -dry-run to see the effect first. roster pending refuse %s -why … refuses it.", l.ToMake[0].ID, l.ToMake[0].ID)
	}
	return nil
}

func pendingMake(c *call) error {
	change := c.changes()
	if err := c.parse("PART"); err != nil {
		return err
	}
	l, err := c.client.PendingChanges(c.ctx)
	if err != nil {
		return err
	}
	for _, p := range append(l.ToMake, l.Mine...) {
		if p.ID != c.args[0] || len(p.Lines) == 0 {
			continue
		}
		var ops []json.RawMessage
		for _, line := range p.Lines {
			ops = append(ops, line.Operations...)
		}
		own := p.State != "waiting" // of one's own
		if change.reason == "" {
			if change.reason = p.Reason; !own {
				change.reason = preparedBy(p)
			}
		}
		if change.reference == "" {
			change.reference = p.Reference
		}
		change.pending = []string{p.ID}
		return change.send(c, ops)
	}
	return notThere("no pending change “%s” waits for you. roster pending list shows those that do", c.args[0])
}

// preparedBy is the reason of a change that makes a pending one.
func preparedBy(p wire.PendingChange) string {
	if p.Round != nil {
		return p.Reason
	}
	return "Passed on by " + p.Author.Label + ": " + p.Reason
}

func pendingRefuse(c *call) error {
	why := c.flags.String("why", "", "why, for whoever passed it on")
	if err := c.parse("PART"); err != nil {
		return err
	}
	if *why == "" {
		return &usageError{"say why with -why"}
	}
	if err := c.client.RefusePendingChange(c.ctx, c.args[0], *why); err != nil {
		return err
	}
	if strings.HasPrefix(c.args[0], "pending-removal-") {
		c.done("%s is settled; the access stays.", c.args[0])
		return nil
	}
	c.done("%s went back to who passed it on.", c.args[0])
	return nil
}

func pendingWithdraw(c *call) error {
	if err := c.parse("PART"); err != nil {
		return err
	}
	if err := c.client.WithdrawPendingChange(c.ctx, c.args[0]); err != nil {
		return err
	}
	c.done("%s was withdrawn.", c.args[0])
	return nil
}

// passOn passes operations on instead of making them.
func (x *changing) passOnTo(c *call, ops []json.RawMessage, reason string) error {
	p, err := c.client.AddPendingChange(c.ctx, wire.PendingChangeRequest{To: x.passTo, Reason: reason, Reference: x.reference, Lines: []wire.PendingLine{{Operations: ops}}})
	if err != nil {
		return err
	}
	if !c.people() {
		c.table(p, []string{"pending_change", "sentence"}, pairs(p.ID, p.Sentences))
		return nil
	}
	whom := "anybody who may make it"
	if p.To != nil {
		whom = p.To.Label
	}
	c.say("Nothing was changed. Passed on to %s, as %s:", whom, p.ID)
	for _, s := range p.Sentences {
		c.say("  %s", s)
	}
	c.say("It is on their Today page. roster pending list shows what became of it.")
	return nil
}

// makeAt has operations made at a time.
func (x *changing) makeAt(c *call, ops []json.RawMessage, reason string) error {
	t, err := c.instant("at", x.at)
	if err != nil {
		return err
	}
	at, _ := time.Parse(time.RFC3339, t) // instant wrote it
	p, err := c.client.AddPendingChange(c.ctx, wire.PendingChangeRequest{At: &at, Reason: reason, Reference: x.reference, BasedOn: x.basedOn, Acknowledge: x.acknowledge, Lines: []wire.PendingLine{{Operations: ops}}})
	if err != nil {
		return err
	}
	if !c.people() {
		c.table(p, []string{"pending_change", "sentence"}, pairs(p.ID, p.Sentences))
		return nil
	}
	c.say("Nothing was changed yet. %s is made at %s:", p.ID, at.In(c.zone()).Format("2 Jan 2006 15:04"))
	for _, s := range p.Sentences {
		c.say("  %s", s)
	}
	c.say("If its effect is another by then, it comes back to you. roster pending withdraw %s takes it back.", p.ID)
	return nil
}

func refusalsList(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	l, err := c.client.Refusals(c.ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range l.Refusals {
		rows = append(rows, []string{r.Last.In(c.zone()).Format("2 Jan 2006 15:04"), r.User.Label, fmt.Sprint(r.Times), r.Via, r.Call, r.Detail})
	}
	c.table(l, []string{"when", "who", "times", "through", "call", "told"}, rows)
	if len(rows) == 0 {
		c.say("Nothing was refused in the last 90 days.")
	}
	return nil
}

// securityLogList lists who signed in, who tried to, and who was given a way to sign in.
func securityLogList(c *call) error {
	user := c.flags.String("user", "", "only what this user did, or what is about them")
	limit := c.flags.Int("limit", 50, "how many lines")
	if err := c.parse(); err != nil {
		return err
	}
	l, err := c.client.SecurityLog(c.ctx, client.Query{"user": *user, "limit": strconv.Itoa(*limit)})
	if err != nil {
		return err
	}
	name := func(r *wire.Ref) string {
		if r == nil {
			return ""
		}
		return r.Label
	}
	var rows [][]string
	for _, e := range l.Events {
		rows = append(rows, []string{e.At.In(c.zone()).Format("2 Jan 2006 15:04:05"), e.Event, name(e.By), name(e.User), e.Address})
	}
	c.table(l, []string{"when", "what", "by", "about", "from"}, rows)
	if l.Next != "" {
		c.say("There is more: ask for more with -limit.")
	}
	return nil
}

// usersSignInLink makes a link by which a user sets their own password.
func usersSignInLink(c *call) error {
	if err := c.parse("USER"); err != nil {
		return err
	}
	l, err := c.client.MakeSignInLink(c.ctx, c.args[0])
	if err != nil {
		return err
	}
	address := c.client.Base + l.Path
	c.answer(l, func() {
		c.say("Give %s this link. It sets their password, once, until %s, and is not shown again:", l.User.Label, l.ExpiresAt.In(c.zone()).Format("2 January 2006 15:04"))
		c.say("  %s", address)
	}, []string{"user", "link", "expires_at"}, []string{l.User.Key, address, l.ExpiresAt.Format(time.RFC3339)})
	return nil
}
