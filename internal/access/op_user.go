package access

import (
	"strings"

	"ableroster/internal/patterns"
)

func init() {
	Register(&AddUser{}, "Add a user")
	Register(&UpdateUser{}, "Edit attributes of a user; what is not given stays, and a blank text clears")
}

// AddUser makes a user.
type AddUser struct {
	Personal
	UserKind UserKind `json:"kind,omitempty" enum:"person,service" doc:"person (default) or service, a machine account"`
	Status   Status   `json:"status,omitempty" enum:"invited,active,suspended" doc:"active by default"`
	Manager  UserRef  `json:"manager,omitempty" doc:"user name or id"`
	UserFacts

	Custom map[string]string `json:"custom,omitempty" doc:"values of declared attributes, by key"`

	User   UserRef           `json:"user,omitempty" set:"service"`
	Digest string            `json:"personal,omitempty" set:"service"`
	Sealed map[string]string `json:"custom_personal,omitempty" set:"service"`
	unsealed
}

// unsealed marks an operation as read back from the ledger: its personal values
// are then all there were, whatever was given in it.
type unsealed struct {
	back bool
	more Values
}

// Verb implements Operation.
func (*AddUser) Verb() string { return "add_user" }

func (o AddUser) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	before := len(d.Faults)
	if o.UserKind == "" {
		o.UserKind = Person
	}
	if o.Status == "" {
		o.Status = Active
	}
	if d.unit("unit", o.Unit) && !d.need(ActCreate, userPath(&User{ID: UserID(*d.next.of(FactUser)), UserFacts: UserFacts{Unit: o.Unit}}), "add users%s", inUnit(o.Unit)) {
		d.fail(FactUser, o.UserName)
		return
	}
	if m := d.checkUserName(o.UserName); m != "" {
		d.fault("user_name", "%s", m)
	} else if id, taken := d.FindUser(o.UserName); taken {
		d.taken("user_name", FactUser, uint32(id), o.UserName, "user names")
	}
	u := &User{Personal: o.Personal, UserKind: o.UserKind, Status: o.Status, UserFacts: o.UserFacts}
	if o.Manager != "" {
		u.Manager, _ = d.user("manager", &o.Manager)
	}
	if o.Status != Invited && o.Status != Active && o.Status != Suspended {
		d.fault("status", "is invited, active or suspended for a new user")
	}
	d.checkUser(u)
	d.checkLikeness("user_name", u.UserName)
	d.checkLikeness("display_name", u.DisplayName)
	u.More = ""
	o.Custom, o.Sealed = d.custom(u, o.unsealed, o.Custom, o.Sealed)
	d.requires(u)
	if len(d.Faults) > before {
		d.fail(FactUser, o.UserName)
		return
	}
	u.ID = UserID(d.allocate(FactUser))
	o.User = UserRef(u.ID.String())
	d.put(u)
	d.Sealed = append(d.Sealed, Sealing{&o.Digest, u.ID})
	return settled
}

func inUnit(unit string) string {
	if unit == "" {
		return ""
	}
	return " in " + unit
}

// unit says whether a text is a unit, or none, and files the fault.
func (d *Draft) unit(field, unit string) bool {
	if unit == "" || unit != patterns.Root && patterns.CheckPath(unit) == nil {
		return true
	}
	d.fault(field, "is not a path such as marine/pilotage")
	return false
}

// checkUser files the faults of a user's values.
func (d *Draft) checkUser(u *User) {
	for i := range UserAttributes {
		a := &UserAttributes[i]
		if a.limit == 0 {
			continue
		}
		if m := checkLabel(a.Of(u), a.limit); m != "" {
			d.fault(a.Key, "%s", m)
		}
	}
	if u.Email != "" {
		if at := strings.IndexByte(u.Email, '@'); at < 1 || at == len(u.Email)-1 || strings.ContainsAny(u.Email, " ,;<>") {
			d.fault("email", "“%s” is not an e-mail address", u.Email)
		}
	}
	if u.UserKind != Person && u.UserKind != Service {
		d.fault("kind", "is person or service")
	}
	if u.End != 0 && u.End < u.Start {
		d.fault("end_date", "is before the start date")
	}
	for m, n := u.Manager, 0; m != 0 && u.ID != 0; n++ {
		if m == u.ID || n > 1000 {
			d.fault("manager", "would make a circle of managers")
			break
		}
		m = d.User(m).Manager
	}
}

// Sentence implements Operation.
func (o *AddUser) Sentence(s *Snapshot, n Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Added " + n.UserName(id)
}

