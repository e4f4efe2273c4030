package people_test

import (
	"strings"
	"testing"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/record"
)

// What comes from a machine account is changed by that account alone, of the users it is for; other
// attributes, other users, and a last day that comes earlier are not its own.
func TestAttributesThatComeFromElsewhere(t *testing.T) {
	text := func(s string) *string { return &s }
	s := laws.Port(t, &people.SetMachineAccount{User: "berth-board", Purpose: "x", Accountable: []change.UserRef{"tomas.brandt", "marta.quill"}},
		&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Employment: text("staff")}},
		&people.UpdateUser{User: "tomas.brandt", UserEdits: fact.UserEdits{Employment: text("contractor"), Company: text("x")}},
		&people.SetAttributeSource{User: "berth-board", Attributes: []string{"title", "end_date", "email"}, Overridable: []string{"location"}, Filter: `employment_type eq "staff"`})
	who := func(name string) fact.UserID {
		id, _ := s.FindUser(name)
		return id
	}
	tried := func(author fact.UserID, replays bool, ops ...change.Operation) string {
		d := change.NewDraft(s)
		d.Author, d.Replays = author, replays
		for i, op := range ops {
			d.Apply(i, op, calendar.Instant(d.Revision))
		}
		var out []string
		for _, f := range d.Faults {
			out = append(out, f.Field+" "+f.Message)
		}
		return strings.Join(out, "; ")
	}
	title := &people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Title: text("Chief pilot")}}
	for name, x := range map[string]struct {
		author  string
		replays bool
		says    string
		ops     []change.Operation
	}{
		"by hand":                   {"marta.quill", false, "title comes from berth-board: it is changed there", []change.Operation{title}},
		"by the account":            {"berth-board", false, "", []change.Operation{title}},
		"in a revision of before":   {"marta.quill", true, "", []change.Operation{title}},
		"what is so already":        {"marta.quill", false, "", []change.Operation{&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Title: text(s.User(who("ines.halloran")).Title), Location: text("Quay")}}}},
		"what may be changed here":  {"marta.quill", false, "", []change.Operation{&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{Location: text("Quay")}}}},
		"of somebody else":          {"marta.quill", false, "", []change.Operation{&people.UpdateUser{User: "tomas.brandt", UserEdits: fact.UserEdits{Title: text("Master")}}}},
		"a personal one":            {"marta.quill", false, "email comes from berth-board", []change.Operation{&people.UpdateUser{User: "ines.halloran", Email: text("i@larkhaven.example")}}},
		"an end that comes earlier": {"marta.quill", false, "", []change.Operation{&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{End: new(calendar.Date(25000))}}}},
		"an end that is put off": {"marta.quill", false, "end_date comes from", []change.Operation{&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{End: new(calendar.Date(25000))}},
			&people.UpdateUser{User: "ines.halloran", UserEdits: fact.UserEdits{End: new(calendar.Date(25001))}}}},
		"once it is so no more": {"marta.quill", false, "", []change.Operation{&people.SetAttributeSource{User: "berth-board"}, title}},
		"once it has departed":  {"marta.quill", false, "", []change.Operation{&people.UpdateUser{User: "berth-board", Status: new(fact.Departed)}, title}},
		"said anew of it":       {"marta.quill", false, "title comes from", []change.Operation{&people.SetMachineAccount{User: "berth-board", Purpose: "y", Accountable: []change.UserRef{"tomas.brandt", "marta.quill"}}, title}},
		"an unknown one":        {"marta.quill", false, "attributes there is no attribute “colour”", []change.Operation{&people.SetAttributeSource{User: "berth-board", Attributes: []string{"colour"}}}},
		"one's name":            {"marta.quill", false, "attributes there is no attribute “user_name”", []change.Operation{&people.SetAttributeSource{User: "berth-board", Attributes: []string{"user_name"}}}},
		"twice":                 {"marta.quill", false, "overridable “title” is there twice", []change.Operation{&people.SetAttributeSource{User: "berth-board", Attributes: []string{"title"}, Overridable: []string{"title"}}}},
		"personal, and both":    {"marta.quill", false, "overridable “email” is personal", []change.Operation{&people.SetAttributeSource{User: "berth-board", Overridable: []string{"email"}}}},
		"a filter that is none": {"marta.quill", false, "filter ", []change.Operation{&people.SetAttributeSource{User: "berth-board", Attributes: []string{"title"}, Filter: "title is"}}},
		"a person":              {"marta.quill", false, "user nobody has said what ines.halloran is for", []change.Operation{&people.SetAttributeSource{User: "ines.halloran", Attributes: []string{"title"}}}},
	} {
		got := tried(who(x.author), x.replays, x.ops...)
		if (got == "") != (x.says == "") || !strings.HasPrefix(got, x.says) {
			t.Errorf("%s: %q", name, got)
		}
	}
	// Where the author may not see the account, its name is not told.
	d := change.NewDraft(s)
	d.Author, d.Visible = who("marta.quill"), func(k fact.FactKind, row uint32) bool {
		return k != fact.FactUser || fact.UserID(row) != who("berth-board")
	}
	d.Apply(0, title, calendar.Instant(d.Revision))
	if len(d.Faults) != 1 || !strings.Contains(d.Faults[0].Message, "comes from another system") {
		t.Errorf("%+v", d.Faults)
	}
	// What names a unit goes on naming it when it moves.
	moved := made(t, s, "2026-03-02", &people.AdoptUnits{}, &people.SetAttributeSource{User: "berth-board", Attributes: []string{"title"}, Filter: `within eq "marine"`}, &people.MoveUnit{Unit: "marine", To: "sea"})
	if got := record.MachineAccount(moved, who("berth-board")).Filter; got != `within eq "sea"` {
		t.Error(got)
	}
	// An attribute that comes from there is not retired before that is said otherwise.
	declared := made(t, s, "2026-03-02", &people.DeclareAttribute{Key: "desk", Label: "Desk", Type: fact.TextValue}, &people.SetAttributeSource{User: "berth-board", Overridable: []string{"desk"}})
	if d := laws.DraftOf(declared, &people.RetireAttribute{Attribute: "desk"}); len(d.Faults) != 1 || !strings.Contains(d.Faults[0].Message, "comes from the machine account berth-board") {
		t.Errorf("%+v", d.Faults)
	}
}
