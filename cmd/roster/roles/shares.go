package roles

import (
	"strconv"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("shares list", "[-application APPLICATION] [-path PATH] [-role ROLE] [-user USER] [-by USER]", "what is shared within single resources: by you, with you, and what you may read", SharesList)
	command.Add("shares end", "APPLICATION PATH [-role ROLE] [-user USER]", "end what is shared within a resource: all of it, or of one role, or with one user", SharesEnd)
}

func SharesList(c *command.Call) error {
	application := c.Flags.String("application", "", "in this application alone")
	path := c.Flags.String("path", "", "within this resource and those below it")
	role := c.Flags.String("role", "", "of this role alone")
	user := c.Flags.String("user", "", "with this user alone")
	by := c.Flags.String("by", "", "shared by this user alone")
	limit := c.Flags.Int("limit", 100, "at most so many")
	c.Reads()
	if err := c.Parse(); err != nil {
		return err
	}
	q, err := c.At(client.Query{"application": *application, "path": *path, "role": *role, "user": *user, "by": *by, "limit": strconv.Itoa(*limit)})
	if err != nil {
		return err
	}
	all, err := c.Client.Shares(c.Ctx, q)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, x := range all.Shares {
		by := ""
		if x.SharedBy != nil {
			by = command.First(x.SharedBy.Key, x.SharedBy.Label)
		}
		rows = append(rows, []string{x.Application.Key, x.Path, command.First(x.Role.Key, x.Role.Label), command.First(x.User.Key, x.User.Label), by, c.Window(x.From, x.Until)})
	}
	c.Table(all, []string{"application", "path", "role", "with", "shared_by", "when"}, rows)
	defer c.More(all.Next)
	c.Say("%d of %s.", len(rows), command.Count(all.Total, "share"))
	return nil
}

func SharesEnd(c *command.Call) error {
	o := c.Operation("end_shares", "application", "path")
	change := c.Changes()
	if err := c.Parse("APPLICATION", "PATH"); err != nil {
		return err
	}
	op, _ := o.With(map[string]any{"application": c.Args[0], "path": c.Args[1]})
	return change.Make(c, op)
}
