package wire

import "strings"

// CSVText is a text as a cell of a CSV file that a spreadsheet does not take for a
// formula: a quote stands before what would begin one. Importing takes it away again.
func CSVText(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}
