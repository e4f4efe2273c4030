package paged

import "hash/maphash"

// seed is one for the process, so that indexes of any two snapshots hash alike.
var seed = maphash.MakeSeed()

type slot struct {
	hash uint64
	id   uint32
}

// Index is a persistent map from string to id by linear hashing: each insert
// past the load splits one bucket, so growth is paid by the row and never in
// one go. The strings themselves stay with the rows they name: the caller
// says whether a candidate id bears the key.
type Index struct {
	buckets Table[[]slot]
	level   uint // 1<<level buckets before this round of splitting
	split   int  // next bucket to split
	n       int
}

// Len is how many keys there are.
func (x *Index) Len() int { return x.n }

func (x *Index) bucket(h uint64) int {
	b := int(h & (1<<x.level - 1))
	if b < x.split {
		b = int(h & (1<<(x.level+1) - 1))
	}
	return b
}

// Find is the id that bears key.
func (x *Index) Find(key string, bears func(id uint32) bool) (uint32, bool) {
	h := maphash.String(seed, key)
	b := x.buckets.At(x.bucket(h))
	if b == nil {
		return 0, false
	}
	for _, s := range *b {
		if s.hash == h && bears(s.id) {
			return s.id, true
		}
	}
	return 0, false
}

// Add enters key for id. The caller has made sure that key is new.
func (x *Index) Add(e *Edit, key string, id uint32) {
	h := maphash.String(seed, key)
	x.insert(e, x.bucket(h), slot{h, id})
	x.n++
	if x.n > 4*(1<<x.level+x.split) {
		x.grow(e)
	}
}

func (x *Index) insert(e *Edit, b int, s slot) {
	row := x.buckets.Edit(e, b)
	// A fresh slice: the old one may be shared with an older snapshot.
	*row = append((*row)[:len(*row):len(*row)], s)
}

func (x *Index) grow(e *Edit) {
	old := x.buckets.Get(x.split)
	mask := uint64(1)<<(x.level+1) - 1
	var stay, move []slot
	for _, s := range old {
		if int(s.hash&mask) == x.split {
			stay = append(stay, s)
		} else {
			move = append(move, s)
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
