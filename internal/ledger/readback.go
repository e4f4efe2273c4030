package ledger

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
)

// errReadBack is an internal fault: what would be written could not be read back as what
// was judged.
var errReadBack = errors.New("internal fault: what would be written reads back differently")

// readBack holds the bytes of operations, as they are about to be written, to what was
// judged: read and applied to the same snapshot, they make the same facts. So whatever is
// committed can be read for ever. It takes no lock.
func readBack(base *access.Snapshot, d *access.Draft, at calendar.Instant, ops []access.Operation, raw []json.RawMessage, changes []access.RowChange, seals []sealed) error {
	values := map[string]access.Personal{}
	for _, s := range seals {
		var p access.Personal
		if err := json.Unmarshal(s.text, &p); err != nil {
			return fmt.Errorf("%w: personal values: %w", errReadBack, err)
		}
		values[fmt.Sprintf("%x", s.digest)] = p
	}
	r := Revision{Revision: d.Revision, At: at, Author: d.Author, format: formatVersion, ids: d.Took()}
	for i, body := range raw {
		op, err := access.DecodeLike(ops[i], body)
		if err != nil {
			return fmt.Errorf("%w: operation %d: %w", errReadBack, i, err)
		}
		if p, ok := op.(access.PersonalOperation); ok {
			p.Unseal(func(digest string) access.Personal { return values[digest] })
		}
		r.Operations = append(r.Operations, op)
	}
	again, err := replay(base, &r)
	if err != nil {
		return fmt.Errorf("%w: %w", errReadBack, err)
	}
	return sameChanges(changes, again.Changes())
}

// sameChanges says whether two drafts do the same to the rows.
func sameChanges(a, b []access.RowChange) error {
	if len(a) != len(b) {
		return fmt.Errorf("%w: %d rows and %d", errReadBack, len(a), len(b))
	}
	for i := range a {
		if !sameFact(a[i].Before, b[i].Before) || !sameFact(a[i].After, b[i].After) {
			return fmt.Errorf("%w: row %d", errReadBack, i)
		}
	}
	return nil
}

func sameFact(a, b access.Fact) bool {
	if a == nil || b == nil {
		return a == nil && b == nil
	}
	if a.Kind() != b.Kind() || a.Row() != b.Row() {
		return false
	}
	if a == b { // of the base
		return true
	}
	t := tableOf(a.Kind())
	return reflect.DeepEqual(t.values(a), t.values(b))
}
