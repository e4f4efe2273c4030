package e2e

import (
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// An emergency account is shared on its page, checked out by who may on theirs, returned, and its secret
// is changed: each with the presses that are there for it, and no other.
func TestAnEmergencyAccountOnThePages(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	x.says(0, "", "users", "add", "crane-override", "-name", "Crane override", "-kind", "service", "-unit", "terminal/cranes", "-reason", "For when all else fails")
	x.says(0, "", "machine-accounts", "set", "crane-override", "-purpose", "Moves a crane by hand", "-accountable", "tomas.brandt,marta.quill", "-secret-at", "A sealed envelope", "-reason", "For when all else fails")
	x.says(0, "", "shared-accounts", "set", "crane-override", "-custodian", demo.Administrator, "-group", "pilots", "-max-hours", "4", "-emergency", "-reason", "Who is on duty")
	x.says(0, "crane-override emergency", "shared-accounts", "list")
	pilot := signedIn(t, s, demo.Pilot)
	pilot.Go("/my-access")
	pilot.Sees("Its secret is with Marta Quill.")
	pilot.Press("Check out for 4 hours")
	commit(pilot, "The control room is down")
	pilot.Go("/my-access")
	pilot.Sees("has it until")
	pilot.SeesNot("Secret was changed")
	b := signedIn(t, s, demo.Administrator)
	b.Go("/shared-accounts")
	b.Sees("Inês Halloran has it until")
	b.Sees("The control room is down")
	b.Press("Return")
	commit(b, "It is up again")
	b.Go("/shared-accounts")
	b.Sees("its secret is to be changed")
	b.Press("Secret was changed")
	commit(b, "A new envelope")
	b.Go("/shared-accounts")
	b.Sees("free")
	b.Go("/findings")
	b.Sees("Crane override was never tested")
	b.Sees("Test it, and say so.")
}
