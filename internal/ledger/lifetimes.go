package ledger

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// lifetime is one end of a row's life: of the row that a revision opened.
type lifetime struct {
	revision int64
	kind     fact.FactKind
	id       uint32
	opens    bool
	opened   int64
}

// oddRow is a row that no writing leaves behind; without a fault there is none.
type oddRow struct {
	revision int64
	fault    string
}

// readOdd looks for rows that are closed before they open.
func readOdd(ctx context.Context, q querier) (odd oddRow, err error) {
	for i := range tables {
		t := &tables[i]
		early, err := q.Query(ctx, "select id, opened from "+t.name+" where closed <= opened order by opened limit 1")
		if err != nil {
			return odd, err
		}
		var id uint32
		var opened int64
		_, err = pgx.ForEachRow(early, []any{&id, &opened}, func() error {
			odd = oddRow{opened, fmt.Sprintf("the row of %s %d is closed before it opens", t.kind, id)}
			return nil
		})
		if err != nil || odd.fault != "" {
			return odd, err
		}
	}
	return odd, nil
}

// fetched is how many rows of a table are read at once.
const fetched = 2000

// lifetimes reads the ends of all rows' lives in order of the revisions that make them:
// from each table by two cursors, one by opening and one by closing.
type lifetimes struct {
	all   []*ends
	reach int64 // later ends are not looked at: some may be missing
}

// ends are those of one table, in one order.
type ends struct {
	t       *table
	cursor  string
	opens   bool
	ahead   []row // read, and of later revisions than were asked for
	through bool
}

// open begins to read. The cursors end with the transaction.
func (x *lifetimes) open(ctx context.Context, tx pgx.Tx) error {
	for i := range tables {
		t := &tables[i]
		for _, e := range []*ends{{t: t, cursor: "opened_" + t.name, opens: true}, {t: t, cursor: "closed_" + t.name}} {
			sql := t.selectAll() + " where opened <= $1 order by opened"
			if !e.opens {
				sql = t.selectAll() + " where closed is not null and closed <= $1 order by closed"
			}
			sql = strings.Replace(sql, "$1", strconv.FormatInt(x.reach, 10), 1)
			if _, err := tx.Exec(ctx, "declare "+e.cursor+" no scroll cursor for "+sql); err != nil {
				return err
			}
			x.all = append(x.all, e)
		}
	}
	return nil
}

// upTo adds the ends that are made by revisions up to one.
func (x *lifetimes) upTo(ctx context.Context, tx pgx.Tx, revision int64, into map[lifetime]*row) error {
	for _, e := range x.all {
		if err := e.upTo(ctx, tx, revision, into); err != nil {
			return err
		}
	}
	return nil
}

func (e *ends) upTo(ctx context.Context, tx pgx.Tx, revision int64, into map[lifetime]*row) error {
	for {
		n := 0
		for _, r := range e.ahead {
			if e.at(r) > revision {
				break
			}
			n++
		}
		if err := e.add(ctx, tx, e.ahead[:n], into); err != nil {
			return err
		}
		e.ahead = e.ahead[n:]
		if len(e.ahead) > 0 || e.through {
			return nil
		}
		e.ahead = nil
		if err := each(ctx, tx, e.t, func(r row) { e.ahead = append(e.ahead, r) }, fmt.Sprintf("fetch %d from %s", fetched, e.cursor)); err != nil {
			return err
		}
		e.through = len(e.ahead) < fetched
	}
}

// at is the revision that makes a row's end.
func (e *ends) at(r row) int64 {
	if e.opens {
		return r.opened
	}
	return r.closed
}

func (e *ends) add(ctx context.Context, tx pgx.Tx, all []row, into map[lifetime]*row) error {
	if e.opens && e.t.kind == fact.FactUser && len(all) > 0 {
		var digests [][]byte
		for _, r := range all {
			u := r.fact.(*fact.User)
			digests = append(digests, u.Digest[:])
		}
		names, err := personals(ctx, tx, sqlPersonal+" where digest = any($1)", digests)
		if err != nil {
			return err
		}
		for _, r := range all {
			u := r.fact.(*fact.User)
			u.Personal = names[u.Digest]
		}
	}
	for _, r := range all {
		into[lifetime{e.at(r), e.t.kind, r.id, e.opens, r.opened}] = &r
	}
	return nil
}
