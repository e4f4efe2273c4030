package fact

import "slices"

// Copied is a copy whose values may be settled.
func (f *Fill) Copied() *Fill {
	if f == nil {
		return nil
	}
	c := *f
	c.Units = slices.Clone(f.Units)
	return &c
}
