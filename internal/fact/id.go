package fact

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"ableroster/internal/patterns"
)

// Ids are dense numbers, one sequence for each kind, given out by the ledger
// and never again. In text they carry their kind: user-42, role-7.
type (
	UserID        uint32
	GroupID       uint32
	ApplicationID uint32
	ResourceID    uint32
	RoleID        uint32
	MembershipID  uint32
	InclusionID   uint32
	PermissionID  uint32
	AssignmentID  uint32
	FenceID       uint32
	DefaultID     uint32
	SoDRuleID     uint32
	ExpectationID uint32
	AttributeID   uint32
	FreezeID      uint32
	UnitID        uint32

	EmploymentTypeID uint32
	SignUpRuleID     uint32
	TeamRuleID       uint32
)

// The built-in groups and the application that protects Able Roster itself.
const (
	PublicGroup   GroupID       = 1
	AllUsersGroup GroupID       = 2
	AbleRoster    ApplicationID = 1
)

func (i UserID) String() string        { return text("user", uint32(i)) }
func (i GroupID) String() string       { return text("group", uint32(i)) }
func (i ApplicationID) String() string { return text("application", uint32(i)) }
func (i ResourceID) String() string    { return text("resource", uint32(i)) }
func (i RoleID) String() string        { return text("role", uint32(i)) }
func (i MembershipID) String() string  { return text("membership", uint32(i)) }
func (i InclusionID) String() string   { return text("inclusion", uint32(i)) }
func (i PermissionID) String() string  { return text("permission", uint32(i)) }
func (i AssignmentID) String() string  { return text("assignment", uint32(i)) }
func (i FenceID) String() string       { return text("fence", uint32(i)) }
func (i DefaultID) String() string     { return text("default", uint32(i)) }
func (i SoDRuleID) String() string     { return text("sod_rule", uint32(i)) }
func (i ExpectationID) String() string { return text("expectation", uint32(i)) }
func (i AttributeID) String() string   { return text("attribute", uint32(i)) }
func (i FreezeID) String() string      { return text("freeze", uint32(i)) }
func (i UnitID) String() string        { return text("unit", uint32(i)) }

func (i EmploymentTypeID) String() string { return text("employment_type", uint32(i)) }
func (i SignUpRuleID) String() string     { return text("sign_up_rule", uint32(i)) }
func (i TeamRuleID) String() string       { return text("team_rule", uint32(i)) }

// IDText is an id of a kind as text.
func IDText(kind FactKind, n uint32) string { return text(string(kind), n) }

// IdPrefix is what the ids of a kind begin with.
func IdPrefix(kind FactKind) string { return strings.ReplaceAll(string(kind), "_", "-") }

func text(kind string, n uint32) string {
	if n == 0 {
		return ""
	}
	return IdPrefix(FactKind(kind)) + "-" + strconv.FormatUint(uint64(n), 10)
}

// ParseID reads the number of an id of this kind ("user-42", "user" → 42).
func ParseID(kind, s string) (uint32, bool) {
	kind = IdPrefix(FactKind(kind))
	if len(s) < len(kind)+2 || s[len(kind)] != '-' || s[:len(kind)] != kind {
		return 0, false
	}
	rest := s[len(kind)+1:]
	if rest[0] == '0' {
		return 0, false
	}
	n, err := strconv.ParseUint(rest, 10, 32)
	return uint32(n), err == nil
}

// idKinds are what ids begin with, those of the first format too.
var idKinds = map[string]bool{"user": true, "group": true, "application": true, "resource": true, "role": true, "membership": true,
	"inclusion": true, "permission": true, "assignment": true, "fence": true, "default": true, "sod-rule": true, "conflict": true,
	"route": true, "requestable": true, "request": true, "round": true, "pending-removal": true, "pending-change": true,
	"proposal": true, "expectation": true, "attribute": true, "finding": true, "unit": true, "sign-up-rule": true}

// LooksLikeID says whether s could be taken for an id; no key or name may.
func LooksLikeID(s string) bool {
	i := len(s)
	for i > 0 && s[i-1] >= '0' && s[i-1] <= '9' {
		i--
	}
	return i < len(s) && i > 1 && s[i-1] == '-' && idKinds[s[:i-1]]
}

var KeyShape = regexp.MustCompile(`^[a-z][a-z0-9]*(-[a-z0-9]+)*$`)

// CheckWords says what is wrong with a text of at most so many bytes that people
// write for others to read, in one line or several, or nothing.
func CheckWords(s string, limit int) string {
	switch {
	case len(s) > limit:
		return fmt.Sprintf("is longer than %d bytes", limit)
	case !utf8.ValidString(s) || strings.ContainsFunc(s, func(r rune) bool {
		return unicode.IsControl(r) && r != '\n' && r != '\t' && r != '\r' || patterns.Deceives(r)
	}):
		return "has control characters or invisible ones"
	}
	return ""
}

// CheckLabel says what is wrong with a label of at most so many bytes, blank for nothing.
func CheckLabel(s string, limit int) string {
	switch {
	case len(s) > limit:
		return fmt.Sprintf("is longer than %d bytes", limit)
	case !patterns.CleanText(s):
		return "has control characters or invisible ones, or is not in Unicode normal form C"
	case strings.TrimSpace(s) != s:
		return "begins or ends with a space"
	}
	return ""
}
