package change

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// Substitutes are those who stand in for a user, or nil.
func (d *Draft) Substitutes(id fact.UserID) *fact.Substitutes {
	f, _ := d.RecordFact(fact.FactSubstitutes, uint32(id)).(*fact.Substitutes)
	return f
}

// OfSubstitutes are the gains of whoever comes to decide in somebody's place by a draft, or for
// longer: all that they decide there.
func OfSubstitutes(d *Draft, duties func(*access.Snapshot, fact.UserID) []RoleGain) (out []RoleGain) {
	for _, c := range d.Changes() {
		f, ok := c.After.(*fact.Substitutes)
		if !ok {
			continue
		}
		before, _ := c.Before.(*fact.Substitutes)
		var all []RoleGain // of whoever they stand in for, looked up once
		seen := map[fact.UserID]bool{}
		for _, x := range f.List {
			if was := before.Find(x.Number); was != nil && was.User == x.User && x.Start >= was.Start && x.End <= was.End || seen[x.User] {
				continue
			}
			if len(seen) == 0 {
				all = duties(&d.Snapshot, f.User)
			}
			seen[x.User] = true
			for _, g := range all {
				g.Decides, g.Instead = x.User, f.User
				out = append(out, g)
			}
		}
	}
	return out
}
