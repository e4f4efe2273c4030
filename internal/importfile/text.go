package importfile

import (
	"bytes"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// encodings are those a file can be said to have. UTF-16 tells itself by its
// byte-order mark.
var encodings = map[string]encoding.Encoding{
	"utf-8":        nil,
	"windows-1252": charmap.Windows1252,
	"windows-1250": charmap.Windows1250,
	"iso-8859-1":   charmap.ISO8859_1,
	"iso-8859-15":  charmap.ISO8859_15,
	"ibm-850":      charmap.CodePage850,
}

// Encoder writes text (UTF-8) to w in an encoding, and is closed at its end. It fails where that
// has no sign for one of the text.
func Encoder(w io.Writer, name string) io.WriteCloser {
	e := encodings[strings.ToLower(name)]
	if e == nil {
		e = unicode.UTF8
	}
	return transform.NewWriter(w, e.NewEncoder())
}

// Encodings are the names of those there are.
func Encodings() []string {
	var out []string
	for name := range encodings {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

// formats are files that are no texts, by how they begin.
var formats = []struct{ begins, what string }{
	{"PK\x03\x04", "a zip archive, perhaps a spreadsheet: save the sheet as CSV"},
	{"PK\x05\x06", "an empty zip archive"},
	{"\xd0\xcf\x11\xe0", "an old spreadsheet: save the sheet as CSV"},
	{"%PDF", "a PDF document"},
	{"\x1f\x8b", "compressed: unpack it first"},
	{"{", "JSON: give it as CSV or LDIF"},
	{"<?xml", "XML: give it as CSV or LDIF"},
	{"<!DOCTYPE", "a web page, perhaps one that asks to sign in"},
	{"<html", "a web page, perhaps one that asks to sign in"},
}

// wrongSigns are what a line of a text cannot have.
var wrongSigns = [...]struct {
	in   func(line []byte) bool
	says string
}{
	{func(l []byte) bool { return !utf8.Valid(l) }, "is not UTF-8: say which encoding the file has, or save it in UTF-8"},
	{func(l []byte) bool { return bytes.IndexByte(l, 0) >= 0 }, "has a zero byte: this is not a text file"},
	{func(l []byte) bool { return bytes.ContainsRune(l, utf8.RuneError) }, "has a sign that its encoding does not know: say which encoding the file has"},
}

// decoded is the text of a file, without its byte-order mark.
func decoded(content []byte, name string) (string, faults) {
	var out faults
	for _, f := range formats {
		if bytes.HasPrefix(content, []byte(f.begins)) {
			out.add(1, "", "is no CSV and no LDIF but %s", f.what)
			return "", out
		}
	}
	e, known := encodings[strings.ToLower(name)]
	switch {
	case bytes.HasPrefix(content, []byte("\xff\xfe")) || bytes.HasPrefix(content, []byte("\xfe\xff")):
		e = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
	case bytes.HasPrefix(content, []byte("\xef\xbb\xbf")):
		content, e = content[3:], nil
	case name != "" && !known:
		out.add(1, "", "is said to be in %s, which is none of %s", name, strings.Join(Encodings(), ", "))
		return "", out
	}
	if e != nil {
		text, err := e.NewDecoder().Bytes(content)
		if err != nil {
			out.add(1, "", "cannot be read in that encoding: %s", err)
			return "", out
		}
		content = text
	}
	// One fault of each kind: they have one cause, on however many lines.
	first, more := [len(wrongSigns)]int{}, [len(wrongSigns)]int{}
	line := 0
	for part := range bytes.Lines(content) {
		line++
		for i, w := range wrongSigns {
			if !w.in(part) {
				continue
			}
			if first[i] == 0 {
				first[i] = line
			} else {
				more[i]++
			}
			break
		}
	}
	for i, w := range wrongSigns {
		switch {
		case first[i] == 0:
		case more[i] == 0:
			out.add(first[i], "", "%s", w.says)
		default:
			out.add(first[i], "", "and %d more %s", more[i], w.says)
		}
	}
	return string(content), out
}
