package wire

import (
	"encoding/json"
	"time"

	"ableroster/signedhead"
)

// Revision is a committed change.
type Revision struct {
	Revision   int64             `json:"revision"`
	At         time.Time         `json:"at"`
	RecordedAt time.Time         `json:"recorded_at"`
	Claimed    bool              `json:"claimed,omitempty" doc:"at was claimed by history loaded into an empty ledger"`
	By         *Ref              `json:"by,omitempty" doc:"none: the host"`
	Account    *Ref              `json:"account,omitempty" doc:"the machine account that acted for them"`
	Via        string            `json:"via" doc:"account: by a machine account that acted for them"`
	Reason     string            `json:"reason"`
	Reference  string            `json:"reference,omitempty" doc:"where the work was asked for"`
	Sentences  []string          `json:"sentences"`
	Operations []json.RawMessage `json:"operations,omitempty"`
	More       bool              `json:"more,omitempty" doc:"there are operations after these; the revision itself, asked with after, has them"`
	Hash       string            `json:"hash"`
}

// RevisionList is a page of the ledger, newest first.
type RevisionList struct {
	Basis
	Revisions []Revision `json:"revisions"`
	Next      string     `json:"next,omitempty"`
}

// Verification is what verifying the ledger found.
type Verification struct {
	Verified bool    `json:"verified"`
	Revision int64   `json:"revision" doc:"the last one that fits"`
	Rows     int64   `json:"rows" doc:"up to which revision the rows of facts were compared: those of a large change follow it"`
	Mended   []int64 `json:"mended,omitempty" doc:"revisions of which operations cannot be read and were mended"`
	Hash     string  `json:"hash"`
	First    int64   `json:"first_fault,omitempty" doc:"the first revision that does not fit"`
	Fault    string  `json:"fault,omitempty"`
}

// VerificationRun is a verification of the whole ledger: it takes as long as the ledger is
// long.
type VerificationRun struct {
	State  string        `json:"state" enum:"running,ended"`
	Done   int64         `json:"done" doc:"revisions that were verified"`
	Of     int64         `json:"of" doc:"revisions there are"`
	Began  time.Time     `json:"began"`
	Ended  *time.Time    `json:"ended,omitempty"`
	Result *Verification `json:"result,omitempty" doc:"once it has ended"`
}

// LedgerHead is how far the ledger goes, or went.
type LedgerHead = signedhead.LedgerHead
