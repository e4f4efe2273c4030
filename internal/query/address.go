package query

import (
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// OneByAddress is the one user who has an e-mail address, and 0 where nobody has it, or several
// do: it proves then nobody's. Whoever departed has none.
func OneByAddress(s *access.Snapshot, address string) (id fact.UserID) {
	for u := range s.Users() {
		if u.Status == fact.Departed || !strings.EqualFold(u.Email, address) {
			continue
		}
		if id != 0 {
			return 0
		}
		id = u.ID
	}
	return id
}
