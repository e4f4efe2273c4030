package access

import (
	"slices"

	"ableroster/internal/fact"
	"ableroster/internal/paged"
	"ableroster/internal/patterns"
)

// beginning marks the key of a beginning of addresses among those of whole ones.
const beginning = ^uint32(0)

// serve enters the addresses of a resource that are not entered yet. Addresses that are no
// resource's any more stay entered: whoever finds one looks at the resource.
func (d *Builder) serve(e *paged.Edit, a *ApplicationEntry, f *fact.Resource) {
	for _, text := range f.Addresses {
		x, err := patterns.ParseAddress(text)
		if err != nil { // written before addresses had a form
			continue
		}
		shapes := x.Shapes()
		for i, shape := range shapes {
			id := beginning
			if i == len(shapes)-1 {
				id = f.Row()
			}
			if _, has := a.byAddress.Find(shape, func(there uint32) bool { return there == id }); !has {
				a.byAddress.Add(e, shape, id)
			}
		}
	}
}

// served finds the resource that has an address of a shape, and that address.
func (s *Snapshot) served(a *ApplicationEntry, shape string) (f *fact.Resource, as patterns.Address) {
	a.byAddress.Find(shape, func(id uint32) bool {
		if id == beginning {
			return false
		}
		r := s.ResourceTable.At(int(id)).Fact
		if r == nil || r.Retired {
			return false
		}
		for _, text := range r.Addresses {
			if x, err := patterns.ParseAddress(text); err == nil {
				if shapes := x.Shapes(); shapes[len(shapes)-1] == shape {
					f, as = r, x
					return true
				}
			}
		}
		return false
	})
	return f, as
}

// ServedAt is the resource of an application, not retired, that has an address for the same as
// another; nil for none.
func (s *Snapshot) ServedAt(app fact.ApplicationID, x patterns.Address) *fact.Resource {
	shapes := x.Shapes()
	f, _ := s.served(s.ApplicationTable.At(int(app)), shapes[len(shapes)-1])
	return f
}

// Addressed is the action and the path that a call of a method at an address comes to in an
// application; ok is false where no address that is registered fits. The address that says
// most fits first: with its host, segment by segment from the left written out rather than by a
// placeholder, for the method rather than for any. Below an open resource the placeholders make
// the rest of the path.
func (s *Snapshot) Addressed(app fact.ApplicationID, method, address string) (action, path string, ok bool, err error) {
	host, segments, err := patterns.ParseServed(address)
	if err != nil {
		return "", "", false, err
	}
	a := s.ApplicationTable.At(int(app))
	hosts := []string{""}
	if host != "" {
		hosts = []string{host, ""}
	}
	for _, h := range hosts {
		if f, x := s.fitting(a, h, method, segments, 0); f != nil {
			if action = x.Action; action == "" {
				action = patterns.ActionOf(method)
			}
			path = f.Path
			if below := x.Below(segments); f.Open && len(below) > 0 {
				path = patterns.Join(append([]string{path}, below...)...)
			}
			return action, path, patterns.CheckPath(path) == nil, nil
		}
	}
	return "", "", false, nil
}

// fitting looks for an address from a segment on; those before it are as in a shape already.
func (s *Snapshot) fitting(a *ApplicationEntry, host, method string, segments []string, from int) (*fact.Resource, patterns.Address) {
	if from == len(segments) {
		shape := patterns.Shape(host, segments)
		for _, m := range []string{method, ""} {
			if f, x := s.served(a, shape+"\x00"+m); f != nil {
				return f, x
			}
		}
		return nil, patterns.Address{}
	}
	for _, as := range []string{segments[from], patterns.Any} {
		next := slices.Clone(segments)
		next[from] = as
		if _, begins := a.byAddress.Find(patterns.Shape(host, next[:from+1]), func(id uint32) bool { return id == beginning }); !begins {
			continue
		}
		if f, x := s.fitting(a, host, method, next, from+1); f != nil {
			return f, x
		}
	}
	return nil, patterns.Address{}
}
