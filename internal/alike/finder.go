package alike

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
	"ableroster/internal/record"
)

// mostAlike is of how many people who look like one the first are found.
const mostAlike = 1000

// fewShare is up to how many people under a digest are looked up anew each time.
const fewShare = 16

// Finder finds people of one snapshot, among those whom a function chooses, who look like one after
// another. However many share something, and however many are sought, the function is asked
// of each some few times. It belongs to one goroutine.
type Finder struct {
	s        *access.Snapshot
	chosen   func(fact.UserID) bool // nil for everybody
	identify []*fact.Attribute
	index    *index
	many     map[uint64][]fact.UserID // those chosen, under the digests that many share
}

// Among is a finder among those whom chosen says, nil for everybody.
func Among(s *access.Snapshot, chosen func(fact.UserID) bool) *Finder {
	return &Finder{s: s, chosen: chosen, identify: identifying(s), index: s.Memo(memo{}, func() any { return new(index) }).(*index), many: map[uint64][]fact.UserID{}}
}

// To calls yield for the people who look like somebody, in order of id, until it says to stop: of
// more than 1,000 for the first. A record that was merged into another is nobody's any more.
func (f *Finder) To(somebody *fact.User, yield func(*fact.User) bool) {
	lists := f.candidates(somebody)
	for found := 0; found < mostAlike; {
		var id fact.UserID
		for _, l := range lists {
			if len(l) > 0 && (id == 0 || l[0] < id) {
				id = l[0]
			}
		}
		if id == 0 {
			return
		}
		for i, l := range lists {
			if len(l) > 0 && l[0] == id {
				lists[i] = l[1:]
			}
		}
		if u := f.s.User(id); u != nil && u.ID != somebody.ID && record.MergedInto(f.s, id) == 0 && are(u, somebody, f.identify) {
			if found++; !yield(u) {
				return
			}
		}
	}
}

// candidates are those chosen under each digest of somebody, in order.
func (f *Finder) candidates(somebody *fact.User) (lists [][]fact.UserID) {
	fresh := map[uint64][]fact.UserID{}
	f.index.Lock()
	f.index.follow(f.s, f.identify)
	keys(somebody, f.identify, true, func(k uint64) {
		if l, known := f.many[k]; known {
			lists = append(lists, l)
		} else if id, some := f.index.one[k]; some {
			fresh[k] = append([]fact.UserID{id}, f.index.more[k]...)
		}
	})
	f.index.Unlock()
	for k, l := range fresh {
		many := len(l) > fewShare
		if slices.Sort(l); f.chosen != nil {
			l = slices.DeleteFunc(l, func(id fact.UserID) bool { return !f.chosen(id) })
		}
		if many {
			f.many[k] = l
		}
		lists = append(lists, l)
	}
	return lists
}
