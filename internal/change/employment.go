package change

import (
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// CheckEmployment files the faults of a user's employment type: one that is not described,
// once one is; and what is required of those who work for another company. Old is the user
// before, or nil: what was so already is no fault of this change.
func (d *Draft) CheckEmployment(old, u *fact.User) {
	if d.Replays || u.Status == fact.Departed || u.UserKind != fact.Person {
		return
	}
	if old != nil && old.Status != fact.Departed && old.Employment == u.Employment && old.Company == u.Company && old.Manager == u.Manager && old.End == u.End {
		return
	}
	t := d.EmploymentTypeOf(u)
	if old == nil || old.Employment != u.Employment {
		d.KnownEmployment(u)
	}
	if t == nil || !t.External {
		return
	}
	if u.Company == "" {
		d.Fault("company", "is missing: users of the employment type %s work for another company", t.Label)
	}
	if m := d.User(u.Manager); m == nil {
		d.Fault("manager", "is missing: users of the employment type %s have a sponsor, whom they report to", t.Label)
	} else if s := d.EmploymentTypeOf(m); m.UserKind != fact.Person || m.Status == fact.Departed || s != nil && s.External {
		d.Fault("manager", "%s cannot be a sponsor: that is a person of the organisation itself", m.UserName)
	}
	switch last := d.Today() + calendar.Date(t.MaxDays); {
	case u.End == 0:
		d.Fault("end_date", "is missing: users of the employment type %s have a last day", t.Label)
	case t.MaxDays > 0 && u.End > last && (old == nil || old.End != u.End):
		d.Fault("end_date", "lies beyond %s: users of the employment type %s stay for %s at most, and are extended then", last.Words(), t.Label, fact.Count(t.MaxDays, "day"))
	}
}

// KnownEmployment files the fault of an employment type that is not there, once the
// organisation has described its types; before that they are free texts.
func (d *Draft) KnownEmployment(u *fact.User) {
	if u.Employment != "" && u.UserKind == fact.Person && d.EmploymentTypeOf(u) == nil && d.describesEmployment() {
		d.Missing(fact.FactEmploymentType, "employment_type", u.Employment)
	}
}

// describesEmployment says whether the organisation has described its employment types.
func (d *Draft) describesEmployment() bool {
	for _, t := range d.EmploymentTypes() {
		if !t.Ended {
			return true
		}
	}
	return false
}

// Today is the day of the change, in the organisation's time zone.
func (d *Draft) Today() calendar.Date { return calendar.DateOf(d.at.Time().In(d.Zone())) }

// SettleSponsored settles a user whom the author may update, or sponsors. What a sponsor opens
// or extends gives nobody more than they were given before: see SponsoredRoles.
func (d *Draft) SettleSponsored(field string, r *UserRef, mayDo func(*fact.EmploymentType) bool) (*fact.User, bool) {
	if id, ok := d.FindUser(string(*r)); ok && d.Author != 0 {
		u := d.User(id)
		if t := d.EmploymentTypeOf(u); u.Manager == d.Author && t != nil && mayDo(t) && u.Status != fact.Departed {
			*r = UserRef(id.String())
			d.Reads(fact.FactUser, uint32(id))
			return u, true
		}
	}
	id, ok := d.SettleUser(field, r)
	if !ok {
		return nil, false
	}
	u := d.User(id)
	return u, d.Need("update", d.UserPath(id), "update %s", u.UserName)
}

// Sponsored are the users who work for another company and report to somebody.
func (d *Draft) Sponsored(id fact.UserID) (out []*fact.User) {
	if d.sponsors == nil { // once, of whoever departs in a change of many
		d.sponsors = map[fact.UserID][]fact.UserID{}
		external := map[string]bool{}
		for _, t := range d.EmploymentTypes() {
			if t.External && !t.Ended {
				external[fact.Fold(t.Key)] = true
			}
		}
		if len(external) > 0 {
			for u := range d.Users() {
				if u.Manager != 0 && u.UserKind == fact.Person && external[fact.Fold(u.Employment)] {
					d.sponsors[u.Manager] = append(d.sponsors[u.Manager], u.ID)
				}
			}
		}
	}
	for _, x := range d.sponsors[id] {
		if u := d.User(x); u.Manager == id && u.Status != fact.Departed {
			out = append(out, u)
		}
	}
	return out
}
