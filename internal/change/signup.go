package change

import (
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// NewUserPath is where a user would lie who is added to a unit.
func (d *Draft) NewUserPath(unit string) string {
	return access.UserPath(&fact.User{ID: fact.UserID(d.Free(fact.FactUser)), UserFacts: fact.UserFacts{Unit: unit}})
}

// CheckSignUp files the faults of whoever would sign up by a rule: nobody could be added. They are
// filed in the fields of the rule.
func (d *Draft) CheckSignUp(f *fact.SignUpRule) {
	d.CheckNewcomer(f.Newcomer, f.Sponsor, map[string]string{"manager": "sponsor", "end_date": "days"})
}

// CheckNewcomer files the faults of whoever would be added by a rule, in the fields of the rule: called
// says what it calls those of a user.
func (d *Draft) CheckNewcomer(n fact.Newcomer, manager fact.UserID, called map[string]string) {
	if d.Replays {
		return
	}
	before, u := len(d.Faults), n.Adds(manager, d.Today())
	if d.CheckUnit("unit", u.Unit) {
		d.KnownUnit("unit", u.Unit)
	}
	d.CheckUser(&u)
	d.Requires(&u)
	d.CheckEmployment(nil, &u)
	filed := d.Faults[before:]
	d.Faults = d.Faults[:before]
	for _, x := range filed {
		field, renamed := called[x.Field]
		if attribute, declared := strings.CutPrefix(x.Field, "custom."); declared {
			x.Field, x.Message = "", "the attribute "+attribute+" is required of every person, and nobody who is added so gives it"
		} else if renamed {
			x.Field = field
		}
		d.Faults = append(d.Faults, x)
	}
}

// SignUpRests says why nobody can sign up by a rule at an instant, or nothing.
func SignUpRests(s *access.Snapshot, f *fact.SignUpRule, at calendar.Instant) string {
	d := NewDraft(s)
	d.at = at
	if f.By == 0 || !s.MaySignIn(f.By, at) {
		return "Whoever set it cannot sign in any more: set it again."
	}
	if !AuthorityOf(s, f.By, at).May(access.ActCreate, d.NewUserPath(f.Unit)) {
		return "Whoever set it may not add users" + InUnit(f.Unit) + " any more: set it again."
	}
	if d.CheckSignUp(f); len(d.Faults) > 0 {
		if d.Faults[0].Field == "sponsor" && f.Sponsor != 0 { // who that is, is told to whoever may know
			return "Nobody could be added: the sponsor cannot be one any more."
		}
		return "Nobody could be added: " + strings.ReplaceAll(d.Faults[0].Error(), "_", " ") + "."
	}
	return ""
}
