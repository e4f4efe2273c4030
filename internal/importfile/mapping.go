package importfile

import (
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/strictjson"
)

// Mapping says how the columns of a file are to be read as ours.
type Mapping struct {
	Separator string         `json:"separator,omitempty" maxLength:"1" doc:"between columns; seen from the header when not said"`
	Encoding  string         `json:"encoding,omitempty" doc:"utf-8 by default"`
	Key       string         `json:"key,omitempty" doc:"the attribute by which rows and users are matched: user_name by default, or a declared one"`
	ManagerBy string         `json:"manager_by,omitempty" doc:"the attribute by which managers are named: the key by default"`
	Columns   []ColumnSource `json:"columns" minItems:"1" maxItems:"100"`
	Missing   string         `json:"missing,omitempty" enum:"leave,suspend,depart" doc:"what becomes of users the file does not name: they are left by default"`
	MissingOf string         `json:"missing_of,omitempty" maxLength:"8192" doc:"of whom the file is the whole list: a filter over users; must be said to suspend or depart"`
}

// ColumnSource says where the values of one of our columns come from.
type ColumnSource struct {
	Column  string            `json:"column" doc:"ours: user_name, unit, a declared attribute, roles …"`
	From    []string          `json:"from,omitempty" doc:"headings in the file; the values of several are joined"`
	Else    []string          `json:"else,omitempty" doc:"headings of which the first that has a value counts, where from has nothing"`
	Pick    string            `json:"pick,omitempty" enum:"first,last,all" doc:"which of several values of an attribute of a directory; without it several are a fault, but for roles and groups"`
	Join    string            `json:"join,omitempty" doc:"between the values of several headings: a space by default"`
	Dates   []string          `json:"dates,omitempty" doc:"the formats of a date, such as DD.MM.YYYY or M/D/YY"`
	Values  map[string]string `json:"values,omitempty" doc:"what texts in the file mean; a blank meaning is none"`
	Others  string            `json:"others,omitempty" enum:"refuse,keep" doc:"texts that values does not name: refused by default"`
	Default string            `json:"default,omitempty" doc:"where the file has nothing"`
}

// Check says what is wrong with a mapping; ours are the columns there are, dates
// those of them that are days.
func (m *Mapping) Check(ours, dates []string) []string {
	var out []string
	add := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, strictjson.Shorts(args)...)) }
	if _, known := encodings[strings.ToLower(m.Encoding)]; m.Encoding != "" && !known {
		add("encoding is none of %s", strings.Join(Encodings(), ", "))
	}
	if m.Separator != "" && !strings.Contains(separators, m.Separator) {
		add("separator is one of , ; | and the tab")
	}
	if (m.Missing == "suspend" || m.Missing == "depart") && strings.TrimSpace(m.MissingOf) == "" {
		add("missing_of must say of whom the file is the whole list: a blank never means all")
	}
	var seen []string
	for i, c := range m.Columns {
		at := fmt.Sprintf("columns[%d]", i)
		switch {
		case !slices.Contains(ours, c.Column):
			add("%s.column “%s” is none of %s", at, c.Column, strings.Join(ours, ", "))
		case slices.Contains(seen, c.Column):
			add("%s.column “%s” is there twice", at, c.Column)
		}
		seen = append(seen, c.Column)
		if len(c.From) == 0 && c.Default == "" {
			add("%s (%s) has neither from nor default", at, c.Column)
		}
		for _, f := range c.Dates {
			if _, wrong := layoutOf(f); wrong != "" {
				add("%s.dates “%s” %s; a format is written with YYYY or YY, MM or M or MMM, and DD or D", at, f, wrong)
			}
		}
		if len(c.Dates) > 0 && !slices.Contains(dates, c.Column) {
			add("%s.dates: %s is no date", at, c.Column)
		}
		if c.Others != "" && len(c.Values) == 0 {
			add("%s.others says nothing without values", at)
		}
	}
	for _, must := range slices.Compact([]string{"user_name", m.KeyColumn(), m.ManagerColumn()}) {
		if !slices.Contains(seen, must) {
			add("columns has no %s", must)
		}
	}
	return out
}

