package changing

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"ableroster/internal/change"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/near"
	_ "ableroster/internal/operation"
	"ableroster/internal/operation/rules"
	"ableroster/internal/seeing"
	"ableroster/internal/strictjson"
	"ableroster/wire"
)

// acknowledgements are the faults of acknowledgements that name no guard rail.
func acknowledgements(given []string) []wire.Fault {
	var out []wire.Fault
	var known []string
	for _, c := range effect.RailCodes {
		known = append(known, string(c))
	}
	for i, code := range given {
		if !slices.Contains(known, code) {
			out = append(out, wire.Fault{Place: fmt.Sprintf("/acknowledge/%d", i), Message: unknown("guard rail", code, known), DidYouMean: near.Of(code, known)})
		}
	}
	return out
}

// unknown says that there is nothing of a kind under a name, and what may have been
// meant: in the same words everywhere.
func unknown(kind, given string, known []string) string {
	return fmt.Sprintf("there is no %s “%s”", kind, strictjson.Short(given)) + near.Words(given, known)
}

// CheckWhy says what is wrong with why a change is made: with its reason, and with what it
// refers to, by what the organisation's references look like.
func CheckWhy(d *seeing.Service, reason, reference string, dryRun bool) (out []wire.Fault) {
	if strings.TrimSpace(reason) == "" && !dryRun {
		out = append(out, wire.Fault{Place: "/reason", Message: "is missing: say why, for whoever asks later"})
	} else if m := fact.CheckWords(reason, 2000); m != "" {
		out = append(out, wire.Fault{Place: "/reason", Message: m})
	}
	if m := d.Ledger.Head().Organisation().CheckReference(reference); m != "" {
		out = append(out, wire.Fault{Place: "/reference", Message: m})
	}
	return out
}

func decode(raw []json.RawMessage, zone *time.Location) ([]change.Operation, []wire.Fault) {
	var ops []change.Operation
	var out []wire.Fault
	for i, r := range raw {
		op, faults := decodeOne(r, zone)
		for _, f := range faults {
			out = append(out, decodeFault(seeing.PlaceOf(i, f.Field), f))
		}
		ops = append(ops, op)
	}
	return ops, out
}

// nameReasons gives operations that erase a reason the digest that stands for it.
func nameReasons(ctx context.Context, d *seeing.Service, ops []change.Operation) error {
	var all []*rules.EraseReason
	var revisions []int64
	for _, op := range ops {
		if o, ok := op.(*rules.EraseReason); ok {
			all, revisions = append(all, o), append(revisions, o.Revision)
		}
	}
	if len(all) == 0 {
		return nil
	}
	digests, err := d.Ledger.ReasonDigests(ctx, revisions)
	for _, o := range all {
		o.Digest = digests[o.Revision]
	}
	return err
}

// decodeFault is a fault of an operation that cannot be read, with the verbs that may
// have been meant.
func decodeFault(place string, f change.Fault) wire.Fault {
	out := wire.Fault{Place: place, Message: f.Message}
	if f.Given == "" {
		return out
	}
	var verbs []string
	for _, kind := range change.Descriptors() {
		verbs = append(verbs, kind.Verb)
	}
	out.Message, out.DidYouMean = unknown("operation", f.Given, verbs), near.Of(f.Given, verbs)
	return out
}
