package importfile

import (
	"ableroster/internal/csvcell"
	"cmp"
	"encoding/csv"
	"errors"
	"io"
	"regexp"
	"slices"
	"strings"

	"golang.org/x/text/unicode/norm"
)

// Format says how a CSV file is written.
type Format struct {
	Separator string // one sign; a blank one is seen from the header
	Encoding  string // utf-8 by default

	// Composed hears how many values were written with signs apart that are one sign, such as
	// e and ´, and were put together (Unicode, form NFC); nil hears nothing.
	Composed func(values int)
}

// sepLine is a first line by which a spreadsheet is told what stands between columns.
var sepLine = regexp.MustCompile(`^sep=([^\r\n])\r?\n`)

// separators are those a header is looked through for.
const separators = ",;\t|"

// mostLine bounds a line, in bytes, and mostColumns the columns of a file.
const (
	mostLine    = 256 << 10
	mostColumns = 500
)

// CSV reads a file with a header. Headings are as the file has them, without the
// spaces around them.
func CSV(content []byte, f Format) (header []string, rows []Row, out []Fault) {
	text, bad := decoded(content, f.Encoding)
	if len(bad) > 0 {
		return nil, nil, bad
	}
	line := 0
	for l := range strings.Lines(text) {
		if line++; len(l) > mostLine {
			bad.add(line, "", "is longer than %d bytes: it is no row of a table", mostLine)
			return nil, nil, bad
		}
	}
	skipped := 0
	if m := sepLine.FindStringSubmatch(text); m != nil {
		text, skipped = text[len(m[0]):], 1
		f.Separator = cmp.Or(f.Separator, m[1])
	}
	r := csv.NewReader(strings.NewReader(text))
	r.FieldsPerRecord = -1
	r.Comma = separatorOf(text, f.Separator)
	if !slices.Contains([]rune(separators), r.Comma) {
		bad.add(1, "", "has “%s” between columns: it is one of , ; | and the tab", f.Separator)
		return nil, nil, bad
	}
	header, err := r.Read()
	if err != nil {
		bad.add(1, "", "has no header row with the names of the columns")
		return nil, nil, bad
	}
	if len(header) > mostColumns {
		bad.add(1, "", "has %d columns; an import may have %d", len(header), mostColumns)
		return nil, nil, bad
	}
	for i, h := range header {
		header[i] = norm.NFC.String(strings.TrimSpace(h))
		if header[i] != "" && slices.Contains(header[:i], header[i]) {
			bad.add(1, header[i], "is there twice")
		}
	}
	composed := 0
	for {
		rec, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		var pe *csv.ParseError
		if errors.As(err, &pe) {
			bad.add(pe.Line+skipped, "", "cannot be read as CSV (place %d): %s", pe.Column, pe.Err)
			break // what follows an open quote means nothing
		}
		line, _ := r.FieldPos(0)
		line += skipped
		if len(rec) != len(header) {
			bad.add(line, "", "has %d columns where the header has %d", len(rec), len(header))
			if len(bad) >= mostFaults {
				break
			}
			continue
		}
		row := Row{Line: line, Values: make(map[string]string, len(rec))}
		for i, v := range rec {
			if !norm.NFC.IsNormalString(v) {
				v = norm.NFC.String(v)
				composed++
			}
			if v = csvcell.Bare(strings.TrimSpace(v)); v != "" {
				row.Values[header[i]] = v
			} else if _, there := row.Values[header[i]]; !there {
				row.Values[header[i]] = ""
			}
		}
		if rows = append(rows, row); len(rows) > mostRows(content) {
			bad.add(line, "", "is past the %d rows one import may have", mostRows(content))
			break
		}
	}
	if composed > 0 && f.Composed != nil {
		f.Composed(composed)
	}
	if len(rows) == 0 && len(bad) == 0 {
		bad.add(2, "", "is missing: the file has a header and no rows")
	}
	return header, rows, bad
}

// separatorOf is what stands between columns: as said, or what the header has most
// of.
func separatorOf(text, said string) rune {
	if said != "" {
		r := []rune(said)
		if len(r) != 1 {
			return 0
		}
		return r[0]
	}
	head, _, _ := strings.Cut(text, "\n")
	best, most := ',', 0
	for _, s := range separators {
		if n := strings.Count(head, string(s)); n > most {
			best, most = s, n
		}
	}
	return best
}
