package roles

import (
	"fmt"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/internal/calendar"
	"ableroster/wire"
)

func init() {
	command.Add("today", "", "what is waiting for you", Today)
	command.Add("catalogue list", "[TEXT] [-for USER]", "the access catalogue: requestable roles, found by what one wants to do", CatalogueList)
	command.Add("request", "ROLE [-for USER] [-until TIME] -reason TEXT", "request access: a role, for yourself or one of your people", RequestAccess)
	command.Add("requests", "[-waiting] [-mine] [-to-decide]", "requests of yours, those you decide on, and those you may read", Requests)
	command.Add("requests show", "REQUEST", "one request: its steps, and what it would give", RequestsShow)
	command.Add("decide", "REQUEST approve|refuse [-until TIME] -reason TEXT", "decide on a request; -until and -within give less than was asked", Decide)
	command.Add("withdraw", "REQUEST -reason TEXT", "withdraw a request", Withdraw)
	command.Add("routes list", "", "approval routes", RoutesList)
	command.Add("routes set", "KEY STEP…", "add or edit an approval route; a step is manager, owner, group:KEY, all:KEY or user:NAME,NAME", RoutesSet)
	command.Add("catalogue add", "ROLE ROUTE WORDS [-max-days DAYS]", "make a role requestable", CatalogueAdd)
	command.Add("catalogue translate", "ROLE LANGUAGE [-label TEXT] [-words TEXT]", "describe a requestable role in another language, for those who read it; without either, remove that description", CatalogueTranslate)
	command.Add("catalogue remove", "ROLE", "make a role no longer requestable", CatalogueRemove)
}

