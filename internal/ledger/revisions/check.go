package revisions

import (
	"bytes"
	"encoding/hex"
	"fmt"
)

// CheckBytes compares the stored bytes with the hash, the columns and the
// operations beside them.
func (r *Revision) CheckBytes(predecessor []byte) string {
	if !bytes.Equal(Chain(predecessor, r.Canonical), r.HashBytes) {
		return "the hash does not fit its bytes and its predecessor"
	}
	if r.Format == 1 && len(r.Mended) == 0 {
		return r.checkBytes1()
	}
	doc := Document{Version: r.Format, Revision: r.Revision, At: r.At, Recorded: r.Recorded, Claimed: r.Claimed, Epoch: r.epoch,
		IDs: r.TakenIDs, Operations: len(r.raw), Author: r.Author.String(), Via: r.Via, Reason: hex.EncodeToString(r.ReasonDigest), Reference: r.Reference}
	ops := NewDigester()
	for _, raw := range r.raw {
		op, err := CanonicalJSON(raw)
		switch {
		case err == nil:
		case len(r.Mended) > 0:
			op = raw // as it was found
		default:
			return "an operation is no JSON"
		}
		ops.Add(op)
	}
	doc.Digest = ops.Sum()
	if len(r.Mended) > 0 { // the bytes that were found are held to instead
		if text := r.checkMended(doc.Digest); text != "" {
			return text
		}
		if doc.Digest = DigestOfBytes(r.Canonical); r.Format == 1 { // its bytes are of another form
			return ""
		}
	}
	again, err := doc.Canonical()
	if err != nil || !bytes.Equal(again, r.Canonical) {
		return "the columns and operations do not fit its bytes"
	}
	return ""
}

// CheckOperations compares the operations of a revision that was replayed with those that
// are kept.
func (r *Revision) CheckOperations() string {
	for i, op := range r.Operations {
		if _, ok := r.Mended[i]; ok {
			continue
		}
		again, err := Stored(op)
		now, err3 := r.Present(r.raw[i])
		want, err2 := CanonicalJSON(now)
		if err3 != nil || err != nil || err2 != nil || !bytes.Equal(again, want) {
			return fmt.Sprintf("operation %d replays differently", i)
		}
	}
	return ""
}
