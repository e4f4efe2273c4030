package stream

import (
	"encoding/json"
	"errors"
	"fmt"
	"iter"
	"reflect"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/revisions"
)

// errReadBack is an internal fault: what would be written could not be read back as what
// was judged.
var errReadBack = errors.New("internal fault: what would be written reads back differently")

// ReadBack holds the bytes of operations, as they are about to be written, to what was
// judged: read and applied to the same snapshot, they make the same facts. So whatever is
// committed can be read for ever. It takes no lock, and only reads the draft.
func ReadBack(base *access.Snapshot, d *change.Draft, at calendar.Instant, ops []change.Operation, raw iter.Seq[json.RawMessage], changes []access.RowChange, seals []revisions.Sealed) error {
	values := map[string]fact.Personal{}
	for _, s := range seals {
		var p fact.Personal
		if err := json.Unmarshal(s.Text, &p); err != nil {
			return fmt.Errorf("%w: personal values: %w", errReadBack, err)
		}
		values[fmt.Sprintf("%x", s.Digest)] = p
	}
	begun := change.NewDraft(base)
	begun.Calm = d.Calm
	begun.Revision = d.Revision // one that is prepared has none of its own yet
	r := revisions.Revision{Author: d.Author, Format: revisions.Format, TakenIDs: d.Took()}
	r.Readies(begun)
	i := -1
	for body := range raw {
		i++
		op, err := change.DecodeLike(ops[i], body)
		if err != nil {
			return fmt.Errorf("%w: operation %d: %w", errReadBack, i, err)
		}
		if p, ok := op.(change.PersonalOperation); ok {
			p.Unseal(func(digest string) fact.Personal { return values[digest] })
		}
		begun.Apply(i, op, at) // and it is not kept: there may be very many
	}
	if i != len(ops)-1 {
		return fmt.Errorf("%w: %d operations of %d", errReadBack, i+1, len(ops))
	}
	again, err := revisions.FinishReplay(begun)
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

// Reader reads back what a group of changes writes, in the order in which they are judged
// and beside their judging. A nil one reads at once.
type Reader struct {
	work chan func() error
	done chan struct{} // closed once all was read, or one was found to differ
	err  error
}

// StartReader begins to read what at most so many changes write.
func StartReader(most int) *Reader {
	r := &Reader{work: make(chan func() error, most), done: make(chan struct{})}
	go func() {
		defer close(r.done)
		for read := range r.work {
			if r.err = caught.Do(read); r.err != nil {
				return
			}
		}
	}()
	return r
}

// Read reads back, or has it done: then only wait tells what was found.
func (r *Reader) Read(back func() error) error {
	if r == nil {
		return back()
	}
	r.work <- back
	return nil
}

// End says that nothing more will be read.
func (r *Reader) End() {
	if r != nil {
		close(r.work)
	}
}

// Wait waits until all was read, and says what differs.
func (r *Reader) Wait() error {
	if r == nil {
		return nil
	}
	<-r.done
	return r.err
}

func sameFact(a, b fact.Fact) bool {
	if a == nil || b == nil {
		return a == nil && b == nil
	}
	if a.Kind() != b.Kind() || a.Row() != b.Row() {
		return false
	}
	if a == b { // of the base
		return true
	}
	switch a := a.(type) { // there are many of these
	case *fact.User:
		return *a == *b.(*fact.User)
	case *fact.Membership:
		return *a == *b.(*fact.Membership)
	case *fact.Assignment:
		if b := b.(*fact.Assignment); a.Scopes == nil && b.Scopes == nil && a.Schedule == nil && b.Schedule == nil {
			return a.Assignee == b.Assignee && a.Role == b.Role && a.Window == b.Window && a.Origin == b.Origin && a.Rule == b.Rule && a.Opened == b.Opened
		}
	}
	t := factrows.TableOf(a.Kind())
	return reflect.DeepEqual(t.Values(a), t.Values(b))
}
