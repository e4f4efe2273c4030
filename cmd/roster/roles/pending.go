package roles

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("users sign-in-link", "USER", "make a one-time link by which a user sets their own password", UsersSignInLink)
	command.Add("pending list", "", "pending changes: those you may make, and those you passed on", PendingList)
	command.Add("pending make", "PENDING_CHANGE", "make a pending change", PendingMake)
	command.Add("pending refuse", "PENDING_CHANGE -why TEXT", "refuse a pending change; its author is told why", PendingRefuse)
	command.Add("pending withdraw", "PENDING_CHANGE", "withdraw a pending change of your own", PendingWithdraw)
	command.Add("refusals list", "", "refused changes of the last 90 days", RefusalsList)
	command.Add("security-log list", "[-user USER]", "who signed in, who tried to, and who was given a way to sign in", SecurityLogList)
}

func PendingList(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	l, err := c.Client.PendingChanges(c.Ctx)
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
					rows = append(rows, []string{what, p.ID, whom, stateOf(c, p), s, p.Reason})
				} else {
					rows = append(rows, []string{"", "", "", "", s, ""})
				}
			}
		}
	}
	add("to make", l.ToMake)
	add("yours", l.Mine)
	c.Table(l, []string{"what", "pending_change", "with", "state", "does", "why"}, rows)
	switch {
	case len(rows) == 0:
		c.Say("No pending change waits for you, and you prepared none.")
	case len(l.ToMake) > 0:
		c.Say("\nroster pending make %s makes it; add -dry-run to see the effect first. roster pending refuse %s -why … refuses it.", l.ToMake[0].ID, l.ToMake[0].ID)
	}
	return nil
}

func PendingMake(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("PART"); err != nil {
		return err
	}
	l, err := c.Client.PendingChanges(c.Ctx)
	if err != nil {
		return err
	}
	for _, p := range append(l.ToMake, l.Mine...) {
		if p.ID != c.Args[0] || len(p.Lines) == 0 {
			continue
		}
		var ops []json.RawMessage
		for _, line := range p.Lines {
			ops = append(ops, line.Operations...)
		}
		own := p.State != "waiting" // of one's own
		if change.Reason == "" {
			if change.Reason = p.Reason; !own {
				change.Reason = preparedBy(p)
			}
		}
		if change.Reference == "" {
			change.Reference = p.Reference
		}
		change.Pending = []string{p.ID}
		return change.Send(c, ops)
	}
	return command.NotThere("no pending change “%s” waits for you. roster pending list shows those that do", c.Args[0])
}

// preparedBy is the reason of a change that makes a pending one.
func preparedBy(p wire.PendingChange) string {
	if p.Round != nil {
		return p.Reason
	}
	return "Passed on by " + p.Author.Label + ": " + p.Reason
}

func PendingRefuse(c *command.Call) error {
	why := c.Flags.String("why", "", "why, for whoever passed it on")
	if err := c.Parse("PART"); err != nil {
		return err
	}
	if *why == "" {
		return command.WrongUse("say why with -why")
	}
	if err := c.Client.RefusePendingChange(c.Ctx, c.Args[0], *why); err != nil {
		return err
	}
	if strings.HasPrefix(c.Args[0], "pending-removal-") {
		c.Done("%s is settled; the access stays.", c.Args[0])
		return nil
	}
	c.Done("%s went back to who passed it on.", c.Args[0])
	return nil
}

func PendingWithdraw(c *command.Call) error {
	if err := c.Parse("PART"); err != nil {
		return err
	}
	if err := c.Client.WithdrawPendingChange(c.Ctx, c.Args[0]); err != nil {
		return err
	}
	c.Done("%s was withdrawn.", c.Args[0])
	return nil
}

func RefusalsList(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	l, err := c.Client.Refusals(c.Ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range l.Refusals {
		rows = append(rows, []string{r.Last.In(c.Zone()).Format("2 Jan 2006 15:04"), r.User.Label, fmt.Sprint(r.Times), r.Via, r.Call, r.Detail})
	}
	c.Table(l, []string{"when", "who", "times", "through", "call", "told"}, rows)
	if len(rows) == 0 {
		c.Say("Nothing was refused in the last 90 days.")
	}
	return nil
}

// SecurityLogList lists who signed in, who tried to, and who was given a way to sign in.
func SecurityLogList(c *command.Call) error {
	user := c.Flags.String("user", "", "only what this user did, or what is about them")
	limit := c.Flags.Int("limit", 50, "how many lines")
	if err := c.Parse(); err != nil {
		return err
	}
	l, err := c.Client.SecurityLog(c.Ctx, client.Query{"user": *user, "limit": strconv.Itoa(*limit)})
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
		rows = append(rows, []string{e.At.In(c.Zone()).Format("2 Jan 2006 15:04:05"), e.Event, name(e.By), name(e.User), e.Address})
	}
	c.Table(l, []string{"when", "what", "by", "about", "from"}, rows)
	c.More(l.Next)
	return nil
}

// UsersSignInLink makes a link by which a user sets their own password.
func UsersSignInLink(c *command.Call) error {
	if err := c.Parse("USER"); err != nil {
		return err
	}
	l, err := c.Client.MakeSignInLink(c.Ctx, c.Args[0])
	if err != nil {
		return err
	}
	address := c.Client.Base + l.Path
	c.Answer(l, func() {
		c.Say("Give %s this link. It sets their password, once, until %s, and is not shown again:", l.User.Label, l.ExpiresAt.In(c.Zone()).Format("2 January 2006 15:04"))
		c.Say("  %s", address)
	}, []string{"user", "link", "expires_at"}, []string{l.User.Key, address, l.ExpiresAt.Format(time.RFC3339)})
	return nil
}
