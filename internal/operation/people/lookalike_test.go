package people_test

import (
	"testing"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/laws"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
)

// Names that look like another's, and names that pose as what the service says, are not
// taken; those of people who write with other letters are. What was committed before the
// rule stays as it is.
func TestNamesThatDeceiveAreNotTaken(t *testing.T) {
	s := laws.Port(t)
	for name, ok := range map[string]bool{
		"Inês Halloran": true, "Зоя Маррик": true, "Ζωή Marrick": true, "田中 たろう": true, "김민준": true, "O’Brien-Ní Dhúill": true, "محمد علي": true,
		"Inеs Halloran": false, // with a Cyrillic е
		"Вernard":       false, // with a Cyrillic В
		"Αble Roster":   false, // with a Greek Α
		"Able  Roster":  false, "ABLE-ROSTER": false, "Nobody": false, "A departed user": false, "Outside your part": false, "ａｂｌｅ ｒｏｓｔｅｒ": false,
		"Noboda": true, "Publica": true, "Host Family": true,
	} {
		op := &people.AddUser{Personal: fact.Personal{UserName: "zoe.marrick", DisplayName: name}}
		if d := laws.DraftOf(s, op); (len(d.Faults) == 0) != ok {
			t.Errorf("added %q: %v", name, d.Faults)
		}
		if d := laws.DraftOf(s, &people.UpdateUser{User: "ines.halloran", DisplayName: &name}); (len(d.Faults) == 0) != ok {
			t.Errorf("renamed to %q: %v", name, d.Faults)
		}
		d := change.NewDraft(s)
		d.Replays = true
		if d.Apply(0, op, 2); len(d.Faults) > 0 {
			t.Errorf("replayed %q: %v", name, d.Faults)
		}
	}
	for _, op := range []change.Operation{
		&people.AddUser{Personal: fact.Personal{UserName: "in\u0435s"}}, &people.AddUser{Personal: fact.Personal{UserName: "erased-user-5"}},
		&roles.AddGroup{Key: "all-of-them", Label: "All users"}, &roles.AddRole{Key: "odd", Label: "Rea\u0501er"},
	} {
		if d := laws.DraftOf(s, op); len(d.Faults) == 0 {
			t.Errorf("%+v was taken", op)
		}
	}
}
