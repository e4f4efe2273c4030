package rules

import (
	"fmt"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() {
	change.Register(&EraseReason{}, "Erase the reason of a revision, which cannot be brought back")
	change.Register(&MendOperation{}, "Read something else in the place of an operation that cannot be read: on the host alone, by rosterd mend")
}

// EraseReason erases the reason of a revision: what was done stays, and why is gone.
type EraseReason struct {
	Revision int64  `json:"revision" doc:"the revision whose reason is erased"`
	Digest   string `json:"digest,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*EraseReason) Verb() string { return "erase_reason" }

// ApplyTo implements change.Operation.
func (o EraseReason) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "ledger", "erase reasons") {
		return
	}
	if o.Digest == "" {
		d.Fault("revision", "there is no revision %d", o.Revision)
		return
	}
	for _, f := range access.RecordFactsOf[*fact.ErasedReason](&d.Snapshot, fact.FactErasedReason) {
		if f.Digest == o.Digest {
			d.ReadsFact(f)
			d.Note(change.AlreadySo, f.Since())
			return
		}
	}
	d.Put(&fact.ErasedReason{ID: d.Allocate(fact.FactErasedReason), Revision: o.Revision, Digest: o.Digest})
	return settled
}

// Sentence implements change.Operation.
func (o *EraseReason) Sentence(*access.Snapshot, change.Names) string {
	return fmt.Sprintf("Erased the reason of revision %d", o.Revision)
}

// MendOperation has something else read in the place of an operation that cannot be read.
type MendOperation struct {
	Revision    int64  `json:"revision" doc:"the revision it is of"`
	Position    int    `json:"position" doc:"its place among the operations of the revision, from 0"`
	Digest      string `json:"digest" doc:"SHA-256 over all operations of the revision as they were found"`
	Replacement string `json:"replacement" doc:"what is read instead: the JSON of an operation, as it is stored"`
}

// Verb implements change.Operation.
func (*MendOperation) Verb() string { return "mend_operation" }

// ApplyTo implements change.Operation.
func (o MendOperation) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if d.Author != 0 && !d.Judged("", "an operation is mended on the host alone, by rosterd mend") {
		return
	}
	if _, err := change.DecodeStored([]byte(o.Replacement)); err != nil {
		d.Fault("replacement", "cannot be read either: %s", err)
		return
	}
	f := &fact.Mending{Of: o.Revision, Position: o.Position, Digest: o.Digest, Replacement: o.Replacement}
	for _, old := range access.RecordFactsOf[*fact.Mending](&d.Snapshot, fact.FactMending) {
		if old.Of == o.Revision && old.Position == o.Position {
			if f.ID = old.ID; old.Digest == o.Digest && old.Replacement == o.Replacement {
				d.Note(change.AlreadySo, old.Since())
				return
			}
		}
	}
	if f.ID == 0 {
		f.ID = d.Allocate(fact.FactMending)
	}
	d.Put(f)
	return settled
}

// Sentence implements change.Operation.
func (o *MendOperation) Sentence(*access.Snapshot, change.Names) string {
	return fmt.Sprintf("Mended operation %d of revision %d, which cannot be read", o.Position, o.Revision)
}
