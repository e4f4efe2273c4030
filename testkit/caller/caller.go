// Package caller gives tests of the use cases somebody who asks.
package caller

import (
	"testing"
	"time"

	"ableroster/internal/ledger"
	"ableroster/internal/seeing"
	"ableroster/testkit"
)

// Of is a service over a ledger of its own, and a user as its caller.
func Of(t *testing.T, database, user string) (*seeing.Service, *ledger.Ledger, seeing.Caller) {
	t.Helper()
	l, _ := testkit.Ledger(t, database)
	id, ok := l.Head().FindUser(user)
	if !ok {
		t.Fatal(user)
	}
	return &seeing.Service{Ledger: l, Clock: time.Now}, l, seeing.Caller{User: id, Via: "test"}
}
