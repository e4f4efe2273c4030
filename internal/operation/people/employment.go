package people

import (
	"reflect"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/settle"
	"ableroster/internal/record"
)

func init() {
	change.Register(&SetEmploymentType{}, "Describe an employment type, or edit the one with the key: all that is said of it")
	change.Register(&EndEmploymentType{}, "End an employment type that nobody has any more")
	change.Register(&ExtendContract{}, "Extend the last day of a user who works for another company; their sponsor may, within the maximum of the employment type")
	change.Register(&OpenAccess{}, "Open the closed access of a user for a time, for a reference; their sponsor may, within the maximum of the employment type")
	change.Register(&CloseAccess{}, "Close the access of a user again before the time is over; their sponsor may")
}

// SetEmploymentType describes an employment type: all of it, from now on.
type SetEmploymentType struct {
	Key      string `json:"key" doc:"as users have it, such as contractor"`
	Label    string `json:"label,omitempty" doc:"what people call it"`
	External bool   `json:"external,omitempty" doc:"its users work for another company: company, sponsor (manager) and last day are required"`
	MaxDays  int    `json:"max_days,omitempty" doc:"how many days ahead the last day may lie at most; the sponsor extends within it"`
	Closed   bool   `json:"closed,omitempty" doc:"its users have access only while somebody has opened it"`
	MaxHours int    `json:"max_hours,omitempty" doc:"for how many hours it is opened at most; 24 by default"`

	EmploymentType change.EmploymentRef `json:"employment_type,omitempty" set:"service"`
}

// Verb implements change.Operation.
func (*SetEmploymentType) Verb() string { return "set_employment_type" }

// mostHours bounds for how long closed access is opened: a month.
const mostHours = 31 * 24

// ApplyTo implements change.Operation.
func (o SetEmploymentType) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "describe employment types") {
		return
	}
	before := len(d.Faults)
	o.Key = strings.TrimSpace(o.Key)
	if o.Key == "" {
		d.Fault("key", "is missing")
	} else if m := fact.CheckLabel(o.Key, 100); m != "" {
		d.Fault("key", "%s", m)
	} else if fact.LooksLikeID(o.Key) {
		d.Fault("key", "looks like an id")
	}
	d.CheckTexts(&o.Label, o.Key, "")
	if o.MaxDays < 0 || o.MaxDays > settle.MostDays {
		d.Fault("max_days", "is a number of days from 0 to %d", settle.MostDays)
	}
	if o.MaxHours == 0 && o.Closed {
		o.MaxHours = 24
	}
	switch {
	case o.MaxHours < 0 || o.MaxHours > mostHours:
		d.Fault("max_hours", "is a number of hours from 1 to %d", mostHours)
	case o.MaxHours > 0 && !o.Closed:
		d.Fault("max_hours", "is of types whose access is closed")
	}
	old, there := access.FindKeyed[*fact.EmploymentType](&d.Snapshot, fact.FactEmploymentType, o.Key, foldedSame)
	if !there && len(d.EmploymentTypes()) >= fact.MostEmploymentTypes {
		d.Judged("", "there have been %d employment types, and there is no room for more", fact.MostEmploymentTypes)
	}
	if len(d.Faults) > before {
		d.Fails(fact.FactEmploymentType, o.Key)
		return
	}
	f := &fact.EmploymentType{Key: o.Key, Label: o.Label, External: o.External, MaxDays: o.MaxDays, Closed: o.Closed, MaxHours: o.MaxHours}
	if there {
		d.Reads(fact.FactEmploymentType, old.Row())
		f.ID, f.Key = old.ID, old.Key
		o.EmploymentType = change.EmploymentRef(f.ID.String())
		if f.Lifetime = old.Lifetime; reflect.DeepEqual(f, old) {
			d.Note(change.AlreadySo, old.Since())
			return
		}
		f.Lifetime = fact.Lifetime{}
	} else {
		f.ID = fact.EmploymentTypeID(d.Allocate(fact.FactEmploymentType))
		o.EmploymentType = change.EmploymentRef(f.ID.String())
	}
	d.Put(f)
	return settled
}

// foldedSame compares keys that are texts of people.
func foldedSame(a, b string) bool { return fact.Fold(a) == fact.Fold(b) }

// Sentence implements change.Operation.
func (o *SetEmploymentType) Sentence(*access.Snapshot, change.Names) string {
	var says []string
	if o.External {
		says = append(says, "they work for another company")
	}
	if o.MaxDays > 0 {
		says = append(says, "for "+fact.Count(o.MaxDays, "day")+" at most at a time")
	}
	if o.Closed {
		says = append(says, "their access is closed, and opened for "+fact.Count(o.MaxHours, "hour")+" at most")
	}
	if len(says) == 0 {
		return "Described the employment type " + o.Label
	}
	return "Described the employment type " + o.Label + ": " + strings.Join(says, ", ")
}

// EndEmploymentType ends an employment type.
type EndEmploymentType struct {
	EmploymentType change.EmploymentRef `json:"employment_type" doc:"key or id"`
}

// Verb implements change.Operation.
func (*EndEmploymentType) Verb() string { return "end_employment_type" }

