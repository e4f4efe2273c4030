package people_test

import (
	"slices"
	"strings"
	"testing"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/record"
)

// Two people are accountable for a machine account. Whoever departs is followed by their manager, or
// else the head of their unit; what is handed over has the other in their place.
func TestWhoAnswersForAMachineAccount(t *testing.T) {
	set := &people.SetMachineAccount{User: "berth-board", Purpose: "Asks for decisions", Accountable: []change.UserRef{"ines.halloran", "hedvika.venables"}, Application: "berths", SecretAt: "in the safe"}
	departs := func(user change.UserRef) change.Operation {
		return &people.UpdateUser{User: user, Status: ptr(fact.Departed)}
	}
	for name, x := range map[string]struct {
		ops  []change.Operation
		want []string
	}{
		"as it was said":            {nil, []string{"ines.halloran", "hedvika.venables"}},
		"one departs":               {[]change.Operation{departs("ines.halloran")}, []string{"hedvika.venables", "tomas.brandt"}},
		"one without a manager":     {[]change.Operation{departs("hedvika.venables")}, []string{"ines.halloran"}},
		"one whose unit has a head": {[]change.Operation{&people.AdoptUnits{}, &people.UpdateUnit{Unit: "finance", Head: ptr[change.UserRef]("marta.quill")}, departs("hedvika.venables")}, []string{"ines.halloran", "marta.quill"}},
		"handed over":               {[]change.Operation{&people.HandOver{User: "ines.halloran", To: "marta.quill"}}, []string{"hedvika.venables", "marta.quill"}},
		"to who does already":       {[]change.Operation{&people.HandOver{User: "ines.halloran", To: "hedvika.venables"}}, []string{"hedvika.venables"}},
	} {
		d := laws.DraftOf(laws.Port(t), append([]change.Operation{set}, x.ops...)...)
		if len(d.Faults) > 0 {
			t.Fatal(name, &d.Faults[0])
		}
		id, _ := d.FindUser("berth-board")
		var got []string
		for _, by := range record.MachineAccount(&d.Snapshot, id).Accountable {
			got = append(got, d.User(by).UserName)
		}
		if !slices.Equal(got, x.want) {
			t.Errorf("%s: %v, want %v", name, got, x.want)
		}
	}
	for says, o := range map[string]*people.SetMachineAccount{
		"is a person":        {User: "marta.quill", Purpose: "x", Accountable: set.Accountable},
		"purpose is missing": {User: "berth-board", Accountable: set.Accountable},
		"names 1 user":       {User: "berth-board", Purpose: "x", Accountable: set.Accountable[:1]},
		"is two":             {User: "berth-board", Purpose: "x", Accountable: []change.UserRef{"marta.quill", "marta.quill"}},
		"no person":          {User: "berth-board", Purpose: "x", Accountable: []change.UserRef{"marta.quill", "berth-board"}},
		"there is no user":   {User: "berth-board", Purpose: "x", Accountable: []change.UserRef{"marta.quill", "nobody"}},
	} {
		d := laws.DraftOf(laws.Port(t), o)
		if len(d.Faults) == 0 || !strings.Contains(d.Faults[0].Error(), says) {
			t.Errorf("%s: %v", says, d.Faults)
		}
	}
}
