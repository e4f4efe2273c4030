package change

import (
	"ableroster/internal/access"
	"ableroster/internal/fact"
	"strings"
)

// ExpectationWords says what is expected, in plain words: "Members of Pilots may not update
// tariffs in Tariff ledger".
func ExpectationWords(f *fact.Expectation, s *access.Snapshot, n Names) string {
	var b strings.Builder
	switch {
	case f.Of.Nobody:
		b.WriteString("Nobody signed in")
	case f.Of.WouldBe.Given():
		b.WriteString("A new user (" + f.Of.WouldBe.Words() + ")")
	case f.Of.User != 0:
		b.WriteString(n.UserName(f.Of.User))
	case f.Of.Except:
		b.WriteString("Users outside " + s.Group(f.Of.Group).Label)
	default:
		b.WriteString("Members of " + s.Group(f.Of.Group).Label)
	}
	b.WriteString(map[bool]string{true: " may ", false: " may not "}[f.May])
	b.WriteString(f.Action + " " + f.Pattern)
	if a := s.Application(f.Application); a != nil {
		b.WriteString(" in " + a.Label)
	}
	return b.String()
}
