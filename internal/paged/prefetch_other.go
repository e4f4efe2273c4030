//go:build (!amd64 && !arm64) || noprefetch

package paged

import "unsafe"

// prefetch does nothing where we know no instruction for it.
func prefetch(unsafe.Pointer) {}
