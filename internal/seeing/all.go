package seeing

import (
	"ableroster/internal/access"
	"ableroster/internal/patterns"
)

// SeesAll says whether there is nobody and nothing the caller may not read.
func (v *View) SeesAll() bool { return v.Rights().May(access.ActRead, patterns.Root) }
