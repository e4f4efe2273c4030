package api

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"iter"
	"maps"
	"os"
	"slices"
	"strings"

	"ableroster/internal/api/serve"
)

// listTable makes a table of the rows of a list: a column for each value they have,
// in the order in which the list tells them. What names a thing becomes its name, and
// beside it its key; what holds lists of other things than names is left out. Which
// columns there are is known at the end only: until then the rows lie on disk.
type listTable struct {
	columns []string
	also    []string // columns there may be, although no row has them
	count   int
	parts   []string // lists in a row that are told a line each, with what they are called

	keep *json.Encoder // where the rows go
	kept *os.File      // from where they come
}

// collect makes a table of what pages adds to it.
func (t *listTable) collect(pages func() error) (err error) {
	t.kept, err = serve.Spooled(func(w io.Writer) error {
		t.keep = json.NewEncoder(w)
		return pages()
	})
	return err
}

// each gives the rows in order, and ends early when they cannot be read.
func (t *listTable) each(yield func(map[string]string) bool) error {
	if _, err := t.kept.Seek(0, io.SeekStart); err != nil {
		return err
	}
	d := json.NewDecoder(bufio.NewReader(t.kept))
	for range t.count {
		var row map[string]string
		if err := d.Decode(&row); err != nil {
			return err
		}
		if !yield(row) {
			break
		}
	}
	return nil
}

// add takes a page of a list: an object with an array of objects in it, of the name
// that is wanted, or the only one there is; ok is false for anything else.
func (t *listTable) add(raw []byte, wanted string) (next string, ok bool, err error) {
	page, err := ordered(raw)
	if err != nil {
		return "", false, nil
	}
	if i := slices.IndexFunc(page, func(m member) bool { return m.name == "next" }); i >= 0 {
		_ = json.Unmarshal(page[i].value, &next)
	}
	arrays := 0
	var rows []json.RawMessage
	for _, m := range page {
		var all []json.RawMessage
		if len(m.value) == 0 || m.value[0] != '[' || json.Unmarshal(m.value, &all) != nil || len(all) > 0 && all[0][0] != '{' {
			continue
		}
		if m.name == wanted {
			arrays, rows = 1, all
			break
		}
		arrays++
		rows = all
	}
	if arrays != 1 {
		return "", false, nil
	}
	// When it was judged is no part of a list: two files of the same list are the same.
	var judged struct{ At string }
	_ = json.Unmarshal(raw, &judged)
	for _, r := range rows {
		var own struct{ At string }
		if _ = json.Unmarshal(r, &own); own.At != "" && own.At == judged.At {
			r = serve.Basis.ReplaceAll(r, []byte("{"))
			r = bytes.Replace(r, []byte("{,"), []byte("{"), 1)
		}
		for _, row := range t.lines(r) {
			if err := t.keep.Encode(row); err != nil {
				return "", false, err
			}
			if t.count++; t.count > mostListed { // a row may have many lines
				return next, true, nil
			}
		}
	}
	return next, true, nil
}

// lines are what a row comes to: one line, or one for each thing in its parts.
func (t *listTable) lines(raw json.RawMessage) (out []map[string]string) {
	whole := map[string]string{}
	t.flatten("", raw, whole, 0)
	if t.parts == nil {
		return append(out, whole)
	}
	members, _ := ordered(raw) // flatten has read it
	for _, m := range members {
		var all []json.RawMessage
		if !slices.Contains(t.parts, m.name) || json.Unmarshal(m.value, &all) != nil {
			continue
		}
		for _, x := range all {
			line := maps.Clone(whole)
			t.put(line, "what", m.name)
			t.flatten("", x, line, 0)
			out = append(out, line)
		}
	}
	if out == nil {
		out = append(out, whole)
	}
	return out
}

type member struct {
	name  string
	value json.RawMessage
}

