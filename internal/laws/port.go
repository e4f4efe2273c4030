package laws

import (
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation"
)

// Port is a small organisation by hand: one application with a tree, roles that
// include roles, groups in groups, a delegate.
func Port(t testing.TB, more ...change.Operation) *access.Snapshot {
	t.Helper()
	ops := append([]change.Operation{
		&operation.SetOrganisation{Name: "Larkhaven", TimeZone: "Europe/Lisbon"},
		&operation.AddUser{Personal: fact.Personal{UserName: "marta.quill", DisplayName: "Marta Quill"}, UserFacts: fact.UserFacts{Unit: "office"}},
		&operation.AddUser{Personal: fact.Personal{UserName: "tomas.brandt", DisplayName: "Tomas Brandt"}, UserFacts: fact.UserFacts{Unit: "marine"}},
		&operation.AddUser{Personal: fact.Personal{UserName: "ines.halloran", DisplayName: "Inês Halloran"}, UserFacts: fact.UserFacts{Unit: "marine/pilotage"}, Manager: "tomas.brandt"},
		&operation.AddUser{Personal: fact.Personal{UserName: "hedvika.venables"}, UserFacts: fact.UserFacts{Unit: "finance"}},
		&operation.AddUser{Personal: fact.Personal{UserName: "berth-board"}, UserKind: fact.Service},
		&operation.AddApplication{Key: "berths", Label: "Berths", State: fact.StateLive, Actions: []fact.Action{{Key: "read"}, {Key: "update"}}},
		&operation.AddResource{Application: "berths", Path: "north"},
		&operation.AddResource{Application: "berths", Path: "north/1"},
		&operation.AddResource{Application: "berths", Path: "voyages", Open: true},
		&operation.AddApplication{Key: "tariffs", Label: "Tariffs", State: fact.StateLive, Actions: []fact.Action{{Key: "read"}, {Key: "release"}}},
		&operation.AddRole{Key: "reader", Application: "berths", Label: "Berth reader"},
		&operation.AddPermission{Role: "berths/reader", Actions: []string{"read"}, Pattern: "/"},
		&operation.AddRole{Key: "scheduler", Application: "berths", Label: "Berth scheduler"},
		&operation.IncludeRole{Role: "berths/scheduler", Includes: "berths/reader"},
		&operation.AddPermission{Role: "berths/scheduler", Actions: []string{"update"}, Pattern: "north"},
		&operation.AddRole{Key: "releaser", Application: "tariffs"},
		&operation.AddPermission{Role: "tariffs/releaser", Actions: []string{"*"}, Pattern: "/"},
		&operation.AddRole{Key: "access-administrator"},
		&operation.AddPermission{Role: "access-administrator", Application: "able-roster", Actions: []string{"*"}, Pattern: "/"},
		&operation.Grant{Role: "access-administrator", User: "marta.quill"},
		&operation.AddGroup{Key: "marine-staff", Label: "Marine staff", Unit: "marine"},
		&operation.AddGroup{Key: "pilots", Label: "Pilots", Unit: "marine/pilotage"},
		&operation.AddMember{Group: "marine-staff", Member: "pilots"},
		&operation.Grant{Role: "berths/reader", Group: "marine-staff"},
		&operation.AddGroup{Key: "cash-desk", Unit: "finance"},
		&operation.Grant{Role: "tariffs/releaser", Group: "cash-desk"},
		// Tomas looks after the marine unit: its people, its groups, and the
		// roles of berths.
		&operation.AddRole{Key: "marine-manager"},
		&operation.AddPermission{Role: "marine-manager", Application: "able-roster", Actions: []string{"read", "create", "update", "assign"}, Pattern: "users/marine"},
		&operation.AddPermission{Role: "marine-manager", Application: "able-roster", Actions: []string{"read", "create", "update"}, Pattern: "groups/marine"},
		&operation.AddPermission{Role: "marine-manager", Application: "able-roster", Actions: []string{"read", "update", "assign"}, Pattern: "roles/berths"},
		&operation.Grant{Role: "marine-manager", User: "tomas.brandt"},
	}, more...)
	d := change.NewDraft(access.Empty())
	for i, op := range ops {
		d.Apply(i, op, 1)
	}
	d.Finish()
	if len(d.Faults) > 0 {
		t.Fatalf("operation %d: %v", d.Faults[0].Operation, &d.Faults[0])
	}
	return d.Seal(1, 1)
}

// DraftOf is a draft with operations applied, finished.
func DraftOf(s *access.Snapshot, ops ...change.Operation) *change.Draft {
	d := change.NewDraft(s)
	for i, op := range ops {
		d.Apply(i, op, 2)
	}
	d.Finish()
	return d
}
