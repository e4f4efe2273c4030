package people

import (
	"maps"
	"reflect"
	"slices"
	"unicode"
	"unicode/utf8"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
)

func init() {
	change.Register(&AddUser{}, "Add a user")
	change.Register(&UpdateUser{}, "Edit attributes of a user; what is not given stays, and a blank text clears")
}

// AddUser makes a user.
type AddUser struct {
	fact.Personal
	UserKind fact.UserKind  `json:"kind,omitempty" enum:"person,service" doc:"person (default) or service, a machine account"`
	Status   fact.Status    `json:"status,omitempty" enum:"invited,active,suspended" doc:"active by default"`
	Manager  change.UserRef `json:"manager,omitempty" doc:"user name or id"`
	fact.UserFacts

	Custom map[string]string `json:"custom,omitempty" doc:"values of declared attributes, by key"`

	User   change.UserRef    `json:"user,omitempty" set:"service"`
	Digest string            `json:"personal,omitempty" set:"service"`
	Sealed map[string]string `json:"custom_personal,omitempty" set:"service"`
	unsealed
}

// unsealed marks an operation as read back from the ledger: its personal values
// are then all there were, whatever was given in it.
type unsealed struct {
	back bool
	more fact.Values
}

// Verb implements change.Operation.
func (*AddUser) Verb() string { return "add_user" }

// ApplyTo implements change.Operation.
func (o AddUser) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	before := len(d.Faults)
	if o.UserKind == "" {
		o.UserKind = fact.Person
	}
	if o.Status == "" {
		o.Status = fact.Active
	}
	u := &fact.User{Personal: o.Personal, UserKind: o.UserKind, Status: o.Status, UserFacts: o.UserFacts}
	if o.Manager != "" {
		u.Manager, _ = d.SettleUser("manager", &o.Manager)
	}
	invited := func(fact.UserID) {}
	if d.CheckUnit("unit", o.Unit) {
		var may bool
		invited, may = d.NeedInvite(u, len(o.Custom) > 0)
		if u.Manager != 0 {
			o.Manager = change.UserRef(u.Manager.String())
		}
		if !may {
			d.Faults = d.Faults[:before] // it is not for them to know
			d.Fails(fact.FactUser, o.UserName)
			return
		}
	}
	d.KnownUnit("unit", o.Unit)
	if m := d.CheckUserName(o.UserName); m != "" {
		d.Fault("user_name", "%s", m)
	} else if id, taken := d.FindUser(o.UserName); taken {
		d.Taken("user_name", fact.FactUser, uint32(id), o.UserName, "user names")
	}
	if o.Status != fact.Invited && o.Status != fact.Active && o.Status != fact.Suspended {
		d.Fault("status", "is invited, active or suspended for a new user")
	}
	d.CheckUser(u)
	d.CheckLikeness("user_name", u.UserName)
	d.CheckLikeness("display_name", u.DisplayName)
	u.More = ""
	o.Custom, o.Sealed = custom(d, u, o.unsealed, o.Custom, o.Sealed)
	d.Requires(u)
	d.CheckEmployment(nil, u)
	if len(d.Faults) > before {
		d.Fails(fact.FactUser, o.UserName)
		return
	}
	u.ID = fact.UserID(d.Allocate(fact.FactUser))
	o.User = change.UserRef(u.ID.String())
	d.Put(u)
	invited(u.ID)
	d.Sealed = append(d.Sealed, change.Sealing{Digest: &o.Digest, User: u.ID})
	return settled
}

// Sentence implements change.Operation.
func (o *AddUser) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Added " + n.UserName(id)
}

// UpdateUser alters attributes of a user; those not given stay, an empty text
// clears.
type UpdateUser struct {
	User        change.UserRef  `json:"user" doc:"user name or id"`
	DisplayName *string         `json:"display_name,omitempty" flag:"name" doc:"display name"`
	Email       *string         `json:"email,omitempty" doc:"e-mail address"`
	Status      *fact.Status    `json:"status,omitempty" enum:"invited,active,suspended,departed" doc:"status"`
	Manager     *change.UserRef `json:"manager,omitempty" doc:"user name or id"`
	fact.UserEdits

	Custom map[string]string `json:"custom,omitempty" doc:"values of declared attributes, by key; a blank one clears"`

	MovedOn calendar.Date `json:"moved_on,omitzero" set:"service"`

	Digest string            `json:"personal,omitempty" set:"service"`
	Sealed map[string]string `json:"custom_personal,omitempty" set:"service"`
	unsealed
}

// Verb implements change.Operation.
func (*UpdateUser) Verb() string { return "update_user" }

