package serve

import (
	"archive/zip"
	"context"
	"errors"
	"io"
	"iter"
	"regexp"
	"strconv"
	"time"

	"github.com/xuri/excelize/v2"
)

// WorkbookKind is the media type of a workbook (ECMA-376).
const WorkbookKind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"

// number is a text that is a number and nothing else: 007 is none, nor is what has more digits
// than a spreadsheet keeps.
var number = regexp.MustCompile(`^-?(0|[1-9]\d{0,14})(\.\d{1,6})?$`)

// Workbook is a table as XLSX (ISO/IEC 29500). Every text is written as a text, so
// that none is taken for a formula; days and times as such.
func Workbook(ctx context.Context, name string, header []string, rows iter.Seq[[]string]) (*File, error) {
	f := excelize.NewFile()
	defer f.Close()
	const sheet = "Sheet1"
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return nil, err
	}
	asDay := "yyyy-mm-dd" // one way to read it, whatever the reader's country
	day, err := f.NewStyle(&excelize.Style{CustomNumFmt: &asDay})
	if err != nil {
		return nil, err
	}
	withZone := `yyyy-mm-dd hh:mm:ss "UTC"`
	moment, err := f.NewStyle(&excelize.Style{CustomNumFmt: &withZone})
	if err != nil {
		return nil, err
	}
	w, err := f.NewStreamWriter(sheet)
	if err != nil {
		return nil, err
	}
	if err := w.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return nil, err
	}
	for i := range header {
		if err := w.SetColWidth(i+1, i+1, 20); err != nil {
			return nil, err
		}
	}
	line := make([]any, len(header))
	for i, h := range header {
		line[i] = excelize.Cell{StyleID: bold, Value: h}
	}
	if err := w.SetRow("A1", line); err != nil {
		return nil, err
	}
	n := 1
	for r := range rows {
		n++
		line := make([]any, len(r))
		for i, text := range r {
			line[i] = text
			if t, err := time.Parse(time.DateOnly, text); err == nil {
				line[i] = excelize.Cell{StyleID: day, Value: t}
			} else if t, err := time.Parse(time.RFC3339, text); err == nil {
				line[i] = excelize.Cell{StyleID: moment, Value: t.UTC()}
			} else if number.MatchString(text) {
				if n, err := strconv.ParseFloat(text, 64); err == nil {
					line[i] = n
				}
			}
		}
		at, err := excelize.CoordinatesToCellName(1, n)
		if err != nil {
			return nil, err
		}
		if err := errors.Join(w.SetRow(at, line), ctx.Err()); err != nil {
			return nil, err
		}
	}
	if err := w.Flush(); err != nil {
		return nil, err
	}
	return FileOf(WorkbookKind, Attachment(name+".xlsx"), func(out io.Writer) error {
		f.SetZipWriter(func(io.Writer) excelize.ZipWriter { return zip.NewWriter(out) }) // not into the memory it offers
		return f.Write(io.Discard)
	})
}
