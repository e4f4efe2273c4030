package main

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/internal/calendar"
	"ableroster/wire"
)

func holders(c *call) error {
	c.reads()
	limit := c.flags.Int("limit", 100, "at most so many rows")
	role := c.flags.String("role", "", "who holds this role, instead of who can do something")
	if err := c.parseSome(0, "APPLICATION", "ACTION", "PATH"); err != nil {
		return err
	}
	if *limit < 1 || *limit > 500 {
		return &usageError{"-limit is 1 to 500"}
	}
	if (*role == "") != (len(c.args) == 3) || *role != "" && len(c.args) > 0 {
		return &usageError{"name application, action and path; or a role with -role"}
	}
	q, err := c.at(client.Query{"limit": strconv.Itoa(*limit)})
	if err != nil {
		return err
	}
	var list wire.HolderList
	if *role != "" {
		list, err = c.client.RoleHolders(c.ctx, *role, q)
	} else {
		q["application"], q["action"], q["path"] = c.args[0], c.args[1], c.args[2]
		list, err = c.client.Holders(c.ctx, q)
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
		if w := c.window(nil, h.Until); w != "" {
			limits = append(limits, w)
		}
		rows = append(rows, []string{first(h.User.Key, h.User.Label), h.User.Label, throughRole(h.Path), strings.Join(limits, ", ")})
	}
	c.table(list, []string{"user", "name", "granted_through", "when"}, rows)
	more := ""
	if list.Outside {
		more = ", and perhaps others outside your part"
	}
	c.say("%d of %s%s%s.", len(list.Holders), count(list.Total, "holder"), more, c.asOfWords(list.Basis))
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

func gainedAndLost(c *call) error {
	user := c.flags.String("user", "", "only what this user gained and lost")
	app := c.flags.String("application", "", "only in this application")
	role := c.flags.String("role", "", "only who came to hold this role or ceased to, and what it gives")
	limit := c.flags.Int("limit", 100, "at most so many users")
	if err := c.parseSome(1, "FROM", "TO"); err != nil {
		return err
	}
	q := client.Query{"user": *user, "application": *app, "role": *role, "limit": strconv.Itoa(*limit)}
	for i, name := range []string{"from", "to"} {
		if i >= len(c.args) {
			break
		}
		t, err := c.endOf(c.args[i])
		if err != nil {
			return err
		}
		q[name] = t.UTC().Format(time.RFC3339Nano)
	}
	b, err := c.client.GainedAndLost(c.ctx, q)
	if err != nil {
		return err
	}
	day := func(s wire.Basis) string { return s.At.In(c.zone()).Format("2 January 2006 15:04") }
	did := "gained or lost something"
	if *role != "" {
		did = "came to hold " + *role + " or ceased to"
	}
	c.say("From %s (revision %d) to %s (revision %d): %s %s.", day(b.From), b.From.Revision, day(b.To), b.To.Revision, count(b.Total, "user"), did)
	var rows [][]string
	for _, u := range b.Users {
		if u.Role != "" && len(u.Gained)+len(u.Lost) == 0 {
			rows = append(rows, []string{first(u.User.Key, u.User.Label), u.Role, "", "the role alone", "", "held through another one as well"})
		}
		for _, side := range []struct {
			sign  string
			lines []wire.Entitlement
		}{{"+", u.Gained}, {"-", u.Lost}} {
			for _, e := range side.lines {
				rows = append(rows, []string{first(u.User.Key, u.User.Label), map[string]string{"+": "gained", "-": "lost"}[side.sign], e.Application.Key, e.Action, e.Target,
					strings.TrimPrefix(c.conditions(e.Own, e.Schedule, nil, e.Until, e.When), ", ")})
			}
		}
	}
	if len(rows) > 0 || !c.people() {
		c.table(b, []string{"user", "what", "application", "action", "on", "when"}, rows)
	}
	for _, r := range b.Changes {
		by := "the host"
		if r.By != nil {
			by = r.By.Label
		}
		c.say("revision %d, %s, %s: %s (%s)", r.Revision, r.At.In(c.zone()).Format("2 Jan 2006 15:04"), by, strings.Join(r.Sentences, "; "), r.Reason)
	}
	return nil
}

// endOf reads a day, at its end, or an instant.
func (c *call) endOf(s string) (time.Time, error) {
	if d, err := time.ParseInLocation(time.DateOnly, s, c.zone()); err == nil {
		return d.AddDate(0, 0, 1).Add(-time.Microsecond), nil
	}
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return t, &usageError{fmt.Sprintf("%q is neither a day such as 2026-03-01 nor an instant such as 2026-03-01T12:00:00Z", s)}
	}
	return t, nil
}

func permissionTimeline(c *call) error {
	t, err := c.client.PermissionTimeline(c.ctx, c.args[0], client.Query{"application": c.args[1], "action": c.args[2], "path": c.args[3]})
	if err != nil {
		return err
	}
	var rows [][]string
	for _, s := range t.Spans {
		until := "no end"
		if s.Until != nil {
			until = calendar.UntilWords(*s.Until, c.zone())
		}
		way := ""
		if len(s.Paths) > 0 {
			way = through(s.Paths[0])
			if n := len(s.Paths) - 1; n > 0 {
				way += " and " + count(n, "other way")
			}
		}
		rows = append(rows, []string{s.From.In(c.zone()).Format("2 Jan 2006 15:04"), until, way, strings.TrimPrefix(c.conditions(s.Own, s.Schedule, nil, nil, nil), ", "), strconv.FormatInt(s.Revision, 10)})
	}
	if len(rows) == 0 && c.people() {
		c.say("%s has never held %s %s in %s.", t.User.Label, t.Action, t.Path, t.Application.Label)
		return nil
	}
	c.table(t, []string{"from", "until", "granted_through", "when", "revision"}, rows)
	return nil
}

func rehearsal(c *call) error {
	if err := c.parse("APPLICATION"); err != nil {
		return err
	}
	r, err := c.client.Rehearsal(c.ctx, c.args[0])
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
		rows = append(rows, []string{first(x.User.Key, x.User.Label), x.Action, x.Path, strconv.FormatInt(x.Times, 10), x.Last.In(c.zone()).Format("2 Jan 2006 15:04"), now})
	}
	c.say("%s is in state %s.", r.Application.Label, r.State)
	if len(rows) > 0 || !c.people() {
		c.table(r, []string{"user", "action", "path", "times", "last", "live"}, rows)
	}
	c.say("Going live would deny %s that were let through.", strconv.Itoa(lost)+" of the things")
	return nil
}