// ApplyTo implements change.Operation.
func (o UpdateUser) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	id, ok := d.SettleUser("user", &o.User)
	if !ok {
		settle.Other("manager", new(fact.UserID), &o.Manager, d.SettleUser) // its faults are told all the same
		return
	}
	old := d.User(id)
	if !o.takesUp(d, old) && !d.Need(access.ActUpdate, access.UserPath(old), "update %s", old.UserName) {
		return
	}
	u := *old
	fact.SetIf(&u.DisplayName, o.DisplayName)
	fact.SetIf(&u.Email, o.Email)
	fact.SetIf(&u.Status, o.Status)
	fact.EditUser(&u.UserFacts, &o.UserEdits)
	if d.CheckUnit("unit", u.Unit) && u.Unit != old.Unit && !d.Need(access.ActUpdate, access.UserPath(&u), "move users to %s", u.Unit) {
		return
	}
	if u.Unit != old.Unit {
		d.KnownUnit("unit", u.Unit)
	}
	settle.Other("manager", &u.Manager, &o.Manager, d.SettleUser)
	switch {
	case u.Status != fact.Invited && u.Status != fact.Active && u.Status != fact.Suspended && u.Status != fact.Departed:
		d.Fault("status", "is invited, active, suspended or departed")
	case old.Status == fact.Departed && u.Status == fact.Invited:
		d.Fault("status", "a departed user is brought back as active")
	}
	d.CheckUser(&u)
	if u.DisplayName != old.DisplayName {
		d.CheckLikeness("display_name", u.DisplayName)
	}
	o.Custom, o.Sealed = custom(d, &u, o.unsealed, o.Custom, o.Sealed)
	d.CheckEmployment(old, &u)
	fromElsewhere(d, old, &u)
	if u == *old {
		d.Note(change.AlreadySo, d.UserTable.At(int(id)).Touched)
		return
	}
	if u.Status == fact.Departed && old.Status != fact.Departed {
		succeed(d, &u)
	}
	d.Put(&u)
	overlap(d, old, &u, &o.MovedOn)
	if u.Personal != old.Personal {
		d.Sealed = append(d.Sealed, change.Sealing{Digest: &o.Digest, User: id})
	}
	return settled
}

// takesUp says whether somebody takes up an invitation into a team that the author manages: that needs
// no other right.
func (o *UpdateUser) takesUp(d *change.Draft, u *fact.User) bool {
	return o.Status != nil && *o.Status == fact.Active && reflect.DeepEqual(o, &UpdateUser{User: o.User, Status: o.Status}) && d.TakesUpGuest(u)
}

// Sentence implements change.Operation.
func (o *UpdateUser) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	who := n.UserName(id)
	switch {
	case o.Status != nil && *o.Status == fact.Departed:
		return who + " departed"
	case o.Status != nil && *o.Status == fact.Suspended:
		return "Suspended " + who
	case o.Status != nil && *o.Status == fact.Active:
		return "Made " + who + " active"
	case o.Unit != nil:
		return "Moved " + who + " to " + *o.Unit
	}
	what := o.changes(s)
	switch {
	case len(what) == 0:
		return "Updated " + who
	case len(what) == 1 && o.End != nil && *o.End != 0:
		return "Set the last day of " + who + " to " + o.End.Words()
	case len(what) == 1 && o.Manager != nil && *o.Manager != "":
		m, _ := s.FindUser(string(*o.Manager))
		return "Made " + n.UserName(m) + " the manager of " + who
	}
	return "Changed the " + fact.ActionWords(what) + " of " + who
}

// changes names what is given. Which of the personal values it is the ledger does not keep.
func (o *UpdateUser) changes(s *access.Snapshot) (out []string) {
	if o.Digest != "" || o.DisplayName != nil || o.Email != nil || len(o.Sealed) > 0 {
		out = append(out, "personal values")
	}
	if o.Manager != nil {
		out = append(out, "manager")
	}
	keys := fact.DescribedKeys()
	for i, p := range o.Pointers() {
		if !reflect.ValueOf(p).Elem().IsNil() {
			out = append(out, lowerFirst(fact.UserAttributeOf(keys[i]).Label))
		}
	}
	for _, key := range slices.Sorted(maps.Keys(o.Custom)) {
		out = append(out, attributeLabel(s, change.AttributeRef(key)))
	}
	return out
}

// lowerFirst is a label inside a sentence.
func lowerFirst(label string) string {
	r, n := utf8.DecodeRuneInString(label)
	return string(unicode.ToLower(r)) + label[n:]
}

// Seal implements PersonalOperation.
func (o *AddUser) Seal() change.Operation {
	c := *o
	c.Personal, c.Sealed = fact.Personal{}, nil
	return &c
}

// Unseal implements PersonalOperation.
func (o *AddUser) Unseal(of func(string) fact.Personal) {
	o.Personal = of(o.Digest)
	o.unsealed = unsealed{true, o.More}
	o.Sealed, o.More = change.Entries(o.More), ""
}

// Seal implements PersonalOperation.
func (o *UpdateUser) Seal() change.Operation {
	c := *o
	c.DisplayName, c.Email, c.Sealed = nil, nil, nil
	return &c
}

// Unseal implements PersonalOperation.
func (o *UpdateUser) Unseal(of func(string) fact.Personal) {
	if o.Digest != "" {
		p := of(o.Digest)
		o.DisplayName, o.Email = &p.DisplayName, &p.Email
		o.unsealed = unsealed{true, p.More}
		o.Sealed = change.Entries(p.More)
	}
}
