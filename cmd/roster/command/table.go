package command

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"ableroster/internal/csvcell"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
)

// JSON prints a value as JSON.
func (c *Call) JSON(v any) {
	e := json.NewEncoder(c.Out)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	_ = e.Encode(v) // what cannot be written is kept by the screen
}

// Table prints rows as the output asks: aligned for people, or CSV (RFC 4180); v is what
// JSON shows instead.
func (c *Call) Table(v any, header []string, rows [][]string) {
	switch c.Output {
	case "json":
		c.JSON(v)
	case "csv":
		guard := csvcell.Guard
		if c.unguarded {
			guard = func(s string) string { return s }
		}
		writeCSV(c.Out, guard, header, rows)
	default:
		for _, r := range rows {
			for i := range r {
				r[i] = Clean(r[i])
			}
		}
		width := c.Screen.width
		if c.wide {
			width = 0
		}
		if aligned(c.Out, width, upper(header), rows) {
			fmt.Fprintln(c.Err, "Cells are cut to fit the terminal: -wide shows them whole.")
		}
	}
}

// writeCSV writes rows as RFC 4180 has them.
func writeCSV(out io.Writer, guard func(string) string, header []string, rows [][]string) {
	w := csv.NewWriter(out)
	w.UseCRLF = true
	_ = w.Write(header)
	for _, r := range rows {
		line := make([]string, len(r))
		for i, x := range r {
			line[i] = guard(x)
		}
		_ = w.Write(line)
	}
	w.Flush()
}

// leastColumn is how narrow a column becomes to fit, at the least.
const leastColumn = 8

// aligned prints rows in columns, no wider in all than width; 0 for as wide as they are. Wide
// characters count as two. It says whether cells were cut.
func aligned(out io.Writer, width int, header []string, rows [][]string) (cut bool) {
	const gap = 2
	widths := make([]int, len(header))
	for _, r := range append([][]string{header}, rows...) {
		for i, x := range r {
			widths[i] = max(widths[i], text.StringWidthWithoutEscSequences(x))
		}
	}
	total := gap * (len(widths) - 1)
	for _, w := range widths {
		total += w
	}
	for width > 0 && total > width {
		// The first column names the row, and is what one copies: it is cut last.
		widest := 0
		for i, w := range widths {
			if i > 0 && w > leastColumn && (widest == 0 || w > widths[widest]) {
				widest = i
			}
		}
		if widths[widest] <= leastColumn {
			break
		}
		widths[widest]--
		total--
		cut = true
	}
	t := table.NewWriter()
	style := table.Style{Name: "plain", Box: table.BoxStyle{PaddingRight: strings.Repeat(" ", gap)}, Format: table.FormatOptions{Header: text.FormatDefault}}
	t.SetStyle(style)
	t.SuppressTrailingSpaces()
	t.SetOutputMirror(out)
	columns := make([]table.ColumnConfig, len(widths))
	for i, w := range widths {
		columns[i] = table.ColumnConfig{Number: i + 1, WidthMax: w, WidthMaxEnforcer: shortened}
	}
	t.SetColumnConfigs(columns)
	t.AppendHeader(cells(header))
	for _, r := range rows {
		t.AppendRow(cells(r))
	}
	t.Render()
	return cut
}

func cells(r []string) table.Row {
	out := make(table.Row, len(r))
	for i, x := range r {
		out[i] = x
	}
	return out
}

// shortened is a text of at most so many columns, with … where it was cut.
func shortened(s string, most int) string { return text.Snip(s, most, "…") }

func upper(words []string) []string {
	out := make([]string, len(words))
	for i, w := range words {
		out[i] = strings.ToUpper(strings.ReplaceAll(w, "_", " "))
	}
	return out
}

// Clean keeps what others wrote from moving the cursor of a terminal.
func Clean(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r == utf8.RuneError {
			return ' '
		}
		return r
	}, s)
}
