package operation_test

import (
	"encoding/json"
	"reflect"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
)

// Numbers that were recorded are taken again, gaps and all, wherever the counters stand;
// what they made is found by them, and the next change goes on after the last.
func TestRecordedNumbersAreTakenAgain(t *testing.T) {
	make := func() []change.Operation {
		return []change.Operation{&roles.AddGroup{Key: "crew"}, &roles.AddGroup{Key: "watch"}, &people.AddUser{Personal: fact.Personal{UserName: "marta.quill"}}, &roles.AddMember{Group: "crew", User: "marta.quill"}}
	}
	recorded := access.IDs{fact.FactGroup: {{7, 1}, {40, 1}}, fact.FactUser: {{1000, 1}}, fact.FactMembership: {{3, 1}}}
	d := change.NewDraft(access.Empty())
	d.TakeIDs(recorded)
	for i, op := range make() {
		d.Apply(i, op, 1)
	}
	d.Finish()
	if len(d.Faults) > 0 {
		t.Fatal(&d.Faults[0])
	}
	if !reflect.DeepEqual(d.Took(), recorded) {
		t.Errorf("took %v", d.Took())
	}
	s := d.Seal(1, 1)
	crew, _ := s.FindGroup("crew")
	watch, _ := s.FindGroup("watch")
	marta, _ := s.FindUser("marta.quill")
	if crew != 7 || watch != 40 || marta != 1000 || s.Membership(3) == nil {
		t.Errorf("%v %v %v", crew, watch, marta)
	}
	next := change.NewDraft(s)
	next.Apply(0, &roles.AddGroup{Key: "gate"}, 2)
	if gate, _ := next.FindGroup("gate"); gate != 41 || !reflect.DeepEqual(next.Took(), access.IDs{fact.FactGroup: {{41, 1}}}) {
		t.Errorf("goes on with %v: %v", gate, next.Took())
	}
	// What is recorded is written and read as it is, and is not altered by being taken.
	raw, err := json.Marshal(recorded)
	var again access.IDs
	if err != nil || json.Unmarshal(raw, &again) != nil || !reflect.DeepEqual(again, recorded) {
		t.Errorf("%s: %v %v", raw, again, err)
	}
}
