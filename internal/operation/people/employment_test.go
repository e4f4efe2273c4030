package people_test

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/held"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
)

// vendors is the port with a closed kind of people of other companies, and one of them whom
// Inês, who administers nothing, sponsors.
func vendors(t *testing.T) *access.Snapshot {
	t.Helper()
	s := laws.Port(t, &people.SetEmploymentType{Key: "staff"}, &people.SetEmploymentType{Key: "contractor", External: true},
		&people.SetEmploymentType{Key: "vendor", External: true, MaxDays: 90, Closed: true, MaxHours: 8})
	return made(t, s, "2026-03-01", &people.AddUser{Personal: fact.Personal{UserName: "pump.works"}, Manager: "ines.halloran",
		UserFacts: fact.UserFacts{Unit: "finance", Employment: "Vendor", Company: "Pump & Valve Works", End: day(t, "2026-04-30")}},
		&roles.Grant{Role: "tariffs/releaser", User: "pump.works"})
}

func TestWhatIsRequiredOfExternalPeople(t *testing.T) {
	s := vendors(t)
	departed, unit, none := fact.Departed, "marine", change.UserRef("")
	of := func(employment, company string, manager change.UserRef, end string) *people.AddUser {
		o := &people.AddUser{Personal: fact.Personal{UserName: "new"}, Manager: manager, UserFacts: fact.UserFacts{Employment: employment, Company: company}}
		if end != "" {
			o.End = day(t, end)
		}
		return o
	}
	for name, x := range map[string]struct {
		op   change.Operation
		says string
	}{
		"no company":                   {of("vendor", "", "ines.halloran", "2026-04-01"), "company is missing"},
		"no sponsor":                   {of("vendor", "Dredgers", "", "2026-04-01"), "manager is missing"},
		"no last day":                  {of("vendor", "Dredgers", "ines.halloran", ""), "end_date is missing"},
		"a last day too far ahead":     {of("vendor", "Dredgers", "ines.halloran", "2026-07-01"), "90 days at most"},
		"a sponsor of another company": {of("vendor", "Dredgers", "pump.works", "2026-04-01"), "cannot be a sponsor"},
		"a machine for a sponsor":      {of("vendor", "Dredgers", "berth-board", "2026-04-01"), "cannot be a sponsor"},
		"a type that is not there":     {of("vender", "Dredgers", "ines.halloran", "2026-04-01"), "there is no employment type “vender”"},
		"the sponsor is taken away":    {&people.UpdateUser{User: "pump.works", Manager: &none}, "manager is missing"},
		"a type that somebody has":     {&people.EndEmploymentType{EmploymentType: "vendor"}, "1 person is of it"},
		"all is said":                  {of("vendor", "Dredgers", "ines.halloran", "2026-05-30"), ""},
		"one moves":                    {&people.UpdateUser{User: "pump.works", UserEdits: fact.UserEdits{Unit: &unit}}, ""},
		"one leaves":                   {&people.UpdateUser{User: "pump.works", Status: &departed}, ""},
	} {
		d := change.NewDraft(s)
		d.Apply(0, x.op, day(t, "2026-03-02").Begins(s.Zone()))
		got := ""
		for _, f := range d.Faults {
			got += f.Error() + "; "
		}
		if (x.says == "") != (got == "") || !strings.Contains(got, x.says) {
			t.Errorf("%s: %q, want …%s…", name, got, x.says)
		}
	}
}

// A sponsor extends and opens within what is set, whatever else they may not, and gives nothing
// else by it.
func TestWhatASponsorMay(t *testing.T) {
	s := vendors(t)
	ines, _ := s.FindUser("ines.halloran")
	tomas, _ := s.FindUser("tomas.brandt")
	noon := day(t, "2026-03-02").Begins(s.Zone()) + calendar.Days(1)/2
	open := func(hours calendar.Instant, reference string) *people.OpenAccess {
		return &people.OpenAccess{User: "pump.works", Window: calendar.Window{Until: noon + hours*3_600_000_000}, Reference: reference}
	}
	unit := "marine"
	for name, x := range map[string]struct {
		who fact.UserID
		ops []change.Operation
		may bool
	}{
		"open for some hours":             {ines, []change.Operation{open(8, "TCK-1")}, true},
		"open for too long":               {ines, []change.Operation{open(9, "TCK-1")}, false},
		"open for no reference":           {ines, []change.Operation{open(8, " ")}, false},
		"somebody else opens":             {tomas, []change.Operation{open(8, "TCK-1")}, false},
		"extend":                          {ines, []change.Operation{&people.ExtendContract{User: "pump.works", End: day(t, "2026-05-31")}}, true},
		"extend beyond the maximum":       {ines, []change.Operation{&people.ExtendContract{User: "pump.works", End: day(t, "2026-06-01")}}, false},
		"shorten":                         {ines, []change.Operation{&people.ExtendContract{User: "pump.works", End: day(t, "2026-04-29")}}, false},
		"somebody else extends":           {tomas, []change.Operation{&people.ExtendContract{User: "pump.works", End: day(t, "2026-05-31")}}, false},
		"grant beside it":                 {ines, []change.Operation{open(8, "TCK-1"), &roles.Grant{Role: "berths/reader", User: "pump.works"}}, false},
		"move beside it":                  {ines, []change.Operation{open(8, "TCK-1"), &people.UpdateUser{User: "pump.works", UserEdits: fact.UserEdits{Unit: &unit}}}, false},
		"extend somebody of the own ones": {tomas, []change.Operation{&people.ExtendContract{User: "ines.halloran", End: day(t, "2026-05-31")}}, false},
	} {
		d := change.NewDraft(s)
		d.Author = x.who
		a := change.AuthorityOf(s, x.who, noon)
		d.May = a.May
		for i, op := range x.ops {
			d.Apply(i, op, noon)
		}
		d.Finish()
		if got := len(d.Faults) == 0 && len(a.Judge(d, noon)) == 0; got != x.may {
			t.Errorf("%s: %v, faults %v, lacks %+v", name, got, d.Faults, a.Judge(d, noon))
		}
	}
}

