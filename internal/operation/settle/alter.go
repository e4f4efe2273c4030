package settle

import (
	"reflect"

	"ableroster/internal/access"
	"ableroster/internal/change"
)

// Alter puts a fact in the place of an older one: do changes a copy of it, and files what
// is wrong with it. One that comes out as it was is noted to be so already. It is the new
// fact, nil when there is none.
func Alter[F any, P interface {
	*F
	access.Keyed
}](d *change.Draft, old P, do func(f P)) P {
	before := len(d.Faults)
	f := *old
	do(&f)
	switch {
	case len(d.Faults) > before:
	case reflect.DeepEqual(f, *old):
		d.Note(change.AlreadySo, old.Since())
	default:
		d.Put(P(&f))
		return &f
	}
	return nil
}
