package api

import (
	"bytes"
	"time"

	"github.com/xuri/excelize/v2"
)

// workbookKind is the media type of a workbook (ECMA-376).
const workbookKind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"

// workbook is a table as XLSX (ISO/IEC 29500). Every text is written as a text, so
// that none is taken for a formula; days and times as such.
func workbook(name string, header []string, rows [][]string) (*file, error) {
	f := excelize.NewFile()
	defer f.Close()
	const sheet = "Sheet1"
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return nil, err
	}
	day, err := f.NewStyle(&excelize.Style{NumFmt: 14})
	if err != nil {
		return nil, err
	}
	moment, err := f.NewStyle(&excelize.Style{NumFmt: 22})
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
	for n, r := range rows {
		line := make([]any, len(r))
		for i, text := range r {
			line[i] = text
			if t, err := time.Parse(time.DateOnly, text); err == nil {
				line[i] = excelize.Cell{StyleID: day, Value: t}
			} else if t, err := time.Parse(time.RFC3339, text); err == nil {
				line[i] = excelize.Cell{StyleID: moment, Value: t.UTC()}
			}
		}
		at, err := excelize.CoordinatesToCellName(1, n+2)
		if err != nil {
			return nil, err
		}
		if err := w.SetRow(at, line); err != nil {
			return nil, err
		}
	}
	if err := w.Flush(); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := f.Write(&out); err != nil {
		return nil, err
	}
	return &file{workbookKind, `attachment; filename="` + name + `.xlsx"`, out.Bytes()}, nil
}
