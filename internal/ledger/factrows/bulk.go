package factrows

import (
	"cmp"
	"context"
	"encoding/binary"
	"errors"
	"fmt"

	"ableroster/internal/access"
	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgtype"
)

// Most of a start is reading millions of plain assignments and memberships:
// four numbers each, read as PostgreSQL sends them, and where an assignment
// came from, when not by hand.

// bulk reads the plain rows of a kind.
type bulk struct {
	sql string
	put func() func(*access.Builder, *plainRow) // with one fact used over and over: a draft copies it
}

type plainRow struct {
	opened       int64
	id, user, to uint32 // to: a role or a group
	origin       fact.Origin
}

var bulks = map[fact.FactKind]bulk{
	fact.FactAssignment: {
		"select opened, id, assignee_user, role, nullif(origin, 'manual') from assignment_fact where plain and rule = 0",
		func() func(*access.Builder, *plainRow) {
			f := new(fact.Assignment)
			return func(d *access.Builder, r *plainRow) {
				*f = fact.Assignment{ID: fact.AssignmentID(r.id), Assignee: fact.Assignee{User: fact.UserID(r.user)},
					Role: fact.RoleID(r.to), Origin: r.origin, Opened: r.opened}
				d.Load(f, r.opened)
			}
		},
	},
	fact.FactMembership: {
		"select opened, id, member_user, group_id, null::text from membership_fact where plain and rule = 0",
		func() func(*access.Builder, *plainRow) {
			f := new(fact.Membership)
			return func(d *access.Builder, r *plainRow) {
				*f = fact.Membership{ID: fact.MembershipID(r.id), Member: fact.Member{User: fact.UserID(r.user)},
					Group: fact.GroupID(r.to), Opened: r.opened}
				d.Load(f, r.opened)
			}
		},
	},
}

// portion is how many rows are handed over at a time.
const portion = 4096

// read puts the plain rows that are open at a revision into a draft.
func (b bulk) read(ctx context.Context, q Querier, d *access.Builder, revision int64, puts chan<- func()) error {
	rows, err := q.Query(ctx, b.sql+" and opened <= $1 and (closed is null or closed > $1)", revision)
	if err != nil {
		return err
	}
	defer rows.Close()
	if err := rows.Err(); err != nil {
		return err
	}
	if err := fourNumbers(rows.FieldDescriptions()); err != nil {
		rows.Close()
		return cmp.Or(rows.Err(), err)
	}
	// Portions go round: to the draft full, and back.
	back := make(chan []plainRow, cap(puts)+2)
	for range cap(back) {
		back <- make([]plainRow, 0, portion)
	}
	some, put := <-back, b.put()
	hand := func() {
		full := some
		puts <- func() {
			for i := range full {
				put(d, &full[i])
			}
			back <- full[:0]
		}
		some = <-back
	}
	known := texts{}
	for rows.Next() {
		v := rows.RawValues()
		r := plainRow{int64(binary.BigEndian.Uint64(v[0])), binary.BigEndian.Uint32(v[1]), binary.BigEndian.Uint32(v[2]), binary.BigEndian.Uint32(v[3]), fact.Manual}
		if v[4] != nil {
			_ = known.of((*string)(&r.origin)).ScanBytes(v[4])
		}
		if some = append(some, r); len(some) == portion {
			hand()
		}
	}
	hand()
	return rows.Err()
}

// fourNumbers makes sure that the values are what they are read as.
func fourNumbers(columns []pgconn.FieldDescription) error {
	want := []uint32{pgtype.Int8OID, pgtype.Int4OID, pgtype.Int4OID, pgtype.Int4OID}
	if len(columns) < len(want) { // the connection was lost before any came
		return errors.New("no columns came")
	}
	for i, want := range want {
		if c := columns[i]; c.DataTypeOID != want || c.Format != pgx.BinaryFormatCode {
			return fmt.Errorf("column %s comes as type %d in format %d", c.Name, c.DataTypeOID, c.Format)
		}
	}
	return nil
}
