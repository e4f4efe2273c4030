package main

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"path/filepath"
	"strings"

	"ableroster/client"
	"ableroster/internal/csvcell"
	"ableroster/wire"
)

// bring reads a file and hands it over, with the reason and what is acknowledged.
func bring(c *call, do func(content []byte, q client.Query) (wire.ChangeResult, error)) error {
	change := c.changes()
	if err := c.parse("FILE"); err != nil {
		return err
	}
	if change.at != "" {
		return &usageError{"a file is imported now: -at does not go with it"}
	}
	content, err := readFile(c, c.args[0])
	if err != nil {
		return err
	}
	reason, err := change.why(c)
	if err != nil {
		return err
	}
	q := client.Query{"file": filepath.Base(c.args[0]), "reason": reason, "reference": change.reference, "acknowledge": strings.Join(change.acknowledge, ",")}
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

// exporter writes a list as CSV that can be imported again.
func exporter(what string) func(*call) error {
	return func(c *call) error {
		c.reads()
		q, err := c.asked(client.Query{})
		if err != nil {
			return err
		}
		raw, err := c.client.Table(c.ctx, what, q)
		if err != nil {
			return err
		}
		if c.people() && !c.unguarded {
			_, err = c.out.Write(raw)
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
		if c.people() {
			c.output = "csv"
		}
		c.table(all, header, rows)
		return nil
	}
}

// reporter writes a report of access as an HTML file.
func reporter(of, what string) func(*call) error {
	return func(c *call) error {
		if of != "revisions" {
			c.reads()
		}
		q, err := c.asked(client.Query{}, what)
		if err != nil {
			return err
		}
		if err := c.writes("HTML"); err != nil {
			return err
		}
		out, err := c.client.Report(c.ctx, of, c.args[0], q)
		if err != nil {
			return err
		}
		_, err = c.out.Write(out)
		return err
	}
}

func fileLoad(c *call) error {
	return bring(c, func(content []byte, q client.Query) (wire.ChangeResult, error) {
		return c.watched(q, func(ctx context.Context) (wire.ChangeResult, error) {
			return c.client.LoadRosterFile(ctx, content, q)
		})
	})
}

func fileExport(c *call) error {
	c.reads()
	q, err := c.asked(client.Query{})
	if err != nil {
		return err
	}
	if err := c.writes("YAML"); err != nil {
		return err
	}
	out, err := c.client.RosterFile(c.ctx, q)
	if err != nil {
		return err
	}
	_, err = c.out.Write(out)
	return err
}

func fileSchema(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	if err := c.writes("JSON"); err != nil {
		return err
	}
	out, err := c.client.RosterFileSchema(c.ctx)
	if err != nil {
		return err
	}
	_, err = c.out.Write(out)
	return err
}
