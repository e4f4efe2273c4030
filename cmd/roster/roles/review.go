package roles

import (
	"fmt"
	"slices"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("review list", "", "review rounds", ReviewList)
	command.Add("review open", "KEY (-application APP | -group GROUP | -where FILTER | -person USER…) [-by-hand] -reviewers manager|owner|user:NAME,…", "open a review round", ReviewOpen)
	command.Add("review show", "ROUND", "one round, and how far each reviewer is", ReviewShow)
	command.Add("review items", "ROUND [-mine] [-undecided]", "the items of a round, each with why it is held", ReviewItems)
	command.Add("review keep", "ROUND USER ROLE… | -all-mine", "decide that items are kept", ReviewKeep)
	command.Add("review revoke", "ROUND USER ROLE…", "decide that items are revoked at the sign-off", ReviewRevoke)
	command.Add("review sign-off", "ROUND", "sign a round off: revoke, and leave pending removals for what groups and rules give", ReviewSignOff)
}

func ReviewList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Reviews(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Rounds {
		rows = append(rows, []string{r.Key, r.Label, r.Scope, r.Reviewers, fmt.Sprintf("%d of %d", r.Decided, r.Items), fmt.Sprint(r.Mine), r.State})
	}
	c.Table(all, []string{"key", "label", "looks_at", "reviewed_by", "decided", "for_you", "state"}, rows)
	if len(rows) == 0 {
		c.Say("There is no review%s.", c.AsOfWords(all.Basis))
	}
	return nil
}

func ReviewOpen(c *command.Call) error {
	o := c.Operation("open_round", "key", "reviewers", "users")
	reviewers := c.Flags.String("reviewers", "", "manager, unit_head, owner, or user:NAME,NAME")
	change := c.Changes()
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"key": c.Args[0]})
	whose, names, named := strings.Cut(*reviewers, ":")
	op["reviewers"] = whose
	if named && whose == "user" {
		op["reviewers"], op["users"] = "users", strings.Split(names, ",")
	}
	return change.Make(c, op)
}

func ReviewShow(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{}, "ROUND")
	if err != nil {
		return err
	}
	r, err := c.Client.Review(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, p := range r.Progress {
		rows = append(rows, []string{p.Reviewer.Label, fmt.Sprintf("%d of %d", p.Decided, p.Items)})
	}
	c.Table(r, []string{"reviewer", "decided"}, rows)
	c.Say("%s looks at %s, as it was in revision %d (%s). %d of %s decided, %d to revoke; it is %s.", r.Label, r.Scope, r.Fixed,
		c.Day(&r.FixedAt), r.Decided, command.Count(r.Items, "item"), r.ToRevoke, r.State)
	return nil
}

func ReviewItems(c *command.Call) error {
	c.Reads()
	mine := c.Flags.Bool("mine", false, "only those you may decide on")
	undecided := c.Flags.Bool("undecided", false, "only those left to decide on")
	limit := c.Flags.Int("limit", 100, "at most so many")
	if err := c.Parse("ROUND"); err != nil {
		return err
	}
	q, err := c.At(client.Query{"limit": fmt.Sprint(*limit)})
	if err != nil {
		return err
	}
	if *mine {
		q["mine"] = "true"
	}
	if *undecided {
		q["undecided"] = "true"
	}
	all, err := c.Client.ReviewItems(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, l := range all.Items {
		since := ""
		if l.Since != nil {
			since = c.Day(&l.Since.At) + ": " + l.Since.Reason
		}
		said := l.Decision
		if said == "" && l.Gone {
			said = "ended since"
		}
		if l.For != nil {
			said += ", in the place of " + l.For.Label
		}
		rows = append(rows, []string{sharedWith(l), command.First(l.Role.Key, l.Role.Label), command.PathWords(l.Path), since,
			fmt.Sprintf("%d of %d", l.Peers, l.Unitmates), strings.Join(l.SoDRules, ", "), said})
	}
	c.Table(all, []string{"user", "role", "because", "since", "unit_too", "sod_rule", "decision"}, rows)
	defer c.More(all.Next)
	c.Say("%d of %s.", len(rows), command.Count(all.Total, "item"))
	return nil
}

// decideItems decides on the items of a user's roles, or on all that wait for the
// caller.
func decideItems(c *command.Call, keep bool) error {
	allMine := c.Flags.Bool("all-mine", false, "all items that still wait for you")
	change := c.Changes()
	if err := c.ParseSome(1, "ROUND", "USER", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE", "ROLE"); err != nil {
		return err
	}
	if *allMine == (len(c.Args) > 2) {
		return command.WrongUse("name a user and roles, or say -all-mine")
	}
	var items []map[string]string
	left := map[string]bool{}
	if len(c.Args) > 2 {
		for _, r := range c.Args[2:] {
			left[r] = true
		}
	}
	q := client.Query{"mine": "true", "limit": "500"}
	if *allMine {
		q["undecided"] = "true"
	}
	for {
		page, err := c.Client.ReviewItems(c.Ctx, c.Args[0], q)
		if err != nil {
			return err
		}
		for _, l := range page.Items {
			if wanted(l, c.Args, *allMine) {
				items = append(items, itemsOf(l)...)
				delete(left, l.Role.Key)
			}
		}
		if q["cursor"] = page.Next; page.Next == "" {
			break
		}
	}
	for r := range left {
		return command.NotThere("there is no item of %s with the role %s for you to decide on; roster review items %s -mine shows yours", c.Args[1], r, c.Args[0])
	}
	if len(items) == 0 {
		c.Say("No item waits for you.")
		return nil
	}
	return change.Make(c, map[string]any{"op": "decide_items", "round": c.Args[0], "items": items, "keep": keep})
}

func wanted(l wire.ReviewItem, args []string, all bool) bool {
	if l.Gone {
		return false
	}
	if all {
		return true
	}
	is := func(u wire.Ref) bool { return u.Key == args[1] || u.ID == args[1] }
	if !is(l.User) && (l.Shared == nil || !slices.ContainsFunc(l.Shared.With, func(x wire.SharedWith) bool { return is(x.User) })) {
		return false
	}
	for _, r := range args[2:] {
		if l.Role.Key == r {
			return true
		}
	}
	return false
}

// itemsOf are what an operation names to decide on an item: each with whom it is shared, where
// it is.
func itemsOf(l wire.ReviewItem) (out []map[string]string) {
	if l.Shared == nil {
		return []map[string]string{{"user": l.User.ID, "assignment": l.Assignment}}
	}
	for _, x := range l.Shared.With {
		if x.Mine {
			out = append(out, map[string]string{"user": x.User.ID, "assignment": x.Assignment})
		}
	}
	return out
}

// sharedWith is whom an item is about: the first three with whom it is shared, and how many more.
func sharedWith(l wire.ReviewItem) string {
	if l.Shared == nil {
		return command.First(l.User.Key, l.User.Label)
	}
	var names []string
	for _, x := range l.Shared.With[:min(3, len(l.Shared.With))] {
		names = append(names, command.First(x.User.Key, x.User.Label))
	}
	text := strings.Join(names, ", ")
	if more := len(l.Shared.With) - len(names); more > 0 {
		text += fmt.Sprintf(" and %d more", more)
	}
	return text + " (shared within " + l.Shared.Path + ")"
}

func ReviewKeep(c *command.Call) error   { return decideItems(c, true) }
func ReviewRevoke(c *command.Call) error { return decideItems(c, false) }

func ReviewSignOff(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("ROUND"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "sign_off", "round": c.Args[0]})
}
