package access

import "slices"

// gather works out anew what lies in the reach of a group's members, for it
// and every group below it.
func (d *Builder) gather(id GroupID) {
	if d.loading { // all at once, when everything is there
		return
	}
	todo, seen := []GroupID{id}, map[GroupID]bool{id: true}
	for len(todo) > 0 {
		g := todo[0]
		todo = todo[1:]
		d.gatherOne(g)
		for _, c := range d.groups.At(int(g)).children {
			if !seen[c] {
				seen[c] = true
				todo = append(todo, c)
			}
		}
	}
}

// gatherOne climbs through the memberships that are always: what lies beyond
// another one makes the group winding, and is left to those who look closely.
func (d *Builder) gatherOne(id GroupID) {
	if r := d.groups.At(int(id)); r == nil || len(r.parents) == 0 && len(r.given) == 0 && r.above.nGiven == 0 && !r.winding {
		return
	}
	rec := d.groups.Edit(d.edit, int(id))
	rec.winding = false
	var all []link
	above := []GroupID{id}
	for i := 0; i < len(above); i++ {
		g := d.groups.At(int(above[i]))
		all = append(all, g.given...)
		for _, j := range g.parents {
			switch {
			case !j.plain():
				rec.winding = true
			case !slices.Contains(above, j.group()):
				above = append(above, j.group())
			}
		}
	}
	rec.above.set(all, nil)
}
