package access

import "testing"

// There is room for as many kinds of kept facts again as there are, and one too many
// stops the program while it starts, not a change later on.
func TestThereIsRoomForMoreKindsOfKeptFacts(t *testing.T) {
	if n := len(keptKinds); 2*n > mostKept {
		t.Errorf("%d of %d kinds are taken", n, mostKept)
	}
	kinds, facts := keptKinds, FactKinds
	defer func() {
		keptKinds, FactKinds = kinds, facts
		if recover() == nil {
			t.Error("a kind too many was taken")
		}
	}()
	for range mostKept {
		KeepKind("one more")
	}
}
