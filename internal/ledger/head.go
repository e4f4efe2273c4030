package ledger

import (
	"bytes"
	"encoding/hex"
	"strconv"
	"time"

	"ableroster/internal/access"
)

// tip is a snapshot with the hash of its revision: by that the same revision is known
// from another one of the same number.
type tip struct {
	snapshot *access.Snapshot
	hash     []byte
	mark     Mark
}

// Mark is by what a revision is recognised wherever it is: its number, and with it the
// beginning of its hash.
type Mark struct{ Number, Full string }

// MarkLength is how much of a hash tells a revision from another of the same number, in
// hexadecimal digits.
const MarkLength = 16

func markOf(revision int64, hash []byte) Mark {
	m := Mark{Number: strconv.FormatInt(revision, 10)}
	if text := hex.EncodeToString(hash); len(text) >= MarkLength {
		m.Full = m.Number + "-" + text[:MarkLength]
	}
	return m
}

func (t *tip) revision() int64 { return t.snapshot.Revision }

// is says whether a revision of the ledger is that of the tip.
func (t *tip) is(revision int64, hash []byte) bool {
	return t.revision() == revision && bytes.Equal(t.hash, hash)
}

// Head is the newest snapshot this program knows.
func (l *Ledger) Head() *access.Snapshot { return l.head.Load().snapshot }

// Mark is that of the newest revision.
func (l *Ledger) Mark() Mark { return l.head.Load().mark }

// Age is how long ago the head was last known to be the newest. It is counted on the
// steady clock: a clock that is set changes nothing.
func (l *Ledger) Age() time.Duration { return time.Since(*l.seen.Load()) }

// publish makes a snapshot the head that was the newest at a time, unless a newer one is
// already.
func (l *Ledger) publish(t tip, when time.Time) {
	l.moving.Lock()
	defer l.moving.Unlock()
	if head := l.head.Load(); head.revision() < t.revision() {
		l.show(t, when)
	} else {
		l.sawAt(when)
	}
}

// show makes a snapshot the head. The caller holds l.moving.
func (l *Ledger) show(t tip, when time.Time) {
	l.Keep(t.snapshot)
	t.mark = markOf(t.revision(), t.hash)
	l.head.Store(&t)
	l.sawAt(when)
	close(l.news)
	l.news = make(chan struct{})
}

// sawAt says that the head was the newest at a time. The caller holds l.moving.
func (l *Ledger) sawAt(when time.Time) {
	if was := l.seen.Load(); was == nil || was.Before(when) {
		l.seen.Store(&when)
	}
}
