package api

import (
	"cmp"
	"context"
	"fmt"
	"strings"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/internal/transfer"
	"ableroster/wire"
)

// mostLines bounds a file made for a spreadsheet.
const mostLines = 10_000

// gridFile is the whole grid as CSV (RFC 4180): a line for each user, a column
// for each permission.
func gridFile(ctx context.Context, s *serve.Server, in *gridSearch) (*serve.File, error) {
	q := in.Search()
	q.Cursor, q.Limit = "", 500
	newcomer, err := wouldBe(in.WouldBe)
	if err != nil {
		return nil, err
	}
	v, err := s.View(ctx, in.AsOf) // one for all pages: they are of one revision
	if err != nil {
		return nil, err
	}
	first, err := questions.Grid(v, in.Application, q, newcomer)
	if err != nil {
		return nil, err
	}
	if first.Total > mostLines {
		return nil, seeing.Invalid("the file could not be made", wire.Fault{Place: "q", Message: fmt.Sprintf("chooses %d users; a file has at most %d lines, so narrow it by unit, group or filter", first.Total, mostLines)})
	}
	head := []string{"user", "name"}
	for _, c := range first.Columns {
		head = append(head, c.Action+" "+c.Path)
	}
	var failed error
	rows := func(yield func([]string) bool) {
		for g := first; ; {
			for _, r := range g.Rows {
				line := []string{r.User.Key, r.User.Label}
				for i := range r.Cells {
					line = append(line, cellWords(&r.Cells[i]))
				}
				if !yield(line) {
					return
				}
			}
			if q.Cursor = g.Next; q.Cursor == "" {
				return
			}
			if g, failed = questions.Grid(v, in.Application, q, newcomer); failed != nil {
				return
			}
		}
	}
	out, err := serve.TableFile(ctx, transfer.Table{Name: "grid-" + strings.NewReplacer("/", "-", `"`, "").Replace(in.Application), Header: head, Rows: rows})
	return out, cmp.Or(failed, err)
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
