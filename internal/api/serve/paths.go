package serve

import (
	"regexp"
	"strings"

	"github.com/gofiber/fiber/v3"
)

// AccessPath is below what the Authorization API is served (section 10.1).
const AccessPath = "/access/v1/"

// answersOwnID gives an answer of the Authorization API the id that its request came with, in
// the place of ours.
func answersOwnID(c fiber.Ctx) {
	if id := c.Get("X-Request-ID"); strings.HasPrefix(c.Path(), AccessPath) && requestIDs.MatchString(id) {
		c.Set("X-Request-Id", strings.Clone(id))
	}
}

// calls says whether a path is one that programs call, and no page of the console.
func calls(path string) bool {
	return strings.HasPrefix(path, "/api/") || strings.HasPrefix(path, AccessPath) || strings.HasPrefix(path, SCIMPath+"/")
}

// ListFileID names the call.
const ListFileID = "get-list-file"

// requestIDs are those that callers may give their requests (section 10.1.4).
var requestIDs = regexp.MustCompile(`^[\x21-\x7e]{1,200}$`)

// SCIMPath is below what SCIM is served (RFC 7644, section 3.13: with its version).
const SCIMPath = "/scim/v2"
