// Package past answers of days gone by: a whole snapshot (whole.go, compile.go, recent.go),
// what concerned one user on a day (slice.go) or over the years (rolehistory.go), the register
// of users (register.go), the revisions themselves (history.go), and single questions such as
// who revoked something last. The rows it reads from follow a large change late: rowsfill.go
// writes these.
package past
