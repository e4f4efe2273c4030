package sealed_test

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"testing"

	"ableroster/internal/sealed"
)

func box(t *testing.T, keys string) *sealed.Box {
	path := filepath.Join(t.TempDir(), "keys")
	if err := os.WriteFile(path, []byte(keys), 0o600); err != nil {
		t.Fatal(err)
	}
	b, err := sealed.ReadKeys(path)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// A secret is read back with its key, at its place, unchanged, and in no other way.
func TestASecretIsOpenedByItsKeyAtItsPlace(t *testing.T) {
	a, b := box(t, sealed.NewKey()), box(t, sealed.NewKey())
	secret := []byte("JBSWY3DPEHPK3PXP")
	kept := a.Seal("second factor 1", secret)
	if got, err := a.Open("second factor 1", kept); err != nil || !bytes.Equal(got, secret) {
		t.Fatalf("%q, %v", got, err)
	}
	if bytes.Contains(kept, secret) || bytes.Equal(kept, a.Seal("second factor 1", secret)) {
		t.Error("it is not sealed, or always alike")
	}
	if _, err := a.Open("second factor 2", kept); !errors.Is(err, sealed.ErrWrong) {
		t.Errorf("at another place: %v", err)
	}
	if _, err := b.Open("second factor 1", kept); !errors.Is(err, sealed.ErrWrong) {
		t.Errorf("with another key: %v", err)
	}
	if _, err := (*sealed.Box)(nil).Open("second factor 1", kept); !errors.Is(err, sealed.ErrNoKey) {
		t.Errorf("without a key: %v", err)
	}
	for i := 1; i < len(kept); i++ {
		other := bytes.Clone(kept)
		other[i] ^= 1
		if _, err := a.Open("second factor 1", other); err == nil {
			t.Fatalf("changed at byte %d it is opened", i)
		}
		if _, err := a.Open("second factor 1", kept[:i]); err == nil {
			t.Fatalf("cut at byte %d it is opened", i)
		}
	}
	if got, err := a.Open("second factor 1", secret); err != nil || !bytes.Equal(got, secret) {
		t.Errorf("what was kept before there was a key: %q, %v", got, err)
	}
}

func TestAKeyIsReadWholeOrRefused(t *testing.T) {
	path := filepath.Join(t.TempDir(), "key")
	for _, text := range []string{"", "c2hvcnQ=", "no base64!", sealed.NewKey() + "\n" + sealed.NewKey()} {
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := sealed.ReadKeys(path); err == nil {
			t.Errorf("%q is taken for a key", text)
		}
	}
	if _, err := sealed.ReadKeys(path + ".not"); err == nil {
		t.Error("a file that is not there is taken for a key")
	}
}

// A new key goes above the old: what the old one sealed is read, and sealed anew once.
func TestKeysAreRotated(t *testing.T) {
	old, anew := sealed.NewKey(), sealed.NewKey()
	before, both, after := box(t, old), box(t, anew+old), box(t, anew)
	kept := before.Seal("x", []byte("SECRET"))
	if got, err := both.Open("x", kept); err != nil || string(got) != "SECRET" {
		t.Fatalf("%q, %v", got, err)
	}
	again, changed, err := both.Anew("x", kept)
	if err != nil || !changed {
		t.Fatalf("%v, %v", changed, err)
	}
	if got, err := after.Open("x", again); err != nil || string(got) != "SECRET" {
		t.Errorf("the new key alone: %q, %v", got, err)
	}
	if _, changed, err := both.Anew("x", again); changed || err != nil {
		t.Errorf("sealed anew twice: %v", err)
	}
	if open, changed, err := both.Anew("x", []byte("SECRET")); err != nil || !changed || !sealed.Is(open) {
		t.Errorf("what lay open: %v, %v", changed, err)
	}
	if _, _, err := after.Anew("x", kept); !errors.Is(err, sealed.ErrWrong) {
		t.Errorf("a key that was lost: %v", err)
	}
}
