package fact

import "strings"

// Names are looked up without case.
func Fold(name string) string { return strings.ToLower(name) }
