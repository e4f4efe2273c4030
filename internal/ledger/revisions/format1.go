package revisions

import (
	"bytes"
	"encoding/hex"
	"encoding/json"

	"ableroster/internal/calendar"
	"ableroster/internal/format1"

	jsonv2 "github.com/go-json-experiment/json"
)

// What ledgers of the first format keep is read by what is in this file and in
// internal/format1. Neither changes any more.

// document1 is a revision of the first format as it is hashed: with its operations. Its
// bytes are the canonical form of RFC 8785, so its members stand in the order of their
// names; personal values and the reason are in it as salted digests.
type document1 struct {
	At         calendar.Instant  `json:"at"`
	Author     string            `json:"author,omitempty"`
	Claimed    bool              `json:"claimed"`
	Operations []json.RawMessage `json:"operations"`
	Reason     string            `json:"reason"`
	Recorded   calendar.Instant  `json:"recorded_at"`
	Revision   int64             `json:"revision"`
	Version    int               `json:"version"`
	Via        string            `json:"via"`
}

// canonical is the form of the whole. Its operations are in that form already
// (see stored), and of a large change nearly all of it: they are put into their
// place as they are.
func (d *document1) canonical() ([]byte, error) {
	rest := *d
	rest.Operations = []json.RawMessage{}
	raw, err := jsonv2.Marshal(rest) // escapes no more than RFC 8785 does
	if err != nil {
		return nil, err
	}
	// In a string the quotes would be escaped.
	before, after, _ := bytes.Cut(raw, []byte(`"operations":[]`))
	size := len(raw) + len(d.Operations)
	for _, op := range d.Operations {
		size += len(op)
	}
	out := append(append(make([]byte, 0, size), before...), `"operations":[`...)
	for i, op := range d.Operations {
		if i > 0 {
			out = append(out, ',')
		}
		out = append(out, op...)
	}
	return append(append(out, ']'), after...), nil
}

// checkBytes1 is checkBytes of a revision of the first format.
func (r *Revision) checkBytes1() string {
	doc := document1{Version: 1, Revision: r.Revision, At: r.At, Recorded: r.Recorded, Claimed: r.Claimed,
		Author: r.Author.String(), Via: r.Via, Reason: hex.EncodeToString(r.ReasonDigest)}
	for _, raw := range r.raw {
		op, err := CanonicalJSON(raw) // PostgreSQL keeps its own form
		if err != nil {
			return "an operation is no JSON"
		}
		doc.Operations = append(doc.Operations, op)
	}
	again, err := doc.canonical()
	if err != nil || !bytes.Equal(again, r.Canonical) {
		return "the columns and operations do not fit its bytes"
	}
	return ""
}

// Present is a stored operation as the present format has it.
func (r *Revision) Present(raw json.RawMessage) (json.RawMessage, error) {
	if r.Format > 1 {
		return raw, nil
	}
	return format1.Operation(raw)
}
