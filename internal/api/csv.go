package api

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"strings"
	"time"

	"ableroster/internal/desk"
	"ableroster/wire"
)

// mostLines bounds a file made for a spreadsheet.
const mostLines = 10_000

// file is an answer that is kept as a file.
type file struct {
	ContentType        string `header:"Content-Type"`
	ContentDisposition string `header:"Content-Disposition"`
	Body               []byte
}

// gridFile is the whole grid as CSV (RFC 4180): a line for each user, a column
// for each permission.
func (s *Server) gridFile(ctx context.Context, in *gridSearch) (*file, error) {
	q := in.search()
	q.Cursor, q.Limit = "", 500
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	newcomer, err := wouldBe(in.WouldBe)
	if err != nil {
		return nil, err
	}
	v, err := s.view(ctx, in.AsOf) // one for all pages: they are of one revision
	if err != nil {
		return nil, err
	}
	for {
		g, err := v.Grid(in.Application, q, newcomer)
		if err != nil {
			return nil, err
		}
		if g.Total > mostLines {
			return nil, desk.Invalid("the file could not be made", wire.Fault{Place: "q", Message: fmt.Sprintf("chooses %d users; a file has at most %d lines, so narrow it by unit, group or filter", g.Total, mostLines)})
		}
		if q.Cursor == "" {
			head := []string{"user", "name"}
			for _, c := range g.Columns {
				head = append(head, c.Action+" "+c.Path)
			}
			_ = w.Write(head)
		}
		for _, r := range g.Rows {
			line := []string{defused(r.User.Key), defused(r.User.Label)}
			for i := range r.Cells {
				line = append(line, cellWords(&r.Cells[i]))
			}
			_ = w.Write(line)
		}
		if q.Cursor = g.Next; q.Cursor == "" {
			break
		}
	}
	w.Flush() // into memory: it cannot fail
	name := fmt.Sprintf("grid-%s-%s.csv", strings.NewReplacer("/", "-", `"`, "").Replace(in.Application), time.Now().UTC().Format(time.DateOnly))
	return &file{"text/csv; charset=utf-8", `attachment; filename="` + name + `"`, out.Bytes()}, nil
}

// cellWords says how something is held, and on what condition.
func cellWords(c *wire.GridCell) string {
	words := []string{c.Mark}
	if c.Mark == "" {
		words = nil
	}
	for _, x := range []struct {
		so   bool
		word string
	}{{c.Fenced, "fenced"}, {c.Own, "own"}, {c.Scheduled, "at times"}} {
		if x.so {
			words = append(words, x.word)
		}
	}
	if c.Until != nil {
		words = append(words, "until "+c.Until.UTC().Format(time.RFC3339))
	}
	return strings.Join(words, ", ")
}

// defused keeps a spreadsheet from taking a text for a formula.
func defused(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}