// ApplyTo implements change.Operation.
func (o EndEmploymentType) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	if !d.Need(access.ActUpdate, "settings", "describe employment types") {
		return
	}
	old, ok := change.SettleKeyed[*fact.EmploymentType](d, fact.FactEmploymentType, "employment_type", &o.EmploymentType, foldedSame, "%s has ended")
	if !ok {
		return
	}
	n := 0
	for u := range d.Users() {
		if old.Of(u) && u.Status != fact.Departed {
			n++
		}
	}
	if n > 0 && !d.Judged("employment_type", "%s of it: give them another one first", peopleAre(n)) {
		return
	}
	for _, f := range record.SignUpRules(&d.Snapshot) {
		if !f.Ended && fact.Fold(f.Employment) == fact.Fold(old.Key) && !d.Judged("employment_type", "the sign-up rule for %s adds users of it: edit that first, in this change too", f.Domain) {
			return
		}
	}
	for _, f := range record.TeamRules(&d.Snapshot) {
		if !f.Ended && f.Invites && fact.Fold(f.Guests.Employment) == fact.Fold(old.Key) && !d.Judged("employment_type", "the team rule %s adds users of it: edit that first, in this change too", f.Label) {
			return
		}
	}
	settle.Alter(d, old, func(f *fact.EmploymentType) { f.Ended = true })
	return settled
}

// Sentence implements change.Operation.
func (o *EndEmploymentType) Sentence(s *access.Snapshot, _ change.Names) string {
	n, _ := fact.ParseID("employment_type", string(o.EmploymentType))
	if f, _ := s.RecordFact(fact.FactEmploymentType, n).(*fact.EmploymentType); f != nil {
		return "Ended the employment type " + f.Label
	}
	return "Ended an employment type"
}

// ExtendContract extends the last day of somebody who works for another company.
type ExtendContract struct {
	User change.UserRef `json:"user" doc:"user name or id"`
	End  calendar.Date  `json:"end_date" flag:"end" doc:"their last day from now on, YYYY-MM-DD"`
}

// Verb implements change.Operation.
func (*ExtendContract) Verb() string { return "extend_contract" }

// ApplyTo implements change.Operation.
func (o ExtendContract) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	old, ok := d.SettleSponsored("user", &o.User, func(t *fact.EmploymentType) bool { return t.External && t.MaxDays > 0 })
	if !ok {
		return
	}
	if t := d.EmploymentTypeOf(old); t == nil || !t.External {
		if !d.Judged("user", "%s does not work for another company: edit the last day itself", old.UserName) {
			return
		}
	}
	u := *old
	u.End = o.End
	if o.End == old.End {
		d.Note(change.AlreadySo, d.UserTable.At(int(old.ID)).Touched)
		return
	}
	before := len(d.Faults)
	if o.End == 0 {
		d.Fault("end_date", "is missing")
	} else if o.End < old.End {
		d.Judged("end_date", "is before %s, the last day as it is", old.End.Words())
	}
	d.CheckUser(&u)
	d.CheckEmployment(old, &u)
	fromElsewhere(d, old, &u)
	if len(d.Faults) > before {
		return
	}
	d.Put(&u)
	return settled
}

// Sentence implements change.Operation.
func (o *ExtendContract) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Extended " + n.UserName(id) + " to " + o.End.Words()
}

// OpenAccess opens the closed access of a user for a time. The newest opening takes the place
// of those before.
type OpenAccess struct {
	User change.UserRef `json:"user" doc:"user name or id"`
	calendar.Window
	Reference string `json:"reference" doc:"where it was asked for, such as the number of a ticket"`
}

// Verb implements change.Operation.
func (*OpenAccess) Verb() string { return "open_access" }

// ApplyTo implements change.Operation.
func (o OpenAccess) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	u, ok := d.SettleSponsored("user", &o.User, func(t *fact.EmploymentType) bool { return t.Closed })
	if !ok {
		return
	}
	before := len(d.Faults)
	t := d.EmploymentTypeOf(u)
	if t == nil || !t.Closed {
		d.Judged("user", "the access of %s is not closed: it needs no opening", u.UserName)
	}
	if o.From == 0 {
		o.From = d.At()
	}
	if o.Until == 0 {
		d.Fault("until", "is missing: it is opened for a time")
	} else if d.CheckWindow(o.Window) && t != nil && t.MaxHours > 0 && o.Until-o.From > calendar.Days(1)/24*calendar.Instant(t.MaxHours) {
		d.Judged("until", "is too late: it is opened for %s at most", fact.Count(t.MaxHours, "hour"))
	}
	if strings.TrimSpace(o.Reference) == "" {
		d.Fault("reference", "is missing: it says where the opening was asked for")
	} else if m := d.Organisation().CheckReference(o.Reference); m != "" {
		d.Judged("reference", "%s", m)
	}
	if len(d.Faults) > before {
		return
	}
	f := &fact.Opening{User: u.ID, Window: o.Window, Reference: o.Reference}
	if old := d.Opening(u.ID); old != nil && old.Window == f.Window && old.Reference == f.Reference {
		d.Note(change.AlreadySo, old.Since())
		return
	}
	d.Put(f)
	return settled
}

// Sentence implements change.Operation.
func (o *OpenAccess) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Opened the access of " + n.UserName(id) + change.WindowWords(s, o.Window) + " for " + o.Reference
}

// CloseAccess ends an opening before its time.
type CloseAccess struct {
	User change.UserRef `json:"user" doc:"user name or id"`
}

// Verb implements change.Operation.
func (*CloseAccess) Verb() string { return "close_access" }

// ApplyTo implements change.Operation.
func (o CloseAccess) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	u, ok := d.SettleSponsored("user", &o.User, func(t *fact.EmploymentType) bool { return t.Closed })
	if !ok {
		return
	}
	f := d.Opening(u.ID)
	if f == nil {
		d.Fault("user", "the access of %s was not opened", u.UserName)
		return
	}
	d.End(f)
	return settled
}

// Sentence implements change.Operation.
func (o *CloseAccess) Sentence(s *access.Snapshot, n change.Names) string {
	id, _ := s.FindUser(string(o.User))
	return "Closed the access of " + n.UserName(id)
}
