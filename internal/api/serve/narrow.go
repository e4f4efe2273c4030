package serve

import (
	"strings"

	"ableroster/internal/signin"
)

// goodFor says whether a token that is for something alone is good for a call.
func goodFor(only, method, path string) bool {
	switch only {
	case signin.OnlyReading:
		return safe(method) || asksAlone(path)
	case signin.OnlyDecisions:
		return asksAlone(path) || safe(method) && path == "/api/v1/menu"
	case signin.OnlyPeople:
		return strings.HasPrefix(path, SCIMPath+"/")
	}
	return false
}

// asksAlone says whether a call is a question, though it has a body.
func asksAlone(path string) bool {
	return path == "/api/v1/check" || path == "/api/v1/checks" || strings.HasPrefix(path, AccessPath)
}
