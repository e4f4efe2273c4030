package signedhead_test

import (
	"bytes"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"reflect"
	"testing"
	"time"

	"ableroster/signedhead"
)

// A head that was signed is told from one that was altered in any field, signed with
// another key, or not at all.
func TestAHeadThatWasAlteredIsTold(t *testing.T) {
	dir := t.TempDir()
	key, err := signedhead.MakeKey(filepath.Join(dir, "key.pem"))
	if err != nil {
		t.Fatal(err)
	}
	again, err := signedhead.ReadKey(filepath.Join(dir, "key.pem"))
	if err != nil || !key.Equal(again) {
		t.Fatalf("the key reads differently: %v", err)
	}
	if _, err := signedhead.MakeKey(filepath.Join(dir, "key.pem")); err == nil {
		t.Error("a key was overwritten")
	}
	if info, _ := os.Stat(filepath.Join(dir, "key.pem")); info.Mode().Perm() != 0o600 {
		t.Errorf("the key may be read by others: %v", info.Mode())
	}
	head := signedhead.LedgerHead{Ledger: "l", Epoch: 2, Revision: 300, Hash: "ab", At: time.Date(2026, 11, 28, 3, 0, 0, 1000, time.UTC)}
	if err := head.Check(); !errors.Is(err, signedhead.ErrUnsigned) {
		t.Errorf("unsigned: %v", err)
	}
	signed, err := head.Sign(key)
	if err != nil || signed.Check() != nil {
		t.Fatalf("%v %v", err, signed.Check())
	}
	other, err := signedhead.MakeKey(filepath.Join(dir, "other.pem"))
	if err != nil {
		t.Fatal(err)
	}
	elsewhere, _ := head.Sign(other)
	for i := range reflect.TypeFor[signedhead.LedgerHead]().NumField() {
		forged := signed
		switch f := reflect.ValueOf(&forged).Elem().Field(i); f.Interface().(type) {
		case string:
			f.Set(reflect.ValueOf(elsewhere).Field(i))
			if f.String() == reflect.ValueOf(signed).Field(i).String() {
				f.SetString(f.String() + "x")
			}
		case int, int64:
			f.SetInt(f.Int() + 1)
		case time.Time:
			f.Set(reflect.ValueOf(forged.At.Add(time.Microsecond)))
		}
		if err := forged.Check(); !errors.Is(err, signedhead.ErrForged) {
			t.Errorf("%s altered: %v", reflect.TypeFor[signedhead.LedgerHead]().Field(i).Name, err)
		}
	}
}

// What is kept is read back, but for a line that was cut off.
func TestKeptHeadsAreReadBack(t *testing.T) {
	k := signedhead.Kept{Place: filepath.Join(t.TempDir(), "heads")}
	if all, err := k.Read(t.Context()); err != nil || all != nil {
		t.Errorf("%v %v", all, err)
	}
	for n := range int64(3) {
		if err := k.Add(t.Context(), signedhead.Line{Head: signedhead.LedgerHead{Revision: n}, Erased: []string{"user-1"}[:n%2]}); err != nil {
			t.Fatal(err)
		}
	}
	whole, err := os.ReadFile(k.Place)
	if err != nil {
		t.Fatal(err)
	}
	for cut := range len(whole) {
		if err := os.WriteFile(k.Place, whole[:len(whole)-cut], 0o600); err != nil {
			t.Fatal(err)
		}
		all, err := k.Read(t.Context())
		if err != nil || len(all) > 0 && all[len(all)-1].Head.Revision != int64(len(all)-1) {
			t.Fatalf("%d bytes cut off: %v %v", cut, all, err)
		}
		before := len(all)
		if err := k.Add(t.Context(), signedhead.Line{Head: signedhead.LedgerHead{Revision: 99}}); err != nil {
			t.Fatal(err)
		}
		after, err := k.Read(t.Context())
		if err != nil || after[len(after)-1].Head.Revision != 99 || len(after) < before || len(after) > before+1 {
			t.Fatalf("%d bytes cut off, and one added: %v %v", cut, after, err)
		}
		if cut == 0 && (len(all) != 3 || len(all[1].Erased) != 1) {
			t.Errorf("%+v", all)
		}
	}
	if err := os.WriteFile(k.Place, append([]byte("spoiled\n"), whole...), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := k.Read(t.Context()); err == nil {
		t.Error("a spoiled line is passed over")
	}
}

// An address that gives back what was posted is read like a file; one that does not is told
// apart.
func TestKeptHeadsAreReadFromAnAddress(t *testing.T) {
	var kept bytes.Buffer
	gives := true
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.Method == http.MethodPost:
			_, _ = io.Copy(&kept, r.Body)
			kept.WriteByte('\n')
			w.WriteHeader(http.StatusCreated)
		case !gives:
			w.WriteHeader(http.StatusMethodNotAllowed)
		case kept.Len() == 0:
			w.WriteHeader(http.StatusNoContent)
		default:
			_, _ = w.Write(kept.Bytes())
		}
	}))
	defer s.Close()
	k := signedhead.Kept{Place: s.URL}
	if all, err := k.Read(t.Context()); err != nil || all != nil {
		t.Errorf("%v %v", all, err)
	}
	for n := range int64(3) {
		if err := k.Add(t.Context(), signedhead.Line{Head: signedhead.LedgerHead{Revision: n}, Reasons: []string{"aa"}}); err != nil {
			t.Fatal(err)
		}
	}
	if all, err := k.Read(t.Context()); err != nil || len(all) != 3 || all[2].Head.Revision != 2 || len(all[2].Reasons) != 1 {
		t.Errorf("%+v %v", all, err)
	}
	gives = false
	if _, err := k.Read(t.Context()); !errors.Is(err, signedhead.ErrWriteOnly) {
		t.Errorf("one that does not: %v", err)
	}
	s.Close()
	if _, err := k.Read(t.Context()); err == nil || errors.Is(err, signedhead.ErrWriteOnly) {
		t.Errorf("one that is away: %v", err)
	}
}
