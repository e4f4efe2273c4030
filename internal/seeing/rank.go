package seeing

import "strings"

// Unranked is the rank of what does not have the letters at all.
const Unranked = 9

// RankIn is how near a text is to some letters: it begins with them, a word of it
// does, or they are in it. Both are folded.
func RankIn(s, letters string) int {
	switch i := strings.Index(s, letters); {
	case i == 0:
		return 0
	case i > 0 && !isLetter(s[i-1]):
		return 1
	case i > 0:
		return 2
	}
	return Unranked
}

// Rank is that of a user, by their name and their user name.
func (r *RollRow) Rank(letters string) int {
	name, rest, _ := strings.Cut(r.Sought, "\x00")
	user, _, _ := strings.Cut(rest, "\x00")
	return min(RankIn(name, letters), RankIn(user, letters))
}

func isLetter(b byte) bool { return b >= 'a' && b <= 'z' || b >= 0x80 }
