package access

import (
	"slices"

	"ableroster/internal/fact"
)

// gather works out anew what lies in the reach of a group's members, for it
// and every group below it.
func (d *Builder) gather(id fact.GroupID) {
	if d.loading { // all at once, when everything is there
		return
	}
	todo, seen := []fact.GroupID{id}, map[fact.GroupID]bool{id: true}
	for len(todo) > 0 {
		g := todo[0]
		todo = todo[1:]
		d.gatherOne(g)
		for _, c := range d.GroupTable.At(int(g)).Children {
			if !seen[c] {
				seen[c] = true
				todo = append(todo, c)
			}
		}
	}
}

// gatherOne climbs through the memberships that are always: what lies beyond
// another one makes the group winding, and is left to those who look closely.
func (d *Builder) gatherOne(id fact.GroupID) {
	if r := d.GroupTable.At(int(id)); r == nil || len(r.Parents) == 0 && len(r.Given) == 0 && r.Above.NGiven == 0 && !r.Winding {
		return
	}
	rec := d.GroupTable.Edit(d.edit, int(id))
	rec.Winding = false
	var all []Link
	above := []fact.GroupID{id}
	for i := 0; i < len(above); i++ {
		g := d.GroupTable.At(int(above[i]))
		all = append(all, g.Given...)
		for _, j := range g.Parents {
			switch {
			case !j.Plain():
				rec.Winding = true
			case !slices.Contains(above, j.Group()):
				above = append(above, j.Group())
			}
		}
	}
	rec.Above.set(all, nil)
}
