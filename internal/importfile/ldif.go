package importfile

import (
	"encoding/base64"
	"iter"
	"strings"
	"unicode/utf8"

	"ableroster/internal/strictjson"
)

// LDIF reads the entries of a file of content records (RFC 2849): attributes in
// small letters and without their options, “dn” among them. What is no text, or kept
// elsewhere, is passed over and noted: it may be a picture that nobody asked for. Records
// of changes are refused: an import says what is, not what happened.
func LDIF(content []byte) (rows []Row, out []Fault) {
	text, bad := decoded(content, "")
	if len(bad) > 0 {
		return nil, bad
	}
	var entry *Row
	var values map[string][]string
	end := func() {
		if entry == nil {
			return
		}
		for name, all := range values {
			entry.Values[name] = strings.Join(all, ";")
			if len(all) > 1 {
				if entry.Several == nil {
					entry.Several = map[string][]string{}
				}
				entry.Several[name] = all
			}
		}
		if entry.Values["dn"] == "" {
			bad.add(entry.Line, "dn", "is missing: an entry begins with it")
		} else {
			rows = append(rows, *entry)
		}
		entry = nil
	}
	for l := range unfolded(text) {
		switch {
		case len(l.text) > mostLine:
			bad.add(l.line, "", "is longer than %d bytes: it is no value of a person's", mostLine)
			return rows, bad
		case l.text == "":
			end()
			continue
		case l.text[0] == '#':
			continue
		}
		name, value, ok := strings.Cut(l.text, ":")
		if !ok {
			bad.add(l.line, "", "is no attribute and value: “%s”", strictjson.Short(l.text))
			continue
		}
		name, _, _ = strings.Cut(strings.ToLower(name), ";")
		unread := ""
		switch {
		case strings.HasPrefix(value, ":"): // base64: section 2, value-spec
			raw, err := base64.StdEncoding.DecodeString(strings.TrimLeft(value[1:], " "))
			switch {
			case err != nil:
				bad.add(l.line, name, "is no base64")
				continue
			case !utf8.Valid(raw):
				unread = "is no text"
			}
			value = string(raw)
		case strings.HasPrefix(value, "<"):
			unread = "names a value kept elsewhere: nothing is fetched"
		default:
			value = strings.TrimLeft(value, " ")
		}
		if entry == nil {
			if name == "version" {
				if strings.TrimSpace(value) != "1" {
					bad.add(l.line, name, "is %s: this reads version 1", strictjson.Short(value))
				}
				continue
			}
			entry, values = &Row{Line: l.line, Values: map[string]string{}}, map[string][]string{}
			if len(rows) >= mostRows(content) {
				bad.add(l.line, "", "is past the %d entries one import may have", mostRows(content))
				return rows, bad
			}
		}
		switch {
		case unread != "" && (name == "dn" || name == "changetype"):
			bad.add(l.line, name, "%s", unread)
		case unread != "":
			if entry.Unread == nil {
				entry.Unread = map[string]string{}
			}
			entry.Unread[name] = unread
		case name == "changetype" && strings.TrimSpace(value) != "add":
			bad.add(l.line, name, "is “%s”: an import says what is, not what happened", strictjson.Short(value))
		case name == "changetype" || name == "control":
		default:
			values[name] = append(values[name], value)
		}
		if len(bad) >= mostFaults {
			break
		}
	}
	end()
	if len(rows) == 0 && len(bad) == 0 {
		bad.add(1, "", "has no entries")
	}
	return rows, bad
}

type foldedLine struct {
	line int
	text string
}

// unfolded gives the items with those that begin with a space joined to the one before,
// the newline that ended it gone (section 2, note 2): one at a time, for there may be
// many.
func unfolded(text string) iter.Seq[foldedLine] {
	return func(yield func(foldedLine) bool) {
		var parts []string // of the last line
		first, n := 0, 0
		last := func() bool { return first == 0 || yield(foldedLine{first, strings.Join(parts, "")}) }
		for line := range strings.Lines(text) {
			n++
			line = strings.TrimRight(line, "\r\n")
			if strings.HasPrefix(line, " ") && first > 0 && parts[0] != "" {
				parts = append(parts, line[1:])
				continue
			}
			if !last() {
				return
			}
			first, parts = n, append(parts[:0], line)
		}
		last()
	}
}
