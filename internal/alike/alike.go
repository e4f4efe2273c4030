// Package alike finds who may be the same person as somebody: by address, by the value of an
// attribute that tells people apart, or by name and first day. It keeps an index of those who
// are there, which one line of snapshots shares: it is made when first asked for, and follows
// by what changed since.
package alike

import (
	"hash/maphash"
	"slices"
	"strings"
	"sync"
	"unicode"

	"ableroster/internal/access"
	"ableroster/internal/fact"

	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"
)

var seed = maphash.MakeSeed()

// index has users by digests of what records of one person share. It may have more than is so
// any more: whoever is found in it is looked at again. Several goroutines may use it.
type index struct {
	sync.Mutex
	upTo *access.Snapshot
	by   string // the attributes that it goes by
	one  map[uint64]fact.UserID
	more map[uint64][]fact.UserID // of digests that several have, in order
}

// memo is under what a line of snapshots keeps its index.
type memo struct{}

// To calls yield for the people of a snapshot who look like somebody; see Finder.
func To(s *access.Snapshot, somebody *fact.User, yield func(*fact.User) bool) {
	Among(s, nil).To(somebody, yield)
}

// Warm makes the index of a line of snapshots beside other work, so that whoever adds the first
// user does not wait for it.
func Warm(s *access.Snapshot, rest func()) {
	made := new(index)
	made.make(s, identifying(s), rest)
	x := s.Memo(memo{}, func() any { return new(index) }).(*index)
	x.Lock()
	defer x.Unlock()
	if x.upTo == nil {
		x.upTo, x.by, x.one, x.more = made.upTo, made.by, made.one, made.more
	}
}

// identifying are the attributes that tell people apart.
func identifying(s *access.Snapshot) (out []*fact.Attribute) {
	s.EachRecordFact(fact.FactAttribute, func(f fact.RecordFact) bool {
		if a := f.(*fact.Attribute); a.Identifies && !a.Retired {
			out = append(out, a)
		}
		return true
	})
	return out
}

// follow has the index know of everybody in a snapshot, as they are there: of those who differ
// between it and the newest that the index followed, which may be newer.
func (x *index) follow(s *access.Snapshot, identify []*fact.Attribute) {
	switch {
	case x.upTo == nil || x.by != keysOf(identify):
		x.make(s, identify, func() {})
	case s != x.upTo:
		for u := range s.UsersSince(x.upTo) {
			x.add(u, identify)
		}
		if s.Revision > x.upTo.Revision {
			x.upTo = s
		}
	}
}

// make makes the index of everybody in a snapshot anew, resting now and then.
func (x *index) make(s *access.Snapshot, identify []*fact.Attribute, rest func()) {
	x.upTo, x.by, x.one, x.more = s, keysOf(identify), map[uint64]fact.UserID{}, map[uint64][]fact.UserID{}
	for u := range s.Users() {
		if x.add(u, identify); u.ID%64 == 0 {
			rest()
		}
	}
}

func keysOf(identify []*fact.Attribute) (by string) {
	for _, a := range identify {
		by += a.Key + "\x00"
	}
	return by
}

func (x *index) add(u *fact.User, identify []*fact.Attribute) {
	if u.UserKind != fact.Person || u.Erased {
		return
	}
	keys(u, identify, false, func(k uint64) {
		switch id, some := x.one[k]; {
		case !some:
			x.one[k] = u.ID
		case id != u.ID:
			if i, there := slices.BinarySearch(x.more[k], u.ID); !there {
				x.more[k] = slices.Insert(x.more[k], i, u.ID)
			}
		}
	})
}

// keys calls yield for digests of a user's address, name, and values that tell people apart: those
// under which the user is found, or under which those are who look like them. Two who have a name
// are alike by their first days or, where one has none, by their units; so nobody is under a name alone.
func keys(u *fact.User, identify []*fact.Attribute, sought bool, yield func(uint64)) {
	digest := func(of string, values ...string) {
		if !slices.Contains(values, "") {
			yield(maphash.Comparable(seed, [2]string{of, strings.Join(values, "\x00")}))
		}
	}
	digest("e-mail", fact.Fold(u.Email))
	name, dated := plainName(u.DisplayName), u.Start != 0
	if dated {
		digest("name, from", name, u.Start.String())
	}
	if !dated || sought {
		digest("name, undated, in", name, u.Unit)
	}
	if dated != sought {
		digest("name, dated, in", name, u.Unit)
	}
	for _, a := range identify {
		digest("attribute "+a.Key, fact.Fold(value(u, a)))
	}
}

func value(u *fact.User, a *fact.Attribute) string {
	if a.Personal {
		return u.More.Get(a.Key)
	}
	return u.Custom.Get(a.Key)
}

// are says whether two records look like one person's: the same address, the same value of an
// attribute that tells people apart, the same name and first day, or, where one of them has no
// first day, the same name in the same unit.
func are(a, b *fact.User, identify []*fact.Attribute) bool {
	if a.UserKind != fact.Person || b.UserKind != fact.Person || a.Erased || b.Erased {
		return false
	}
	if a.Email != "" && fact.Fold(a.Email) == fact.Fold(b.Email) {
		return true
	}
	for _, x := range identify {
		if v := value(a, x); v != "" && fact.Fold(v) == fact.Fold(value(b, x)) {
			return true
		}
	}
	if name := plainName(a.DisplayName); name == "" || name != plainName(b.DisplayName) {
		return false
	}
	if a.Start != 0 && b.Start != 0 {
		return a.Start == b.Start
	}
	return a.Unit != "" && a.Unit == b.Unit
}

// plainName is a name of at least two words in small letters without marks, its words in the
// order of the alphabet: "Sá, Baltasar" is "baltasar sa".
func plainName(name string) string {
	ascii := true
	for i := range len(name) {
		ascii = ascii && name[i] < 0x80
	}
	if !ascii {
		if t, _, err := transform.String(transform.Chain(norm.NFD, runes.Remove(runes.In(unicode.Mn)), norm.NFC), name); err == nil {
			name = t
		}
	}
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	if len(words) < 2 {
		return ""
	}
	slices.Sort(words)
	return strings.Join(words, " ")
}
