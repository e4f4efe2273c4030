// Package paged holds the persistent data structures under a snapshot: flat
// tables addressed by dense ids, copied by page, so that the next snapshot
// costs what was changed and not what there is.
//
// A Table is a value. Copying it is free and the copy is independent: writing
// through one copy is never seen through another. Writers pass an *Edit; pages
// made under that edit are written in place, all others are copied first.
package paged

import "iter"

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
// the items of the processor's cache.
type page[T any] [pageSize]T

// directory names the pages of a stretch of rows: as many as were written, so
// that a small table stays small.
type directory[T any] struct {
	owner *Edit
	pages []named[T]
}

type named[T any] struct {
	rows  *page[T]
	owner *Edit
}

// Table is a persistent vector of T. The zero Table is empty. Rows that were
// never set read as nil (At) or as the zero T (Get); ids may be sparse.
type Table[T any] struct {
	owner *Edit
	dirs  []directory[T]
	n     int
}

// Len is one more than the highest index ever set.
func (t *Table[T]) Len() int { return t.n }

// At points at row i, or is nil when its page was never written. The row must
// not be written through the pointer.
func (t *Table[T]) At(i int) *T {
	d, k := i>>(pageBits+dirBits), i>>pageBits&(dirSize-1)
	if i < 0 || d >= len(t.dirs) || k >= len(t.dirs[d].pages) {
		return nil
	}
	p := t.dirs[d].pages[k].rows
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
	d, k := i>>(pageBits+dirBits), i>>pageBits&(dirSize-1)
	if t.owner != e {
		t.dirs = append(make([]directory[T], 0, len(t.dirs)+1), t.dirs...)
		t.owner = e
	}
	for len(t.dirs) <= d {
		t.dirs = append(t.dirs, directory[T]{})
	}
	dir := &t.dirs[d]
	if dir.owner != e {
		dir.pages = append(make([]named[T], 0, max(len(dir.pages), k+1)), dir.pages...)
		dir.owner = e
	}
	for len(dir.pages) <= k {
		dir.pages = append(dir.pages, named[T]{})
	}
	p := &dir.pages[k]
	switch {
	case p.rows == nil:
		p.rows = new(page[T])
	case p.owner != e:
		c := *p.rows
		p.rows = &c
	}
	p.owner = e
	t.n = max(t.n, i+1)
	return &p.rows[i&(pageSize-1)]
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

// Differ are the rows of t that may differ from those of an older version of
// it: all on pages the two do not share.
func (t *Table[T]) Differ(older *Table[T]) iter.Seq[int] {
	return func(yield func(int) bool) {
		for d := range t.dirs {
			for k := range t.dirs[d].pages {
				rows := t.dirs[d].pages[k].rows
				if d < len(older.dirs) && k < len(older.dirs[d].pages) && older.dirs[d].pages[k].rows == rows {
					continue
				}
				for i := range pageSize {
					if !yield((d<<dirBits|k)<<pageBits | i) {
						return
					}
				}
			}
		}
	}
}