func Today(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	t, err := c.Client.Today(c.Ctx)
	if err != nil {
		return err
	}
	pending, err := c.Client.PendingChanges(c.Ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, part := range []struct {
		what string
		all  []wire.Request
	}{{"to decide", t.ToDecide}, {"your own", t.Mine}, {"waits for nobody", t.Stuck}} {
		for _, r := range part.all {
			rows = append(rows, append([]string{part.what}, requestRow(r)...))
		}
	}
	for _, r := range t.Reviews {
		rows = append(rows, []string{"to review", r.Key, "", "", command.Count(r.Items, "item"), "", r.Label})
	}
	for _, p := range pending.ToMake {
		rows = append(rows, []string{"pending change", p.ID, "", "", "", p.Author.Label, command.First(p.Sentences...)})
	}
	for _, e := range t.Ending {
		rows = append(rows, []string{"ends soon", "", e.Role.Label, "you", "until " + calendar.UntilWords(e.Until, c.Zone()), "", ""})
	}
	c.Table(t, append([]string{"what"}, requestHeader...), rows)
	if len(rows) == 0 {
		c.Say("Nothing waits for you.")
	}
	return nil
}

var requestHeader = []string{"request", "role", "for", "state", "waits_for", "why"}

func requestRow(r wire.Request) []string {
	waits := ""
	for _, s := range r.Steps {
		if s.State == "current" {
			waits = s.Words
			if len(s.Deciders) == 0 {
				waits += " (nobody)"
			} else if len(s.Deciders) <= 3 {
				waits = command.Labels(s.Deciders)
			}
		}
	}
	why := ""
	if r.Asked != nil {
		why = r.Asked.Reason
	}
	return []string{r.ID, r.Role.Label, r.Beneficiary.Label, r.State, waits, why}
}

func CatalogueList(c *command.Call) error {
	who := c.Flags.String("for", "", "one of your people, by user name")
	if err := c.ParseSome(0, "TEXT"); err != nil {
		return err
	}
	q := client.Query{"user": *who}
	if len(c.Args) > 0 {
		q["q"] = c.Args[0]
	}
	all, err := c.Client.Catalogue(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, o := range all.Roles {
		state := ""
		switch {
		case o.Held:
			state = "held already"
		case o.Waiting != "":
			state = "requested, " + o.Waiting
		}
		atMost := "no end"
		if o.MaxDays > 0 {
			atMost = command.Count(o.MaxDays, "day")
		}
		rows = append(rows, []string{o.Words, command.First(o.Role.Key, o.Role.Label), atMost, strings.Join(o.Steps, ", then "), state})
	}
	c.Table(all, []string{"to", "role", "for_at_most", "approved_by", "state"}, rows)
	if len(rows) == 0 {
		c.Say("No requestable role matches. roster catalogue list without a text shows all of them.")
	}
	return nil
}

func RequestAccess(c *command.Call) error {
	c.Unchanged = "No access changes until it is approved."
	who := c.Flags.String("for", "", "one of your people, by user name")
	from := c.Flags.String("from", "", "a day or an instant from which it shall hold")
	until := c.Flags.String("until", "", "the last day, or an instant until which it shall hold")
	var within command.Names
	c.Flags.Var(&within, "within", "only what a pattern covers, as application:pattern; may be given again")
	change := c.Changes()
	if err := c.Parse("ROLE"); err != nil {
		return err
	}
	op := map[string]any{"op": "request_role", "role": c.Args[0]}
	if *who != "" {
		op["user"] = *who
	}
	if err := command.Limits(op, within, ""); err != nil {
		return err
	}
	if err := c.Times(op, *from, *until); err != nil {
		return err
	}
	return change.Make(c, op)
}

func Requests(c *command.Call) error {
	c.Reads()
	waiting := c.Flags.Bool("waiting", false, "only those that wait")
	mine := c.Flags.Bool("mine", false, "only your own")
	decide := c.Flags.Bool("to-decide", false, "only those that wait for you")
	who := c.Flags.String("user", "", "only those for this user")
	role := c.Flags.String("role", "", "only those of this role")
	limit := c.Flags.Int("limit", 50, "at most so many")
	if err := c.Parse(); err != nil {
		return err
	}
	q, err := c.At(client.Query{"user": *who, "role": *role, "limit": fmt.Sprint(*limit)})
	if err != nil {
		return err
	}
	if *waiting {
		q["state"] = "waiting"
	}
	if *mine {
		q["mine"] = "true"
	}
	if *decide {
		q["decide"] = "true"
	}
	all, err := c.Client.Requests(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Requests {
		rows = append(rows, requestRow(r))
	}
	c.Table(all, requestHeader, rows)
	c.More(all.Next)
	if len(rows) == 0 {
		c.Say("There is no such request%s.", c.AsOfWords(all.Basis))
	}
	return nil
}

func RequestsShow(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{}, "REQUEST")
	if err != nil {
		return err
	}
	r, err := c.Client.Request(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, s := range r.Steps {
		said := command.Labels(s.Deciders)
		if s.State == "current" && said == "" {
			said = "nobody"
		}
		var why string
		for _, d := range s.Decisions {
			choice := "refused"
			if d.Approves {
				choice = "approved"
			}
			if d.Less {
				choice += " for less"
			}
			if d.Given.By != nil {
				said = d.Given.By.Label + " " + choice
				if d.For != nil {
					said += " in the place of " + d.For.Label
				}
			}
			why = d.Given.Reason
		}
		rows = append(rows, []string{s.Words, s.State, said, why})
	}
	if c.People() {
		end := "no end"
		if r.Until != nil {
			end = "until " + calendar.UntilWords(*r.Until, c.Zone())
		}
		c.Say("%s: %s for %s, %s, %s.", r.ID, r.Role.Label, r.Beneficiary.Label, end, r.State)
		if r.Asked != nil && r.Asked.Reason != "" {
			c.Say("  because: %s", r.Asked.Reason)
		}
		for _, g := range r.Gains {
			c.Say("  would give %s %s in %s", g.Action, g.Target, g.Application.Label)
		}
		for _, x := range r.Grown {
			c.Say("  since the request, the role has come to give: %s", x)
		}
		for _, x := range r.SoDRules {
			c.Say("  would break %s", x)
		}
	}
	c.Table(r, []string{"step", "state", "who", "why"}, rows)
	return nil
}

func Decide(c *command.Call) error {
	from := c.Flags.String("from", "", "for less: not before this day or instant")
	until := c.Flags.String("until", "", "for less: the last day, or an instant until which it shall hold")
	var within command.Names
	c.Flags.Var(&within, "within", "for less: only what a pattern covers, as application:pattern; may be given again")
	change := c.Changes()
	if err := c.Parse("REQUEST", "DECISION"); err != nil {
		return err
	}
	if c.Args[1] != "approve" && c.Args[1] != "refuse" {
		return command.WrongUse(fmt.Sprintf("“%s” is neither approve nor refuse", c.Args[1]))
	}
	op := map[string]any{"op": "decide_request", "request": c.Args[0], "decision": c.Args[1]}
	if err := command.Limits(op, within, ""); err != nil {
		return err
	}
	if err := c.Times(op, *from, *until); err != nil {
		return err
	}
	return change.Make(c, op)
}

func Withdraw(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("REQUEST"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "withdraw_request", "request": c.Args[0]})
}

func RoutesList(c *command.Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	all, err := c.Client.Routes(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, r := range all.Routes {
		rows = append(rows, []string{r.Key, r.Label, strings.Join(r.Steps, ", then "), command.Count(r.Roles, "role")})
	}
	c.Table(all, []string{"key", "label", "steps", "asked_by"}, rows)
	return nil
}

func RoutesSet(c *command.Call) error {
	label := c.Flags.String("label", "", "what people call it")
	change := c.Changes()
	if err := c.ParseSome(2, "KEY", "STEP", "STEP", "STEP", "STEP", "STEP"); err != nil {
		return err
	}
	var steps []map[string]any
	for _, s := range c.Args[1:] {
		kind, name, _ := strings.Cut(s, ":")
		switch {
		case (kind == "manager" || kind == "unit_head" || kind == "owner") && name == "":
			steps = append(steps, map[string]any{"whose": kind})
		case (kind == "group" || kind == "all") && name != "":
			steps = append(steps, map[string]any{"whose": "group", "group": name, "all": kind == "all"})
		case kind == "user" && name != "":
			steps = append(steps, map[string]any{"whose": "users", "users": strings.Split(name, ",")})
		default:
			return command.WrongUse(fmt.Sprintf("“%s” is no step: say manager, unit_head, owner, group:KEY, all:KEY or user:NAME,NAME", s))
		}
	}
	op := map[string]any{"op": "set_route", "key": c.Args[0], "steps": steps}
	if *label != "" {
		op["label"] = *label
	}
	return change.Make(c, op)
}

func CatalogueAdd(c *command.Call) error {
	days := c.Flags.Int("max-days", 0, "days it is given for at most; 0: without end")
	change := c.Changes()
	if err := c.Parse("ROLE", "ROUTE", "WORDS"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "make_requestable", "role": c.Args[0], "route": c.Args[1], "words": c.Args[2], "max_days": *days})
}

func CatalogueRemove(c *command.Call) error {
	change := c.Changes()
	if err := c.Parse("ROLE"); err != nil {
		return err
	}
	return change.Make(c, map[string]any{"op": "end_requestable", "role": c.Args[0]})
}

// CatalogueTranslate describes a requestable role in another language.
func CatalogueTranslate(c *command.Call) error {
	o := c.Operation("translate_requestable", "role", "language")
	change := c.Changes()
	if err := c.Parse("ROLE", "LANGUAGE"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"role": c.Args[0], "language": c.Args[1]})
	return change.Make(c, op)
}
