package fact

import "ableroster/internal/calendar"

// Newcomer is what is said beforehand of users whom a rule adds.
type Newcomer struct {
	Unit       string `json:"unit,omitempty"`
	Employment string `json:"employment_type,omitempty"`
	Company    string `json:"company,omitempty"`
	Days       int    `json:"days,omitempty"` // how many days after the day they are added is their last; 0: no last day
}

// Adds is a user whom the rule adds on a day, as invited, who reports to somebody: their name and
// address are not said.
func (n Newcomer) Adds(manager UserID, today calendar.Date) User {
	u := User{UserKind: Person, Status: Invited, Manager: manager, UserFacts: UserFacts{Unit: n.Unit, Employment: n.Employment, Company: n.Company}}
	if n.Days > 0 {
		u.End = today + calendar.Date(n.Days)
	}
	return u
}

// Fits says whether a user is one whom the rule could have added: nothing is said of them beside it, but
// for whom they report to, and they leave no later.
func (n Newcomer) Fits(u *User, today calendar.Date) bool {
	want, is := n.Adds(0, today), *u
	if n.Days > 0 && is.End != 0 && is.End <= want.End {
		is.End = want.End
	}
	return is.UserKind == want.UserKind && is.Status == want.Status && is.UserFacts == want.UserFacts && is.More == ""
}
