// Package sealed keeps secrets in the database that only who has a key outside of it can read:
// AES-256-GCM (NIST SP 800-38D), each bound to what it belongs to, so that it is of no use at
// another place. Whoever has the database alone, or a copy of it, learns nothing.
package sealed

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"os"
	"strings"
)

// KeySize is the length of a key in bytes.
const KeySize = 32

// version is the first byte of what is sealed.
const version = 1

// Errors of reading what is sealed.
var (
	ErrNoKey = errors.New("it is sealed with a key that this service was not given: see -secrets-key")
	ErrWrong = errors.New("it was sealed with another key, or changed since")
)

// Box seals with its first key and opens with any. The nil Box has no key: it seals nothing. It
// may be used by several goroutines.
type Box struct{ keys []cipher.AEAD }

// NewKey makes a key, as its file has it.
func NewKey() string {
	raw := make([]byte, KeySize)
	rand.Read(raw)
	return base64.StdEncoding.EncodeToString(raw) + "\n"
}

// ReadKeys reads the keys in a file, one a line, the newest first: older ones only open.
func ReadKeys(path string) (*Box, error) {
	raw, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	out := &Box{}
	for line := range strings.Lines(strings.TrimSpace(string(raw)) + "\n") {
		key, err := base64.StdEncoding.DecodeString(strings.TrimSpace(line))
		if err != nil || len(key) != KeySize {
			return nil, fmt.Errorf("%s has a line that is no key as rosterd secrets-key makes it", path)
		}
		block, err := aes.NewCipher(key)
		if err != nil {
			return nil, err
		}
		aead, err := cipher.NewGCMWithRandomNonce(block)
		if err != nil {
			return nil, err
		}
		out.keys = append(out.keys, aead)
	}
	return out, nil
}

// Seal seals a secret for a place, such as "second factor 12"; without a key it stays as it is.
func (b *Box) Seal(place string, secret []byte) []byte {
	if b == nil {
		return secret
	}
	return b.keys[0].Seal([]byte{version}, nil, secret, []byte(place))
}

// Open is the secret that was sealed for a place, or what was never sealed.
func (b *Box) Open(place string, kept []byte) ([]byte, error) {
	if !Is(kept) {
		return kept, nil
	}
	if b == nil {
		return nil, ErrNoKey
	}
	for _, k := range b.keys {
		if out, err := k.Open(nil, nil, kept[1:], []byte(place)); err == nil {
			return out, nil
		}
	}
	return nil, ErrWrong
}

// Anew is what was kept for a place, sealed with the newest key; changed is false where it was so
// already.
func (b *Box) Anew(place string, kept []byte) (anew []byte, changed bool, err error) {
	if b != nil && Is(kept) {
		if _, err := b.keys[0].Open(nil, nil, kept[1:], []byte(place)); err == nil {
			return kept, false, nil
		}
	}
	secret, err := b.Open(place, kept)
	if err != nil || b == nil {
		return kept, false, err
	}
	return b.Seal(place, secret), true, nil
}

// Is says whether something is sealed. What is not is text, and begins otherwise.
func Is(kept []byte) bool { return len(kept) > 0 && kept[0] == version }
