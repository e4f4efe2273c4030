package seeing

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"sync"

	"ableroster/internal/access"
	"ableroster/internal/fact"

	"golang.org/x/sync/singleflight"
	"golang.org/x/text/collate"
	"golang.org/x/text/language"
)

// roll is all users of a snapshot in one order. Putting a hundred thousand
// names in order takes longer than anybody waits for a page, so the roll of
// the newest snapshot is kept, and the next one made from it by difference.
type roll struct {
	of   *access.Snapshot
	Rows []RollRow
}

// RollRow is a user in a roll, with what they are found and sorted by.
type RollRow struct {
	User   *fact.User
	key    []byte // by which the language orders texts
	Sought string // what searches look into, folded
}

func (k *keys) row(u *fact.User, text func(*fact.User) string) RollRow {
	return RollRow{u, k.key(text(u)), Folded(u.DisplayName + "\x00" + u.UserName + "\x00" + u.Title + "\x00" + u.Email)}
}

func (r RollRow) compare(o RollRow) int {
	return cmp.Or(bytes.Compare(r.key, o.key), cmp.Compare(r.User.ID, o.User.ID))
}

// newRoll calls all users of a snapshot in the order of a text.
func newRoll(s *access.Snapshot, text func(*fact.User) string) *roll {
	r := &roll{of: s}
	k := newKeys()
	for u := range s.Users() {
		r.Rows = append(r.Rows, k.row(u, text))
	}
	slices.SortFunc(r.Rows, RollRow.compare)
	return r
}

// next is the roll of another snapshot, made by difference. The old one is left as it is.
func (r *roll) next(s *access.Snapshot, text func(*fact.User) string) *roll {
	changed := map[fact.UserID]bool{}
	var fresh []RollRow
	k := newKeys()
	for u := range s.UsersSince(r.of) {
		changed[u.ID] = true
		fresh = append(fresh, k.row(u, text))
	}
	older := s.Revision < r.of.Revision // and may not have all of them
	if len(fresh) == 0 && !older {
		return &roll{s, r.Rows}
	}
	slices.SortFunc(fresh, RollRow.compare)
	rows := make([]RollRow, 0, len(r.Rows)+len(fresh))
	for _, old := range r.Rows {
		if changed[old.User.ID] || older && s.User(old.User.ID) == nil {
			continue
		}
		for len(fresh) > 0 && fresh[0].compare(old) < 0 {
			rows, fresh = append(rows, fresh[0]), fresh[1:]
		}
		rows = append(rows, old)
	}
	return &roll{s, append(rows, fresh...)}
}

// keys makes collation keys, each to be kept.
type keys struct {
	order  *collate.Collator
	buffer collate.Buffer
}

func newKeys() *keys { return &keys{order: collate.New(language.Und, collate.IgnoreCase)} }

func (k *keys) key(text string) []byte {
	k.buffer.Reset()
	return bytes.Clone(k.order.KeyFromString(&k.buffer, text))
}

// rolls keeps the rolls of the newest snapshots, by what they are ordered by.
type rolls struct {
	mu     sync.Mutex
	kept   map[string][]*roll // the newest first
	making singleflight.Group // by order and revision: nobody waits for what others make
}

// rollsKept is how many snapshots are answered for at once: those who asked a
// moment ago still hold the one before.
const rollsKept = 4

func (c *rolls) get(s *access.Snapshot, sort string, text func(*fact.User) string) *roll {
	c.mu.Lock()
	all := c.kept[sort]
	c.mu.Unlock()
	for _, r := range all {
		if r.of == s {
			return r
		}
	}
	made, _, _ := c.making.Do(fmt.Sprint(sort, " ", s.Revision), func() (any, error) {
		if len(all) == 0 {
			return newRoll(s, text), nil
		}
		return all[0].next(s, text), nil
	})
	r := made.(*roll)
	if r.of != s { // of another history: see the ledger's epoch
		return newRoll(s, text)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.kept == nil {
		c.kept = map[string][]*roll{}
	}
	if all := c.kept[sort]; len(all) == 0 || s.Revision > all[0].of.Revision {
		c.kept[sort] = append([]*roll{r}, all[:min(len(all), rollsKept-1)]...)
	}
	return r
}

// refresh makes the roll by name, and brings all that are kept up to a snapshot.
func (c *rolls) refresh(s *access.Snapshot) {
	orders := map[string]bool{"name": true}
	c.mu.Lock()
	for sort := range c.kept {
		orders[sort] = true
	}
	c.mu.Unlock()
	for sort := range orders {
		text := OrderOf(s, sort)
		if text == nil { // of an attribute that was retired
			c.mu.Lock()
			delete(c.kept, sort)
			c.mu.Unlock()
			continue
		}
		c.get(s, sort, text)
		c.mu.Lock()
		if all := c.kept[sort]; len(all) > 0 {
			c.kept[sort] = []*roll{all[0]} // a slice of the old one would keep them all
		}
		c.mu.Unlock()
	}
}
