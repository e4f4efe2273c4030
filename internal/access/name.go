package access

import "ableroster/internal/fact"

// shortName is a folded name that lies in the record itself, so that looking
// it up is one step through memory less. Most names are short enough; of a
// longer one only the length is kept.
type shortName struct {
	length uint8 // names have at most 128 bytes
	text   [21]byte
}

func shorten(folded string) shortName {
	n := shortName{length: uint8(min(len(folded), 255))}
	copy(n.text[:], folded)
	return n
}

// isNamed says whether a user bears a folded name.
func (u *UserEntry) isNamed(folded string) bool {
	if int(u.name.length) != len(folded) {
		return false
	}
	if len(folded) <= len(u.name.text) {
		return string(u.name.text[:len(folded)]) == folded
	}
	return fact.Fold(u.Fact.UserName) == folded
}
