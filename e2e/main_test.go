// Package slice holds the tests of the whole: the real service, the real
// command line, the real console in a real browser, on the demo organisation.
package e2e

import (
	"os"
	"testing"

	"ableroster/testkit"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }
