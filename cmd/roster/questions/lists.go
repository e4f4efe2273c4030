package questions

import (
	"os"
	"path/filepath"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("lists save", "LIST FILE [-parameter NAME=VALUE…]", "save any list as CSV or XLSX, by the ending of the file's name", ListsSave)
}

// ListsSave keeps a list as a file, asked as the list itself would be.
func ListsSave(c *command.Call) error {
	c.Reads()
	columns := c.Flags.String("columns", "", "columns to have, with commas between them; all by default")
	where := c.Flags.String("where", "", "of lists of users: a filter (RFC 7644, section 3.4.2.2)")
	encoding := c.Flags.String("encoding", "", "of CSV: utf-8 by default, or such as windows-1252")
	separator := c.Flags.String("separator", "", "between columns of CSV: comma by default, semicolon or tab")
	var asked command.Names
	c.Flags.Var(&asked, "parameter", "a parameter of the list, as the API names it: NAME=VALUE; may be given again")
	if err := c.Parse("LIST", "FILE"); err != nil {
		return err
	}
	format := strings.TrimPrefix(strings.ToLower(filepath.Ext(c.Args[1])), ".")
	if format != "csv" && format != "xlsx" {
		return command.WrongUse("the name of the file ends in .csv or .xlsx")
	}
	q := client.Query{"format": format, "columns": *columns, "filter": *where, "encoding": *encoding, "separator": *separator}
	for _, a := range asked {
		name, value, ok := strings.Cut(a, "=")
		if !ok {
			return command.WrongUse("-parameter is NAME=VALUE, such as unit=marine")
		}
		q[name] = value
	}
	q, err := c.At(q)
	if err != nil {
		return err
	}
	out, err := c.Client.ListFile(c.Ctx, c.Args[0], q)
	if err != nil {
		return err
	}
	if err := os.WriteFile(c.Args[1], out, 0o600); err != nil {
		return err
	}
	c.Done("Saved %s.", c.Args[1])
	return nil
}
