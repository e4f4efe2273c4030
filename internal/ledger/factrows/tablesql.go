package factrows

import (
	"fmt"
	"strings"
	"sync"
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

// close closes the open rows of some ids, each at its revision.
func (t *Table) close() string {
	return "update " + t.Name + " t set closed = v.revision from unnest($1::integer[], $2::bigint[]) v(id, revision) where t.id = v.id and t.closed is null"
}

func (t *Table) selectAll() string {
	return "select id, opened, coalesce(closed, 0), " + strings.Join(t.columns, ", ") + " from " + t.Name
}

// SelectAt reads the facts open at revision $1.
func (t *Table) SelectAt() string {
	return t.selectAll() + " where opened <= $1 and (closed is null or closed > $1)"
}
