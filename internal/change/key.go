package change

import (
	"strings"

	"ableroster/internal/fact"
	"ableroster/internal/patterns"
)

// CheckKey says what is wrong with a key of an application, role or group. What was
// committed before a kind of id was called as it is stays.
func (d *Draft) CheckKey(k string) string {
	switch {
	case k == "":
		return "is missing"
	case len(k) > 64:
		return "is longer than 64 characters"
	case !fact.KeyShape.MatchString(k):
		return "must be lower-case words of letters and digits joined by single hyphens"
	case !d.Replays && fact.LooksLikeID(k):
		return "looks like an id"
	}
	return ""
}

// CheckUserName says what is wrong with a user name.
func (d *Draft) CheckUserName(n string) string {
	switch {
	case n == "":
		return "is missing"
	case len(n) > 128:
		return "is longer than 128 bytes"
	case !patterns.CleanText(n) || strings.ContainsAny(n, " /*\t"):
		return "must be letters, digits and marks without spaces, “/” and “*”"
	case !d.Replays && fact.LooksLikeID(strings.ToLower(n)):
		return "looks like an id"
	}
	return ""
}
