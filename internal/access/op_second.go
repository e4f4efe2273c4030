package access

import (
	"slices"

	"ableroster/internal/calendar"
)

func init() {
	Register(&SetSecondPerson{}, "Set for which changes a second person is needed")
}

// SecondPerson is for which changes a second person is needed: one prepares them, and
// another one, who may make them too, makes them.
type SecondPerson struct {
	OwnGains   bool `json:"own_gains" doc:"what its author gains"`
	HighRisk   bool `json:"high_risk_roles" doc:"changes that give a role of high risk"`
	Safeguards bool `json:"safeguards" doc:"what weakens an SoD rule, an expectation, this setting, or leaves fewer than two administrators"`
}

// SetSecondPerson says for which changes a second person is needed.
type SetSecondPerson struct {
	SecondPerson
}

// Verb implements Operation.
func (*SetSecondPerson) Verb() string { return "set_second_person" }

// ApplyTo implements Operation.
func (o SetSecondPerson) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	if !d.need(ActUpdate, "settings", "say which changes need a second person") {
		return
	}
	f := d.organisation
	f.Second = o.SecondPerson
	if f.Second != (SecondPerson{}) && len(d.administrators(d.at)) < 2 {
		d.judged("", "there are fewer than two administrators without an end, so nobody could be the second person: make another one first")
		if !d.Replays {
			return
		}
	}
	if f == d.organisation {
		d.note(AlreadySo, 0)
		return
	}
	d.put(&f)
	return settled
}

// Sentence implements Operation.
func (o *SetSecondPerson) Sentence(*Snapshot, Names) string {
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
	return "A second person is needed for " + words(what)
}

// NeedsSecond says whether a draft of a caller's needs a second person.
func (d *Draft) NeedsSecond(caller UserID, from calendar.Instant) bool {
	return len(d.secondPersonRails(caller, d.Preview(from), from)) > 0
}

// secondPersonRails is one where a draft needs a second person, and there is one: as
// nobody is to be locked out, it does not stand in the way of a sole administrator.
func (d *Draft) secondPersonRails(caller UserID, p Preview, from calendar.Instant) []Rail {
	second := d.base.organisation.Second
	if second == (SecondPerson{}) || caller == 0 {
		return nil
	}
	needed := second.OwnGains && slices.ContainsFunc(p.Effects, func(e Effect) bool { return len(e.Gained) > 0 && slices.Contains(e.Users, caller) }) ||
		second.HighRisk && slices.ContainsFunc(d.RoleGains(from), func(g RoleGain) bool { return g.Decides == 0 && g.Group == 0 && d.Role(g.Role).Risk == RiskHigh }) ||
		second.Safeguards && d.weakens(from)
	others := slices.ContainsFunc(d.base.administrators(from), func(id UserID) bool { return id != caller && d.base.MaySignIn(id, from) })
	if !needed || !others {
		return nil
	}
	return []Rail{{Code: NeedsSecondPerson, Users: []UserID{caller}}}
}

// weakens says whether a draft weakens what guards the administrators.
func (d *Draft) weakens(from calendar.Instant) bool {
	for _, c := range d.Changes() {
		switch before := c.Before.(type) {
		case *SoDRule:
			after := c.After.(*SoDRule)
			if !before.Ended && (after.Ended || before.Prevent && !after.Prevent || !slices.Equal(before.Roles, after.Roles)) {
				return true
			}
		case *Expectation:
			after := c.After.(*Expectation)
			other := before.Of != after.Of || before.Application != after.Application || before.Action != after.Action || before.Pattern != after.Pattern || before.May != after.May
			if !before.Ended && (after.Ended || before.Blocking && !after.Blocking || other) {
				return true
			}
		case *Organisation:
			a, b := before.Second, d.organisation.Second
			if a.OwnGains && !b.OwnGains || a.HighRisk && !b.HighRisk || a.Safeguards && !b.Safeguards {
				return true
			}
		}
	}
	return len(d.administrators(from)) < min(2, len(d.base.administrators(from)))
}
