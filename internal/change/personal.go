package change

import (
	"strings"

	"ableroster/internal/fact"
)

// InUnit is " in UNIT", blank for none.
func InUnit(unit string) string {
	if unit == "" {
		return ""
	}
	return " in " + unit
}

// CheckUser files the faults of a user's values.
func (d *Draft) CheckUser(u *fact.User) {
	for i := range fact.UserAttributes {
		a := &fact.UserAttributes[i]
		if a.Limit == 0 {
			continue
		}
		if m := fact.CheckLabel(a.Of(u), a.Limit); m != "" {
			d.Fault(a.Key, "%s", m)
		}
	}
	if u.Email != "" {
		if at := strings.IndexByte(u.Email, '@'); at < 1 || at == len(u.Email)-1 || strings.ContainsAny(u.Email, " ,;<>") {
			d.Fault("email", "“%s” is not an e-mail address", u.Email)
		}
	}
	if u.UserKind != fact.Person && u.UserKind != fact.Service {
		d.Fault("kind", "is person or service")
	}
	if u.End != 0 && u.End < u.Start {
		d.Fault("end_date", "is before the start date")
	}
	for m, n := u.Manager, 0; m != 0 && u.ID != 0; n++ {
		if m == u.ID || n > 1000 {
			d.Fault("manager", "would make a circle of managers")
			break
		}
		m = d.User(m).Manager
	}
}

// PersonalOperation is an operation that carries personal values. The ledger
// keeps them apart and puts a digest in their place.
type PersonalOperation interface {
	Operation
	// Seal is the operation without its personal values.
	Seal() Operation
	// Unseal puts them back; digest names which.
	Unseal(digest func(string) fact.Personal)
}

// Entries are values by key.
func Entries(v fact.Values) map[string]string {
	var out map[string]string
	for key, text := range v.All() {
		out = WithEntry(out, key, text)
	}
	return out
}

// Sealing is an operation whose personal values the ledger keeps apart: it
// writes the digest that stands for them.
type Sealing struct {
	Digest *string
	User   fact.UserID
}
