package main

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/internal/csvcell"
	"ableroster/wire"
)

// importer brings a file in as one change. Faults can be kept as a file of their
// own, by line, for whoever mends the source.
func importer(what string) func(*call) error {
	return func(c *call) error {
		var format, mapping *string
		none := ""
		format, mapping = &none, &none
		units := new(bool)
		if what == "users" {
			format = c.flags.String("format", "", "csv or ldif; seen from the file's name when not given")
			mapping = c.flags.String("mapping", "", "a saved mapping of the file's columns to ours; see roster mappings")
			units = c.flags.Bool("new-units", false, "units and employment types that the file names and that are not there are new ones: add them; else they are faults")
		}
		encoding := c.flags.String("encoding", "", "of CSV: utf-8 by default, unless the mapping says another, such as windows-1252")
		separator := c.flags.String("separator", "", "what stands between columns of CSV; seen from the header when not given")
		faults := c.flags.String("faults", "", "write what is wrong with the file as CSV to this file, by line")
		return bring(c, func(content []byte, q client.Query) (wire.ChangeResult, error) {
			q["format"], q["mapping"], q["encoding"], q["separator"] = *format, *mapping, *encoding, *separator
			if *units {
				q["new_units"] = "true"
			}
			if what == "users" && *format == "" && strings.HasSuffix(strings.ToLower(c.args[0]), ".ldif") {
				q["format"] = "ldif"
			}
			out, err := c.watched(q, func(ctx context.Context) (wire.ChangeResult, error) {
				return c.client.Import(ctx, what, content, q)
			})
			var p *wire.Problem
			if errors.As(err, &p) && *faults != "" && len(p.Faults) > 0 {
				if err := writeFaults(*faults, p.Faults); err != nil {
					return out, err
				}
				p.Detail += fmt.Sprintf("; %s are in %s", count(len(p.Faults), "fault"), filepath.Base(*faults))
				p.Faults = nil
			}
			return out, err
		})
	}
}

// writeFaults writes faults as CSV (RFC 4180).
func writeFaults(file string, faults []wire.Fault) error {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	_ = w.Write([]string{"line", "column", "fault"}) // into memory: it cannot fail
	for _, f := range faults {
		line := ""
		if f.Line > 0 {
			line = strconv.Itoa(f.Line)
		}
		_ = w.Write([]string{line, csvcell.Guard(f.Column), csvcell.Guard(f.Message)})
	}
	w.Flush()
	return os.WriteFile(file, out.Bytes(), 0o600)
}
