// Package scim lets a personnel system or a directory keep users and groups by SCIM 2.0: the core
// schema (RFC 7643) and the protocol (RFC 7644). What a client sends becomes operations of one
// change on the write path, judged by the client's own rights, and written to the ledger with a
// sentence; what it reads is what it may see. Section numbers are those of RFC 7644 unless
// another is named.
//
// A user that departed is not there any more for any client; a group that a client deleted is
// emptied, and not there for that client. Names are never used again: a client that creates
// anew what it deleted, by its externalId, brings the record back.
package scim

import (
	"fmt"
	"net/http"
)

// MediaType is section 3.1.
const MediaType = "application/scim+json"

// Error is what a call is refused with (section 3.12). It may not be altered once made.
type Error struct {
	Status int
	Type   string // a scimType, or blank
	Detail string
}

func (e *Error) Error() string { return e.Detail }

// The keywords of errors (table 9).
const (
	invalidFilter = "invalidFilter"
	tooMany       = "tooMany"
	uniqueness    = "uniqueness"
	mutability    = "mutability"
	invalidSyntax = "invalidSyntax"
	invalidPath   = "invalidPath"
	noTarget      = "noTarget"
	invalidValue  = "invalidValue"
)

func bad(kind, format string, args ...any) *Error {
	return &Error{http.StatusBadRequest, kind, fmt.Sprintf(format, args...)}
}

func notFound(id string) *Error {
	return &Error{http.StatusNotFound, "", fmt.Sprintf("there is no resource %q", id)}
}

// Resource is a resource as JSON has it: texts, truth values, lists and objects. Attributes of an
// extension lie in an object under its URI.
type Resource = map[string]any
