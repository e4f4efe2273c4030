package factrows

import (
	"fmt"
	"strings"
	"sync"

	"github.com/jackc/pgx/v5"
)

// SQLPersonal reads personal values with their digests: see Personals.
const SQLPersonal = `select digest, user_id, text is null, coalesce(text->>'user_name', ''), coalesce(text->>'display_name', ''), coalesce(text->>'email', ''), coalesce(text->>'more', '')
		from personal`

// ColumnsOf are the columns of the tables a commit writes, and tableOrder the
// order it writes them in: what others refer to comes first.
var (
	ColumnsOf = map[string][]string{
		"revision":    {"revision", "at", "recorded_at", "claimed", "author", "via", "reference", "reason", "format", "epoch", "ids", "staged", "canonical", "hash"},
		"reason":      {"digest", "salt", "text"},
		"operation":   {"revision", "position", "verb", "body", "subjects"},
		"personal":    {"digest", "user_id", "salt", "text", "staged"},
		"idempotency": {"caller", "key", "request", "revision"},
	}
	TableOrder = []string{"revision", "reason", "operation", "personal", "idempotency"}
)

func init() {
	for i := range All {
		t := &All[i]
		ColumnsOf[t.Name] = append([]string{"id", "opened", "closed"}, t.columns...)
		TableOrder = append(TableOrder, t.Name)
	}
}

// insertInto inserts so many rows at once. The texts are kept: as each commit
// writes a few rows to the same tables, there are not many.
func insertInto(name string, columns []string, rows int) string {
	type form struct {
		name string
		rows int
	}
	if text, ok := inserts.Load(form{name, rows}); ok {
		return text.(string)
	}
	var b strings.Builder
	b.WriteString("insert into " + name + " (" + strings.Join(columns, ", ") + ") values ")
	for r := range rows {
		if r > 0 {
			b.WriteString(", ")
		}
		for c := range columns {
			b.WriteString(map[bool]string{true: "(", false: ", "}[c == 0])
			fmt.Fprintf(&b, "$%d", r*len(columns)+c+1)
		}
		b.WriteString(")")
	}
	inserts.Store(form{name, rows}, b.String())
	return b.String()
}

var inserts sync.Map

// fewClosed is up to how many rows are closed by a list of values, whose plan PostgreSQL keeps.
// It plans anew, each time, for arrays: that takes as long as closing a few rows.
const fewClosed = 32

// queueClose closes the open rows of some ids, each at its revision.
func (t *Table) queueClose(b *pgx.Batch, ids []uint32, revisions []int64) {
	const where = ") v(id, revision) where t.id = v.id and t.closed is null"
	set := "update " + t.Name + " t set closed = v.revision from "
	if len(ids) > fewClosed {
		b.Queue(set+"(select * from unnest($1::integer[], $2::bigint[])"+where, ids, revisions)
		return
	}
	values := make([]string, len(ids))
	all := make([]any, 0, 2*len(ids))
	for i := range ids {
		values[i] = fmt.Sprintf("($%d::integer, $%d::bigint)", 2*i+1, 2*i+2)
		all = append(all, ids[i], revisions[i])
	}
	b.Queue(set+"(values "+strings.Join(values, ", ")+where, all...)
}

func (t *Table) selectAll() string {
	return "select id, opened, coalesce(closed, 0), " + strings.Join(t.columns, ", ") + " from " + t.Name
}

// SelectAt reads the facts open at revision $1.
func (t *Table) SelectAt() string {
	return t.selectAll() + " where opened <= $1 and (closed is null or closed > $1)"
}
