package fact

import "testing"

// There is room for as many kinds of record facts again as there are, and one too many
// stops the program while it starts, not a change later on.
func TestThereIsRoomForMoreKindsOfRecordFacts(t *testing.T) {
	if n := len(recordKinds); 2*n > MaxRecordKinds {
		t.Errorf("%d of %d kinds are taken", n, MaxRecordKinds)
	}
	kinds, facts := recordKinds, FactKinds
	defer func() {
		recordKinds, FactKinds = kinds, facts
		if recover() == nil {
			t.Error("a kind too many was taken")
		}
	}()
	for range MaxRecordKinds {
		RecordKind("one more")
	}
}
