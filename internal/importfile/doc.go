// Package intake reads the files an organisation has of its people: CSV (RFC 4180)
// in whatever separator, encoding and headings, and LDIF (RFC 2849); and maps their
// columns to ours. It does no I/O and knows nobody: files come as bytes, rows go out
// as texts by column, each with its line, and every fault is named with its own.
package importfile

import "fmt"

// Row is one line of a file, or one entry: its values by column.
type Row struct {
	Line   int
	Values map[string]string

	// Of an entry of a directory: the values of attributes that have several, and why those
	// were not read that are no texts, or are kept elsewhere.
	Several map[string][]string
	Unread  map[string]string
}

// Fault is one thing wrong with a file.
type Fault struct {
	Line    int    // counted from 1
	Column  string // or nothing for the whole line
	Message string
}

// MostRows bounds the rows of a file of up to 32 MB; a larger one may have a row for every
// 64 bytes.
const MostRows = 500_000

func mostRows(content []byte) int { return max(MostRows, len(content)/64) }

// mostFaults is how many faults of one kind a file is read on for.
const mostFaults = 1000

// faults gathers what is wrong with a file.
type faults []Fault

func (f *faults) add(line int, column, format string, args ...any) {
	*f = append(*f, Fault{line, column, fmt.Sprintf(format, args...)})
}
