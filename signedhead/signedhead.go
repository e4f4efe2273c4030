// Package signedhead says how far a ledger goes, so that it can be kept elsewhere and held
// against the ledger later: whoever owns the database can rewrite all of it, or put it back,
// but cannot have had another head signed then.
package signedhead

import (
	"crypto/ed25519"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"os"
	"time"

	"github.com/gowebpki/jcs"
)

// LedgerHead is a revision of a ledger as it was the newest, or as it is now.
type LedgerHead struct {
	Ledger   string    `json:"ledger" doc:"the id of the ledger"`
	Epoch    int       `json:"epoch" doc:"it grows by one when revisions were lost"`
	Revision int64     `json:"revision"`
	Hash     string    `json:"hash" doc:"of the revision, in hexadecimal: it stands for all before it too"`
	At       time.Time `json:"at" doc:"when that revision was made"`

	Key       string `json:"key,omitempty" doc:"the Ed25519 public key (RFC 8032) it is signed with, in base64"`
	Signature string `json:"signature,omitempty" doc:"the signature, in base64, of the canonical JSON (RFC 8785) of the fields before it"`
}

// signed are the bytes that are signed: the head as canonical JSON, without the signature.
func (h LedgerHead) signed() ([]byte, error) {
	h.Signature = ""
	raw, err := json.Marshal(h)
	if err != nil {
		return nil, err
	}
	return jcs.Transform(raw)
}

// Sign signs a head.
func (h LedgerHead) Sign(key ed25519.PrivateKey) (LedgerHead, error) {
	h.Key = base64.StdEncoding.EncodeToString(key.Public().(ed25519.PublicKey))
	raw, err := h.signed()
	if err != nil {
		return h, err
	}
	h.Signature = base64.StdEncoding.EncodeToString(ed25519.Sign(key, raw))
	return h, nil
}

// Errors of Check.
var (
	ErrUnsigned = errors.New("it is not signed")
	ErrForged   = errors.New("its signature does not fit it: it was altered, or not signed with that key")
)

// Check says whether a head is signed with the key it names.
func (h LedgerHead) Check() error {
	if h.Signature == "" {
		return ErrUnsigned
	}
	key, err := base64.StdEncoding.DecodeString(h.Key)
	signature, err2 := base64.StdEncoding.DecodeString(h.Signature)
	if err != nil || err2 != nil || len(key) != ed25519.PublicKeySize {
		return ErrForged
	}
	raw, err := h.signed()
	if err != nil {
		return err
	}
	if !ed25519.Verify(key, raw, signature) {
		return ErrForged
	}
	return nil
}

// ReadKey reads a private key: PKCS #8 (RFC 5958) in PEM, as openssl genpkey writes it.
func ReadKey(path string) (ed25519.PrivateKey, error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	block, _ := pem.Decode(text)
	if block == nil {
		return nil, fmt.Errorf("%s is no key in PEM", path)
	}
	key, err := x509.ParsePKCS8PrivateKey(block.Bytes)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	private, ok := key.(ed25519.PrivateKey)
	if !ok {
		return nil, fmt.Errorf("%s is no Ed25519 key", path)
	}
	return private, nil
}

// MakeKey writes a new private key to a file that is not there yet, for its owner alone.
func MakeKey(path string) (ed25519.PrivateKey, error) {
	_, key, err := ed25519.GenerateKey(nil)
	if err != nil {
		return nil, err
	}
	raw, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, err
	}
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	return key, errors.Join(pem.Encode(f, &pem.Block{Type: "PRIVATE KEY", Bytes: raw}), f.Sync(), f.Close())
}
