// Package standards has the calls of the open standards: SCIM 2.0 (RFC 7643, 7644) and the
// OpenID AuthZEN Authorization API 1.0, and what the accounts that use them sent last.
package standards