// ordered reads the members of an object in the order in which they stand.
func ordered(raw []byte) ([]member, error) {
	d := json.NewDecoder(bytes.NewReader(raw))
	if _, err := d.Token(); err != nil {
		return nil, err
	}
	var out []member
	for d.More() {
		name, err := d.Token()
		if err != nil {
			return nil, err
		}
		var m member
		m.name, _ = name.(string)
		if err := d.Decode(&m.value); err != nil {
			return nil, err
		}
		out = append(out, m)
	}
	return out, nil
}

func (t *listTable) put(row map[string]string, column, text string) {
	if !slices.Contains(t.columns, column) {
		t.columns = append(t.columns, column)
	}
	row[column] = text
}

func under(prefix, name string) string {
	if prefix == "" || prefix == "custom" { // declared attributes stand beside the others
		return name
	}
	return prefix + "_" + name
}

func (t *listTable) flatten(prefix string, raw json.RawMessage, row map[string]string, depth int) {
	members, err := ordered(raw)
	if err != nil {
		return
	}
	if label, key, names := named(members); names && prefix != "" {
		t.put(row, prefix, label)
		if key != "" {
			t.put(row, prefix+"_key", key)
		}
		return
	}
	for _, m := range members {
		column := under(prefix, m.name)
		switch m.value[0] {
		case '{':
			if depth < 1 {
				t.flatten(column, m.value, row, depth+1)
			}
		case '[':
			if text, ok := joined(m.value); ok {
				t.put(row, column, text)
			}
		default:
			t.put(row, column, scalar(m.value))
		}
	}
}

// named says whether an object names a thing: its label, and the key of it.
func named(members []member) (label, key string, ok bool) {
	for _, m := range members {
		switch m.name {
		case "label":
			label, ok = scalar(m.value), true
		case "key":
			key = scalar(m.value)
		case "id", "outside":
		default:
			return "", "", false
		}
	}
	return label, key, ok
}

// joined is a list of texts or of names with semicolons between them.
func joined(raw json.RawMessage) (string, bool) {
	var all []json.RawMessage
	if json.Unmarshal(raw, &all) != nil {
		return "", false
	}
	var out []string
	for _, x := range all {
		if x[0] == '{' {
			members, err := ordered(x)
			label, _, names := named(members)
			if err != nil || !names {
				return "", false
			}
			out = append(out, label)
			continue
		}
		if x[0] == '[' {
			return "", false
		}
		out = append(out, scalar(x))
	}
	return strings.Join(out, "; "), true
}

func scalar(raw json.RawMessage) string {
	var text string
	if json.Unmarshal(raw, &text) == nil {
		return text
	}
	if string(raw) == "null" {
		return ""
	}
	return string(raw)
}

// known are the columns that can be asked for.
func (t *listTable) known() []string {
	out := slices.Clone(t.columns)
	for _, c := range t.also {
		if !slices.Contains(out, c) && columnAliases[c] == "" {
			out = append(out, c)
		}
	}
	return out
}

// columnAliases are what lists call a column that their rows call otherwise.
var columnAliases = map[string]string{"name": "display_name"}

// table is the rows as lines, of the columns asked for, or of all. What fails while they
// are read stands in failed.
func (t *listTable) table(asked []string, failed *error) (header []string, rows iter.Seq[[]string], unknown string) {
	header = t.columns
	if asked != nil {
		header = asked
	}
	columns := make([]string, len(header))
	for i, h := range header {
		columns[i] = h
		if a := columnAliases[h]; a != "" && !slices.Contains(t.columns, h) {
			columns[i] = a
		}
		if (t.count > 0 || t.also != nil) && !slices.Contains(t.known(), columns[i]) && !slices.Contains(t.also, h) {
			return nil, nil, h
		}
	}
	return header, func(yield func([]string) bool) {
		*failed = t.each(func(r map[string]string) bool {
			line := make([]string, len(columns))
			for i, c := range columns {
				line[i] = r[c]
			}
			return yield(line)
		})
	}, ""
}
