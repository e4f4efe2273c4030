package effect

import (
	"cmp"

	"ableroster/internal/alike"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

// likelyRails say of the people a draft adds who looks like somebody who is there. Whom the
// caller does not know of is no such person.
func likelyRails(d *change.Draft, sees func(fact.UserID) bool) []Rail {
	r := Rail{Code: LikelySamePerson, Passable: true}
	find := alike.Among(d.Base(), sees)
	for i, c := range d.Changes() {
		d.Rest(i)
		added, ok := c.After.(*fact.User)
		if !ok || c.Before != nil || added.UserKind != fact.Person {
			continue
		}
		find.To(added, func(u *fact.User) bool {
			r.Users, r.Added = append(r.Users, u.ID), append(r.Added, cmp.Or(added.DisplayName, added.UserName))
			return false
		})
	}
	if len(r.Users) == 0 {
		return nil
	}
	return []Rail{r}
}
