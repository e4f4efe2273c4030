package command

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"path/filepath"
	"strings"

	"go.yaml.in/yaml/v3"

	"ableroster/client"
	"ableroster/internal/csvcell"
	"ableroster/wire"
)

func init() {
	Add("users export", "", "users as CSV, in the columns that importing reads", Exporter("users"))
	Add("groups export", "", "groups as CSV, in the columns that importing reads", Exporter("groups"))
	Add("memberships export", "", "listed members of groups, as CSV", Exporter("memberships"))
	Add("assignments export", "", "assignments of roles, as CSV", Exporter("assignments"))
	Add("file load", "FILE.yaml", "load a roster file: make the organisation as it says", FileLoad)
	Add("file export", "", "the organisation as a roster file", FileExport)
	Add("file schema", "", "the JSON Schema of a roster file", FileSchema)
	Add("report user", "USER", "a user's access as an HTML file to print and keep, with revision and hash", Reporter("users", "USER"))
	Add("report role", "ROLE", "a role's holders as an HTML file, with revision and hash", Reporter("roles", "ROLE"))
	Add("report revision", "REVISION", "a revision as an HTML file: who made it and why, and what it did to whom", Reporter("revisions", "REVISION"))
}

// Bring reads a file and hands it over, with the reason and what is acknowledged.
func Bring(c *Call, do func(content []byte, q client.Query) (wire.ChangeResult, error)) error {
	change := c.Changes()
	if err := c.Parse("FILE"); err != nil {
		return err
	}
	if change.at != "" {
		return WrongUse("a file is imported now: -at does not go with it")
	}
	content, err := ReadFile(c, c.Args[0])
	if err != nil {
		return err
	}
	reason, err := change.why(c)
	if err != nil {
		return err
	}
	q := client.Query{"file": filepath.Base(c.Args[0]), "reason": reason, "reference": change.Reference, "acknowledge": strings.Join(change.acknowledge, ",")}
	if change.dryRun {
		q["dry_run"] = "true"
	}
	out, err := do(content, q)
	if err != nil {
		return err
	}
	change.tell(c, out)
	return refusedFor(out)
}

// Exporter writes a list as CSV that can be imported again.
func Exporter(what string) func(*Call) error {
	return func(c *Call) error {
		c.Reads()
		q, err := c.Asked(client.Query{})
		if err != nil {
			return err
		}
		raw, err := c.Client.Table(c.Ctx, what, q)
		if err != nil {
			return err
		}
		if c.People() && !c.unguarded {
			_, err = c.Out.Write(raw)
			return err
		}
		rows, err := csv.NewReader(bytes.NewReader(raw)).ReadAll()
		if err != nil || len(rows) == 0 {
			return fmt.Errorf("what the service sent is no CSV: %w", err)
		}
		header, rows := rows[0], rows[1:]
		var all []map[string]string
		for _, r := range rows {
			one := map[string]string{}
			for i := range r {
				r[i] = csvcell.Bare(r[i])
				one[header[i]] = r[i]
			}
			all = append(all, one)
		}
		if c.People() {
			c.Output = "csv"
		}
		c.Table(all, header, rows)
		return nil
	}
}

// Reporter writes a report of access as an HTML file.
func Reporter(of, what string) func(*Call) error {
	return func(c *Call) error {
		if of != "revisions" {
			c.Reads()
		}
		q, err := c.Asked(client.Query{}, what)
		if err != nil {
			return err
		}
		if err := c.writes("HTML"); err != nil {
			return err
		}
		out, err := c.Client.Report(c.Ctx, of, c.Args[0], q)
		if err != nil {
			return err
		}
		_, err = c.Out.Write(out)
		return err
	}
}

// FileLoad loads a roster file.
func FileLoad(c *Call) error {
	return Bring(c, func(content []byte, q client.Query) (wire.ChangeResult, error) {
		return Watched(c, q, func(ctx context.Context) (wire.ChangeResult, error) {
			return c.Client.LoadRosterFile(ctx, content, q)
		})
	})
}

// FileExport writes one: as YAML, or as JSON, which is read as well.
func FileExport(c *Call) error {
	c.Reads()
	q, err := c.Asked(client.Query{})
	if err != nil {
		return err
	}
	if c.Output == "csv" {
		return WrongUse("writes YAML, or JSON with -output json: a roster file is no table")
	}
	out, err := c.Client.RosterFile(c.Ctx, q)
	if err != nil {
		return err
	}
	if c.Output == "json" {
		var file any
		if err := yaml.Unmarshal(out, &file); err != nil {
			return fmt.Errorf("what the service sent is no YAML: %w", err)
		}
		c.JSON(file)
		return nil
	}
	_, err = c.Out.Write(out)
	return err
}

// FileSchema writes the schema of roster files.
func FileSchema(c *Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	if err := c.writes("JSON"); err != nil {
		return err
	}
	out, err := c.Client.RosterFileSchema(c.Ctx)
	if err != nil {
		return err
	}
	_, err = c.Out.Write(out)
	return err
}
