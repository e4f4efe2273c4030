package roles

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/internal/csvcell"
	"ableroster/wire"
)

func init() {
	command.Add("users import", "FILE.csv", "import users from a personnel export", Importer("users"))
	command.Add("memberships import", "FILE.csv", "add users and groups to groups; columns group, user or member_group, from, until (the last day, or an instant)", Importer("memberships"))
	command.Add("groups import", "FILE.csv", "make and change groups; columns group, label, description, unit, filter, owner, held_within", Importer("groups"))
	command.Add("assignments import", "FILE.csv", "grant roles to users and groups; columns role, user or group, from, until, scopes, schedule", Importer("assignments"))
}

// Importer brings a file in as one change. Faults can be kept as a file of their
// own, by line, for whoever mends the source.
func Importer(what string) func(*command.Call) error {
	return func(c *command.Call) error {
		var format, mapping *string
		none := ""
		format, mapping = &none, &none
		units, link := new(bool), new(bool)
		if what == "users" {
			format = c.Flags.String("format", "", "csv or ldif; seen from the file's name when not given")
			mapping = c.Flags.String("mapping", "", "a saved mapping of the file's columns to ours; see roster mappings")
			link = c.Flags.Bool("link", false, "a row that names nobody who is there, and looks like exactly one user who is, is that user's, whose user name stays; else it is somebody new")
			units = c.Flags.Bool("new-units", false, "units and employment types that the file names and that are not there are new ones: add them; else they are faults")
		}
		encoding := c.Flags.String("encoding", "", "of CSV: utf-8 by default, unless the mapping says another, such as windows-1252")
		separator := c.Flags.String("separator", "", "what stands between columns of CSV; seen from the header when not given")
		faults := c.Flags.String("faults", "", "write what is wrong with the file as CSV to this file, by line")
		return command.Bring(c, func(content []byte, q client.Query) (wire.ChangeResult, error) {
			q["format"], q["mapping"], q["encoding"], q["separator"] = *format, *mapping, *encoding, *separator
			if *units {
				q["new_units"] = "true"
			}
			if *link {
				q["link"] = "true"
			}
			if what == "users" && *format == "" && strings.HasSuffix(strings.ToLower(c.Args[0]), ".ldif") {
				q["format"] = "ldif"
			}
			out, err := command.Watched(c, q, func(ctx context.Context) (wire.ChangeResult, error) {
				return c.Client.Import(ctx, what, content, q)
			})
			var p *wire.Problem
			if errors.As(err, &p) && what == "users" && !*link && slices.ContainsFunc(p.Rails, func(r wire.Rail) bool { return r.Code == "likely_same_person" }) {
				p.Detail += " With -link the row is theirs."
			}
			if errors.As(err, &p) && *faults != "" && len(p.Faults) > 0 {
				if err := writeFaults(*faults, p.Faults); err != nil {
					return out, err
				}
				p.Detail += fmt.Sprintf("; %s are in %s", command.Count(len(p.Faults), "fault"), filepath.Base(*faults))
				p.Faults = nil
			}
			return out, err
		})
	}
}

// writeFaults writes faults as CSV to a file.
func writeFaults(file string, faults []wire.Fault) error {
	return os.WriteFile(file, faultsAsCSV(faults), 0o600)
}

// faultsAsCSV are faults by line (RFC 4180).
func faultsAsCSV(faults []wire.Fault) []byte {
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
	return out.Bytes()
}
