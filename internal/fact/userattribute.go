package fact

import (
	"reflect"
	"slices"
	"strconv"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/filter"
)

// Described are the plain attributes that every user has, texts and days: one list for the
// fact, for adding a user and for editing one. Whatever shows, filters, sorts, imports,
// exports or stores them goes by their tags: json is the key, label what people call it,
// limit how many bytes a text may have, exact that its case counts, flag its option on the
// command line where that is not the key.
type Described[T, D any] struct {
	Unit       T `json:"unit,omitzero" nullable:"false" label:"Unit" exact:"true" doc:"place in the organisation, such as marine/pilotage"`
	Title      T `json:"title,omitzero" nullable:"false" label:"Title" limit:"200" doc:"title, such as Harbour pilot"`
	Employment T `json:"employment_type,omitzero" nullable:"false" label:"Employment" limit:"100" flag:"employment" doc:"such as staff or contractor"`
	Company    T `json:"company,omitzero" nullable:"false" label:"Company" limit:"200" doc:"the company of whoever works for another one"`
	Location   T `json:"location,omitzero" nullable:"false" label:"Location" limit:"200" doc:"the place of work"`
	Start      D `json:"start_date,omitzero" nullable:"false" label:"First day" flag:"start" doc:"first day, YYYY-MM-DD"`
	End        D `json:"end_date,omitzero" nullable:"false" label:"Last day" flag:"end" doc:"last day, YYYY-MM-DD"`
}

// UserFacts are those of a user: kept for ever, and they may give access. UserEdits are what
// an edit gives of them: nil stays.
type (
	UserFacts = Described[string, calendar.Date]
	UserEdits = Described[*string, *calendar.Date]
)

// UserAttribute is a built-in attribute of users.
type UserAttribute struct {
	Key, Label, Doc string
	Type            filter.Type // String or Day
	CaseExact       bool
	Personal        bool     // can be erased, and may give no access
	OneOf           []string // the texts there may be; nil: any
	Described       bool     // one of UserFacts

	Limit int                // bytes of a text
	text  func(*User) string // its value as files write it
}

// Of is its value for a user: a manager's id, a day as YYYY-MM-DD, or nothing.
func (a *UserAttribute) Of(u *User) string { return a.text(u) }

// UserAttributes are the built-in attributes, in the order in which files have them.
var UserAttributes = builtInAttributes()

func builtInAttributes() []UserAttribute {
	out := []UserAttribute{
		{Key: "user_name", Label: "User name", Doc: "what they sign in with; never reused", Personal: true, text: func(u *User) string { return u.UserName }},
		{Key: "display_name", Label: "Name", Personal: true, Limit: 200, text: func(u *User) string { return u.DisplayName }},
		{Key: "email", Label: "E-mail", Personal: true, Limit: 254, text: func(u *User) string { return u.Email }},
		{Key: "kind", Label: "Kind", OneOf: []string{string(Person), string(Service)}, text: func(u *User) string { return string(u.UserKind) }},
		{Key: "status", Label: "Status", OneOf: []string{string(Active), string(Invited), string(Suspended), string(Departed)}, text: func(u *User) string { return string(u.Status) }},
		{Key: "manager", Label: "Manager", CaseExact: true, Doc: "user name of the manager", text: func(u *User) string { return u.Manager.String() }},
	}
	for i := range out {
		out[i].Type = filter.String
	}
	t := reflect.TypeFor[UserFacts]()
	for i := range t.NumField() {
		f := t.Field(i)
		key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		a := UserAttribute{Key: key, Label: f.Tag.Get("label"), Doc: f.Tag.Get("doc"), Type: filter.String, CaseExact: f.Tag.Get("exact") != "", Described: true}
		a.Limit, _ = strconv.Atoi(f.Tag.Get("limit"))
		if f.Type == reflect.TypeFor[calendar.Date]() {
			a.Type = filter.Day
			a.text = func(u *User) string {
				return calendar.Date(reflect.ValueOf(&u.UserFacts).Elem().Field(i).Int()).String()
			}
		} else {
			a.text = func(u *User) string { return reflect.ValueOf(&u.UserFacts).Elem().Field(i).String() }
		}
		out = append(out, a)
	}
	return out
}

// UserAttributeOf is the built-in attribute under a key, or nil.
func UserAttributeOf(key string) *UserAttribute {
	for i := range UserAttributes {
		if UserAttributes[i].Key == key {
			return &UserAttributes[i]
		}
	}
	return nil
}

// Pointers are pointers to each of them in turn, to *string and *calendar.Date or, of edits,
// to pointers of these.
func (d *Described[T, D]) Pointers() []any {
	v := reflect.ValueOf(d).Elem()
	out := make([]any, v.NumField())
	for i := range out {
		out[i] = v.Field(i).Addr().Interface()
	}
	return out
}

// DescribedKeys are the keys of the described attributes, in order.
func DescribedKeys() (out []string) {
	for i := range UserAttributes {
		if UserAttributes[i].Described {
			out = append(out, UserAttributes[i].Key)
		}
	}
	return out
}

var describedKeys = DescribedKeys()

// PutAttribute sets one of some facts from a text, a day written as YYYY-MM-DD; ok is false
// when there is none of that key.
func PutAttribute(to *UserFacts, key, text string) (ok bool, err error) {
	i := slices.Index(describedKeys, key)
	if i < 0 {
		return false, nil
	}
	switch p := to.Pointers()[i].(type) {
	case *string:
		*p = text
	case *calendar.Date:
		*p, err = calendar.ReadDate(text)
	}
	return true, err
}

// EditsTo are the edits that give facts what others say; what these leave blank stays. Some
// says whether there is anything to edit.
func EditsTo(from, to UserFacts) (e UserEdits, some bool) {
	given, is, shall := e.Pointers(), from.Pointers(), to.Pointers()
	for i := range given {
		switch p := given[i].(type) {
		case **string:
			if v := shall[i].(*string); *v != "" && *v != *is[i].(*string) {
				*p, some = v, true
			}
		case **calendar.Date:
			if v := shall[i].(*calendar.Date); *v != 0 && *v != *is[i].(*calendar.Date) {
				*p, some = v, true
			}
		}
	}
	return e, some
}

// EditUser sets what edits give.
func EditUser(facts *UserFacts, e *UserEdits) {
	to := facts.Pointers()
	for i, p := range e.Pointers() {
		switch p := p.(type) {
		case **string:
			SetIf(to[i].(*string), *p)
		case **calendar.Date:
			SetIf(to[i].(*calendar.Date), *p)
		}
	}
}
