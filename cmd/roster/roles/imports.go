package roles

import (
	"strconv"
	"strings"

	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("imports list", "", "your imports: those under way, and those of the last day", ImportsList)
	command.Add("imports cancel", "IMPORT", "cancel an import of yours that is not being published yet", ImportsCancel)
}

func ImportsList(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	out, err := c.Client.Imports(c.Ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, x := range out.Imports {
		state, revision := x.State, ""
		switch {
		case x.Ended == nil:
			state = command.FarOf(x)
		case x.DryRun:
			state += " (preview)"
		}
		if x.Revision > 0 {
			revision = strconv.FormatInt(x.Revision, 10)
		}
		rows = append(rows, []string{x.Name, strings.ReplaceAll(x.Kind, "_", " "), x.File, x.Sent.In(c.Zone()).Format("2 Jan 2006 15:04"), state, revision})
	}
	if len(rows) == 0 {
		c.Say("No import of yours is under way or ended in the last day.")
		if c.People() {
			return nil
		}
	}
	c.Table(out, []string{"name", "holds", "file", "sent", "state", "revision"}, rows)
	return nil
}

func ImportsCancel(c *command.Call) error {
	if err := c.Parse("IMPORT"); err != nil {
		return err
	}
	if err := c.Client.CancelImport(c.Ctx, c.Args[0]); err != nil {
		return err
	}
	c.Done("Cancelled: nothing was changed.")
	return nil
}
