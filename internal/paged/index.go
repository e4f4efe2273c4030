package paged

import (
	"hash/maphash"
	"unsafe"
)

// seed is one for the process, so that indexes of any two snapshots hash alike.
var seed = maphash.MakeSeed()

// slot is a row under the low half of its key's hash; id 0 is an empty one.
type slot struct{ hash, id uint32 }

// bucket holds a few rows in one line of the processor's cache; what does not
// fit lies behind more, which is never written in place.
type bucket struct {
	slots [7]slot
	more  *[]slot
}

// Index is a persistent map from string to id by linear hashing: each insert
// past the load splits one bucket, so growth is paid by the row and never in
// one go. The strings themselves stay with the rows they name: the caller
// says whether a candidate id bears the key. Ids are greater than 0.
type Index struct {
	buckets Table[bucket]
	level   uint // 1<<level buckets before this round of splitting
	split   int  // next bucket to split
	n       int
}

// Len is how many keys there are.
func (x *Index) Len() int { return x.n }

func hash(key string) uint32 { return uint32(maphash.String(seed, key)) }

func (x *Index) bucket(h uint32) int {
	b := int(h & (1<<x.level - 1))
	if b < x.split {
		b = int(h & (1<<(x.level+1) - 1))
	}
	return b
}

// Find is the id that bears key.
func (x *Index) Find(key string, bears func(id uint32) bool) (uint32, bool) {
	return x.Probe(key).Find(bears)
}

// Probe is a key on its way to being found.
type Probe struct {
	hash uint32
	in   *bucket
}

// Probe begins to look a key up: the place where it would lie is on its way
// from memory while the caller does something else.
func (x *Index) Probe(key string) Probe {
	h := hash(key)
	b := x.buckets.At(x.bucket(h))
	if b != nil {
		prefetch(unsafe.Pointer(b))
	}
	return Probe{h, b}
}

// Likely is the id that most likely bears the key, 0 if none does: its row can
// be fetched ahead.
func (p Probe) Likely() uint32 {
	if p.in != nil {
		for i := range p.in.slots {
			if s := &p.in.slots[i]; s.hash == p.hash && s.id != 0 {
				return s.id
			}
		}
	}
	return 0
}

// Find is the id that bears the key.
func (p Probe) Find(bears func(id uint32) bool) (uint32, bool) {
	b := p.in
	if b == nil {
		return 0, false
	}
	for i := range b.slots {
		if s := &b.slots[i]; s.hash == p.hash && s.id != 0 && bears(s.id) {
			return s.id, true
		}
	}
	if b.more != nil {
		for _, s := range *b.more {
			if s.hash == p.hash && bears(s.id) {
				return s.id, true
			}
		}
	}
	return 0, false
}

// Add enters key for id. The caller has made sure that key is new.
func (x *Index) Add(e *Edit, key string, id uint32) {
	h := hash(key)
	x.buckets.Edit(e, x.bucket(h)).add(slot{h, id})
	x.n++
	if x.n > 2*(1<<x.level+x.split) {
		x.grow(e)
	}
}

func (b *bucket) add(s slot) {
	for i := range b.slots {
		if b.slots[i].id == 0 {
			b.slots[i] = s
			return
		}
	}
	var more []slot
	if b.more != nil {
		more = *b.more
	}
	// A fresh slice: the old one may be shared with an older snapshot.
	more = append(more[:len(more):len(more)], s)
	b.more = &more
}

func (x *Index) grow(e *Edit) {
	old := x.buckets.Get(x.split)
	mask := uint32(1)<<(x.level+1) - 1
	var stay, move bucket
	part := func(s slot) {
		switch {
		case s.id == 0:
		case int(s.hash&mask) == x.split:
			stay.add(s)
		default:
			move.add(s)
		}
	}
	for _, s := range old.slots {
		part(s)
	}
	if old.more != nil {
		for _, s := range *old.more {
			part(s)
		}
	}
	x.buckets.Set(e, x.split, stay)
	x.buckets.Set(e, x.split+1<<x.level, move)
	x.split++
	if x.split == 1<<x.level {
		x.level++
		x.split = 0
	}
}
