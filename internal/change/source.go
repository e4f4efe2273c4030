package change

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// Sources are the machine accounts that attributes of users come from, as the draft has them by now.
// It is looked up once, until one is said to be so, or not, in this draft.
func (d *Draft) Sources() []*fact.MachineAccount {
	if d.sources == nil {
		d.sources = []*fact.MachineAccount{}
		for _, m := range access.RecordFactsOf[*fact.MachineAccount](&d.Snapshot, fact.FactMachineAccount) {
			if len(m.Attributes)+len(m.Overridable) > 0 {
				d.sources = append(d.sources, m)
			}
		}
	}
	return d.sources
}

// SourcesChange says that there are others from now on.
func (d *Draft) SourcesChange() { d.sources = nil }
