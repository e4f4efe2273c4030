package api_test

import (
	"os"
	"path/filepath"
	"slices"
	"testing"

	"ableroster/internal/api"
	"ableroster/internal/change"
	"ableroster/testkit"
	"ableroster/wire"
)

// What programs outside the house know of operations is what the service has registered.
func TestTheKindsOfOperationsAreThoseRegistered(t *testing.T) {
	want, err := api.Operations()
	if err != nil {
		t.Fatal(err)
	}
	if have, err := os.ReadFile(filepath.Join(testkit.Root(), "wire", "operations.json")); err != nil || string(have) != string(want) {
		t.Errorf("wire/operations.json is old (%v): run scripts/build.sh", err)
	}
	for _, d := range change.Descriptors() {
		if d.Help == "" {
			t.Errorf("%s does not say what it does", d.Verb)
		}
		kind := wire.OperationOf(d.Verb)
		for _, f := range d.Fields {
			known := slices.ContainsFunc(kind.Fields, func(x wire.OperationField) bool { return x.Name == f.Name })
			if known == f.Service {
				t.Errorf("%s: the field %s is known to callers: %v", d.Verb, f.Name, known)
			}
		}
	}
}
