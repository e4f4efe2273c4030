package alike

import (
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/fact"

	"golang.org/x/net/idna"
)

// WhoHas is the person who has an address, or nil: one who is there before one who has departed. The
// domain of theirs may be written in letters that are not those of ASCII.
func WhoHas(s *access.Snapshot, address string) (found *fact.User) {
	at := strings.LastIndexByte(address, '@') + 1
	written, _ := idna.ToUnicode(address[at:])
	for _, address := range []string{address, address[:at] + written} {
		To(s, &fact.User{UserKind: fact.Person, Personal: fact.Personal{Email: address}}, func(u *fact.User) bool {
			if fact.Fold(u.Email) == fact.Fold(address) && (found == nil || found.Status == fact.Departed) {
				found = u
			}
			return true
		})
	}
	return found
}
