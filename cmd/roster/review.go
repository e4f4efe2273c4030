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
		rows = append(rows, []string{r.Key, r.Label, r.Scope, r.Reviewers, fmt.Sprintf("%d of %d", r.Decided, r.Lines), fmt.Sprint(r.Mine), r.State})
	}
	c.table(all, []string{"key", "label", "looks_at", "reviewed_by", "decided", "for_you", "state"}, rows)
	if len(rows) == 0 {
		c.say("There is no review%s.", c.asOfWords(all.Stand))
	}
	return nil
}

func reviewOpen(c *call) error {
	label := c.flags.String("label", "", "what people call it")
	app := c.flags.String("application", "", "who holds what in this application")
	group := c.flags.String("group", "", "what the members of this group hold")
	where := c.flags.String("where", "", "what those hold whom this filter over users' facts chooses")
	reviewers := c.flags.String("reviewers", "", "manager, owner, or user:NAME,NAME")
	change := c.changes()
	if err := c.parse("KEY"); err != nil {
		return err
	}
	op := map[string]any{"op": "open_round", "key": c.args[0], "label": *label, "application": *app, "group": *group, "filter": *where}
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
		rows = append(rows, []string{p.Reviewer.Label, fmt.Sprintf("%d of %d", p.Decided, p.Lines)})
	}
	c.table(r, []string{"reviewer", "decided"}, rows)
	c.say("%s looks at %s, as it was in revision %d (%s). %d of %s decided, %d to revoke; it is %s.", r.Label, r.Scope, r.Fixed,
		c.day(&r.FixedAt), r.Decided, count(r.Lines, "line"), r.ToRevoke, r.State)
	return nil
}

func reviewLines(c *call) error {
	c.reads()
	mine := c.flags.Bool("mine", false, "only those you may decide on")
	undecided := c.flags.Bool("undecided", false, "only those without a verdict")
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
	all, err := c.client.ReviewLines(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, l := range all.Lines {
		since := ""
		if l.Since != nil {
			since = c.day(&l.Since.At) + ": " + l.Since.Reason
		}
		verdict := l.Verdict
		if verdict == "" && l.Gone {
			verdict = "ended since"
		}
		rows = append(rows, []string{first(l.User.Key, l.User.Label), first(l.Role.Key, l.Role.Label), pathWords(l.Path), since,
			fmt.Sprintf("%d of %d", l.Peers, l.Unitmates), strings.Join(l.Conflicts, ", "), verdict})
	}
	c.table(all, []string{"user", "role", "because", "since", "unit_too", "conflict", "verdict"}, rows)
	c.say("%d of %s.", len(rows), count(all.Total, "line"))
	return nil
}

// decideLines decides on the lines of a user's roles, or on all that wait for the
// caller.
func decideLines(c *call, keep bool) error {
	allMine := c.flags.Bool("all-mine", false, "all lines that still wait for you")
	change := c.changes()
	if err := c.parseSome(1, "ROUND", "USER", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE"); err != nil {
		return err
	}
	if *allMine == (len(c.args) > 2) {
		return &usageError{"name a user and roles, or say -all-mine"}
	}
	var lines []map[string]string
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
		page, err := c.client.ReviewLines(c.ctx, c.args[0], q)
		if err != nil {
			return err
		}
		for _, l := range page.Lines {
			if wanted(l, c.args, *allMine) {
				lines = append(lines, map[string]string{"user": l.User.ID, "assignment": l.Assignment})
				delete(left, l.Role.Key)
			}
		}
		if q["cursor"] = page.Next; page.Next == "" {
			break
		}
	}
	for r := range left {
		return notThere("there is no line of %s with the role %s for you to decide on; roster review lines %s -mine shows yours", c.args[1], r, c.args[0])
	}
	if len(lines) == 0 {
		c.say("No line waits for you.")
		return nil
	}
	return change.make(c, map[string]any{"op": "review_lines", "round": c.args[0], "lines": lines, "keep": keep})
}

func wanted(l wire.ReviewLine, args []string, all bool) bool {
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

func reviewKeep(c *call) error   { return decideLines(c, true) }
func reviewRevoke(c *call) error { return decideLines(c, false) }

func reviewSignOff(c *call) error {
	change := c.changes()
	if err := c.parse("ROUND"); err != nil {
		return err
	}
	return change.make(c, map[string]any{"op": "sign_off", "round": c.args[0]})
}
