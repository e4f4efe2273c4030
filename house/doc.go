// Package house holds the sources to the rules that a compiler does not know: which room
// may import which, that the core has no clock, that retired words are gone, that links of
// the documents lead somewhere. Its tests read files alone and import nothing of the
// service, so that they take seconds whatever has changed.
package house

import (
	"path/filepath"
	"runtime"
)

// root is the folder of the whole project.
func root() string {
	_, file, _, _ := runtime.Caller(0)
	return filepath.Dir(filepath.Dir(file))
}
