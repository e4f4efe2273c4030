package questions

import (
	"strconv"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/internal/calendar"
	"ableroster/wire"
)

func init() {
	command.Add("applications rehearsal", "APPLICATION", "what a rehearsal let through that live would deny", Rehearsal)
	command.Add("holders", "APPLICATION ACTION PATH | -role ROLE", "who can do this, or who holds a role, and through what", Holders)
	command.Add("gained-and-lost", "FROM [TO] [-user USER] [-role ROLE] [-application APPLICATION]", "who gained and lost what from one day to another", GainedAndLost)
}

func Holders(c *command.Call) error {
	c.Reads()
	limit := c.Flags.Int("limit", 100, "at most so many rows")
	role := c.Flags.String("role", "", "who holds this role, instead of who can do something")
	if err := c.ParseSome(0, "APPLICATION", "ACTION", "PATH"); err != nil {
		return err
	}
	if *limit < 1 || *limit > 500 {
		return command.WrongUse("-limit is 1 to 500")
	}
	if (*role == "") != (len(c.Args) == 3) || *role != "" && len(c.Args) > 0 {
		return command.WrongUse("name application, action and path; or a role with -role")
	}
	q, err := c.At(client.Query{"limit": strconv.Itoa(*limit)})
	if err != nil {
		return err
	}
	var list wire.HolderList
	if *role != "" {
		list, err = c.Client.RoleHolders(c.Ctx, *role, q)
	} else {
		q["application"], q["action"], q["path"] = c.Args[0], c.Args[1], c.Args[2]
		list, err = c.Client.Holders(c.Ctx, q)
	}
	if err != nil {
		return err
	}
	var rows [][]string
	for _, h := range list.Holders {
		var limits []string
		if h.Own {
			limits = append(limits, "their own")
		}
		if h.Scheduled {
			limits = append(limits, "at some times")
		}
		if w := c.Window(nil, h.Until); w != "" {
			limits = append(limits, w)
		}
		rows = append(rows, []string{command.First(h.User.Key, h.User.Label), h.User.Label, throughRole(h.Path), strings.Join(limits, ", ")})
	}
	c.Table(list, []string{"user", "name", "granted_through", "when"}, rows)
	defer c.More(list.Next)
	more := ""
	if list.Outside {
		more = ", and perhaps others outside your part"
	}
	c.Say("%d of %s%s%s.", len(list.Holders), command.Count(list.Total, "holder"), more, c.AsOfWords(list.Basis))
	return nil
}

func throughRole(p wire.Path) string {
	for _, s := range p.Steps {
		if s.Kind == "permission" || s.Kind == "role" {
			return through(p)
		}
	}
	return ""
}

func GainedAndLost(c *command.Call) error {
	user := c.Flags.String("user", "", "only what this user gained and lost")
	app := c.Flags.String("application", "", "only in this application")
	role := c.Flags.String("role", "", "only who came to hold this role or ceased to, and what it gives")
	limit := c.Flags.Int("limit", 100, "at most so many users")
	if err := c.ParseSome(1, "FROM", "TO"); err != nil {
		return err
	}
	q := client.Query{"user": *user, "application": *app, "role": *role, "limit": strconv.Itoa(*limit)}
	for i, name := range []string{"from", "to"} {
		if i >= len(c.Args) {
			break
		}
		t, err := c.EndOf(c.Args[i])
		if err != nil {
			return err
		}
		q[name] = t.UTC().Format(time.RFC3339Nano)
	}
	b, err := c.Client.GainedAndLost(c.Ctx, q)
	if err != nil {
		return err
	}
	day := func(s wire.Basis) string { return s.At.In(c.Zone()).Format("2 January 2006 15:04") }
	did := "gained or lost something"
	if *role != "" {
		did = "came to hold " + *role + " or ceased to"
	}
	c.Say("From %s (revision %d) to %s (revision %d): %s %s.", day(b.From), b.From.Revision, day(b.To), b.To.Revision, command.Count(b.Total, "user"), did)
	var rows [][]string
	for _, u := range b.Users {
		if u.Role != "" && len(u.Gained)+len(u.Lost) == 0 {
			rows = append(rows, []string{command.First(u.User.Key, u.User.Label), u.Role, "", "the role alone", "", "held through another one as well"})
		}
		for _, side := range []struct {
			sign  string
			lines []wire.Entitlement
		}{{"+", u.Gained}, {"-", u.Lost}} {
			for _, e := range side.lines {
				rows = append(rows, []string{command.First(u.User.Key, u.User.Label), map[string]string{"+": "gained", "-": "lost"}[side.sign], e.Application.Key, e.Action, e.Target,
					strings.TrimLeft(c.Conditions(e.Own, e.Schedule, nil, e.Until, e.When), ", ")})
			}
		}
	}
	defer c.More(b.Next)
	if len(rows) > 0 || !c.People() {
		c.Table(b, []string{"user", "what", "application", "action", "on", "when"}, rows)
	}
	for _, r := range b.Changes {
		by := "the host"
		if r.By != nil {
			by = r.By.Label
		}
		c.Say("revision %d, %s, %s: %s (%s)", r.Revision, r.At.In(c.Zone()).Format("2 Jan 2006 15:04"), by, strings.Join(r.Sentences, "; "), r.Reason)
	}
	return nil
}

func permissionTimeline(c *command.Call) error {
	t, err := c.Client.PermissionTimeline(c.Ctx, c.Args[0], client.Query{"application": c.Args[1], "action": c.Args[2], "path": c.Args[3]})
	if err != nil {
		return err
	}
	var rows [][]string
	for _, s := range t.Spans {
		until := "no end"
		if s.Until != nil {
			until = calendar.UntilWords(*s.Until, c.Zone())
		}
		way := ""
		if len(s.Paths) > 0 {
			way = through(s.Paths[0])
			if n := len(s.Paths) - 1; n > 0 {
				way += " and " + command.Count(n, "other way")
			}
		}
		rows = append(rows, []string{s.From.In(c.Zone()).Format("2 Jan 2006 15:04"), until, way, strings.TrimLeft(c.Conditions(s.Own, s.Schedule, nil, nil, nil), ", "), strconv.FormatInt(s.Revision, 10)})
	}
	if len(rows) == 0 && c.People() {
		c.Say("%s has never held %s %s in %s.", t.User.Label, t.Action, t.Path, t.Application.Label)
		return nil
	}
	c.Table(t, []string{"from", "until", "granted_through", "when", "revision"}, rows)
	return nil
}

func Rehearsal(c *command.Call) error {
	if err := c.Parse("APPLICATION"); err != nil {
		return err
	}
	r, err := c.Client.Rehearsal(c.Ctx, c.Args[0])
	if err != nil {
		return err
	}
	var rows [][]string
	lost := 0
	for _, x := range r.Counts {
		now := "would be denied"
		if !x.Denied {
			now = "held by now"
		} else {
			lost++
		}
		rows = append(rows, []string{command.First(x.User.Key, x.User.Label), x.Action, x.Path, strconv.FormatInt(x.Times, 10), x.Last.In(c.Zone()).Format("2 Jan 2006 15:04"), now})
	}
	c.Say("%s is in state %s.", r.Application.Label, r.State)
	if len(rows) > 0 || !c.People() {
		c.Table(r, []string{"user", "action", "path", "times", "last", "live"}, rows)
	}
	c.Say("Going live would deny %s that were let through.", strconv.Itoa(lost)+" of the things")
	return nil
}
