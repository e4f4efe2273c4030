package past

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/caught"
	"ableroster/internal/ledger/database"

	"github.com/hashicorp/golang-lru/v2/simplelru"
	"github.com/jackc/pgx/v5"
)

// RevisionAt is the last revision at or before an instant.
func (l *Past) RevisionAt(ctx context.Context, at calendar.Instant) (int64, calendar.Instant, error) {
	if h := l.head(); h.Revision > 0 && at >= h.At {
		return h.Revision, h.At, nil
	}
	var n int64
	var t time.Time
	err := l.pool.QueryRow(ctx, sqlRevisionAt, at.Time()).Scan(&n, &t)
	if errors.Is(err, pgx.ErrNoRows) {
		return 0, 0, database.ErrBeforeFirst
	}
	return n, calendar.At(t), database.Unavailable(err)
}

// At is the whole snapshot at an instant. Many who ask for the same wait for
// one load; at most two load at once, and the two last used are kept. Whoever waits
// stops with their context; a load that was begun goes on for those who wait still.
func (l *Past) At(ctx context.Context, at calendar.Instant) (*access.Snapshot, error) {
	n, t, err := l.RevisionAt(ctx, at)
	if err != nil {
		return nil, err
	}
	if h := l.head(); h.Revision == n {
		return h, nil
	}
	if s := l.atHand(n); s != nil {
		return s, nil
	}
	flight := l.flights.DoChan(fmt.Sprint(n), func() (out any, err error) {
		err = caught.Do(func() (err error) {
			out, err = l.loadWhole(n, t)
			return err
		})
		return out, err
	})
	select {
	case r := <-flight:
		if r.Err != nil {
			return nil, r.Err
		}
		return r.Val.(*access.Snapshot), nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// AtHand is the whole snapshot of a revision that is there without reading it: of the head, or a
// recent one; nil where it would have to be made.
func (l *Past) AtHand(n int64) *access.Snapshot {
	if h := l.head(); h.Revision == n {
		return h
	}
	return l.atHand(n)
}

// atHand is the whole snapshot of a past revision, nil where it would have to be made.
func (l *Past) atHand(n int64) *access.Snapshot {
	erased := l.head().Erased()
	if s := l.recents.at(n, erased); s != nil {
		return s
	}
	return l.cache.get(n, erased)
}

// wholeLimit is how long loading a whole past snapshot may take, the waiting for a place
// included.
const wholeLimit = 2 * time.Minute

func (l *Past) loadWhole(n int64, t calendar.Instant) (*access.Snapshot, error) {
	ctx, cancel := context.WithTimeout(l.run, wholeLimit)
	defer cancel()
	select {
	case l.whole <- struct{}{}:
		defer func() { <-l.whole }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	erased := l.head().Erased()
	s, err := l.snapshotAt(ctx, n, t)
	if err == nil {
		l.cache.put(s, erased)
	}
	return s, err
}

// historyCache keeps the historical snapshots used last, until somebody is erased: what was
// read before has their names.
type historyCache struct {
	mu     sync.Mutex
	kept   *simplelru.LRU[int64, *access.Snapshot] // by revision
	erased int                                     // how many users had been erased when they were read
}

// mostKept is how many there are: each may be as large as the head.
const mostKept = 2

// fresh forgets what was read when fewer had been erased.
func (c *historyCache) fresh(erased int) {
	if c.kept == nil || c.erased != erased {
		c.kept, _ = simplelru.NewLRU[int64, *access.Snapshot](mostKept, nil)
		c.erased = erased
	}
}

func (c *historyCache) get(n int64, erased int) *access.Snapshot {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.fresh(erased)
	s, _ := c.kept.Get(n)
	return s
}

// put keeps a snapshot that was begun to be read when so many had been erased.
func (c *historyCache) put(s *access.Snapshot, erased int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.erased > erased { // somebody was erased meanwhile
		return
	}
	c.fresh(erased)
	c.kept.Add(s.Revision, s)
}

const sqlRevisionAt = `select revision, at from revision where at <= $1 order by at desc limit 1`
