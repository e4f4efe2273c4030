package ledger

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"hash"
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// formatVersion is the format in which revisions are written. Those of the first format
// are read as they are: see format1.go.
const formatVersion = 2

// document is a revision as it is hashed: its own bytes are few, whatever it changes,
// since a digest stands for its operations. They are the canonical form of RFC 8785, so
// the members stand in the order of their names; personal values and the reason are in
// it as salted digests.
type document struct {
	At         calendar.Instant `json:"at"`
	Author     string           `json:"author,omitempty"`
	Claimed    bool             `json:"claimed"`
	Digest     string           `json:"digest"` // see digester
	Epoch      int              `json:"epoch"`
	IDs        access.IDs       `json:"ids,omitempty"`
	Operations int              `json:"operations"` // how many
	Reason     string           `json:"reason"`
	Recorded   calendar.Instant `json:"recorded_at"`
	Reference  string           `json:"reference,omitempty"`
	Revision   int64            `json:"revision"`
	Version    int              `json:"version"`
	Via        string           `json:"via"`
}

func (d *document) canonical() ([]byte, error) {
	return jsonv2.Marshal(d, jsonv2.Deterministic(true)) // escapes no more than RFC 8785 does
}

// digestChunk is how many operations are digested together.
const digestChunk = 1000

// digester makes the digest of the operations of a revision, one by one: the SHA-256
// over those of each 1,000 operations, which are over the canonical bytes of each with
// their length, in four bytes, before them. So a large change is digested, and can be
// sent and checked, in portions.
type digester struct {
	whole, chunk hash.Hash
	n            int
}

func newDigester() *digester { return &digester{whole: sha256.New(), chunk: sha256.New()} }

func (d *digester) add(op []byte) {
	d.chunk.Write(binary.BigEndian.AppendUint32(nil, uint32(len(op))))
	d.chunk.Write(op)
	if d.n++; d.n%digestChunk == 0 {
		d.whole.Write(d.chunk.Sum(nil))
		d.chunk.Reset()
	}
}

func (d *digester) sum() string {
	if d.n%digestChunk != 0 {
		d.whole.Write(d.chunk.Sum(nil))
	}
	return hex.EncodeToString(d.whole.Sum(nil))
}

// digestAll is the digest of all operations of a revision.
func digestAll(ops []json.RawMessage) string {
	d := newDigester()
	for _, op := range ops {
		d.add(op)
	}
	return d.sum()
}

// canonicalJSON is the form of RFC 8785 of a JSON value.
func canonicalJSON(raw []byte) ([]byte, error) {
	v := jsontext.Value(slices.Clone(raw))
	if err := v.Canonicalize(); err != nil {
		return nil, err
	}
	return v, nil
}

// chain is the hash of a revision: over its predecessor's and its bytes.
func chain(predecessor, canonical []byte) []byte {
	h := sha256.New()
	h.Write(predecessor)
	h.Write(canonical)
	return h.Sum(nil)
}

// sealed is a text kept apart from the ledger, and the digest that stands for
// it there: SHA-256 over the salt and the text.
type sealed struct {
	digest, salt []byte
	text         []byte
	user         fact.UserID // 0 for a reason
}

func seal(text []byte) sealed {
	salt := make([]byte, 16)
	rand.Read(salt)
	return sealed{digest: digestOf(salt, text), salt: salt, text: text}
}

func digestOf(salt, text []byte) []byte {
	h := sha256.New()
	h.Write(salt)
	h.Write(text)
	return h.Sum(nil)
}

// canonicalPersonal are the bytes of personal values that are digested.
func canonicalPersonal(p fact.Personal) ([]byte, error) {
	raw, err := json.Marshal(p)
	if err != nil {
		return nil, err
	}
	return canonicalJSON(raw)
}

// sealDraft seals the personal values a draft brought in, and puts their
// digests into its operations and facts.
func sealDraft(d *change.Draft) ([]sealed, error) {
	var out []sealed
	for _, x := range d.Sealed {
		text, err := canonicalPersonal(d.User(x.User).Personal)
		if err != nil {
			return nil, err
		}
		s := seal(text)
		s.user = x.User
		out = append(out, s)
		*x.Digest = hex.EncodeToString(s.digest)
		copy(d.User(x.User).Digest[:], s.digest)
	}
	return out, nil
}

// storedAll are operations as the ledger keeps them.
func storedAll(ops []change.Operation) ([]json.RawMessage, error) {
	out := make([]json.RawMessage, len(ops))
	for i, op := range ops {
		raw, err := stored(op)
		if err != nil {
			return nil, err
		}
		out[i] = raw
	}
	return out, nil
}

// stored is an operation as the ledger keeps it.
func stored(op change.Operation) (json.RawMessage, error) {
	if p, ok := op.(change.PersonalOperation); ok {
		op = p.Seal()
	}
	raw, err := change.EncodeOperation(op)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", op.Verb(), err)
	}
	return canonicalJSON(raw)
}
