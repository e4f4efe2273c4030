package revisions

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/fact"

	"github.com/gowebpki/jcs"
)

// The bytes that are hashed are the canonical form of RFC 8785 of the whole
// document, whatever stands in its texts; so are those of the first format, whose
// operations stand in them.
func TestTheCanonicalFormIsThatOfTheWholeDocument(t *testing.T) {
	same := func(d any, got []byte, err error) {
		t.Helper()
		raw, err2 := json.Marshal(d)
		want, err3 := jcs.Transform(raw)
		if err != nil || err2 != nil || err3 != nil || string(got) != string(want) {
			t.Errorf("%s\n%s (%v)", got, want, err)
		}
	}
	for _, ops := range [][]string{{}, {`{"op":"grant","role":"role-1","user":"user-2"}`}, {`{"a":1e3,"op":"x"}`, `{"op":"y","text":"\"operations\":[]"}`}} {
		for _, via := range []string{"console", `"operations":[]`, "\u2028 Inês", `\"operations\":[]\`} {
			d := document1{Version: 1, Revision: 7, At: 1_700_000_000_000_000, Recorded: 1_700_000_000_000_001, Author: "user-9", Via: via, Reason: "00ff", Operations: []json.RawMessage{}}
			for _, op := range ops {
				raw, err := jcs.Transform([]byte(op))
				if err != nil {
					t.Fatal(err)
				}
				d.Operations = append(d.Operations, raw)
			}
			got, err := d.canonical()
			same(d, got, err)
			d2 := Document{Version: 2, Revision: 7, At: d.At, Recorded: d.Recorded, Via: via, Epoch: 1, Operations: len(ops), Digest: DigestAll(d.Operations),
				IDs: access.IDs{fact.FactUser: {{7, 2}, {12, 1}}, fact.FactAssignment: {{3, 1}}}}
			got, err = d2.Canonical()
			same(d2, got, err)
		}
	}
}

// The digest of many operations is that of its portions, whole or not, and tells apart
// what only stands differently.
func TestTheDigestIsOverPortions(t *testing.T) {
	for _, n := range []int{0, 1, digestChunk - 1, digestChunk, digestChunk + 1, 3 * digestChunk} {
		var ops []json.RawMessage
		whole, chunk := sha256.New(), sha256.New()
		for i := range n {
			op := []byte(fmt.Sprintf(`{"op":"grant","user":"user-%d"}`, i))
			ops = append(ops, op)
			_ = binary.Write(chunk, binary.BigEndian, uint32(len(op)))
			chunk.Write(op)
			if (i+1)%digestChunk == 0 || i == n-1 {
				whole.Write(chunk.Sum(nil))
				chunk.Reset()
			}
		}
		if got := DigestAll(ops); got != hex.EncodeToString(whole.Sum(nil)) {
			t.Errorf("of %d operations: %s", n, got)
		}
		if n > 1 {
			ops[0], ops[1] = ops[1], ops[0]
			if DigestAll(ops) == hex.EncodeToString(whole.Sum(nil)) {
				t.Error("the order is no part of it")
			}
		}
	}
	a, b := json.RawMessage("12"), json.RawMessage("1")
	if DigestAll([]json.RawMessage{a, b}) == DigestAll([]json.RawMessage{b, json.RawMessage("21")}) {
		t.Error("where one operation ends is no part of it")
	}
}
