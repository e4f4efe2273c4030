// Package filter is the filter language of RFC 7644, section 3.4.2.2, as it is
// used everywhere: lists, views, rules, the command line's -where.
//
//	employment_type eq "contractor" and end_date lt "2027-01-01"
//	within eq "marine" and not (title co "clerk" or title pr)
//	groups[key sw "night-" and until pr]
//
// Parse reads a text and names the column where it stops making sense and what
// was expected there (parse.go). Check holds the expression to a schema: which
// attributes there are, their types and case rules (schema.go). Match evaluates
// it over the attributes of one thing (match.go).
//
// Where the RFC leaves room: an attribute without a value satisfies ne (nothing
// is not identical to something) and eq null; every other comparison with it is
// false. A multi-valued attribute matches when any of its values does.
package filter
