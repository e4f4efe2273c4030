package main

import (
	"context"
	"path/filepath"
	"strings"

	"ableroster/client"
	"ableroster/wire"
)

// bring reads a file and hands it over, with the reason and what is acknowledged.
func bring(c *call, do func(content []byte, q client.Query) (wire.ChangeResult, error)) error {
	change := c.changes()
	if err := c.parse("FILE"); err != nil {
		return err
	}
	content, err := readFile(c, c.args[0])
	if err != nil {
		return err
	}
	reason, err := change.why(c)
	if err != nil {
		return err
	}
	q := client.Query{"file": filepath.Base(c.args[0]), "reason": reason, "acknowledge": strings.Join(change.acknowledge, ",")}
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
		if err := c.writes("CSV"); err != nil {
			return err
		}
		out, err := c.client.Table(c.ctx, what, q)
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
