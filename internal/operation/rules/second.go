package rules

import (
	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/query"
)

func init() {
	change.Register(&SetSecondPerson{}, "Set for which changes a second person is needed")
}

// SetSecondPerson says for which changes a second person is needed.
type SetSecondPerson struct {
	fact.SecondPerson
}

// Verb implements change.Operation.
func (*SetSecondPerson) Verb() string { return "set_second_person" }

// ApplyTo implements change.Operation.
func (o SetSecondPerson) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "say which changes need a second person") {
		return
	}
	f := d.Organisation()
	f.Second = o.SecondPerson
	if f.Second != (fact.SecondPerson{}) && len(query.Administrators(&d.Snapshot, d.At())) < 2 {
		d.Judged("", "there are fewer than two administrators without an end, so nobody could be the second person: make another one first")
		if !d.Replays {
			return
		}
	}
	if f == d.Organisation() {
		d.Note(change.AlreadySo, 0)
		return
	}
	d.Put(&f)
	return settled
}

// Sentence implements change.Operation.
func (o *SetSecondPerson) Sentence(*access.Snapshot, change.Names) string {
	var what []string
	for _, x := range []struct {
		on   bool
		what string
	}{{o.OwnGains, "own gains"}, {o.HighRisk, "roles of high risk"}, {o.Safeguards, "weaker safeguards"}} {
		if x.on {
			what = append(what, x.what)
		}
	}
	if len(what) == 0 {
		return "No change needs a second person any more"
	}
	return "A second person is needed for " + fact.ActionWords(what)
}
