package ledger

import (
	"bytes"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"

	"ableroster/internal/access"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// formatVersion is the version of the canonical form below.
const formatVersion = 1

// document is a revision as it is hashed. Its bytes are the canonical form of
// RFC 8785, so its members stand in the order of their names; personal values
// and the reason are in it as salted digests.
type document struct {
	At         access.Instant    `json:"at"`
	Author     string            `json:"author,omitempty"`
	Claimed    bool              `json:"claimed"`
	Operations []json.RawMessage `json:"operations"`
	Reason     string            `json:"reason"`
	Recorded   access.Instant    `json:"recorded_at"`
	Revision   int64             `json:"revision"`
	Version    int               `json:"version"`
	Via        string            `json:"via"`
}

// canonical is the form of the whole. Its operations are in that form already
// (see stored), and of a large change nearly all of it: they are put into their
// place as they are.
func (d *document) canonical() ([]byte, error) {
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
	user         access.UserID // 0 for a reason
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
func canonicalPersonal(p access.Personal) ([]byte, error) {
	raw, err := json.Marshal(p)
	if err != nil {
		return nil, err
	}
	return canonicalJSON(raw)
}

// sealDraft seals the personal values a draft brought in, and puts their
// digests into its operations and facts.
func sealDraft(d *access.Draft) ([]sealed, error) {
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
func storedAll(ops []access.Operation) ([]json.RawMessage, error) {
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
func stored(op access.Operation) (json.RawMessage, error) {
	if p, ok := op.(access.PersonalOperation); ok {
		op = p.Seal()
	}
	raw, err := access.EncodeOperation(op)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", op.Verb(), err)
	}
	return canonicalJSON(raw)
}
