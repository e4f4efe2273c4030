// Package csvcell keeps a spreadsheet from taking a text in a CSV file for a formula.
package csvcell

import "strings"

// begins are the characters with which a formula begins, for one spreadsheet or another.
const begins = "=+-@\t\r"

func formula(s string) bool {
	s = strings.TrimLeft(s, "'")
	return s != "" && strings.ContainsRune(begins, rune(s[0]))
}

// Guard is a text as a cell that no spreadsheet takes for a formula: a quote stands before what
// would begin one. Bare takes it away again.
func Guard(s string) string {
	if formula(s) {
		return "'" + s
	}
	return s
}

// Bare is the text of a cell, as it was before Guard.
func Bare(s string) string {
	if s != "" && s[0] == '\'' && formula(s) {
		return s[1:]
	}
	return s
}
