package laws

import (
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
)

// Port is a small organisation by hand: one application with a tree, roles that
// include roles, groups in groups, a delegate.
func Port(t testing.TB, more ...change.Operation) *access.Snapshot {
	t.Helper()
	ops := append([]change.Operation{
		&rules.SetOrganisation{Name: "Larkhaven", TimeZone: "Europe/Lisbon"},
		&people.AddUser{Personal: fact.Personal{UserName: "marta.quill", DisplayName: "Marta Quill"}, UserFacts: fact.UserFacts{Unit: "office"}},
		&people.AddUser{Personal: fact.Personal{UserName: "tomas.brandt", DisplayName: "Tomas Brandt"}, UserFacts: fact.UserFacts{Unit: "marine"}},
		&people.AddUser{Personal: fact.Personal{UserName: "ines.halloran", DisplayName: "Inês Halloran"}, UserFacts: fact.UserFacts{Unit: "marine/pilotage"}, Manager: "tomas.brandt"},
		&people.AddUser{Personal: fact.Personal{UserName: "hedvika.venables"}, UserFacts: fact.UserFacts{Unit: "finance"}},
		&people.AddUser{Personal: fact.Personal{UserName: "berth-board"}, UserKind: fact.Service},
		&roles.AddApplication{Key: "berths", Label: "Berths", State: fact.StateLive, Actions: []fact.Action{{Key: "read"}, {Key: "update"}}},
		&roles.AddResource{Application: "berths", Path: "north"},
		&roles.AddResource{Application: "berths", Path: "north/1"},
		&roles.AddResource{Application: "berths", Path: "voyages", Open: true},
		&roles.AddApplication{Key: "tariffs", Label: "Tariffs", State: fact.StateLive, Actions: []fact.Action{{Key: "read"}, {Key: "release"}}},
		&roles.AddRole{Key: "reader", Application: "berths", Label: "Berth reader"},
		&roles.AddPermission{Role: "berths/reader", Actions: []string{"read"}, Pattern: "/"},
		&roles.AddRole{Key: "scheduler", Application: "berths", Label: "Berth scheduler"},
		&roles.IncludeRole{Role: "berths/scheduler", Includes: "berths/reader"},
		&roles.AddPermission{Role: "berths/scheduler", Actions: []string{"update"}, Pattern: "north"},
		&roles.AddRole{Key: "releaser", Application: "tariffs"},
		&roles.AddPermission{Role: "tariffs/releaser", Actions: []string{"*"}, Pattern: "/"},
		&roles.AddRole{Key: "access-administrator"},
		&roles.AddPermission{Role: "access-administrator", Application: "able-roster", Actions: []string{"*"}, Pattern: "/"},
		&roles.Grant{Role: "access-administrator", User: "marta.quill"},
		&roles.AddGroup{Key: "marine-staff", Label: "Marine staff", Unit: "marine"},
		&roles.AddGroup{Key: "pilots", Label: "Pilots", Unit: "marine/pilotage"},
		&roles.AddMember{Group: "marine-staff", Member: "pilots"},
		&roles.Grant{Role: "berths/reader", Group: "marine-staff"},
		&roles.AddGroup{Key: "cash-desk", Unit: "finance"},
		&roles.Grant{Role: "tariffs/releaser", Group: "cash-desk"},
		// Tomas looks after the marine unit: its people, its groups, and the
		// roles of berths.
		&roles.AddRole{Key: "marine-manager"},
		&roles.AddPermission{Role: "marine-manager", Application: "able-roster", Actions: []string{"read", "create", "update", "assign"}, Pattern: "users/marine"},
		&roles.AddPermission{Role: "marine-manager", Application: "able-roster", Actions: []string{"read", "create", "update"}, Pattern: "groups/marine"},
		&roles.AddPermission{Role: "marine-manager", Application: "able-roster", Actions: []string{"read", "update", "assign"}, Pattern: "roles/berths"},
		&roles.Grant{Role: "marine-manager", User: "tomas.brandt"},
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
