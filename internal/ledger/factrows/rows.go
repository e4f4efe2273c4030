package factrows

import (
	"context"

	"ableroster/internal/access"
	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Rows gathers the rows of one transaction: few go out in one batch with all
// else, many by COPY.
type Rows struct {
	Tables map[string]*gathered
	closes []closing
	open   map[RowKey]*gathered // Facts opened in this transaction, by where they lie
	place  map[RowKey]int
}

// gathered are new rows of one table.
type gathered struct {
	columns []string
	Values  [][]any
}

// RowKey is where the row of a fact lies: kind and id.
type RowKey struct {
	Kind fact.FactKind
	ID   uint32
}

// KeyOf is where the row of a fact lies.
func KeyOf(f fact.Fact) RowKey { return RowKey{f.Kind(), f.Row()} }

type closing struct {
	table    *Table
	id       uint32
	revision int64
}

// many is from how many rows of a table on COPY is faster than a batch.
const many = 100

// Insert gathers one row. Its values are in the order of the table's columns.
func (r *Rows) Insert(name string, values ...any) *gathered {
	if r.Tables == nil {
		r.Tables = map[string]*gathered{}
	}
	g := r.Tables[name]
	if g == nil {
		g = &gathered{columns: ColumnsOf[name]}
		r.Tables[name] = g
	}
	g.Values = append(g.Values, values)
	return g
}

// Facts closes and opens the rows of what a revision changed. A row that opens
// and closes in the same transaction is written closed.
func (r *Rows) Facts(revision int64, changes []access.RowChange) {
	if r.open == nil {
		r.open, r.place = map[RowKey]*gathered{}, map[RowKey]int{}
	}
	for _, x := range changes {
		if x.Before != nil {
			k := KeyOf(x.Before)
			if g := r.open[k]; g != nil {
				g.Values[r.place[k]][2] = revision
				delete(r.open, k)
			} else {
				r.closes = append(r.closes, closing{TableOf(k.Kind), k.ID, revision})
			}
		}
		if x.After != nil {
			k := KeyOf(x.After)
			t := TableOf(k.Kind)
			g := r.Insert(t.Name, append([]any{k.ID, revision, nil}, t.Values(x.After)...)...)
			r.open[k], r.place[k] = g, len(g.Values)-1
		}
	}
}

// LeaveRows forgets the rows of facts: they are written later.
func (r *Rows) LeaveRows() {
	for i := range All {
		delete(r.Tables, All[i].Name)
	}
	r.closes = nil
}

// Many says whether Write needs more than one batch.
func (r *Rows) Many() bool {
	for _, g := range r.Tables {
		if len(g.Values) >= many {
			return true
		}
	}
	return false
}

// Write puts the rows into the transaction of a connection: by COPY now, or
// into the batch that is sent next.
func (r *Rows) Write(ctx context.Context, conn *pgx.Conn, b *pgx.Batch) error {
	for i := range All { // before a row with the same id opens
		t := &All[i]
		var ids []uint32
		var revisions []int64
		for _, c := range r.closes {
			if c.table == t {
				ids, revisions = append(ids, c.id), append(revisions, c.revision)
			}
		}
		if len(ids) > 0 {
			t.queueClose(b, ids, revisions)
		}
	}
	for _, name := range TableOrder {
		g := r.Tables[name]
		switch {
		case g == nil:
		case len(g.Values) >= many:
			// What is in the batch comes first: others refer to it.
			if err := conn.SendBatch(ctx, b).Close(); err != nil {
				return err
			}
			*b = pgx.Batch{}
			if _, err := conn.CopyFrom(ctx, pgx.Identifier{name}, g.columns, pgx.CopyFromRows(g.Values)); err != nil {
				return err
			}
		default:
			// One statement for all: what many waiting changes write costs
			// PostgreSQL little more than what one does.
			all := make([]any, 0, len(g.Values)*len(g.columns))
			for _, v := range g.Values {
				all = append(all, v...)
			}
			b.Queue(insertInto(name, g.columns, len(g.Values)), all...)
		}
	}
	return nil
}
