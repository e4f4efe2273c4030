// Package paged holds the persistent data structures under a snapshot: flat
// tables addressed by dense ids, copied by page, so that the next snapshot
// costs what was changed and not what there is.
//
// A Table is a value. Copying it is free and the copy is independent: writing
// through one copy is never seen through another. Writers pass an *Edit; pages
// made under that edit are written in place, all others are copied first.
package paged

const (
	pageBits = 6
	dirBits  = 9
	pageSize = 1 << pageBits
	dirSize  = 1 << dirBits
)

// Edit marks the pages one writer may write in place. An Edit belongs to one
// goroutine and is dropped when its tables are published.
type Edit struct{ _ byte }

// page holds rows and nothing else, so that rows of a round size lie evenly in
// the lines of the processor's cache.
type page[T any] [pageSize]T

type directory[T any] struct {
	owner  *Edit
	pages  [dirSize]*page[T]
	owners [dirSize]*Edit // of the pages
}

// Table is a persistent vector of T. The zero Table is empty. Rows that were
// never set read as nil (At) or as the zero T (Get); ids may be sparse.
type Table[T any] struct {
	owner *Edit
	dirs  []*directory[T]
	n     int
}

// Len is one more than the highest index ever set.
func (t *Table[T]) Len() int { return t.n }

// At points at row i, or is nil when its page was never written. The row must
// not be written through the pointer.
func (t *Table[T]) At(i int) *T {
	d := i >> (pageBits + dirBits)
	if i < 0 || d >= len(t.dirs) || t.dirs[d] == nil {
		return nil
	}
	p := t.dirs[d].pages[i>>pageBits&(dirSize-1)]
	if p == nil {
		return nil
	}
	return &p[i&(pageSize-1)]
}

// Get is row i, or the zero T.
func (t *Table[T]) Get(i int) T {
	if r := t.At(i); r != nil {
		return *r
	}
	var zero T
	return zero
}

// Edit points at row i for writing under e, growing the table as needed.
func (t *Table[T]) Edit(e *Edit, i int) *T {
	d := i >> (pageBits + dirBits)
	if t.owner != e {
		t.dirs = append(make([]*directory[T], 0, len(t.dirs)+1), t.dirs...)
		t.owner = e
	}
	for len(t.dirs) <= d {
		t.dirs = append(t.dirs, nil)
	}
	dir := t.dirs[d]
	switch {
	case dir == nil:
		dir = &directory[T]{owner: e}
	case dir.owner != e:
		dir = &directory[T]{e, dir.pages, dir.owners}
	}
	t.dirs[d] = dir
	k := i >> pageBits & (dirSize - 1)
	p := dir.pages[k]
	switch {
	case p == nil:
		p = new(page[T])
	case dir.owners[k] != e:
		c := *p
		p = &c
	}
	dir.pages[k], dir.owners[k] = p, e
	t.n = max(t.n, i+1)
	return &p[i&(pageSize-1)]
}

// Set writes row i under e.
func (t *Table[T]) Set(e *Edit, i int, v T) { *t.Edit(e, i) = v }

// Pop removes the last row and returns it.
func (t *Table[T]) Pop(e *Edit) T {
	var zero T
	r := t.Edit(e, t.n-1)
	v := *r
	*r = zero
	t.n--
	return v
}