// ManagerColumn is the column by which managers are named.
func (m *Mapping) ManagerColumn() string {
	if m.ManagerBy == "" {
		return m.KeyColumn()
	}
	return m.ManagerBy
}

// KeyColumn is the column by which rows and users are matched.
func (m *Mapping) KeyColumn() string {
	if m.Key == "" {
		return "user_name"
	}
	return m.Key
}

// Apply turns the rows of a file into rows of our columns.
func (m *Mapping) Apply(header []string, rows []Row) ([]Row, []Fault) {
	var bad faults
	for _, c := range m.Columns {
		for _, h := range c.From {
			if header != nil && !slices.Contains(header, h) {
				bad.add(1, h, "is no heading of this file, and %s comes from it; there are %s", c.Column, strings.Join(header, ", "))
			}
		}
	}
	if len(bad) > 0 {
		return nil, bad
	}
	tables := make([]map[string]string, len(m.Columns))
	for i, c := range m.Columns {
		tables[i] = map[string]string{}
		for text, meaning := range c.Values {
			tables[i][strings.ToLower(strings.TrimSpace(text))] = meaning
		}
	}
	out := make([]Row, 0, len(rows))
	for _, row := range rows {
		to := Row{Line: row.Line, Values: make(map[string]string, len(m.Columns))}
		for i := range m.Columns {
			c := &m.Columns[i]
			value, wrong := c.value(&row, tables[i])
			if wrong != "" {
				bad.add(row.Line, c.heading(), "%s", wrong)
			}
			to.Values[c.Column] = value
		}
		out = append(out, to)
	}
	return out, bad
}

// one is what a row has under a heading, of several values the one that is picked.
func (c *ColumnSource) one(row *Row, heading string) (value, wrong string) {
	if why := row.Unread[heading]; why != "" {
		return "", heading + " " + why
	}
	all := row.Several[heading]
	switch {
	case len(all) < 2 || c.Pick == "all" || c.Pick == "" && (c.Column == "roles" || c.Column == "groups"):
		return row.Values[heading], ""
	case c.Pick == "first":
		return all[0], ""
	case c.Pick == "last":
		return all[len(all)-1], ""
	}
	return "", fmt.Sprintf("%s has %d values: say in the mapping which counts (pick: first, last or all)", heading, len(all))
}

// heading is how faults name where a value came from.
func (c *ColumnSource) heading() string {
	if len(c.From) == 0 {
		return c.Column
	}
	return strings.Join(c.From, " + ")
}

func (c *ColumnSource) value(row *Row, meanings map[string]string) (value, wrong string) {
	var parts []string
	for _, h := range c.From {
		v, wrong := c.one(row, h)
		if wrong != "" {
			return "", wrong
		}
		if v != "" {
			parts = append(parts, v)
		}
	}
	for _, h := range c.Else {
		if len(parts) > 0 {
			break
		}
		v, wrong := c.one(row, h)
		if wrong != "" {
			return "", wrong
		}
		if v != "" {
			parts = append(parts, v)
		}
	}
	join := c.Join
	if join == "" {
		join = " "
	}
	text := strings.Join(parts, join)
	if len(c.Values) > 0 && text != "" {
		meaning, known := meanings[strings.ToLower(text)]
		switch {
		case known:
			text = meaning
			if text == "" {
				return c.Default, ""
			}
			if len(c.Dates) > 0 {
				return text, ""
			}
		case c.Others != "keep" && len(c.Dates) == 0:
			return "", "“" + text + "” is none of the texts the mapping knows"
		}
	}
	if text == "" {
		return c.Default, ""
	}
	if len(c.Dates) > 0 {
		day, err := date(text, c.Dates)
		if err != nil {
			return "", err.Error()
		}
		return day, ""
	}
	return text, ""
}
