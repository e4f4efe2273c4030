package past

import (
	"cmp"
	"context"
	"errors"
	"fmt"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/ledger/database"
	"ableroster/internal/ledger/factrows"

	"github.com/jackc/pgx/v5"
)

// userColumns are where the attributes of users lie at a revision, for a
// filter: u is the user's row, p their personal values.
var userColumns = func() filter.Columns {
	out := filter.Columns{
		"id":           {Value: "'user-' || u.id"},
		"user_name":    {Value: "coalesce(p.text->>'user_name', 'erased-user-' || u.id)"},
		"display_name": {Value: "case when p.text is null then 'a departed user' else coalesce(nullif(p.text->>'display_name', ''), p.text->>'user_name') end"},
		"email":        {Value: "nullif(p.text->>'email', '')"},
		"kind":         {Value: "u.kind"},
		"status":       {Value: "u.status"},
		"within":       {Value: "w.unit", From: "(select array_to_string((string_to_array(u.unit, '/'))[:n], '/') unit from generate_series(1, array_length(string_to_array(u.unit, '/'), 1)) n) w"},
	}
	for i := range fact.UserAttributes {
		switch a := &fact.UserAttributes[i]; {
		case !a.Described:
		case a.Type == filter.Day:
			out[a.Key] = filter.Column{Value: fmt.Sprintf("case when u.%[1]s <> 0 then to_char(date '1970-01-01' + u.%[1]s - 1, 'YYYY-MM-DD') end", a.Key)}
		default:
			out[a.Key] = filter.Column{Value: "nullif(u." + a.Key + ", '')"}
		}
	}
	return out
}()

// Register is the register of users at an instant, of those a checked filter
// chooses, with the organisation, its attributes, their managers and nothing else: for lists
// of an old day, which need not compile all that was given then. ok is false
// when the filter asks for more than the register tells, or when the whole
// snapshot is at hand anyway.
func (l *Past) Register(ctx context.Context, at calendar.Instant, e filter.Expression, schema filter.Schema) (s *access.Snapshot, ok bool, err error) {
	n, t, err := l.RevisionAt(ctx, at)
	if err != nil || l.head().Revision == n || l.atHand(n) != nil {
		return nil, false, err
	}
	condition, args := "true", []any(nil)
	if e != nil {
		if condition, args, ok = filter.SQL(e, schema, userColumns, 2); !ok {
			return nil, false, nil
		}
	}
	d := access.Loader(n)
	err = database.Read(ctx, l.pool, func(tx pgx.Tx) error {
		if reached, err := rowsThrough(ctx, tx); err != nil || reached < n {
			return cmp.Or(err, ErrRowsLater)
		}
		for _, kind := range []fact.FactKind{fact.FactOrganisation, fact.FactAttribute} {
			t := factrows.TableOf(kind)
			if err := factrows.Passing(ctx, tx, t, func(r factrows.Row) { d.Load(r.Fact, r.Opened) }, t.SelectAt(), n); err != nil {
				return err
			}
		}
		const open = "u.opened <= $1 and (u.closed is null or u.closed > $1)"
		chosen, err := factrows.Numbers(ctx, tx, `select u.id from user_fact u left join personal p on p.digest = u.personal
			where `+open+" and "+condition, append([]any{n}, args...)...)
		if err != nil {
			return err
		}
		managers, err := factrows.Numbers(ctx, tx, "select distinct u.manager from user_fact u where "+open+" and u.id = any($2) and u.manager <> 0", n, chosen)
		if err != nil {
			return err
		}
		return factrows.Users(ctx, tx, n, append(chosen, managers...), func(all []factrows.Row) { factrows.PutAll(d, all) })
	})
	if errors.Is(err, ErrRowsLater) { // the whole snapshot tells it
		return nil, false, nil
	}
	return d.Seal(n, t), err == nil, err
}
