package e2e

import (
	"os"
	"testing"

	"ableroster/testkit"
)

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }
