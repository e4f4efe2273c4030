package access

import "testing"

// There is room for as many kinds of record facts again as there are, and one too many
// stops the program while it starts, not a change later on.
func TestThereIsRoomForMoreKindsOfRecordFacts(t *testing.T) {
	if n := len(recordKinds); 2*n > maxRecordKinds {
		t.Errorf("%d of %d kinds are taken", n, maxRecordKinds)
	}
	kinds, facts := recordKinds, FactKinds
	defer func() {
		recordKinds, FactKinds = kinds, facts
		if recover() == nil {
			t.Error("a kind too many was taken")
		}
	}()
	for range maxRecordKinds {
		RecordKind("one more")
	}
}