// UpdateUser alters attributes of a user; those not given stay, an empty text
// clears.
type UpdateUser struct {
	User        UserRef  `json:"user" doc:"user name or id"`
	DisplayName *string  `json:"display_name,omitempty" flag:"name" doc:"display name"`
	Email       *string  `json:"email,omitempty" doc:"e-mail address"`
	Status      *Status  `json:"status,omitempty" enum:"invited,active,suspended,departed" doc:"status"`
	Manager     *UserRef `json:"manager,omitempty" doc:"user name or id"`
	UserEdits

	Custom map[string]string `json:"custom,omitempty" doc:"values of declared attributes, by key; a blank one clears"`

	Digest string            `json:"personal,omitempty" set:"service"`
	Sealed map[string]string `json:"custom_personal,omitempty" set:"service"`
	unsealed
}

// Verb implements Operation.
func (*UpdateUser) Verb() string { return "update_user" }

func (o UpdateUser) ApplyTo(d *Draft) (settled Operation) {
	settled = &o
	id, ok := d.user("user", &o.User)
	if !ok {
		other("manager", new(UserID), &o.Manager, d.user) // its faults are told all the same
		return
	}
	old := d.User(id)
	if !d.need(ActUpdate, userPath(old), "update %s", old.UserName) {
		return
	}
	u := *old
	set(&u.DisplayName, o.DisplayName)
	set(&u.Email, o.Email)
	set(&u.Status, o.Status)
	edit(&u.UserFacts, &o.UserEdits)
	if d.unit("unit", u.Unit) && u.Unit != old.Unit && !d.need(ActUpdate, userPath(&u), "move users to %s", u.Unit) {
		return
	}
	other("manager", &u.Manager, &o.Manager, d.user)
	switch {
	case u.Status != Invited && u.Status != Active && u.Status != Suspended && u.Status != Departed:
		d.fault("status", "is invited, active, suspended or departed")
	case old.Status == Departed && u.Status == Invited:
		d.fault("status", "a departed user is brought back as active")
	}
	d.checkUser(&u)
	if u.DisplayName != old.DisplayName {
		d.checkLikeness("display_name", u.DisplayName)
	}
	o.Custom, o.Sealed = d.custom(&u, o.unsealed, o.Custom, o.Sealed)
	if u == *old {
		d.note(AlreadySo, d.users.At(int(id)).touched)
		return
	}
	d.put(&u)
	if u.Personal != old.Personal {
		d.Sealed = append(d.Sealed, Sealing{&o.Digest, id})
	}
	return settled
}

func set[T any](to *T, from *T) {
	if from != nil {
		*to = *from
	}
}

// Sentence implements Operation.
func (o *UpdateUser) Sentence(s *Snapshot, n Names) string {
	id, _ := s.FindUser(string(o.User))
	who := n.UserName(id)
	switch {
	case o.Status != nil && *o.Status == Departed:
		return who + " departed"
	case o.Status != nil && *o.Status == Suspended:
		return "Suspended " + who
	case o.Status != nil && *o.Status == Active:
		return "Made " + who + " active"
	case o.Unit != nil:
		return "Moved " + who + " to " + *o.Unit
	}
	return "Updated " + who
}

// PersonalOperation is an operation that carries personal values. The ledger
// keeps them apart and puts a digest in their place.
type PersonalOperation interface {
	Operation
	// Seal is the operation without its personal values.
	Seal() Operation
	// Unseal puts them back; digest names which.
	Unseal(digest func(string) Personal)
}

// Seal implements PersonalOperation.
func (o *AddUser) Seal() Operation {
	c := *o
	c.Personal, c.Sealed = Personal{}, nil
	return &c
}

// Unseal implements PersonalOperation.
func (o *AddUser) Unseal(of func(string) Personal) {
	o.Personal = of(o.Digest)
	o.unsealed = unsealed{true, o.More}
	o.Sealed, o.More = entries(o.More), ""
}

func entries(v Values) map[string]string {
	var out map[string]string
	for key, text := range v.All() {
		out = withEntry(out, key, text)
	}
	return out
}

// Seal implements PersonalOperation.
func (o *UpdateUser) Seal() Operation {
	c := *o
	c.DisplayName, c.Email, c.Sealed = nil, nil, nil
	return &c
}

// Unseal implements PersonalOperation.
func (o *UpdateUser) Unseal(of func(string) Personal) {
	if o.Digest != "" {
		p := of(o.Digest)
		o.DisplayName, o.Email = &p.DisplayName, &p.Email
		o.unsealed = unsealed{true, p.More}
		o.Sealed = entries(p.More)
	}
}

// Sealing is an operation whose personal values the ledger keeps apart: it
// writes the digest that stands for them.
type Sealing struct {
	Digest *string
	User   UserID
}
