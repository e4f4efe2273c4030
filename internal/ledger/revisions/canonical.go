package revisions

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

// Format is the format in which revisions are written. Those of the first format
// are read as they are: see format1.go.
const Format = 2

// Document is a revision as it is hashed: its own bytes are few, whatever it changes,
// since a digest stands for its operations. They are the canonical form of RFC 8785, so
// the members stand in the order of their names; personal values and the reason are in
// it as salted digests.
type Document struct {
	At         calendar.Instant `json:"at"`
	Author     string           `json:"author,omitempty"`
	Claimed    bool             `json:"claimed"`
	Digest     string           `json:"digest"` // see Digester
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

// Canonical are its bytes.
func (d *Document) Canonical() ([]byte, error) {
	return jsonv2.Marshal(d, jsonv2.Deterministic(true)) // escapes no more than RFC 8785 does
}

// digestChunk is how many operations are digested together.
const digestChunk = 1000

// Digester makes the digest of the operations of a revision, one by one: the SHA-256
// over those of each 1,000 operations, which are over the canonical bytes of each with
// their length, in four bytes, before them. So a large change is digested, and can be
// sent and checked, in portions.
type Digester struct {
	whole, chunk hash.Hash
	n            int
}

// NewDigester has seen no operation yet.
func NewDigester() *Digester { return &Digester{whole: sha256.New(), chunk: sha256.New()} }

// Add takes in the canonical bytes of the next operation.
func (d *Digester) Add(op []byte) {
	d.chunk.Write(binary.BigEndian.AppendUint32(nil, uint32(len(op))))
	d.chunk.Write(op)
	if d.n++; d.n%digestChunk == 0 {
		d.whole.Write(d.chunk.Sum(nil))
		d.chunk.Reset()
	}
}

// Sum is the digest of those there were, in hexadecimal digits. None may follow.
func (d *Digester) Sum() string {
	if d.n%digestChunk != 0 {
		d.whole.Write(d.chunk.Sum(nil))
	}
	return hex.EncodeToString(d.whole.Sum(nil))
}

// DigestAll is the digest of all operations of a revision.
func DigestAll(ops []json.RawMessage) string {
	d := NewDigester()
	for _, op := range ops {
		d.Add(op)
	}
	return d.Sum()
}

// CanonicalJSON is the form of RFC 8785 of a JSON value.
func CanonicalJSON(raw []byte) ([]byte, error) {
	v := jsontext.Value(slices.Clone(raw))
	if err := v.Canonicalize(); err != nil {
		return nil, err
	}
	return v, nil
}

// Chain is the hash of a revision: over its predecessor's and its bytes.
func Chain(predecessor, canonical []byte) []byte {
	h := sha256.New()
	h.Write(predecessor)
	h.Write(canonical)
	return h.Sum(nil)
}

// Sealed is a text kept apart from the ledger, and the digest that stands for
// it there: SHA-256 over the salt and the text.
type Sealed struct {
	Digest, Salt []byte
	Text         []byte
	User         fact.UserID // 0 for a reason
}

// Seal salts a text and digests it.
func Seal(text []byte) Sealed {
	salt := make([]byte, 16)
	rand.Read(salt)
	return Sealed{Digest: digestOf(salt, text), Salt: salt, Text: text}
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
	return CanonicalJSON(raw)
}

// SealDraft seals the personal values a draft brought in, and puts their
// digests into its operations and facts.
func SealDraft(d *change.Draft) ([]Sealed, error) {
	var out []Sealed
	for _, x := range d.Sealed {
		text, err := canonicalPersonal(d.User(x.User).Personal)
		if err != nil {
			return nil, err
		}
		s := Seal(text)
		s.User = x.User
		out = append(out, s)
		*x.Digest = hex.EncodeToString(s.Digest)
		copy(d.User(x.User).Digest[:], s.Digest)
	}
	return out, nil
}

// StoredAll are operations as the ledger keeps them.
func StoredAll(ops []change.Operation) ([]json.RawMessage, error) {
	out := make([]json.RawMessage, len(ops))
	for i, op := range ops {
		raw, err := Stored(op)
		if err != nil {
			return nil, err
		}
		out[i] = raw
	}
	return out, nil
}

// Stored is an operation as the ledger keeps it.
func Stored(op change.Operation) (json.RawMessage, error) {
	if p, ok := op.(change.PersonalOperation); ok {
		op = p.Seal()
	}
	raw, err := change.EncodeOperation(op)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", op.Verb(), err)
	}
	return CanonicalJSON(raw)
}
