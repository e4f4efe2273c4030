package paged

import "unsafe"

// cacheLine is how much comes from memory at once.
const cacheLine = 64

// Prefetch has the first bytes of a row brought from memory while the caller
// does something else: rows drawn at random are in no cache, and waiting for one
// after the other is most of what looking them up costs. The row may be nil.
func Prefetch[T any](row *T, bytes uintptr) {
	for at := uintptr(0); at < bytes && row != nil; at += cacheLine {
		prefetch(unsafe.Add(unsafe.Pointer(row), at))
	}
}
