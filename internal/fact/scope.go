package fact

import "ableroster/internal/patterns"

// Scope limits an assignment to what a pattern covers in an application. An
// assignment with scopes gives nothing in applications it does not name.
type Scope struct {
	Application ApplicationID `json:"application"`
	Pattern     string        `json:"pattern"`
}

// InScope says whether scopes let a path of an application through; none let
// everything.
func InScope(scopes []Scope, app ApplicationID, path string) bool {
	if len(scopes) == 0 {
		return true
	}
	for _, s := range scopes {
		if s.Application == app && patterns.Covers(s.Pattern, path) {
			return true
		}
	}
	return false
}

// Narrowed are the patterns of a permission within scopes: itself without any.
func Narrowed(app ApplicationID, pattern string, scopes []Scope) []string {
	if len(scopes) == 0 {
		return []string{pattern}
	}
	var out []string
	for _, s := range scopes {
		if s.Application != app {
			continue
		}
		out = append(out, patterns.Meet(pattern, s.Pattern)...)
	}
	return out
}
