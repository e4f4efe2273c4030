package ledger

import (
	"encoding/json"
	"testing"

	"github.com/gowebpki/jcs"
)

// The bytes that are hashed are the canonical form of RFC 8785 of the whole
// document, whatever stands in its texts.
func TestTheCanonicalFormIsThatOfTheWholeDocument(t *testing.T) {
	for _, ops := range [][]string{{}, {`{"op":"grant","role":"role-1","user":"user-2"}`}, {`{"a":1e3,"op":"x"}`, `{"op":"y","text":"\"operations\":[]"}`}} {
		for _, via := range []string{"console", `"operations":[]`, "\u2028 Inês", `\"operations\":[]\`} {
			d := document{Version: 1, Revision: 7, At: 1_700_000_000_000_000, Recorded: 1_700_000_000_000_001, Author: "user-9", Via: via, Reason: "00ff"}
			for _, op := range ops {
				raw, err := jcs.Transform([]byte(op))
				if err != nil {
					t.Fatal(err)
				}
				d.Operations = append(d.Operations, raw)
			}
			if d.Operations == nil {
				d.Operations = []json.RawMessage{}
			}
			raw, err := json.Marshal(d)
			if err != nil {
				t.Fatal(err)
			}
			want, err := jcs.Transform(raw)
			if err != nil {
				t.Fatal(err)
			}
			got, err := d.canonical()
			if err != nil || string(got) != string(want) {
				t.Errorf("%s\n%s (%v)", got, want, err)
			}
		}
	}
}
