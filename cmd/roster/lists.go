package main

import (
	"os"
	"path/filepath"
	"strings"

	"ableroster/client"
)

// listsSave keeps a list as a file, asked as the list itself would be.
func listsSave(c *call) error {
	c.reads()
	columns := c.flags.String("columns", "", "columns to have, with commas between them; all by default")
	where := c.flags.String("where", "", "of lists of users: a filter (RFC 7644, section 3.4.2.2)")
	encoding := c.flags.String("encoding", "", "of CSV: utf-8 by default, or such as windows-1252")
	separator := c.flags.String("separator", "", "between columns of CSV: comma by default, semicolon or tab")
	var asked names
	c.flags.Var(&asked, "ask", "what else the list is asked with, as the API calls it: NAME=VALUE; may be given again")
	if err := c.parse("LIST", "FILE"); err != nil {
		return err
	}
	format := strings.TrimPrefix(strings.ToLower(filepath.Ext(c.args[1])), ".")
	if format != "csv" && format != "xlsx" {
		return &usageError{"the name of the file ends in .csv or .xlsx"}
	}
	q := client.Query{"format": format, "columns": *columns, "filter": *where, "encoding": *encoding, "separator": *separator}
	for _, a := range asked {
		name, value, ok := strings.Cut(a, "=")
		if !ok {
			return &usageError{"-ask is NAME=VALUE, such as unit=marine"}
		}
		q[name] = value
	}
	q, err := c.at(q)
	if err != nil {
		return err
	}
	out, err := c.client.ListFile(c.ctx, c.args[0], q)
	if err != nil {
		return err
	}
	if err := os.WriteFile(c.args[1], out, 0o600); err != nil {
		return err
	}
	c.done("Saved %s.", c.args[1])
	return nil
}
