package access

import "ableroster/internal/fact"

// IDs are the numbers a change took for what it made, by kind: each a range, its first
// number and how many. A revision records its own, so that applying it again gives the
// same numbers, wherever the counters stand: there may be gaps between the numbers of one
// revision and of the next.
type IDs map[fact.FactKind][][2]uint32

// take adds the next number of a kind.
func (x IDs) take(kind fact.FactKind, n uint32) {
	all := x[kind]
	if last := len(all) - 1; last >= 0 && all[last][0]+all[last][1] == n {
		all[last][1]++
		return
	}
	x[kind] = append(all, [2]uint32{n, 1})
}

// Took are the numbers that the operations of a draft took, nil for none.
func (d *Builder) Took() IDs { return d.took }

// TakeIDs has a draft take the numbers that were recorded, in their order, and from the
// counters only where none are left. It is called before anything is applied.
func (d *Builder) TakeIDs(recorded IDs) {
	d.given = map[fact.FactKind][][2]uint32{}
	for kind, all := range recorded {
		d.given[kind] = append([][2]uint32(nil), all...)
	}
}

// LeaveIDs leaves so many numbers of users and of what they are given to whoever makes any
// before a change is committed that is prepared beside others. It is called before anything
// is applied.
func (d *Builder) LeaveIDs(n uint32) {
	for _, kind := range []fact.FactKind{fact.FactUser, fact.FactMembership, fact.FactAssignment} {
		*d.next.of(kind) += n
	}
}

// Free says whether none of some numbers was given away, nor any above them.
func (x IDs) Free(s *Snapshot) bool {
	next := s.next
	for kind, all := range x {
		for _, r := range all {
			if r[0] < *next.of(kind) {
				return false
			}
		}
	}
	return true
}

// nextID is the next number of a kind: a recorded one, or that of the counter.
func (d *Builder) nextID(kind fact.FactKind) uint32 {
	if all := d.given[kind]; len(all) > 0 {
		n := all[0][0]
		if all[0][0]++; all[0][1] == 1 {
			d.given[kind] = all[1:]
		} else {
			all[0][1]--
		}
		return n
	}
	return *d.next.of(kind)
}

// Allocate gives the next number of a kind away.
func (d *Builder) Allocate(kind fact.FactKind) uint32 {
	n := d.nextID(kind)
	c := d.next.of(kind)
	*c = max(*c, n+1)
	if d.took == nil {
		d.took = IDs{}
	}
	d.took.take(kind, n)
	return n
}

// Free is the lowest number of a kind that was never given away, and nor was any above it.
func (d *Builder) Free(kind fact.FactKind) uint32 { return *d.next.of(kind) }
