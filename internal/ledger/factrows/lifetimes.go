package factrows

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// Lifetime is one end of a row's life: of the row that a revision opened.
type Lifetime struct {
	Revision int64
	Kind     fact.FactKind
	ID       uint32
	Opens    bool
	Opened   int64
}

// oddRow is a row that no writing leaves behind; without a fault there is none.
type oddRow struct {
	Revision int64
	Fault    string
}

// Odd looks for rows that are closed before they open.
func Odd(ctx context.Context, q Querier) (odd oddRow, err error) {
	for i := range All {
		t := &All[i]
		early, err := q.Query(ctx, "select id, opened from "+t.Name+" where closed <= opened order by opened limit 1")
		if err != nil {
			return odd, err
		}
		var id uint32
		var opened int64
		_, err = pgx.ForEachRow(early, []any{&id, &opened}, func() error {
			odd = oddRow{opened, fmt.Sprintf("the row of %s %d is closed before it opens", t.Kind, id)}
			return nil
		})
		if err != nil || odd.Fault != "" {
			return odd, err
		}
	}
	return odd, nil
}

// fetched is how many rows of a table are read at once.
const fetched = 2000

// Lifetimes reads the ends of all rows' lives in order of the revisions that make them:
// from each table by two cursors, one by opening and one by closing.
type Lifetimes struct {
	all   []*ends
	Reach int64 // later ends are not looked at: some may be missing
}

// ends are those of one table, in one order.
type ends struct {
	t       *Table
	cursor  string
	opens   bool
	ahead   []Row // read, and of later revisions than were asked for
	through bool
}

// Open begins to read. The cursors end with the transaction.
func (x *Lifetimes) Open(ctx context.Context, tx pgx.Tx) error {
	for i := range All {
		t := &All[i]
		for _, e := range []*ends{{t: t, cursor: "opened_" + t.Name, opens: true}, {t: t, cursor: "closed_" + t.Name}} {
			sql := t.selectAll() + " where opened <= $1 order by opened"
			if !e.opens {
				sql = t.selectAll() + " where closed is not null and closed <= $1 order by closed"
			}
			sql = strings.Replace(sql, "$1", strconv.FormatInt(x.Reach, 10), 1)
			if _, err := tx.Exec(ctx, "declare "+e.cursor+" no scroll cursor for "+sql); err != nil {
				return err
			}
			x.all = append(x.all, e)
		}
	}
	return nil
}

// UpTo adds the ends that are made by revisions up to one.
func (x *Lifetimes) UpTo(ctx context.Context, tx pgx.Tx, revision int64, into map[Lifetime]*Row) error {
	for _, e := range x.all {
		if err := e.upTo(ctx, tx, revision, into); err != nil {
			return err
		}
	}
	return nil
}

func (e *ends) upTo(ctx context.Context, tx pgx.Tx, revision int64, into map[Lifetime]*Row) error {
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
		if err := each(ctx, tx, e.t, func(r Row) { e.ahead = append(e.ahead, r) }, fmt.Sprintf("fetch %d from %s", fetched, e.cursor)); err != nil {
			return err
		}
		e.through = len(e.ahead) < fetched
	}
}

// at is the revision that makes a row's end.
func (e *ends) at(r Row) int64 {
	if e.opens {
		return r.Opened
	}
	return r.Closed
}

func (e *ends) add(ctx context.Context, tx pgx.Tx, all []Row, into map[Lifetime]*Row) error {
	if e.opens && e.t.Kind == fact.FactUser && len(all) > 0 {
		var digests [][]byte
		for _, r := range all {
			u := r.Fact.(*fact.User)
			digests = append(digests, u.Digest[:])
		}
		names, err := Personals(ctx, tx, SQLPersonal+" where digest = any($1)", digests)
		if err != nil {
			return err
		}
		for _, r := range all {
			u := r.Fact.(*fact.User)
			u.Personal = names[u.Digest]
		}
	}
	for _, r := range all {
		into[Lifetime{e.at(r), e.t.Kind, r.id, e.opens, r.Opened}] = &r
	}
	return nil
}

// RowsBeyond says whether a table has rows that open or close after a revision, but for those of
// one that is being written.
func RowsBeyond(ctx context.Context, q Querier, reach, but int64) (beyond bool, err error) {
	for i := range All {
		rows, err := q.Query(ctx, "select exists (select from "+All[i].Name+" where opened > $1 and opened <> $2 or closed > $1 and closed <> $2)", reach, but)
		if err != nil {
			return false, err
		}
		if beyond, err = pgx.CollectExactlyOneRow(rows, pgx.RowTo[bool]); beyond || err != nil {
			return beyond, err
		}
	}
	return false, nil
}
