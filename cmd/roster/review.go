package main

import (
	"fmt"
	"strings"

	"ableroster/client"
	"ableroster/wire"
)

func reviewList(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.client.Reviews(c.ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Rounds {
		rows = append(rows, []string{r.Key, r.Label, r.Scope, r.Reviewers, fmt.Sprintf("%d of %d", r.Decided, r.Items), fmt.Sprint(r.Mine), r.State})
	}
	c.table(all, []string{"key", "label", "looks_at", "reviewed_by", "decided", "for_you", "state"}, rows)
	if len(rows) == 0 {
		c.say("There is no review%s.", c.asOfWords(all.Basis))
	}
	return nil
}

func reviewOpen(c *call) error {
	o := c.operation("open_round", "key", "reviewers", "users")
	reviewers := c.flags.String("reviewers", "", "manager, owner, or user:NAME,NAME")
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	op, _ := o.with(map[string]any{"key": c.args[0]})
	whose, names, named := strings.Cut(*reviewers, ":")
	op["reviewers"] = whose
	if named && whose == "user" {
		op["reviewers"], op["users"] = "users", strings.Split(names, ",")
	}
	return change.make(c, op)
}

func reviewShow(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{}, "ROUND")
	if err != nil {
		return err
	}
	r, err := c.client.Review(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, p := range r.Progress {
		rows = append(rows, []string{p.Reviewer.Label, fmt.Sprintf("%d of %d", p.Decided, p.Items)})
	}
	c.table(r, []string{"reviewer", "decided"}, rows)
	c.say("%s looks at %s, as it was in revision %d (%s). %d of %s decided, %d to revoke; it is %s.", r.Label, r.Scope, r.Fixed,
		c.day(&r.FixedAt), r.Decided, count(r.Items, "item"), r.ToRevoke, r.State)
	return nil
}

func reviewItems(c *call) error {
	c.reads()
	mine := c.flags.Bool("mine", false, "only those you may decide on")
	undecided := c.flags.Bool("undecided", false, "only those without a decision")
	limit := c.flags.Int("limit", 100, "at most so many")
	if err := c.parse("ROUND"); err != nil {
		return err
	}
	q, err := c.at(client.Query{"limit": fmt.Sprint(*limit)})
	if err != nil {
		return err
	}
	if *mine {
		q["mine"] = "true"
	}
	if *undecided {
		q["undecided"] = "true"
	}
	all, err := c.client.ReviewItems(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, l := range all.Items {
		since := ""
		if l.Since != nil {
			since = c.day(&l.Since.At) + ": " + l.Since.Reason
		}
		said := l.Decision
		if said == "" && l.Gone {
			said = "ended since"
		}
		rows = append(rows, []string{first(l.User.Key, l.User.Label), first(l.Role.Key, l.Role.Label), pathWords(l.Path), since,
			fmt.Sprintf("%d of %d", l.Peers, l.Unitmates), strings.Join(l.SoDRules, ", "), said})
	}
	c.table(all, []string{"user", "role", "because", "since", "unit_too", "sod_rule", "decision"}, rows)
	c.say("%d of %s.", len(rows), count(all.Total, "item"))
	return nil
}

// decideItems decides on the items of a user's roles, or on all that wait for the
// caller.
func decideItems(c *call, keep bool) error {
	allMine := c.flags.Bool("all-mine", false, "all items that still wait for you")
	change := c.changes()
	if err := c.parseSome(1, "ROUND", "USER", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE"); err != nil {
		return err
	}
	if *allMine == (len(c.args) > 2) {
		return &usageError{"name a user and roles, or say -all-mine"}
	}
	var items []map[string]string
	left := map[string]bool{}
	if len(c.args) > 2 {
		for _, r := range c.args[2:] {
			left[r] = true
		}
	}
	q := client.Query{"mine": "true", "limit": "500"}
	if *allMine {
		q["undecided"] = "true"
	}
	for {
		page, err := c.client.ReviewItems(c.ctx, c.args[0], q)
		if err != nil {
			return err
		}
		for _, l := range page.Items {
			if wanted(l, c.args, *allMine) {
				items = append(items, map[string]string{"user": l.User.ID, "assignment": l.Assignment})
				delete(left, l.Role.Key)
			}
		}
		if q["cursor"] = page.Next; page.Next == "" {
			break
		}
	}
	for r := range left {
		return notThere("there is no item of %s with the role %s for you to decide on; roster review items %s -mine shows yours", c.args[1], r, c.args[0])
	}
	if len(items) == 0 {
		c.say("No item waits for you.")
		return nil
	}
	return change.make(c, map[string]any{"op": "decide_items", "round": c.args[0], "items": items, "keep": keep})
}

func wanted(l wire.ReviewItem, args []string, all bool) bool {
	if l.Gone {
		return false
	}
	if all {
		return true
	}
	if l.User.Key != args[1] && l.User.ID != args[1] {
		return false
	}
	for _, r := range args[2:] {
		if l.Role.Key == r {
			return true
		}
	}
	return false
}

func reviewKeep(c *call) error   { return decideItems(c, true) }
func reviewRevoke(c *call) error { return decideItems(c, false) }

func reviewSignOff(c *call) error {
	change := c.changes()
	if err := c.parse("ROUND"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "sign_off", "round": c.args[0]})
}
