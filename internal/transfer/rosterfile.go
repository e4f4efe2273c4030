package transfer

import (
	"context"
	"fmt"
	"strings"

	"ableroster/internal/change"
	"ableroster/internal/changing"
	"ableroster/internal/ledger"
	"ableroster/internal/rosterfile"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// loadRosterFile makes the organisation as a roster file says, as one change. The file is
// held against all there is, and would tell what fits: it is for whoever sees all of it.
func loadRosterFile(ctx context.Context, d *seeing.Service, c seeing.Caller, in Import) (wire.ChangeResult, error) {
	faults := changing.CheckWhy(d, in.Reason, in.Reference, in.DryRun)
	doc, wrong := rosterfile.Read(in.Content)
	var plan rosterfile.Plan
	if len(wrong) == 0 {
		plan = rosterfile.Make(doc, d.Ledger.Head())
		wrong = plan.Faults
	}
	for _, f := range wrong {
		faults = append(faults, wire.Fault{Place: filePlace(in.File, f.Line, f.Column, f.Place), Line: f.Line, Message: f.Message})
	}
	place := func(f change.Fault) wire.Fault {
		if f.Operation >= len(plan.Places) {
			return wire.Fault{Place: in.File}
		}
		at := plan.Places[f.Operation]
		if f.Field != "" {
			at += "." + f.Field
		}
		line, column := doc.Find(at)
		return wire.Fault{Place: filePlace(in.File, line, column, at), Line: line}
	}
	if len(faults) > 0 {
		if doc != nil {
			faults = append(faults, changing.FaultsOf(d.Now(ctx, c), plan.Operations, place)...)
		}
		return wire.ChangeResult{}, seeing.Invalid("nothing was changed", faults...)
	}
	digest := digestOf("roster file", in.Reason, in.Reference, strings.Join(in.Acknowledge, "\x00"), string(in.Content))
	return changing.Make(ctx, d, c, changing.Wanted{
		Change:      ledger.Change{Author: c.User, Via: c.Via, Reason: in.Reason, Reference: in.Reference, Operations: plan.Operations, Key: in.Key, Request: digest[:], Watch: in.watch},
		How:         changing.How{DryRun: in.DryRun, Key: in.Key},
		Acknowledge: in.Acknowledge,
		Place:       place,
	})
}

// filePlace says where in a file something stands.
func filePlace(file string, line, column int, path string) string {
	switch {
	case line == 0:
		return file
	case path == "":
		return fmt.Sprintf("%s line %d", file, line)
	}
	return fmt.Sprintf("%s line %d, column %d (%s)", file, line, column, path)
}

// RosterFile is the organisation as a roster file, of what the caller may read.
func RosterFile(v *seeing.View) rosterfile.File {
	return rosterfile.Export(v.Uncut(), v.ReadsThing)
}
