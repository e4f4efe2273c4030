package paged

import "unsafe"

// cacheLine is how much comes from memory at once.
const cacheLine = 64

// Prefetch has the first bytes of row i brought from memory while the caller does something else:
// rows drawn at random are in no cache, and waiting for one after the other is
// most of what looking them up costs.
func (t *Table[T]) Prefetch(i int, bytes uintptr) {
	row := t.At(i)
	if row == nil {
		return
	}
	for at := uintptr(0); at < min(bytes, unsafe.Sizeof(*row)); at += cacheLine {
		prefetch(unsafe.Add(unsafe.Pointer(row), at))
	}
}