// Closed access is access for as long as it is open, and a sponsor who leaves is followed by
// whoever they report to, or leaves those they sponsored suspended.
func TestClosedAccessAndSponsorsWhoLeave(t *testing.T) {
	s := vendors(t)
	id, _ := s.FindUser("pump.works")
	role, _ := s.FindRole("tariffs/releaser")
	from := day(t, "2026-03-02").Begins(s.Zone())
	if held.HasRole(s, id, role, from) {
		t.Error("closed access is open")
	}
	s = made(t, s, "2026-03-01", &people.OpenAccess{User: "pump.works", Window: calendar.Window{From: from, Until: from + calendar.Days(1)/3}, Reference: "TCK-1"})
	for at, open := range map[calendar.Instant]bool{from - 1: false, from: true, from + calendar.Days(1)/3 - 1: true, from + calendar.Days(1)/3: false} {
		if got := s.Effective(id, at); got != open || held.HasRole(s, id, role, at) != open {
			t.Errorf("at %s they count: %v", at.Time(), got)
		}
	}
	closed := made(t, s, "2026-03-01", &people.CloseAccess{User: "pump.works"})
	if closed.Effective(id, from) {
		t.Error("access that was closed is open")
	}
	departed := fact.Departed
	if s = made(t, s, "2026-03-02", &people.UpdateUser{User: "ines.halloran", Status: &departed}); s.User(s.User(id).Manager).UserName != "tomas.brandt" || s.User(id).Status != fact.Active {
		t.Errorf("nobody follows the sponsor: %+v", s.User(id))
	}
	if s = made(t, s, "2026-03-02", &people.UpdateUser{User: "tomas.brandt", Status: &departed}); s.User(id).Status != fact.Suspended {
		t.Errorf("they have access with nobody to sponsor them: %+v", s.User(id))
	}
	if !slices.ContainsFunc(s.EmploymentTypes(), func(f *fact.EmploymentType) bool { return f.Closed }) {
		t.Error("the type is gone")
	}
}

// Who is closed, or has left by date, gains by what they are given as if they were there: else
// whoever sponsors them could give by two changes what they may not give by one.
func TestNobodyGivesThroughASponsor(t *testing.T) {
	s := laws.Port(t, &people.SetEmploymentType{Key: "vendor", Closed: true, MaxHours: 8}, &people.SetEmploymentType{Key: "contractor", External: true, MaxDays: 90},
		&roles.AddGroup{Key: "money", Filter: `unit eq "marine/tugs"`}, &roles.Grant{Role: "tariffs/releaser", Group: "money"})
	tomas, _ := s.FindUser("tomas.brandt")
	noon := day(t, "2026-03-02").Begins(s.Zone()) + calendar.Days(1)/2
	for name, u := range map[string]fact.UserFacts{
		"closed":          {Unit: "marine/tugs", Employment: "vendor"},
		"left by date":    {Unit: "marine/tugs", Employment: "contractor", Company: "Dredgers", Start: day(t, "2026-02-01"), End: day(t, "2026-03-01")},
		"opened at once":  {Unit: "marine/tugs", Employment: "vendor", Title: "at once"},
		"in another unit": {Unit: "marine", Employment: "vendor"},
	} {
		ops := []change.Operation{&people.AddUser{Personal: fact.Personal{UserName: "new"}, Manager: "tomas.brandt", UserFacts: u}}
		if u.Title != "" {
			ops = append(ops, &people.OpenAccess{User: "new", Window: calendar.Window{Until: noon + 3_600_000_000}, Reference: "TCK-1"})
		}
		d := change.NewDraft(s)
		d.Author = tomas
		a := change.AuthorityOf(s, tomas, noon)
		d.May = a.May
		for i, op := range ops {
			d.Apply(i, op, noon)
		}
		if d.Finish(); len(d.Faults) > 0 {
			t.Fatal(name, &d.Faults[0])
		}
		if lacks := a.Judge(d, noon); (len(lacks) == 0) != (name == "in another unit") {
			t.Errorf("%s: lacks %+v", name, lacks)
		}
	}
}
