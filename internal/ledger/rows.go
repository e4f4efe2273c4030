package ledger

import (
	"context"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// rows gathers the rows of one transaction: few go out in one batch with all
// else, many by COPY.
type rows struct {
	tables map[string]*gathered
	closes []closing
	open   map[rowKey]*gathered // facts opened in this transaction, by where they lie
	place  map[rowKey]int
}

// gathered are new rows of one table.
type gathered struct {
	columns []string
	values  [][]any
}

type rowKey struct {
	kind fact.FactKind
	id   uint32
}

type closing struct {
	table    *table
	id       uint32
	revision int64
}

// many is from how many rows of a table on COPY is faster than a batch.
const many = 100

// tellAnalyze is from how many new rows on PostgreSQL looks at a table anew at
// once, instead of when its own housekeeping comes by: or the next statements are
// planned for an empty table.
const tellAnalyze = 1000

// grown are the tables that have many new rows.
func (w *writer) grown() (out []string) {
	for _, name := range tableOrder {
		if g := w.tables[name]; g != nil && len(g.values) >= tellAnalyze || name == "operation" && w.stream != nil {
			out = append(out, name)
		}
	}
	return out
}

// analyze has PostgreSQL look at tables anew, while nobody waits for it.
func (l *Ledger) analyze(tables []string) {
	if len(tables) == 0 {
		return
	}
	l.done.Add(1) // whoever commits is counted still
	go func() {
		defer l.done.Done()
		work := "analyze " + strings.Join(tables, ", ")
		if slices.Contains(tables, "operation") {
			work = sqlTidy + "; " + work
		}
		if _, err := l.pool.Exec(l.run, work); err != nil && l.run.Err() == nil {
			l.log.Warn("statistics of a table are old", "error", err)
		}
	}()
}

// insert gathers one row. Its values are in the order of the table's columns.
func (r *rows) insert(name string, values ...any) *gathered {
	if r.tables == nil {
		r.tables = map[string]*gathered{}
	}
	g := r.tables[name]
	if g == nil {
		g = &gathered{columns: columnsOf[name]}
		r.tables[name] = g
	}
	g.values = append(g.values, values)
	return g
}

// facts closes and opens the rows of what a revision changed. A row that opens
// and closes in the same transaction is written closed.
func (r *rows) facts(revision int64, changes []access.RowChange) {
	if r.open == nil {
		r.open, r.place = map[rowKey]*gathered{}, map[rowKey]int{}
	}
	for _, x := range changes {
		if x.Before != nil {
			k := rowKey{x.Before.Kind(), x.Before.Row()}
			if g := r.open[k]; g != nil {
				g.values[r.place[k]][2] = revision
				delete(r.open, k)
			} else {
				r.closes = append(r.closes, closing{tableOf(k.kind), k.id, revision})
			}
		}
		if x.After != nil {
			k := rowKey{x.After.Kind(), x.After.Row()}
			t := tableOf(k.kind)
			g := r.insert(t.name, append([]any{k.id, revision, nil}, t.values(x.After)...)...)
			r.open[k], r.place[k] = g, len(g.values)-1
		}
	}
}

// leaveRows forgets the rows of facts: they are written later.
func (r *rows) leaveRows() {
	for i := range tables {
		delete(r.tables, tables[i].name)
	}
	r.closes = nil
}

// write puts the rows into the transaction of a connection: by COPY now, or
// into the batch that is sent next.
func (r *rows) write(ctx context.Context, conn *pgx.Conn, b *pgx.Batch) error {
	for i := range tables { // before a row with the same id opens
		t := &tables[i]
		var ids []uint32
		var revisions []int64
		for _, c := range r.closes {
			if c.table == t {
				ids, revisions = append(ids, c.id), append(revisions, c.revision)
			}
		}
		if len(ids) > 0 {
			b.Queue(t.close(), ids, revisions)
		}
	}
	for _, name := range tableOrder {
		g := r.tables[name]
		switch {
		case g == nil:
		case len(g.values) >= many:
			// What is in the batch comes first: others refer to it.
			if err := conn.SendBatch(ctx, b).Close(); err != nil {
				return err
			}
			*b = pgx.Batch{}
			if _, err := conn.CopyFrom(ctx, pgx.Identifier{name}, g.columns, pgx.CopyFromRows(g.values)); err != nil {
				return err
			}
		default:
			// One statement for all: what many waiting changes write costs
			// PostgreSQL little more than what one does.
			all := make([]any, 0, len(g.values)*len(g.columns))
			for _, v := range g.values {
				all = append(all, v...)
			}
			b.Queue(insertInto(name, g.columns, len(g.values)), all...)
		}
	}
	return nil
}
