//go:build (amd64 || arm64) && !noprefetch

package paged

import "unsafe"

// prefetch asks the processor for the cache line at p, and waits for nothing.
//
//go:noescape
func prefetch(p unsafe.Pointer)
